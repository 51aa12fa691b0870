"""The command line: serve, demo, assess, schema."""

from __future__ import annotations

import json
import socket
import sys
from pathlib import Path

import click
from platformdirs import user_data_path

from briskcell import __version__
from briskcell.core.assess import assess
from briskcell.formats.assessment_json import assessment_document
from briskcell.formats.plan_json import read_plan, schema, write_plan
from briskcell.library import catalogue
from briskcell.model.errors import FigureError, PlanError
from briskcell.model.parts import STATES
from briskcell.services.demo import demo_plans

USUAL_PORT = 5070


def data_folder() -> Path:
    """Where builds are kept unless told otherwise: the platform's own data folder."""
    return user_data_path("brisk-cell", appauthor=False)


@click.group()
@click.version_option(__version__, prog_name="brisk-cell")
def main() -> None:
    """Sizes battery packs, charge and boost boards and wiring for home-built handhelds."""


def _run(data: Path, port: int, *, demo: bool) -> None:
    from briskcell.web.serve import serve  # the page's machinery is not loaded for the other commands

    serve(data, port, demo=demo)


_data = click.option("--data", type=click.Path(path_type=Path, file_okay=False), help="Folder that keeps the builds.")
_port = click.option("--port", default=USUAL_PORT, show_default=True, type=click.IntRange(0, 65535),
                     help="Port on 127.0.0.1; if it is taken, a free one.")  # fmt: skip


@main.command("serve")
@_data
@_port
def serve_command(data: Path | None, port: int) -> None:
    """Serve your builds on 127.0.0.1."""
    _run(data or data_folder(), port, demo=False)


@main.command("demo")
@_data
@_port
def demo_command(data: Path | None, port: int) -> None:
    """Serve the demo builds on 127.0.0.1, apart from your own."""
    _run(data or data_folder() / "demo", port, demo=True)


@main.command("assess")
@click.argument("file", type=click.File("rb"))
@click.option("--soc", default=0.5, show_default=True, type=click.FloatRange(0, 1), help="State of charge of the nodes.")
@click.option("--state", default="play", show_default=True, type=click.Choice(STATES), help="Load state of the nodes.")
def assess_command(file: click.utils.LazyFile, soc: float, state: str) -> None:
    """Assess a plan FILE (- for standard input) and print the answers as JSON."""
    try:
        plan = read_plan(file)  # type: ignore[arg-type]
    except PlanError as error:
        for problem in error.problems:
            click.echo(f"{problem.field or 'plan'} = {problem.value}: {problem.message} {problem.fix}".strip(), err=True)
        sys.exit(2)
    except FigureError as error:
        click.echo(str(error), err=True)
        sys.exit(2)
    answer = assessment_document(assess(plan, catalogue().shelf()), soc, state)
    click.echo(json.dumps(answer, ensure_ascii=False, indent=2, allow_nan=False))


@main.command("schema")
def schema_command() -> None:
    """Print the JSON Schema of a plan."""
    click.echo(json.dumps(schema(), ensure_ascii=False, indent=2))


@main.command("export-demo")
@click.argument("folder", type=click.Path(path_type=Path, file_okay=False))
def export_demo_command(folder: Path) -> None:
    """Write the demo builds as plan files into FOLDER."""
    folder.mkdir(parents=True, exist_ok=True)
    for plan in demo_plans():
        path = folder / f"{plan.name.lower()}.json"
        path.write_bytes(write_plan(plan))
        click.echo(str(path))


def free_port(wanted: int) -> int:
    """The wanted port of 127.0.0.1, or a free one where it is taken."""
    for port in (wanted, 0):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            return int(probe.getsockname()[1])
    raise click.ClickException("No port of 127.0.0.1 is free.")
