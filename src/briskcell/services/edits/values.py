"""Edits of a plan as people make them: a path, a part, or a fix; each gives a new plan and says in words what it did."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date
from typing import Any, get_args

from pydantic import BaseModel, ValidationError

from briskcell.core.assess import Assessment
from briskcell.core.circuit.terminals import terminals_of
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.errors import FigureError, PlanError
from briskcell.model.figure import GRADES, Figure, bounds, read_figure
from briskcell.model.kinds import PART_LISTS
from briskcell.model.parts import Load
from briskcell.model.plan import Game, Plan, Profile
from briskcell.model.stores import Pack
from briskcell.model.tree import boards_above, source_of
from briskcell.model.units import Unit, read, typed, unit_of_field

from .field_names import name_of


@dataclass(frozen=True, slots=True)
class Edit:
    """A new plan, what was done to get there, and the id of a part to show then."""

    plan: Plan
    words: str
    shows: str = ""


def value_at(plan: Plan, path: str) -> tuple[Any, Unit | None]:
    """The value under a path such as ``loads/screen/power_w/play``, and its unit.

    Raises
    ------
    FigureError
        If the plan has nothing there.
    """
    at: Any = plan
    unit: Unit | None = None
    known = True
    for step in path.split("/"):
        if isinstance(at, tuple):
            at = _item(at, step)
            known = at is not None
        elif isinstance(at, BaseModel) and step in type(at).model_fields:
            unit = unit_of_field(type(at), step) or (unit if isinstance(at, Figure) else None)
            at = getattr(at, step)
        else:
            at, known = None, False
        if at is None and step != path.split("/")[-1]:
            break
    if at is None and unit is None and not (known and path.endswith(step)):
        raise FigureError(path, f"The build has nothing under “{path}”.", fix="Reload the page.")
    return at, unit


def shared_out(games: tuple[Game, ...], whole: float) -> tuple[Game, ...]:
    """Games whose shares make up a whole, in the proportions they had."""
    total = sum(g.share for g in games)
    return tuple(g.model_copy(update={"share": whole * (g.share / total if total else 1.0 / len(games))}) for g in games)


def _item(items: tuple[Any, ...], step: str) -> Any:
    """One of a list: by its id, or by its number where the items have none."""
    return next((item for k, item in enumerate(items) if step == getattr(item, "id", str(k))), None)


def set_value(plan: Plan, path: str, text: str) -> Edit:
    """Set what stands under a path to what was typed.

    A figure keeps its range in proportion; ``1.2..1.9 W`` or ``1.2..1.5..1.9 W`` gives a new one.

    Raises
    ------
    FigureError
        If the text is no value for that field; the error's field is the path.
    """
    plan = _with_terminals(plan, path.split("/"))
    old, unit = value_at(plan, path)
    try:
        steps = path.split("/")
        if isinstance(old, Profile):
            new: Any = _three_shares(text, path)
        elif isinstance(within := value_at(plan, "/".join(steps[:-1]))[0] if len(steps) > 1 else None, Profile):
            new, steps = _shared(within, steps[-1], _parse(old, unit, text, path)), steps[:-1]
        elif isinstance(within, Game) and steps[-1] == "share":
            share = _parse(old, unit, text, path)
            others = shared_out(tuple(g for g in plan.games if g is not within), 1.0 - share)
            own = within.model_copy(update={"share": share if others else 1.0})
            at = plan.games.index(within)
            new, steps = (*others[:at], own, *others[at:]), ["games"]
        elif not text.strip() and _may_be_empty(plan, steps):
            new = None
        elif steps[-1] == "awg" and re.search(r"mm[2²]\s*$", text):
            new, steps = read(text, "mm²", path), [*steps[:-1], "section_mm2"]
        else:
            new = _parse(old, unit, with_volts(plan, path, text), path)
        changed = _with(plan, steps, new)
    except ValidationError as error:
        raise field_error_of(error, path) from error
    return Edit(changed, f"{label(plan, path)}: {shown(old, unit)} to {shown(value_at(changed, path)[0], unit)}")


def field_error_of(error: ValidationError, field: str = "") -> FigureError:
    """The first problem of a document, as an error beside a field: the one named, else the problem's own."""
    problem = PlanError.from_validation(error).problems[0]
    return FigureError(field or problem.field, problem.message, fix=problem.fix)


