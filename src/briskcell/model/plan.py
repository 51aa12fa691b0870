"""The plan: one document that holds a whole build."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from typing import Annotated, Any, Literal, Self

from annotated_types import MaxLen
from pydantic import Field, ValidationError, model_validator

from .errors import FigureError, PlanError
from .evidence import Evidence
from .figure import Celsius, Document, Figure, Grams, Hours, Millimetres, Money, Share, Watts, Words
from .kinds import PART_LISTS
from .parts import Converter, Fed, Link, Load, Name, Part, Rail
from .phases import Moment
from .stores import Balancer, Bank, Capacitor, ChargeBoard, Pack, Supply, Trickle
from .units import Unit
from .upgrades import upgraded

FORMAT_VERSION = 3
READ_VERSIONS = (1, 2, 3)
Store = Pack | Capacitor | Bank


class Margins(Document):
    """Spare that counts as comfortable, and as close; less than close fails."""

    comfortable: Share = 0.25
    close: Share = 0.10

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if self.close > self.comfortable:
            raise FigureError("close", "Close asks for more spare than comfortable.", fix="Swap the two.")
        return self


class Brief(Document):
    """What the handheld must do. Where it is charged may be as warm as where it is used, or have a temperature of its own.

    ``charged_outside`` says that its cells are taken out, or a charger outside the case is put to a jack of the pack: no board
    inside fills it then.
    """

    hours: Hours = 4.0
    charge_hours: Hours = 5.0
    play_while_charging: bool = True
    charged_outside: bool = False
    thickness_mm: Millimetres = 30.0
    room_c: Celsius = 30.0
    cells_c: Celsius = 25.0
    charge_c: Celsius | None = None
    held: bool = True
    charge_ports: Annotated[int, Field(ge=0, le=8)] = 1
    mass_g: Grams | None = None
    budget: Money | None = None
    shelf_days: Annotated[float, Unit("d", above=0, at_most=3650)] = 60.0
    clock_must_keep: bool = False
    resets_per_charge: Annotated[int, Field(ge=0, le=1000)] = 0
    margins: Margins = Margins()

    @property
    def charging_c(self) -> float:
        """Temperature of the cells as they are put on the charger. [°C]"""
        return self.cells_c if self.charge_c is None else self.charge_c


class Shutdown(Document):
    """What a clean shutdown takes, and the warning that starts it: its volts as set, and the minutes of play it is to leave.

    ``soft`` says whether a button starts a script that shuts the board down; no, that nothing has to be shut down. ``hard_off``
    says whether something cuts the power when the board hangs. Where they are left open, the build's switches tell.
    """

    power_w: Watts = Figure(low=1.5, likely=2.5, high=4.0, grade="typical", source="small computer board writing its card")
    seconds: Annotated[float, Unit("s", at_least=0, at_most=3600)] = 25.0
    warning_v: Annotated[float, Unit("V", above=0, at_most=60)] | None = None
    warning_minutes: Annotated[float, Unit("min", at_least=0, at_most=600)] = 0.0
    hard_off: bool | None = None
    soft: bool | None = None


class Box(Document):
    """A block of space taken or free: its size, and where its corner lies."""

    length_mm: Millimetres
    width_mm: Millimetres
    depth_mm: Millimetres
    x_mm: Annotated[float, Unit("mm", at_least=0, at_most=1000)] = 0.0
    y_mm: Annotated[float, Unit("mm", at_least=0, at_most=1000)] = 0.0
    z_mm: Annotated[float, Unit("mm", at_least=0, at_most=1000)] = 0.0


class Bay(Document):
    """The room for the pack, inside the walls: clearance all round, and blocks that are taken."""

    length_mm: Millimetres
    width_mm: Millimetres
    depth_mm: Millimetres
    clearance_mm: Annotated[float, Unit("mm", at_least=0, at_most=50)] = 0.5
    plug_room_mm: Annotated[float, Unit("mm", at_least=0, at_most=100)] = 8.0
    wrap_mm: Annotated[float, Unit("mm", at_least=0, at_most=10)] = 0.3
    holder_mm: Annotated[float, Unit("mm", at_least=0, at_most=30)] = 0.0
    keep_outs: Annotated[tuple[Box, ...], Field(max_length=20)] = ()


class Case(Document):
    """The closed case: its outside, how much of it hands or a table cover, its vents and fan, its mass, its shell."""

    length_mm: Millimetres = 160.0
    width_mm: Millimetres = 85.0
    depth_mm: Millimetres = 30.0
    covered: Share = 0.35
    vents: bool = False
    fan: bool = False
    mass_g: Grams = 350.0
    material: Literal["plastic", "wood", "metal"] = "plastic"
    wall_mm: Annotated[float, Unit("mm", at_least=0.2, at_most=30)] = 2.5


class Placed(Document):
    """Where a part lies in the case: its lower left rear corner from the inside of the walls, and whether it is turned by 90°.

    ``laid_as`` is the class that was laid there, of a pack with its cells: another class in its place has to be laid anew.
    """

    part: Annotated[str, Field(max_length=60)]
    laid_as: Annotated[str, Field(max_length=120)] = ""
    x_mm: Annotated[float, Unit("mm", at_least=-500, at_most=1000)] = 0.0
    y_mm: Annotated[float, Unit("mm", at_least=-500, at_most=1000)] = 0.0
    z_mm: Annotated[float, Unit("mm", at_least=-500, at_most=1000)] = 0.0
    turned: bool = False


class Profile(Document):
    """Shares of the time at rest, in play and at the peak; they make up the whole."""

    rest: Share = 0.10
    play: Share = 0.85
    peak: Share = 0.05

    @model_validator(mode="after")
    def _whole(self) -> Self:
        total = self.rest + self.play + self.peak
        if abs(total - 1.0) > 1e-6:
            raise FigureError(
                "play",
                f"The shares add up to {total:.0%}, not to 100 %.",
                fix="Change one so that they make up the whole.",
            )
        return self


class Game(Document):
    """One way the handheld is used: its share of the time, and how that time is spent.

    ``together`` names the parts whose peaks the game ties: its loud scenes are also its bright and its busy ones.
    """

    name: Name
    share: Share
    profile: Profile = Profile()
    together: Annotated[tuple[Annotated[str, Field(max_length=60)], ...], Field(max_length=100)] = ()


class Stretch(Document):
    """A stretch of a day: what the console does, for how long, with which game, and what it is plugged into.

    ``plug`` is empty where it is on its pack, ``own`` at the charge board's own supply, else a supply's class of the library.
    """

    what: Moment
    minutes: Annotated[float, Unit("min", above=0, at_most=4320)]
    game: Annotated[str, Field(max_length=120)] = ""
    plug: Annotated[str, Field(max_length=80)] = ""


class Day(Document):
    """A day or a weekend as it is meant to go: when it begins, at which charge, and its stretches, one after another."""

    name: Name
    begins_h: Annotated[float, Unit("h", at_least=0, at_most=24)] = 9.0
    start_soc: Share = 1.0
    stretches: Annotated[tuple[Stretch, ...], Field(min_length=1, max_length=40)]


class Plan(Document):
    """A build: the brief, its parts and how they hang together. Format version 3.

    ``joined`` names the joints of the order to build in that are made, ``placed`` says where parts lie in the case, ``boot_s``
    how long a start takes before play begins, ``days`` are those it is meant to last, ``evidence`` what was read of whole consoles.
    """

    format: Literal["brisk-cell-plan"] = "brisk-cell-plan"
    version: Literal[3] = 3
    name: Name
    note: Words = ""
    brief: Brief = Brief()
    profile: Profile = Profile()
    games: Annotated[tuple[Game, ...], Field(max_length=12)] = ()
    boot_s: Annotated[float, Unit("s", at_least=0, at_most=3600)] = 60.0
    days: Annotated[tuple[Day, ...], Field(max_length=6)] = ()
    evidence: Annotated[tuple[Evidence, ...], Field(max_length=40)] = ()
    shutdown: Shutdown = Shutdown()
    case: Case = Case()
    bay: Bay | None = None
    supplies: Annotated[tuple[Supply, ...], Field(max_length=8)] = ()
    chargers: Annotated[tuple[ChargeBoard, ...], Field(max_length=8)] = ()
    trickles: Annotated[tuple[Trickle, ...], Field(max_length=8)] = ()
    placed: Annotated[tuple[Placed, ...], Field(max_length=200)] = ()
    joined: Annotated[tuple[Annotated[str, Field(max_length=60)], ...], Field(max_length=400)] = ()
    packs: Annotated[tuple[Pack, ...], Field(max_length=8)] = ()
    balancers: Annotated[tuple[Balancer, ...], Field(max_length=8)] = ()
    capacitors: Annotated[tuple[Capacitor, ...], Field(max_length=8)] = ()
    banks: Annotated[tuple[Bank, ...], Field(max_length=8)] = ()
    links: Annotated[tuple[Link, ...], Field(max_length=200)] = ()
    converters: Annotated[tuple[Converter, ...], Field(max_length=40)] = ()
    rails: Annotated[tuple[Rail, ...], Field(max_length=40)] = ()
    loads: Annotated[tuple[Load, ...], Field(max_length=100)] = ()

    @cached_property
    def by_id(self) -> dict[str, Part]:
        """Every part under its id."""
        return {part.id: part for part in self.parts()}

    def parts(self) -> Iterator[Part]:
        """All parts, sources first."""
        for name in PART_LISTS:
            yield from getattr(self, name)

    @property
    def stores(self) -> tuple[Store, ...]:
        """Packs, capacitors and banks, in this order: what a tree can be fed from."""
        return (*self.packs, *self.capacitors, *self.banks)

    @cached_property
    def use(self) -> Profile:
        """The profile in force: that of the build, or where it names games, theirs by their shares of the time."""
        whole = sum(g.share for g in self.games)
        if whole <= 0:
            return self.profile
        rest, play = (sum(g.share * getattr(g.profile, s) for g in self.games) / whole for s in ("rest", "play"))
        return Profile(rest=rest, play=play, peak=max(1.0 - rest - play, 0.0))

    @cached_property
    def fed(self) -> dict[str, tuple[Fed, ...]]:
        """The parts that are fed from each id, in the order of the plan."""
        out: dict[str, list[Fed]] = {}
        for part in self.parts():
            if isinstance(part, Fed):
                out.setdefault(part.fed_by, []).append(part)
        return {k: tuple(v) for k, v in out.items()}

    @cached_property
    def halves(self) -> dict[str, tuple[Part, ...]]:
        """What comes on each board besides the board itself, by that one's id."""
        out: dict[str, list[Part]] = {}
        for part in self.parts():
            if part.half_of is not None:
                out.setdefault(part.half_of, []).append(part)
        return {k: tuple(v) for k, v in out.items()}

    @model_validator(mode="after")
    def _hangs_together(self) -> Self:
        seen: dict[str, Part] = {}
        for part in self.parts():
            if part.id in seen:
                raise FigureError("id", f"Two parts share the id “{part.id}”.", fix="Rename one of them.")
            seen[part.id] = part
        for part in self.parts():
            if part.half_of is not None:
                self._check_half(part, seen)
            if isinstance(part, Fed):
                self._check_feeder(part, seen)
                self._check_output(part, seen)
            elif isinstance(part, ChargeBoard):
                for field, kind, found in (
                    ("charges", "store", isinstance(seen.get(part.charges), Store)),
                    ("supply", "supply", isinstance(seen.get(part.supply), Supply)),
                ):
                    if not found:
                        wrong = getattr(part, field)
                        raise FigureError(field, f"{part.name} names “{wrong}”, which is no {kind}.", fix=f"Name a {kind}.")
                self._check_input(part, seen)
            elif isinstance(part, Balancer) and not isinstance(seen.get(part.charges), Pack):
                raise FigureError("charges", f"{part.name} names “{part.charges}”, which is no pack.", fix="Name a pack.")
            elif isinstance(part, Trickle) and not isinstance(seen.get(part.charges), Store):
                raise FigureError("charges", f"{part.name} names “{part.charges}”, which is no store.", fix="Name a store.")
            if isinstance(part, Load):
                self._check_references(part, seen)
        for rail in self.rails:
            self._check_meeting(rail, seen)
        return self

    @staticmethod
    def _check_half(part: Part, seen: dict[str, Part]) -> None:
        """On a regulator comes what charges or draws, another regulator, and a switch or fuse right before it; on a load, loads."""
        whole = seen.get(part.half_of or "")
        if whole is None or whole is part or whole.half_of is not None or not isinstance(whole, (Converter, Load)):
            raise FigureError("half_of", f"{part.name} comes on “{part.half_of}”, which is no board.", fix="Name a board.")
        if isinstance(part, Link):
            before, at = set[str](), seen.get(whole.fed_by)
            while isinstance(at, Link) and at.half_of == whole.id and at.id not in before:
                before.add(at.id)
                at = seen.get(at.fed_by)
            suits = isinstance(whole, Converter) and part.id in before and part.kind in ("switch", "fuse", "path", "trace")
        else:
            built_in = isinstance(part, Converter) and part.built_in
            suits = isinstance(part, Load) or (isinstance(whole, Converter) and isinstance(part, (ChargeBoard, Converter)))
            suits = suits and not built_in and not (isinstance(whole, Converter) and whole.built_in)
        if not suits:
            raise FigureError("half_of", f"{part.name} cannot come on {whole.name}.", fix="Keep it a part of its own.")

    @staticmethod
    def _check_input(board: ChargeBoard, seen: dict[str, Part]) -> None:
        """A charge board is fed from its supply, straight or by way of links."""
        at = board.fed_by
        while at is not None and at != board.supply:
            feeder = seen.get(at)
            if not isinstance(feeder, Link) or feeder.fed_by == at:
                raise FigureError("fed_by", f"{board.name} is not fed from its supply by “{at}”.", fix="Name a link of the supply.")
            at = feeder.fed_by

    @staticmethod
    def _check_meeting(rail: Rail, seen: dict[str, Part]) -> None:
        """What gives to a rail as well hangs on a store, by a way of its own."""
        for at in rail.also:
            way, part = [], seen.get(at)
            while isinstance(part, Fed):
                way.append(part.id)
                part = seen[part.fed_by]
            if not isinstance(part, Store) or any(isinstance(seen[n], Load) for n in way):
                raise FigureError(
                    "also", f"{rail.name} names “{at}”, which no store feeds.", fix="Name a board, a diode or a rail."
                )
            above, part = {rail.id}, seen[rail.fed_by]
            while isinstance(part, Fed):
                above.add(part.id)
                part = seen[part.fed_by]
            if rail.id in way or at in above or at in rail.also[: rail.also.index(at)]:
                raise FigureError("also", f"{rail.name} is fed by way of {seen[at].name} already.", fix="Name another source.")

    @staticmethod
    def _check_references(load: Load, seen: dict[str, Part]) -> None:
        back = None if load.return_by is None else seen.get(load.return_by)
        if load.return_by is not None and not (isinstance(back, Link) and back.kind == "return"):
            raise FigureError(
                "return_by", f"{load.name} returns by “{load.return_by}”, which is no return.", fix="Name a link of kind return."
            )
        if not _points_to(seen, load.driven_by, Part):
            raise FigureError("driven_by", f"{load.name} is driven by “{load.driven_by}”, which is not there.", fix="Name a part.")

    @staticmethod
    def _check_output(part: Fed, seen: dict[str, Part]) -> None:
        """Only a load has outputs, and only by one, or by a regulator that is built into it, does it pass power on."""
        host, outlet = seen[part.fed_by], isinstance(part, Link) and part.kind == "outlet"
        if isinstance(host, Load) and not (outlet or (isinstance(part, Converter) and part.built_in)):
            raise FigureError("fed_by", f"{part.name} hangs on {host.name} itself.", fix="Give that an output, and hang it there.")
        if outlet and not isinstance(host, Load):
            raise FigureError("fed_by", f"{part.name} is the output of no part.", fix="Feed it from a part that draws.")

    @staticmethod
    def _check_feeder(part: Fed, seen: dict[str, Part]) -> None:
        path, at = {part.id}, part.fed_by
        while not isinstance(seen.get(at), Store):
            feeder = seen.get(at)
            if isinstance(feeder, Supply) and isinstance(part, Link):
                return
            chained = isinstance(part, Link) and part.kind == "return"  # a ground may go on from another
            if not isinstance(feeder, Fed) or (isinstance(feeder, Link) and feeder.kind == "return" and not chained):
                raise FigureError(
                    "fed_by", f"{part.name} hangs on “{at}”, which feeds nothing.", fix="Name a store, link, converter or rail."
                )
            if at in path:
                raise FigureError("fed_by", f"{part.name} feeds itself by way of “{at}”.", fix="Cut the ring at one point.")
            path.add(at)
            at = feeder.fed_by


