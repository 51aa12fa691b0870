"""The map while the build is plugged in: from the socket to the board, there to the pack and to the console."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from briskcell.core.assess import Assessment
from briskcell.core.charge.current_split import LIMITS
from briskcell.model.units import show
from briskcell.services.charge.plugged import OFF, OnCharger, on_charger
from briskcell.web.drawing.text import short

from .current_map import course

HEIGHT, BOARD_Y, TANK_Y = 150.0, 44.0, 94.0
WIDEST = 22.0  # of a band
ROWS, ROW_STEP, FIRST_Y = 4, 23.0, 20.0
BOARD_W, TANK_W = 62.0, 44.0
USES = (("off", "console off"), ("rest", "at rest"), ("play", "in play"), ("peak", "at the peak"))


@dataclass(frozen=True, slots=True)
class PluggedSpace:
    """Where things stand on a drawing of one width; ``detail`` where there is room for the supply's words."""

    width: float
    socket_x: float
    board_x: float
    tank_x: float
    rows_x: float
    detail: bool


SPACES = {
    "wide": PluggedSpace(1024.0, 180.0, 330.0, 388.0, 640.0, detail=True),
    "narrow": PluggedSpace(704.0, 132.0, 220.0, 276.0, 452.0, detail=True),
    "phone": PluggedSpace(366.0, 10.0, 62.0, 112.0, 214.0, detail=False),
}


@dataclass(frozen=True, slots=True)
class PluggedBand:
    """A band: its course, width and title; ``back`` where the pack gives."""

    path: str
    thick: float
    title: str
    back: bool = False


@dataclass(frozen=True, slots=True)
class PluggedMap:
    """The drawing, and the sentence that says the same."""

    on: OnCharger
    space: PluggedSpace
    bands: tuple[PluggedBand, ...]
    rows: tuple[tuple[str, str, str, float], ...]
    supply_name: str
    supply_words: str
    board_name: str
    board_words: str
    pack_words: str
    fill: float
    sentence: str


def plugged_map(assessed: Assessment, soc: float, use: str, by: str, width: str) -> PluggedMap | None:
    """Draw a build on its charger.

    Returns
    -------
    PluggedMap or None
        None where the build has no charger that fills a pack.
    """
    on = on_charger(assessed, by, use, soc)
    if on is None:
        return None
    found, space = on.found, SPACES[width]
    rows = _rows(assessed, on)
    console_w = sum(w for _, _, w in rows)
    in_a = found.nodes[0].current_a
    in_w = in_a * on.socket.supply.voltage_v.likely
    into_w = on.into_a * found.store_v
    scale = WIDEST / max(in_w, console_w, abs(into_w), 0.1)
    room = space.width - space.rows_x - 74.0
    shown = tuple((i, short(n, room), show(w, "W"), FIRST_Y + ROW_STEP * k) for k, (i, n, w) in enumerate(rows))
    heights = [(y, w) for (_, _, w), (*_, y) in zip(rows, shown, strict=True)]
    return PluggedMap(
        on=on, space=space, bands=tuple(_bands(on, space, scale, in_w, into_w, heights)), rows=shown,
        supply_name=short(on.socket.supply.name, space.socket_x - 20.0),
        supply_words=f"{show(found.bus_v, 'V')} · {show(in_a, 'A')}",
        board_name=short(on.socket.board.name, 140.0 if space.detail else 96.0), board_words=show(found.bus_v, "V"),
        pack_words=f"{'takes' if on.into_a >= 0 else 'gives'} {show(abs(on.into_a), 'A')}", fill=soc,
        sentence=_sentence(on, in_w, in_a, console_w, into_w),
    )  # fmt: skip


def _rows(assessed: Assessment, on: OnCharger) -> list[tuple[str, str, float]]:
    """The loads by the watts they take, the last one for all the rest."""
    flow, loads = on.found.flow, assessed.op.network.loads
    n = len(loads)
    watts = np.where(np.isfinite(flow.consumer_a[..., :n]), flow.consumer_a[..., :n], 0.0) * flow.consumer_v[..., :n]
    watts = np.broadcast_to(np.reshape(watts, -1)[:n], (n,))
    order = sorted(range(n), key=lambda k: -float(watts[k]))
    single = order if n <= ROWS else order[: ROWS - 1]
    rest = order[len(single) :]
    rows = [(loads[k].id, loads[k].name, float(watts[k])) for k in single]
    return rows + ([(loads[rest[0]].id, f"{len(rest)} more parts", float(sum(watts[k] for k in rest)))] if rest else [])


def _bands(on: OnCharger, space: PluggedSpace, scale: float, in_w: float, into_w: float,
           rows: list[tuple[float, float]]) -> list[PluggedBand]:  # fmt: skip
    def thick(watts: float) -> float:
        return round(max(abs(watts) * scale, 0.8), 1)

    console_w = sum(w for _, w in rows)
    left, right = space.board_x - BOARD_W / 2, space.board_x + BOARD_W / 2
    out = [PluggedBand(course(space.socket_x, BOARD_Y, left - 4, BOARD_Y, left), thick(in_w), f"{show(in_w, 'W')} from the socket")]
    to_pack = into_w if on.layout != "on_cell" else on.found.charge_a * on.found.store_v
    if abs(to_pack) > 1e-6:
        words = "into the pack" if to_pack > 0 else "out of the pack"
        out.append(PluggedBand(course(right, BOARD_Y + 4, space.tank_x - 6, TANK_Y, space.tank_x), thick(to_pack),
                               f"{show(abs(to_pack), 'W')} {words}", to_pack < 0))  # fmt: skip
    if console_w <= 0:
        return out
    x0, y0 = (space.tank_x + TANK_W, TANK_Y) if on.layout == "on_cell" else (right, BOARD_Y)
    at = y0 - console_w * scale / 2
    for y, watts in rows:
        if watts > 0:
            wide = thick(watts)
            out.append(PluggedBand(course(x0, at + wide / 2, space.rows_x - 18.0, y, space.rows_x - 10.0), wide, show(watts, "W")))
            at += wide
    return out


def _sentence(on: OnCharger, in_w: float, in_a: float, console_w: float, into_w: float) -> str:
    """What flows where, and how long it takes."""
    supply, found = on.socket.supply, on.found
    most = supply.current_limit_a.likely
    out = [f"{supply.name} gives {show(in_a, 'A')} of {show(most, 'A')} ({show(in_w, 'W')})."]
    if on.layout == "cut_out" and on.use != OFF:
        out.append("The console is off: this layout cuts it out while it charges.")
    elif on.use != OFF:
        where = {"power_path": "straight from the socket", "on_cell": "from the cells, while they charge"}.get(on.layout, "")
        out.append(f"The console takes {show(console_w, 'W')}, {where}.")
    if not found.carried:
        out.append("That is more than the supply carries.")
    if on.into_a >= 0:
        out.append(f"The pack takes {show(on.into_a, 'A')} ({show(into_w, 'W')}), held by {LIMITS[found.limit]}.")
    else:
        out.append(f"The pack still gives {show(-on.into_a, 'A')} ({show(-into_w, 'W')}): it empties, plugged in.")
    if on.left_h is not None:
        out.append(f"Full in {show(on.left_h, 'h')} from here.")
    elif on.why:
        out.append(on.why)
    return " ".join(out)