def _with_terminals(plan: Plan, steps: list[str]) -> Plan:
    """A plan whose part states the terminals that are shown of it, where one of them is edited."""
    part = plan.by_id.get(steps[1]) if len(steps) == 5 and steps[2] == "terminals" else None
    known = () if part is None else terminals_of(plan, part)
    return plan if part is None or part.terminals == known else replaced(plan, altered(part, terminals=known))


def label(plan: Plan, path: str) -> str:
    """A path in words."""
    steps = path.split("/")
    if len(steps) > 1 and steps[0] in PART_LISTS and steps[1] in plan.by_id:
        if steps[2:3] == ["settings"] and len(steps) == 5:
            knob = value_at(plan, "/".join(steps[:4]))[0].name.lower()
            return f"{plan.by_id[steps[1]].name}, {knob}{'' if steps[4] == 'position' else ': ' + name_of(steps[4]).lower()}"
        if steps[2:3] == ["terminals"] and len(steps) == 5:
            terminal = value_at(plan, "/".join(steps[:4]))[0]
            return f"{plan.by_id[steps[1]].name}, terminal {terminal.prints or terminal.key}: {name_of(steps[4]).lower()}"
        words = [name_of(s) for s in steps[2:] if s not in ("cell", "loss", "protection", "window", "likely")]
        return f"{plan.by_id[steps[1]].name}, {' '.join(words).lower()}".rstrip(", ")
    if steps[0] == "games" and len(steps) > 1 and (game := _item(plan.games, steps[1])):
        return f"{game.name}, {'share of the time' if steps[-1] == 'share' else name_of(steps[-1]).lower()}"
    if steps[0] == "profile":
        return f"share of the time {name_of(steps[-1])}" if len(steps) > 1 else "use profile"
    return name_of(steps[-1])


def shown(value: Any, unit: Unit | None) -> str:
    """A value as people read it."""
    if isinstance(value, Figure):
        value = value.likely
    if unit is not None and isinstance(value, (int, float)):
        return f"{value:.0%}" if unit.symbol == "" else typed(float(value), unit.symbol)
    if isinstance(value, Profile):
        return f"{value.rest:.0%} / {value.play:.0%} / {value.peak:.0%}"
    if isinstance(value, bool):
        return "yes" if value else "no"
    return "nothing" if value is None else str(value)