def _points_to(seen: dict[str, Part], at: str | None, kind: type[Part]) -> bool:
    return at is None or isinstance(seen.get(at), kind)


BOUNDS = {
    name: most.max_length
    for name, info in Plan.model_fields.items()
    for most in info.metadata
    if isinstance(most, MaxLen) and (name in PART_LISTS or name == "games")
}


def plan_of(document: Any) -> Plan:
    """A plan from a document of plain values.

    Raises
    ------
    PlanError
        If the document is no plan; each problem names the field, its value and a fix.
    """
    if not isinstance(document, dict):
        raise PlanError.single("", document, "A plan is an object with named fields.", fix="Start from an exported plan.")
    version = document.get("version", FORMAT_VERSION)
    if version not in READ_VERSIONS:
        raise PlanError.single(
            "version",
            version,
            f"This is format version {version!r}; versions 1, 2 and 3 are read.",
            fix="Export the build again from the Brisk Cell it came from.",
        )
    for name, bound in BOUNDS.items():  # before the validator reads a hundred thousand of them
        if isinstance(parts := document.get(name), (list, tuple)) and len(parts) > bound:
            raise PlanError.single(name, f"{len(parts)} entries", f"This list has more than {bound} entries.", fix="Shorten it.")
    try:
        return Plan.model_validate(upgraded(document))
    except ValidationError as error:
        raise PlanError.from_validation(error) from error
    except RecursionError as error:
        raise PlanError.single("", document, "The document nests too deep.", fix="Start from an exported plan.") from error
