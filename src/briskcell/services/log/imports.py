"""A meter's log becomes a run: its layout shown and corrected first, its rows then read as a stream, all of them or none."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any, get_args

from briskcell.formats.meter_csv import HEAD_BYTES, Layout, Role, preview, read_log, recognise
from briskcell.model.errors import FigureError
from briskcell.services.jobs import Progress
from briskcell.services.uploads import Uploads
from briskcell.store.log import LogStore
from briskcell.store.runs import Appender, RunStore

KIND = "log-import"
MOST_ROWS = 20_000_000
BYTES_A_ROW = 24  # of a usual log, by which its progress is told


def laid_out(uploads: Uploads, log: LogStore, name: str) -> tuple[Layout, list[list[str]]]:
    """How a file is laid out, as recognised or as corrected for the last one of its kind, and its first rows.

    Raises
    ------
    FigureError
        If it is no log.
    """
    with uploads.path(name).open("rb") as file:
        head = file.read(HEAD_BYTES)
    layout = recognise(head)
    if (kept := log.layout(layout.signature)) is not None:
        layout = layout.with_document(kept)
    return layout, preview(head, layout)


def corrected(layout: Layout, form: Callable[[str], str]) -> Layout:
    """The layout as a page says it: a role and a scale for each column, the decimal sign, and whether amps are turned.

    Raises
    ------
    FigureError
        If a scale makes no sense.
    """
    columns = []
    for k, column in enumerate(layout.columns):
        role = form(f"role-{k}")
        scale = form(f"scale-{k}").strip().replace(",", ".") or "1"
        try:
            factor = float(scale)
        except ValueError:
            factor = 0.0
        if not 1e-9 <= abs(factor) <= 1e9:
            raise FigureError("log", f"“{scale[:20]}” is no factor for {column.name}.", fix="Give 0.001 for milliamps, 1 for amps.")
        columns.append(replace(column, role=role if role in get_args(Role) else column.role, scale=factor))  # type: ignore[arg-type]
    decimal = form("decimal")
    return replace(
        layout, columns=tuple(columns), turned=form("turned") == "yes", decimal=decimal if decimal in (".", ",") else layout.decimal
    )


def bring_in(
    uploads: Uploads,
    log: LogStore,
    runs: RunStore,
    unit_id: int,
    name: str,
    layout: Layout,
    title: str,
    kind: str,
    made_with: Mapping[str, str],
) -> Callable[[Progress], dict[str, Any]]:
    """The work that reads a file into a run. One that fails, or is stopped, leaves nothing behind."""

    def work(progress: Progress) -> dict[str, Any]:
        path = uploads.path(name)
        size = max(path.stat().st_size, 1)
        run_id = runs.add(
            unit_id,
            kind,
            title,
            {"kind": kind, "quantity": "volts", "from": "file", "full": kind in ("discharge", "play")} | dict(made_with),
            state="importing",
        )
        count, ended = 0, False
        try:
            appender = Appender(runs.path(run_id))
            try:
                for rows in read_log(path, layout):
                    appender.add_many(rows)
                    count += len(rows)
                    if count > MOST_ROWS:
                        raise FigureError("log", f"It has more than {MOST_ROWS:,} rows.", fix="Cut it in parts.")
                    if progress.stopped():
                        return {"stopped": True}
                    progress.at(min(count * BYTES_A_ROW / size, 0.99))
            finally:
                appender.close()
            runs.set(run_id, state="done", words=f"{count:,} readings from a file.")
            log.keep_layout(layout.signature, layout.document())
            ended = True
            return {"run": run_id, "rows": count}
        finally:
            if not ended:
                runs.remove(run_id)
            uploads.done(name)

    return work
