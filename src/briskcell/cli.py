"""The command line: serve, demo, assess, export, packs, measure, bench-sim, session, schema.

The engine and the pages are loaded by the commands that need them, so that help and errors come at once.
"""

from __future__ import annotations

import json
import os
import signal
import sys
import threading
from pathlib import Path
from typing import TYPE_CHECKING, BinaryIO, NoReturn

import click
from platformdirs import user_data_path

from briskcell import __version__
from briskcell.formats.plan_json import read_plan, schema, write_plan
from briskcell.model.errors import FigureError, PlanError
from briskcell.model.parts import STATES
from briskcell.model.plan import Plan

if TYPE_CHECKING:
    from briskcell.core.assess import Assessment

USUAL_PORT = 5070
USUAL_PHASES = "boot 1 min, play 2h00, peak 2 min, off 20 min, play 1h00 plugged"


def data_folder() -> Path:
    """Where builds are kept unless told otherwise: the platform's own data folder."""
    try:
        found = user_data_path("brisk-cell", appauthor=False)
    except (RuntimeError, KeyError, OSError):
        found = Path("~")
    if str(found).startswith("~") or not found.is_absolute():
        _end("There is no home folder to keep builds in. Name a folder with --data.")
    return found


@click.group()
@click.version_option(__version__, prog_name="brisk-cell")
def main() -> None:
    """Sizes battery packs, charge and boost boards and wiring for home-built handhelds."""


def _run(data: Path, port: int, *, demo: bool, lan: bool = False) -> None:
    _one_thread()
    from briskcell.services import folder
    from briskcell.services.bench.letting_go import first_of_all
    from briskcell.store import StoreError

    try:
        folder.prepare(data)
        with folder.lock(data) as held:
            first_of_all(data / folder.DATABASE)  # a load may draw: the pages take seconds to load
            from briskcell.web.serve import serve

            serve(data, port, held, demo=demo, lan=lan)
    except StoreError as error:
        _end(str(error))


def _one_thread() -> None:
    """Linear algebra with one thread: these matrices are small, and threads of their own would fight with the server's."""
    for name in ("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS", "MKL_NUM_THREADS", "VECLIB_MAXIMUM_THREADS"):
        os.environ.setdefault(name, "1")


def _end(words: str) -> NoReturn:
    """End with a sentence and the exit code of what cannot be begun."""
    click.echo(printable(words), err=True)
    sys.exit(2)


def printable(text: str) -> str:
    """A text without signs that a terminal would act on."""
    return "".join(c if c.isprintable() or c == "\n" else "·" for c in text)


_data = click.option("--data", type=click.Path(path_type=Path, file_okay=False), help="Folder that keeps the builds.")
_port = click.option(
    "--port",
    default=USUAL_PORT,
    show_default=True,
    type=click.IntRange(0, 65535),
    help="Port on 127.0.0.1; if it is taken, a free one.",
)


@main.command("serve")
@_data
@_port
@click.option("--lan", is_flag=True, help="Answer paired devices of the local network too; the line to them is not encrypted.")
def serve_command(data: Path | None, port: int, lan: bool) -> None:
    """Serve your builds on 127.0.0.1."""
    _run(data or data_folder(), port, demo=False, lan=lan)


@main.command("demo")
@_data
@_port
def demo_command(data: Path | None, port: int) -> None:
    """Serve the demo builds on 127.0.0.1, apart from your own."""
    _run(data or data_folder() / "demo", port, demo=True)


@main.command("backup")
@click.argument("file", type=click.Path(dir_okay=False, path_type=Path))
@_data
def backup_command(file: Path, data: Path | None) -> None:
    """Write the whole of your data folder into FILE, while it is used or not."""
    from briskcell.services.backups.taking import back_up
    from briskcell.store import StoreError

    try:
        found = back_up(data or data_folder(), file)
    except StoreError as error:
        _end(str(error))
    click.echo(f"{file}: " + ", ".join(f"{n} {words}" for words, n in found.counts.items()) + f", {found.photos} photographs")


@main.command("restore")
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@_data
@click.option("--yes", is_flag=True, help="Do not ask.")
def restore_command(file: Path, data: Path | None, yes: bool) -> None:
    """Put the backup FILE in the place of your data folder; what was there is kept in a file beside it."""
    from briskcell.services import folder as folders
    from briskcell.services.backups.archive import examined
    from briskcell.services.backups.restoring import restore
    from briskcell.services.backups.taking import contents_of
    from briskcell.store import StoreError

    folder = data or data_folder()
    try:
        folders.prepare(folder)
        with folders.lock(folder):
            coming, now = examined(file), contents_of(folder)
            for words, n in coming.counts.items():
                click.echo(f"{words}: {n} in the backup, {now.counts.get(words, 0)} here")
            if not yes and now.counts.get("builds"):
                click.confirm("Put the backup in the place of what is here?", abort=True)
            safe = restore(file, folder)
    except (StoreError, FigureError) as error:
        _end(str(error))
    click.echo("Restored." + (f" What was here is kept in {safe}." if safe else ""))


