"""Edits of a plan as people make them: a path, a part, or a fix; each gives a new plan and says in words what it did."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any, get_args

from pydantic import BaseModel, ValidationError

from briskcell.core.assess import Assessment
from briskcell.core.changes import altered, remade, replaced
from briskcell.library import catalogue
from briskcell.model.errors import FigureError, PlanError
from briskcell.model.figure import GRADES, Figure
from briskcell.model.parts import Converter, Link, Load, Part
from briskcell.model.plan import PART_LISTS, Plan, Profile
from briskcell.model.stores import Cell, ChargeBoard, Pack, Supply
from briskcell.model.units import Unit, read, typed

from .names import NAMES

KIND_OF: dict[type[Part], str] = {
    Load: "loads", Converter: "converters", Link: "links", ChargeBoard: "chargers", Supply: "supplies", Pack: "cells",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Edit:
    """A new plan, and what was done to get there."""

    plan: Plan
    words: str


def unit_of(model: type[BaseModel], field: str) -> Unit | None:
    """The unit of a model's field; None where it has none."""

    def search(annotation: Any, metadata: tuple[Any, ...] | list[Any]) -> Unit | None:
        for item in metadata:
            if isinstance(item, Unit):
                return item
        for arg in get_args(annotation):
            if isinstance(arg, Unit):
                return arg
            if found := search(arg, ()):
                return found
        return None

    info = model.model_fields.get(field)
    return search(info.annotation, info.metadata) if info else None


def value_at(plan: Plan, path: str) -> tuple[Any, Unit | None]:
    """The value under a path such as ``loads/screen/power_w/play``, and its unit.

    Raises
    ------
    FigureError
        If the plan has nothing there.
    """
    at: Any = plan
    unit: Unit | None = None
    for step in path.split("/"):
        if isinstance(at, tuple):
            at = next((part for part in at if part.id == step), None)
        elif isinstance(at, BaseModel) and step in type(at).model_fields:
            unit = unit_of(type(at), step) or (unit if isinstance(at, Figure) else None)
            at = getattr(at, step)
        else:
            at = None
        if at is None and step != path.split("/")[-1]:
            break
    if at is None and unit is None:
        raise FigureError(path, f"The build has nothing under “{path}”.", fix="Reload the page.")
    return at, unit


def set_value(plan: Plan, path: str, text: str) -> Edit:
    """Set what stands under a path to what was typed.

    A figure keeps its range in proportion; ``1.2..1.9 W`` or ``1.2..1.5..1.9 W`` gives a new one.

    Raises
    ------
    FigureError
        If the text is no value for that field; the error's field is the path.
    """
    old, unit = value_at(plan, path)
    try:
        new = _parse(old, unit, text, path)
        if path.startswith("profile/"):
            changed = remade(plan, {"profile": _shared(plan.profile, path.split("/")[1], new)})
        else:
            changed = _with(plan, path.split("/"), new)
    except ValidationError as error:
        raise _told(error, path) from error
    return Edit(changed, f"{label(plan, path)}: {_shown(old, unit)} to {_shown(value_at(changed, path)[0], unit)}")


def _told(error: ValidationError, field: str = "") -> FigureError:
    """The first problem of a document, as an error beside a field: the one named, else the problem's own."""
    problem = PlanError.from_validation(error).problems[0]
    return FigureError(field or problem.field, problem.message, fix=problem.fix)


def label(plan: Plan, path: str) -> str:
    """A path in words."""
    steps = path.split("/")
    if len(steps) > 1 and steps[0] in PART_LISTS and steps[1] in plan.by_id:
        words = [_word(s) for s in steps[2:] if s not in ("cell", "loss", "protection", "window", "likely")]
        return f"{plan.by_id[steps[1]].name}, {' '.join(words).lower()}".rstrip(", ")
    if steps[0] == "profile":
        return f"share of the time {_word(steps[-1])}"
    return _word(steps[-1])


def _word(step: str) -> str:
    return NAMES.get(step, step.replace("_", " "))


def _shown(value: Any, unit: Unit | None) -> str:
    if isinstance(value, Figure):
        value = value.likely
    if unit is not None and isinstance(value, (int, float)):
        return f"{value:.0%}" if unit.symbol == "" else typed(float(value), unit.symbol)
    return "nothing" if value is None else str(value)


