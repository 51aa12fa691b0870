"""The slip: one part's figures, or one number's working."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Any, Literal, get_args, get_origin

from briskcell.core.assess import Assessment
from briskcell.core.workings import Working, working
from briskcell.drawing.rails.curves import limit_plot
from briskcell.model.figure import Curve, Figure
from briskcell.model.kinds import kind_of
from briskcell.model.parts import Converter, Fed, Link, Load, LossModel, Part, Rail
from briskcell.model.plan import Store
from briskcell.model.stores import ChargeBoard, Supply
from briskcell.model.terminals import Terminal
from briskcell.model.tree import feeding_point
from briskcell.model.units import unit_of_field
from briskcell.services.edits.differences import differences
from briskcell.services.edits.field_names import NAMES, name_of, option_name
from briskcell.services.edits.swap import swapped
from briskcell.services.library import PartClass, classes, classes_for, outputs, part_class
from briskcell.services.parts.feeding import WORDS, ends_of, may_rise, places_for
from briskcell.services.parts.removing import removable
from briskcell.services.wiring.pads import joined
from briskcell.web.units import show

from .facts import facts_of
from .numbers import Numbers


@dataclass(frozen=True, slots=True)
class Field:
    """One figure of a part: its path, name, value as it stands in a field, range and provenance."""

    path: str
    name: str
    value: float | str
    unit: str
    figure: Figure | None


@dataclass(frozen=True, slots=True)
class Choice:
    """One of a few words that a part is told by: its path, name, the word that stands, and all of them."""

    path: str
    name: str
    value: str
    options: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class End:
    """What a part is connected to, and what it may be: the field that names it, its words, the id that stands, the parts."""

    field: str
    words: str
    now: str
    parts: tuple[Part, ...]


@dataclass(frozen=True, slots=True)
class Swap:
    """Another class in a part's place, before it is put there: what differs, and what comes of it."""

    part: Part
    key: str
    name: str
    differences: tuple[tuple[str, str, str], ...]
    numbers: tuple[tuple[str, str, str, str], ...]
    findings: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Slip:
    """What is open: a part, or a number's working."""

    key: str
    part: Part | None = None
    fields: tuple[Field, ...] = ()
    classes: tuple[PartClass, ...] = ()
    working: Working | None = None
    findings: tuple[Any, ...] = ()
    path: str = ""
    swap: Swap | None = None
    numbers: tuple[tuple[str, str], ...] = ()
    plot: dict[str, Any] | None = None
    places: tuple[Part, ...] = ()
    place: str = ""
    facts: tuple[tuple[str, str], ...] = ()
    more: tuple[Field, ...] = ()
    choices: tuple[Choice, ...] = ()
    ends: tuple[End, ...] = ()
    before: tuple[PartClass, ...] = ()
    outputs: tuple[PartClass, ...] = ()
    terminals: tuple[Terminal, ...] = ()
    joined: dict[str, tuple[str, ...]] = field(default_factory=dict)
    on_board: tuple[Part, ...] = ()
    removable: bool = False
    rises: bool = False
    feeds: bool = False


def slip_of(assessed: Assessment, key: str) -> Slip | None:
    """The slip a key names; None where the build has no such thing."""
    kind, _, rest = key.partition(":")
    if kind == "part" and (part := assessed.plan.by_id.get(rest)):
        found = tuple(f for f in assessed.findings if f.element == part.id)
        path = _path_of(part)
        ends = ends_of(assessed.plan, part).items()
        slip = Slip(
            key,
            part,
            tuple(_fields(path, part)),
            classes_for(part) if part.half_of is None else (),
            findings=found,
            path=path,
            numbers=tuple(_numbers(assessed, part)),
            plot=_limit(assessed, part),
            facts=tuple(facts_of(part)),
            on_board=assessed.plan.halves.get(part.id, ()) if part.half_of is None else (assessed.plan.by_id[part.half_of],),
            joined=joined(assessed, part.id, show),
            terminals=assessed.circuit.by_id[part.id].terminals if part.id in assessed.circuit.by_id else (),
            more=tuple(_unset(path, part)),
            choices=tuple(_choices(path, part)),
            ends=tuple(End(f, WORDS[f], _now(getattr(part, f)), parts) for f, parts in ends),
            before=classes("links") if isinstance(part, (Fed, ChargeBoard)) else (),
            removable=removable(assessed.plan, part),
            rises=may_rise(assessed.plan, part),
            feeds=isinstance(part, (Store, Link, Converter, Rail, Supply)),
        )
        return (
            replace(slip, places=places_for(assessed.plan, part), place=feeding_point(assessed.plan, part), outputs=outputs())
            if isinstance(part, Load)
            else slip
        )
    if kind == "swap":
        part_id, _, class_key = rest.partition(":")
        return Slip(key, swap=_swap(assessed, part_id, class_key)) if part_id in assessed.plan.by_id else None
    if kind == "working" and (made := working(assessed, rest)):
        return Slip(key, working=made)
    return None


def _now(at: str | tuple[str, ...] | None) -> str:
    """What an end is connected to; the first where there are several."""
    return (at[0] if at else "") if isinstance(at, tuple) else at or ""


def _unset(path: str, at: Any, prefix: str = "") -> Iterator[Field]:
    """Figures that a part may have and has not, and whole numbers that no station asks for."""
    for name, info in type(at).model_fields.items():
        value, unit = getattr(at, name), unit_of_field(type(at), name)
        words = f"{prefix} {name_of(name)}".strip()
        if value is None and unit is not None:
            yield Field(f"{path}/{name}", words, "", unit.symbol, None)
        elif info.annotation is int:
            yield Field(f"{path}/{name}", words, value, "", None)
        elif value is not None and hasattr(type(value), "model_fields") and not isinstance(value, (Figure, Curve)):
            yield from _unset(f"{path}/{name}", value, NAMES.get(name, ""))