@main.command("assess")
@click.argument("file", type=click.File("rb"))
@click.option("--soc", default=0.5, show_default=True, type=click.FloatRange(0, 1), help="State of charge of the nodes.")
@click.option("--state", default="play", show_default=True, type=click.Choice(STATES), help="Load state of the nodes.")
def assess_command(file: BinaryIO, soc: float, state: str) -> None:
    """Assess a plan FILE (- for standard input) and print the answers as JSON."""
    from briskcell.formats.assessment_json import assessment_document

    answer = assessment_document(_assessed(file), soc, state)
    click.echo(json.dumps(answer, ensure_ascii=False, indent=2, allow_nan=False))


def _plan(file: BinaryIO) -> Plan:
    """The plan in a file; or each problem on a line, and exit code 2."""
    try:
        return read_plan(file)
    except PlanError as error:
        for problem in error.problems:
            click.echo(printable(f"{problem.field} = {problem.value}: {problem.message} {problem.fix}".strip()), err=True)
        sys.exit(2)


def _assessed(file: BinaryIO) -> Assessment:
    from briskcell.core.assess import assess
    from briskcell.library import catalogue

    return assess(_plan(file), catalogue().stock())


@main.command("packs")
@click.argument("file", type=click.File("rb"))
def packs_command(file: BinaryIO) -> None:
    """List every pack of the library that fits a plan FILE, as CSV, longest runtime first."""
    from briskcell.services.pack.candidates import fitting_packs

    found = fitting_packs(_assessed(file))
    if found is None:
        raise click.ClickException("The build has no pack of cells to replace.")
    click.echo("cell,series,parallel,energy_wh,runtime_h,thickness_mm,mass_g,cost,least_spare,none_thinner_plays_longer")
    for c in found.packs:
        figures = (c.energy_wh, c.runtime_h, c.thickness_mm, c.mass_g, c.cost, c.spare)
        shown = ",".join("" if v is None else f"{v:.4g}" for v in figures)
        click.echo(f"{c.cell.part_class},{c.series},{c.parallel},{shown},{'yes' if c.frontier else 'no'}")


@main.command("measure")
@click.argument("file", type=click.File("rb"))
@click.option("--node", required=True, help="Name of the node, as assess lists it.")
@click.option("--soc", default=0.5, show_default=True, type=click.FloatRange(0, 1), help="State of charge.")
@click.option("--state", default="play", show_default=True, type=click.Choice(STATES), help="Load state.")
def measure_command(file: BinaryIO, node: str, soc: float, state: str) -> None:
    """Read a node with the simulated meter, beside what was predicted."""
    from briskcell.services.meter import read_node

    try:
        found = read_node(_assessed(file), node, soc, state)
    except FigureError as error:
        raise click.ClickException(str(error)) from error
    click.echo(f"{found.node}: predicted {found.predicted_v:.4f} V, read {found.read_v:.4f} V (simulated meter)")


@main.command("bench-sim")
@click.argument("file", type=click.File("rb"))
@click.option(
    "--port", default=5025, show_default=True, type=click.IntRange(0, 65533), help="Of the meter; supply and load follow."
)
@click.option("--fault", "faults", multiple=True, metavar="KIND,PART", help="What is wrong with the console; may be given again.")
@click.option("--charge", default=0.6, show_default=True, type=click.FloatRange(0, 1), help="Of its pack.")
@click.option("--speed", default=1.0, show_default=True, type=click.FloatRange(0, 1e5), help="Of its time.")
@click.option(
    "--noise", default=0.0008, show_default=True, type=click.FloatRange(0, 1), help="Of a reading, one standard deviation."
)
@click.option("--seed", default=1, show_default=True)
def bench_sim_command(
    file: BinaryIO, port: int, faults: tuple[str, ...], charge: float, speed: float, noise: float, seed: int
) -> None:
    """Play a build on a simulated bench: a meter, a supply and a load that speak SCPI over sockets of this machine."""
    from briskcell.services.bench.played import KINDS, played

    try:
        bench, found = played(_assessed(file), faults, charge=charge, speed=speed, noise=noise, seed=seed, port=port)
    except FigureError as error:
        raise click.ClickException(str(error)) from error
    except OSError as error:
        raise click.ClickException(f"Port {port} cannot be had: {error.strerror}. Choose another with --port.") from error
    bench.start()
    ended = threading.Event()
    signal.signal(signal.SIGTERM, lambda *_: ended.set())
    for kind in KINDS:
        click.echo(f"{kind}: {bench.address(kind)}")
    click.echo("On the bench: " + ("; ".join(f"{f.kind} at {f.where}" for f in found) or "a sound console") + ". Ctrl+C ends it.")
    try:
        ended.wait()
    except KeyboardInterrupt:
        click.echo("The bench is cleared.")
    finally:
        bench.close()