def _parse(old: Any, unit: Unit | None, text: str, path: str) -> Any:
    if unit is None:
        return text.strip()
    parts = [p for p in re.split(r"\s*(?:\.\.+|–|—)\s*", text.strip()) if p]
    figure = isinstance(old, Figure) or (old is None and len(parts) > 1)
    if figure and len(parts) in (2, 3):
        suffix = re.sub(r"^[\d.,+\-−\s]*", "", parts[-1])
        numbers = [read(p if re.search(r"[^\d.,+\-−\s]", p) else f"{p} {suffix}", unit.symbol, path) for p in parts]
        low, high = numbers[0], numbers[-1]
        likely = numbers[1] if len(numbers) == 3 else (low + high) / 2
        return Figure(low=low, likely=likely, high=high, grade="guessed", source="typed by the builder")
    if not text.strip() and old is not None and path.endswith("measured_ah"):
        return None
    number = read(text, unit.symbol, path)
    try:
        unit.check(number)
    except FigureError as error:
        raise FigureError(path, error.message, fix=error.fix) from error
    return _within(old.at(number), unit) if isinstance(old, Figure) else number


def _within(figure: Figure, unit: Unit) -> Figure:
    """A figure whose range does not leave what makes sense for its unit, as a moved range may."""
    low = figure.low if unit.at_least is None else max(figure.low, unit.at_least)
    high = figure.high if unit.at_most is None else min(figure.high, unit.at_most)
    return figure.model_copy(update={"low": low, "high": high})


def _shared(profile: Profile, state: str, share: float) -> dict[str, float]:
    """A profile with one share set, the others sharing the rest as before."""
    shares = profile.model_dump()
    others = {k: v for k, v in shares.items() if k != state}
    total = sum(others.values())
    left = 1.0 - share
    return {state: share} | {k: left * (v / total if total else 0.5) for k, v in others.items()}


def _with(at: Any, steps: list[str], value: Any) -> Any:
    if not steps:
        return value
    step, rest = steps[0], steps[1:]
    if isinstance(at, tuple):
        return tuple(_with(part, rest, value) if part.id == step else part for part in at)
    fields = {name: getattr(at, name) for name in type(at).model_fields}
    return type(at).model_validate(fields | {step: _with(fields[step], rest, value)})


def set_grade(plan: Plan, path: str, grade: str, source: str) -> Edit:
    """Say how a figure is known, and from where."""
    old, _ = value_at(plan, path)
    if not isinstance(old, Figure) or grade not in GRADES:
        raise FigureError(path, "There is no figure here to grade.", fix="Reload the page.")
    if grade != "guessed" and not source.strip():
        raise FigureError(path, f"A figure that is {GRADES[grade]} needs its source.", fix="Say where it comes from.")
    new = Figure(low=old.low, likely=old.likely, high=old.high, grade=grade, source=source.strip() or "typed by the builder")
    return Edit(_with(plan, path.split("/"), new), f"{label(plan, path)}: now {GRADES[grade]}")


def add_load(plan: Plan, key: str, fed_by: str) -> Edit:
    """Add a load of a library class, with a wire of its own, where it hangs."""
    found = catalogue().find(key)
    if found.kind != "loads":
        raise FigureError("part_class", f"{found.name} draws nothing by itself.", fix="Choose a part that draws current.")
    part_id = free_id(plan, key)
    wire_id = free_id(plan, f"w-{part_id}")
    load = catalogue().part(key, id=part_id, fed_by=wire_id)
    wire = Link(id=wire_id, name=f"Wire to {load.name[:60]}", kind="wire", fed_by=fed_by, awg=26, length_m=0.15)
    return Edit(_checked(plan, {"links": (*plan.links, wire), "loads": (*plan.loads, load)}), f"{load.name} added")


def free_id(plan: Plan, wanted: str) -> str:
    """The id itself, or with the first free number."""
    base = wanted[:40]
    return next(i for n in range(1, 1000) if (i := base if n == 1 else f"{base}-{n}") not in plan.by_id)


