"""What a working is, the registry of numbers that have one, and what would move each most."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.figure import Figure
from briskcell.model.parts import FixedEfficiency, LossModel
from briskcell.model.plan import Plan
from briskcell.model.units import show

STEP = 1.10


@dataclass(frozen=True, slots=True, kw_only=True)
class Input:
    """One figure put in: symbol, name, value as shown, how it is known, and its source."""

    symbol: str
    name: str
    shown: str
    grade: str
    source: str


@dataclass(frozen=True, slots=True)
class Mover:
    """What raising one input by a tenth does to the result, as a share of it."""

    name: str
    change: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Working:
    """How one number came about. ``in_points`` says that its movers change it by points of a hundred, not by a share of it."""

    title: str
    shown: str
    words: str
    formula: str
    inputs: tuple[Input, ...]
    source: str
    movers: tuple[Mover, ...] = ()
    in_points: bool = False


def figure(symbol: str, name: str, figure: Figure, unit: str) -> Input:
    return Input(symbol=symbol, name=name, shown=show(figure.likely, unit), grade=figure.grade, source=figure.source)


def computed(symbol: str, name: str, value: float, unit: str, source: str) -> Input:
    return Input(symbol=symbol, name=name, shown=show(value, unit), grade="computed", source=source)


def wish(symbol: str, name: str, shown: str) -> Input:
    return Input(symbol=symbol, name=name, shown=shown, grade="the brief", source="set for this build")


Maker = Callable[[Assessment, str], Working | None]
Value = Callable[[Assessment, str], float | None]


@dataclass(frozen=True, slots=True)
class Number:
    """One kind of number: its unit, what it is worth in an assessment, and the maker of its working."""

    unit: str
    value: Value
    make: Maker


NUMBERS: dict[str, Number] = {}


def number(kind: str, unit: str, value: Value) -> Callable[[Maker], Maker]:
    """Register one kind of number; what follows a colon in its key says of which part it is, and is handed on."""

    def register(maker: Maker) -> Maker:
        NUMBERS[kind] = Number(unit, value, maker)
        return maker

    return register


def _scaled(figure: Figure) -> Figure:
    return figure.at(figure.likely * STEP, grade=figure.grade, source=figure.source)


def _variants(plan: Plan) -> Iterator[tuple[str, Plan]]:
    """The plan with one input a tenth higher, for each input that matters."""
    for load in plan.loads:
        states = load.draw
        raised = type(states)(**{s: _scaled(getattr(states, s)) for s in ("rest", "play", "peak")})
        yield f"Draw of {load.name}", replaced(plan, altered(load, **{load.kind: raised}))
    for pack in plan.packs:
        field = "measured_ah" if pack.cell.measured_ah else "label_ah"
        cell = pack.cell.model_copy(update={field: _scaled(pack.cell.capacity_ah)})
        yield f"Capacity of {pack.cell.name}", replaced(plan, altered(pack, cell=cell))
        cell = pack.cell.model_copy(update={"resistance_ohm": _scaled(pack.cell.resistance_ohm)})
        yield f"Resistance of {pack.cell.name}", replaced(plan, altered(pack, cell=cell))
    for board in plan.converters:
        if isinstance(board.loss, LossModel):
            loss: FixedEfficiency | LossModel = board.loss.model_copy(
                update={"drop_v": _scaled(board.loss.drop_v), "resistance_ohm": _scaled(board.loss.resistance_ohm)}
            )
            yield f"Losses of {board.name}", replaced(plan, altered(board, loss=loss))
        elif isinstance(board.loss, FixedEfficiency):
            lost = board.loss.efficiency
            less = lost.at(1 - (1 - lost.likely) * STEP, grade=lost.grade, source=lost.source)
            loss = board.loss.model_copy(update={"efficiency": less})
            yield f"Losses of {board.name}", replaced(plan, altered(board, loss=loss))
        if board.switch_current_a is not None:
            yield (
                f"Switch current of {board.name}",
                replaced(plan, altered(board, switch_current_a=_scaled(board.switch_current_a))),
            )
    for charger in plan.chargers:
        yield (
            f"Charge current of {charger.name}",
            replaced(plan, altered(charger, current_a=_scaled(charger.current_a))),
        )
    for supply in plan.supplies:
        yield (
            f"Current of {supply.name}",
            replaced(plan, altered(supply, current_limit_a=_scaled(supply.current_limit_a))),
        )
    wires = tuple(altered(k, length_m=k.length_m * STEP) if k.length_m and k.resistance_ohm is None else k for k in plan.links)
    if wires != plan.links:
        yield "Length of all wires", remade(plan, {"links": wires})


def movers(assessed: Assessment, quantity: Callable[[Assessment], float | None], *, relative: bool = True) -> tuple[Mover, ...]:
    """The two inputs that move a result most when raised by a tenth, by assessing the plan again for each."""
    here = quantity(assessed)
    if here is None:
        return ()
    moved = []
    for name, plan in _variants(assessed.plan):
        there = quantity(assessed.of(plan))
        if there is None:
            continue
        change = (there - here) / abs(here) if relative and here else there - here
        if abs(change) >= 0.0005:
            moved.append(Mover(name, change))
    return tuple(sorted(moved, key=lambda m: -abs(m.change))[:2])