@main.command("session")
@click.argument("file", type=click.File("rb"))
@click.option(
    "--phases", default=USUAL_PHASES, show_default=True, help="What happens, each with its time; “plugged” while it charges."
)
@click.option("--start", default=1.0, show_default=True, type=click.FloatRange(0.01, 1), help="State of charge at the start.")
def session_command(file: BinaryIO, phases: str, start: float) -> None:
    """Play a session of a plan FILE through in time, and print its course as CSV."""
    from briskcell.services.day.session import play

    try:
        found = play(_assessed(file), phases, start)
    except FigureError as error:
        raise click.ClickException(str(error)) from error
    click.echo("minutes,charge,pack_v,pack_a,case_c")
    columns = zip(found.time_s, found.soc, found.store_v, found.store_a, found.case_c, strict=True)
    for k, (t, soc, volts, amps, case_c) in enumerate(columns):
        if k % max(len(found.time_s) // 60, 1) == 0 or k == len(found.time_s) - 1:
            click.echo(f"{t / 60:.1f},{soc:.4f},{volts:.3f},{amps:.3f},{case_c:.1f}")
    click.echo(f"# {found.ended or 'played to its end'}", err=True)


@main.command("doctor")
@_data
def doctor_command(data: Path | None) -> None:
    """Look through a data FOLDER: whether its file is whole, and every revision can be read and judged. Changes nothing."""
    _one_thread()
    from briskcell.services.doctor import examine
    from briskcell.store import StoreError

    try:
        found = examine(data or data_folder())
    except StoreError as error:
        _end(str(error))
    for line in found.lines:
        click.echo(printable(line))
    sys.exit(0 if found.sound else 1)


@main.command("export-all")
@click.argument("folder", type=click.Path(path_type=Path, file_okay=False))
@_data
def export_all_command(folder: Path, data: Path | None) -> None:
    """Write every build that can still be read into FOLDER, out of a damaged file too."""
    from briskcell.services.doctor import rescue
    from briskcell.store import StoreError

    try:
        for line in rescue(data or data_folder(), folder):
            click.echo(printable(line))
    except StoreError as error:
        _end(str(error))


@main.command("formats")
def formats_command() -> None:
    """List the formats that a plan can be exported to."""
    from briskcell.exports.registry import FORMATS

    for form in FORMATS:
        click.echo(f"{form.key:14}{form.suffix:7}{form.title}: {form.words}")


@main.command("export")
@click.argument("file", type=click.File("rb"))
@click.option("--as", "key", required=True, help="One of what `brisk-cell formats` lists.")
@click.option("--out", type=click.File("wb"), default="-", help="File to write; standard output if not given.")
@click.option("--soc", default=0.7, show_default=True, type=click.FloatRange(0, 1), help="Charge of a circuit or a map.")
@click.option("--state", default="play", show_default=True, type=click.Choice(STATES), help="Load of a circuit or a map.")
def export_command(file: BinaryIO, key: str, out: BinaryIO, soc: float, state: str) -> None:
    """Write a plan FILE (- for standard input) in another format."""
    _one_thread()
    from briskcell.exports.form import Given, Wanted
    from briskcell.exports.registry import BY_KEY
    from briskcell.exports.registry import export as exported

    if key not in BY_KEY:
        raise click.ClickException(f"There is no format “{printable(key)}”. Use one of {', '.join(BY_KEY)}.")
    assessed = _assessed(file)
    try:
        made = exported(key, Given(assessed), Wanted(soc, state))
    except FigureError as error:
        raise click.ClickException(str(error)) from error
    out.write(made)


@main.command("schema")
def schema_command() -> None:
    """Print the JSON Schema of a plan."""
    click.echo(json.dumps(schema(), ensure_ascii=False, indent=2))


@main.command("export-demo")
@click.argument("folder", type=click.Path(path_type=Path, file_okay=False))
def export_demo_command(folder: Path) -> None:
    """Write the demo builds as plan files into FOLDER."""
    from briskcell.services.demo import demo_plans

    folder.mkdir(parents=True, exist_ok=True)
    for plan in demo_plans():
        path = folder / f"{plan.name.lower()}.json"
        path.write_bytes(write_plan(plan))
        click.echo(str(path))