def _choices(path: str, at: Any) -> Iterator[Choice]:
    """What a part is told by in words: yes or no, or one of its kinds."""
    for name, info in type(at).model_fields.items():
        value, words, kinds = getattr(at, name), name_of(name), [t for t in get_args(info.annotation) if t is not type(None)]
        kind = kinds[0] if len(kinds) == 1 and type(None) in get_args(info.annotation) else info.annotation
        none = () if kind is info.annotation else (("", "nobody has said"),)
        now = "" if value is None else str(value)
        if kind is bool:
            yield Choice(f"{path}/{name}", words, now.lower(), (*none, ("true", "yes"), ("false", "no")))
        elif get_origin(kind) is Literal:
            yield Choice(f"{path}/{name}", words, now, (*none, *((str(o), option_name(str(o))) for o in get_args(kind))))
        elif value is not None and hasattr(type(value), "model_fields") and not isinstance(value, (Figure, Curve)):
            yield from _choices(f"{path}/{name}", value)


def _swap(assessed: Assessment, part_id: str, class_key: str) -> Swap:
    plan, _ = swapped(assessed.plan, part_id, class_key)
    after = assessed.of(plan)
    one, two = Numbers(assessed, None), Numbers(after, assessed)
    keys = [("Draw", "draw"), ("Plays", "runtime"), ("Energy", "energy"), ("Skin of the case", "heat"), ("Parts cost", "cost")]
    keys += [(f"Charges by {c.board.name}", f"charge:{c.board.id}") for c in assessed.charges]
    keys += [(f"Spare of {h.name}", f"headroom:{h.element}:{h.kind}") for h in assessed.headrooms if h.element == part_id]
    had = {f.key for f in assessed.findings}
    return Swap(
        assessed.plan.by_id[part_id],
        class_key,
        part_class(class_key).name,
        tuple((_figure_name(where), was, now) for where, was, now in differences(assessed.plan, plan) if _counts(where)),
        tuple((name, one(k).shown, two(k).shown, two(k).delta) for name, k in keys),
        tuple(f"{f.state}: {f.cause}" for f in after.findings if f.key not in had),
    )


def _numbers(assessed: Assessment, part: Part) -> Iterator[tuple[str, str]]:
    """The numbers of a part, each with the key of its working."""
    of = f":{part.id}"
    if isinstance(part, Load):
        yield from (("Mean draw", f"part-draw{of}"), ("Least volts", f"voltage{of}"), ("Arrives of the pack's watts", f"path{of}"))
    for h in (h for h in assessed.headrooms if h.element == part.id):
        what = f" of the {h.kind}" if h.kind in ("cells", "protection") else ""
        for name, number in (("Asked", "asked"), ("Limit", "limit"), ("Spare", "headroom")):
            yield f"{name}{what}", f"{number}{of}:{h.kind}"
    if isinstance(part, Converter):
        yield from (("Efficiency", f"efficiency{of}"), ("Lost", f"lost{of}"), ("Warmth", f"warmth{of}"))
    if isinstance(part, Link):
        yield ("Drop", f"wiring{of}")
    if isinstance(part, Store):
        yield ("On the shelf", f"shelf{of}")
    if isinstance(part, ChargeBoard):
        yield from (("Charges in", f"charge{of}"), ("In play", f"charge-play{of}"))


def _limit(assessed: Assessment, part: Part) -> dict[str, Any] | None:
    found = next((h for h in assessed.headrooms if h.element == part.id), None)
    return limit_plot(assessed.op.soc, found) if found and isinstance(part, Converter) else None


def _figure_name(where: str) -> str:
    """A figure's name without that of its part, which stands above."""
    words = where.rpartition(", ")[2]
    return words[:1].upper() + words[1:]


def _counts(where: str) -> bool:
    return not where.endswith((", name", ", part class", ", note", "how it is known"))


def _path_of(part: Part) -> str:
    return f"{kind_of(part).list}/{part.id}"


def _fields(path: str, at: Any, prefix: str = "") -> list[Field]:
    """Every figure below, in the order of the document."""
    out: list[Field] = []
    for name in type(at).model_fields:
        value, unit = getattr(at, name), unit_of_field(type(at), name)
        if name == "quiescent_a" and isinstance(getattr(at, "loss", None), LossModel):
            continue  # the loss model has its own
        words = f"{prefix} {name_of(name)}".strip()
        if isinstance(value, Figure):
            out.append(Field(f"{path}/{name}", words, value.likely, unit.symbol if unit else "", value))
        elif unit is not None and isinstance(value, (int, float)):
            out.append(Field(f"{path}/{name}", words, value, unit.symbol, None))
        elif name == "strings":
            for k, string in enumerate(value):
                words = f"String {k + 1},"
                out.append(Field(f"{path}/strings/{k}/ocv_v", f"{words} volts measured", string.ocv_v or "", "V", None))
                out += [
                    Field(f"{path}/strings/{k}/cell/{f}", f"{words} {NAMES[f].lower()}", figure.likely, u, figure)
                    for f, u in (("label_ah", "Ah"), ("resistance_ohm", "Ω"))
                    if (figure := getattr(string.cell, f))
                ]
        elif value is not None and hasattr(type(value), "model_fields") and name not in ("ocv", "fast", "slow"):
            out += _fields(f"{path}/{name}", value, NAMES.get(name, ""))
    return out