def remove(plan: Plan, part_id: str) -> Edit:
    """Remove a load and the wire that served it alone."""
    part = plan.by_id.get(part_id)
    if not isinstance(part, Load):
        raise FigureError("id", "Only a part that draws current can be removed here.", fix="Swap it for another class instead.")
    gone = {part_id}
    feeder = plan.by_id[part.fed_by]
    while isinstance(feeder, Link) and feeder.kind == "wire" and len(plan.fed[feeder.id]) == 1:
        gone.add(feeder.id)
        feeder = plan.by_id[feeder.fed_by]
    update = {name: tuple(p for p in getattr(plan, name) if p.id not in gone) for name in ("links", "loads")}
    return Edit(_checked(plan, update), f"{part.name} removed")


def swap(plan: Plan, part_id: str, key: str) -> Edit:
    """Put another class in a part's place; where it hangs stays, and a pack keeps its cells' count."""
    part, found = plan.by_id.get(part_id), catalogue().find(key)
    if part is None:
        raise FigureError("id", f"The build has no part “{part_id}”.", fix="Reload the page.")
    new: Part
    try:
        if isinstance(part, Pack) and found.kind == "cells":
            assert isinstance(found.part, Cell)
            new = altered(part, cell=found.part)
        elif KIND_OF.get(type(part)) == found.kind:
            keep = {n: getattr(part, n) for n in ("id", "fed_by", "charges", "supply") if n in type(part).model_fields}
            new = catalogue().part(key, **keep)
        else:
            raise FigureError("part_class", f"{found.name} cannot stand for {part.name}.", fix="Choose a part of the same kind.")
        return Edit(replaced(plan, new), f"{found.name} in place of {part.cell.name if isinstance(part, Pack) else part.name}")
    except ValidationError as error:
        raise _told(error, "part_class") from error


def try_fix(assessed: Assessment, key: str) -> Edit:
    """Apply the fix of a finding."""
    for finding in assessed.findings:
        if finding.key == key and finding.fix:
            return Edit(finding.fix.plan, f"Tried: {finding.fix.words}")
    raise FigureError("fix", "This fix is no longer needed.", fix="Look at the verdict again.")


def feeders(plan: Plan) -> list[Part]:
    """Where a load can hang: rails, and packs and converters without a rail of their own."""
    railed = {r.fed_by for r in plan.rails}
    return [p for p in plan.parts() if p in plan.rails or (isinstance(p, (Pack, Converter)) and p.id not in railed)]


def _checked(plan: Plan, update: dict[str, Any]) -> Plan:
    try:
        return remade(plan, update)
    except ValidationError as error:
        raise _told(error) from error


def differences(old: Plan, new: Plan) -> list[tuple[str, str, str]]:
    """What differs between two plans: (where, old, new), in words."""
    out: list[tuple[str, str, str]] = []

    def walk(path: list[str], a: Any, b: Any, unit: Unit | None) -> None:
        if a == b:
            return
        name = label(new if len(path) > 1 and path[1] in new.by_id else old, "/".join(path))
        if isinstance(a, tuple) and isinstance(b, tuple) and (a or b) and isinstance((a or b)[0], Part):
            ids = list(dict.fromkeys([p.id for p in a] + [p.id for p in b]))
            left, right = {p.id: p for p in a}, {p.id: p for p in b}
            for i in ids:
                if i in left and i in right:
                    walk([*path, i], left[i], right[i], None)
                else:
                    there = left.get(i) or right[i]
                    out.append((there.name, "in the build" if i in left else "–", "in the build" if i in right else "removed"))
        elif isinstance(a, Figure) and isinstance(b, Figure):
            if a.likely != b.likely or (a.low, a.high) != (b.low, b.high):
                out.append((name, _shown(a, unit), _shown(b, unit)))
            else:
                out.append((f"{name}, how it is known", GRADES[a.grade], GRADES[b.grade]))
        elif isinstance(a, BaseModel) and isinstance(b, BaseModel) and type(a) is type(b):
            for field in type(a).model_fields:
                walk([*path, field], getattr(a, field), getattr(b, field), unit_of(type(a), field))
        elif isinstance(a, (BaseModel, tuple)) or isinstance(b, (BaseModel, tuple)):
            out.append((name, "one table", "another table"))
        else:
            out.append((name, _shown(a, unit), _shown(b, unit)))

    walk([], old, new, None)
    return out


__all__ = [
    "Edit", "add_load", "differences", "feeders", "remove", "set_grade", "set_value", "swap", "try_fix", "value_at",
]  # fmt: skip