def with_volts(plan: Plan, path: str, text: str) -> str:
    """A draw typed in the other of watts and amperes, with the volts that its part is fed with, so that it can be read."""
    steps = path.split("/")
    load = plan.by_id.get(steps[1]) if len(steps) == 4 and steps[0] == "loads" else None
    if not isinstance(load, Load) or not (typed_in := re.search(r"\d\s*(?:m|µ|u)?([AW])\s*$", text, re.IGNORECASE)):
        return text
    if {"power_w": "A", "current_a": "W"}.get(steps[2]) != typed_in[1].upper():
        return text
    boards, source = boards_above(plan, load), source_of(plan, load)
    volts = boards[-1].output_v.likely if boards else None
    if volts is None and isinstance(source, Pack):
        table = source.cell.ocv.value
        volts = table[len(table) // 2] * source.series
    return text if volts is None else f"{text} at {volts:.3g} V"


def _parse(old: Any, unit: Unit | None, text: str, path: str) -> Any:
    if unit is None:
        return text.strip()
    if (isinstance(old, Figure) or old is None) and len(bounds(text)) > 1:
        return read_figure(text, unit.symbol, path)
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


def _may_be_empty(plan: Plan, steps: list[str]) -> bool:
    """Whether a field may hold nothing, and is not one of those that only a whole part may lack."""
    parent = value_at(plan, "/".join(steps[:-1]))[0] if len(steps) > 1 else plan
    info = type(parent).model_fields.get(steps[-1])
    return info is not None and type(None) in get_args(info.annotation)


def _three_shares(text: str, path: str) -> Profile:
    """A profile as typed or dragged: ``10 / 85 / 5``."""
    shares = [read(f"{p} %" if re.fullmatch(r"[\d.,\s]+", p) else p, "", path) for p in text.split("/")]
    if len(shares) != 3 or not 0.99 < sum(shares) < 1.01 or min(shares) < 0:
        raise FigureError(path, "These are not three shares that make up the whole.", fix="Type them like 10 / 85 / 5.")
    return Profile(rest=shares[0], play=shares[1], peak=max(round(1.0 - shares[0] - shares[1], 9), 0.0))


def _shared(profile: Profile, state: str, share: float) -> Profile:
    """A profile with one share set, the others sharing the rest as before."""
    shares = profile.model_dump()
    others = {k: v for k, v in shares.items() if k != state}
    total = sum(others.values())
    left = 1.0 - share
    return Profile.model_validate({state: share} | {k: left * (v / total if total else 0.5) for k, v in others.items()})


def _with(at: Any, steps: list[str], value: Any) -> Any:
    if not steps:
        return value
    step, rest = steps[0], steps[1:]
    if isinstance(at, tuple):
        chosen = _item(at, step)
        return tuple(_with(part, rest, value) if part is chosen else part for part in at)
    fields = {name: getattr(at, name) for name in type(at).model_fields}
    other = {"awg": "section_mm2", "section_mm2": "awg"}.get(step)  # a conductor has one of the two
    either = {other: None} if other in fields and value is not None else {}
    return type(at).model_validate(fields | either | {step: _with(fields[step], rest, value)})


def set_grade(plan: Plan, path: str, grade: str, source: str, measured: str = "", on: str = "") -> Edit:
    """Say how a figure is known, and from where; what is called measured needs its own range and its date.

    Raises
    ------
    FigureError
        If there is no figure, or what was filled in before is passed off as a source.
    """
    old, _ = value_at(plan, path)
    if not isinstance(old, Figure) or grade not in GRADES:
        raise FigureError(path, "There is no figure here to grade.", fix="Reload the page.")
    if grade != "guessed" and not source.strip():
        raise FigureError(path, f"A figure that is {GRADES[grade]} needs its source.", fix="Say where it comes from.")
    source = source.strip()
    if grade in ("sheet", "measured") and grade != old.grade and source == old.source:
        raise FigureError(path, f"“{source}” is where the figure before came from.", fix="Say which sheet, or which meter.")
    new = Figure(low=old.low, likely=old.likely, high=old.high, grade=grade, source=source or "typed by the builder")
    if grade == "measured":
        unit = value_at(plan, path)[1]
        if not measured.strip() or unit is None:
            raise FigureError(path, "A measured figure needs the range that was read.", fix="Type it like 1.0..1.1..1.3 W.")
        try:
            day = date.fromisoformat(on.strip())
        except ValueError as error:
            raise FigureError(path, "A measured figure needs the day it was read.", fix="Type it like 2026-11-26.") from error
        new = read_figure(measured, unit.symbol, path, grade="measured", source=f"{source}, {day.isoformat()}")
    return Edit(_with(plan, path.split("/"), new), f"{label(plan, path)}: now {GRADES[grade]}")


def try_fix(assessed: Assessment, key: str) -> Edit:
    """Apply the fix of a finding."""
    for finding in assessed.findings:
        if finding.key == key and finding.fix:
            return Edit(finding.fix.plan, f"Tried: {finding.fix.words}")
    raise FigureError("fix", "This fix is no longer needed.", fix="Look at the verdict again.")


def checked(plan: Plan, update: dict[str, Any]) -> Plan:
    """The plan with some of its fields changed; FigureError where that makes no plan."""
    try:
        return remade(plan, update)
    except ValidationError as error:
        raise field_error_of(error) from error
