"""Random builds with faults put in: drafts of every kind, each with one to four things that builders get wrong."""

from __future__ import annotations

import random
import sys
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from briskcell.core.assess import Assessment, assess
from briskcell.core.mending import mend_all
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.errors import FigureError
from briskcell.model.kinds import PART_LISTS
from briskcell.model.parts import Part, Rail
from briskcell.model.plan import Plan
from briskcell.services.demo import curlew, sanderling
from briskcell.services.drafts import DraftRequest, draft
from briskcell.services.library import draft_choices

Fault = Callable[[Plan, random.Random], Plan]


def sound(rng: random.Random) -> Plan:
    """A draft that can be made, or a demo build."""
    choices = draft_choices()
    while True:
        if rng.random() < 0.2:
            return rng.choice([sanderling, curlew])()
        board, screen = (rng.choice(choices[k]).key for k in ("boards", "screens"))
        wanted = DraftRequest(
            name="Dunlin", board=board, screen=screen, hours=rng.choice([3.0, 5.0]), thickness_mm=rng.choice([25.0, 35.0])
        )
        try:
            return draft(wanted)
        except FigureError:
            continue


def _class(kind: str, rng: random.Random, like: Part | None = None) -> Any:
    own = getattr(like, "kind", None)
    return rng.choice([c.part for c in catalogue().of_kind(kind) if own is None or c.part.kind == own])


def _put(plan: Plan, part: Part, other: Part) -> Plan:
    keep = {n: getattr(part, n) for n in ("id", "fed_by", "charges", "supply") if n in type(part).model_fields}
    return replaced(plan, altered(other, **keep))


def other_charger(plan: Plan, rng: random.Random) -> Plan:
    return _put(plan, plan.chargers[0], rng.choice([c.part for c in catalogue().of_kind("chargers")]))


def other_supply(plan: Plan, rng: random.Random) -> Plan:
    return _put(plan, plan.supplies[0], _class("supplies", rng))


def other_board(plan: Plan, rng: random.Random) -> Plan:
    board = rng.choice(plan.converters)
    alike = [c.part for c in catalogue().of_kind("converters") if abs(c.part.output_v.likely - board.output_v.likely) < 0.5]
    return _put(plan, board, rng.choice(alike))


def other_cell(plan: Plan, rng: random.Random) -> Plan:
    return replaced(plan, altered(plan.packs[0], cell=_class("cells", rng)))


def other_series(plan: Plan, rng: random.Random) -> Plan:
    return replaced(plan, altered(plan.packs[0], series=rng.choice([1, 2, 3])))


def fewer_cells(plan: Plan, rng: random.Random) -> Plan:
    return replaced(plan, altered(plan.packs[0], parallel=max(1, plan.packs[0].parallel // rng.choice([2, 3]))))


def thin_wire(plan: Plan, rng: random.Random) -> Plan:
    wire = rng.choice([w for w in plan.links if w.awg is not None])
    return replaced(plan, altered(wire, awg=min((wire.awg or 20.0) + rng.choice([6.0, 10.0]), 36.0), length_m=0.3))


def other_fuse(plan: Plan, rng: random.Random) -> Plan:
    fuse = next(k for k in plan.links if k.kind == "fuse")
    return _put(plan, fuse, _class("links", rng, fuse))


def no_fuse(plan: Plan, rng: random.Random) -> Plan:  # noqa: ARG001
    fuse = next(k for k in plan.links if k.kind == "fuse")
    return _put(plan, fuse, catalogue().part("plug-power-10", fed_by=fuse.fed_by))


def other_switch(plan: Plan, rng: random.Random) -> Plan:
    switch = next(k for k in plan.links if k.kind == "switch")
    return _put(plan, switch, _class("links", rng, switch))


def longer_wish(plan: Plan, rng: random.Random) -> Plan:
    return remade(plan, {"brief": plan.brief.model_copy(update={"hours": plan.brief.hours * rng.choice([1.3, 1.7])})})


def shorter_charge(plan: Plan, rng: random.Random) -> Plan:
    return remade(plan, {"brief": plan.brief.model_copy(update={"charge_hours": plan.brief.charge_hours * rng.choice([0.6, 0.8])})})


def closed_case(plan: Plan, rng: random.Random) -> Plan:  # noqa: ARG001
    return remade(plan, {"case": plan.case.model_copy(update={"vents": False, "fan": False, "covered": 0.5})})


def hungry_part(plan: Plan, rng: random.Random) -> Plan:
    load = rng.choice(plan.loads)
    more = type(load.draw).model_validate(
        {s: getattr(load.draw, s).at(getattr(load.draw, s).likely * 1.6) for s in ("rest", "play", "peak")}
    )
    return replaced(plan, altered(load, **{load.kind: more}))


def late_warning(plan: Plan, rng: random.Random) -> Plan:
    return remade(plan, {"shutdown": plan.shutdown.model_copy(update={"warning_v": 2.6 + 0.1 * rng.random()})})


def low_trip(plan: Plan, rng: random.Random) -> Plan:
    pack = plan.packs[0]
    if pack.protection is None:
        return plan
    guard = pack.protection.model_copy(update={"trip_a": pack.protection.trip_a.at(rng.choice([2.0, 3.0]))})
    return replaced(plan, altered(pack, protection=guard))


def higher_rail(plan: Plan, rng: random.Random) -> Plan:
    board = rng.choice(plan.converters)
    return replaced(plan, altered(board, output_v=board.output_v.at(board.output_v.likely * rng.choice([0.9, 1.12]))))


FAULTS: tuple[Fault, ...] = (
    other_charger,
    other_supply,
    other_board,
    other_cell,
    other_series,
    fewer_cells,
    thin_wire,
    other_fuse,
    no_fuse,
    other_switch,
    longer_wish,
    shorter_charge,
    closed_case,
    hungry_part,
    late_warning,
    low_trip,
    higher_rail,
)


def faulty(seed: int, most: int = 4) -> tuple[Plan, tuple[str, ...]]:
    """A build with one to ``most`` faults, and their names; the same for a seed each time."""
    rng = random.Random(seed)
    plan, names = sound(rng), list[str]()
    for fault in rng.sample(FAULTS, rng.randint(1, most)):
        try:
            plan, names = fault(plan, rng), [*names, fault.__name__]
        except (StopIteration, IndexError):
            continue  # nothing is left that this fault could touch
    return plan, tuple(names)


@dataclass(frozen=True, slots=True, kw_only=True)
class Tally:
    """What became of one faulty build: its failures, what its fixes did, and whether mend all left nothing failing."""

    failures: int
    fixes: int = 0
    mend: int = 0
    fixes_that_break: tuple[str, ...] = ()
    fixes_out_of_bounds: tuple[str, ...] = ()
    unexplained: tuple[str, ...] = ()
    needless: tuple[str, ...] = ()
    whole: bool = False
    conflict: str = ""

    def line(self) -> str:
        """One line of the table."""
        if not self.failures:
            return "nothing fails"
        end = "whole" if self.whole else self.conflict or "no end"
        return f"{self.failures} fail, {self.fixes} have a fix, {self.mend} mend; mend all: {end}"


def taken_back(before: Plan, after: Plan) -> Iterator[tuple[str, Plan]]:
    """The changed plan with each of its changes taken back by itself: a part as it was, a bought one left out, the case as it was.

    A rail costs nothing and comes with its board; a fan comes with its case.
    """
    for part in before.parts():
        if after.by_id.get(part.id) not in (None, part):
            with suppress(ValidationError, FigureError):
                yield part.name, replaced(after, part)
    for part in after.parts():
        if part.id in before.by_id or isinstance(part, Rail) or part.name.endswith("fan"):
            continue
        above = getattr(part, "fed_by", None)
        lists = {
            name: tuple(altered(p, fed_by=above) if getattr(p, "fed_by", None) == part.id else p for p in kept if p.id != part.id)
            for name in PART_LISTS
            if (kept := getattr(after, name))
        }
        with suppress(ValidationError, FigureError):
            yield f"{part.name}, added", remade(after, lists)
    for field in ("case", "bay", "shutdown"):
        if getattr(before, field) != getattr(after, field):
            yield field, remade(after, {field: getattr(before, field)})


def needless(before: Assessment, after: Assessment, key: str = "") -> Iterator[str]:
    """What of a change is not needed: taken back, nothing fails (of a fix: nothing that did not before), and no word is worse."""
    for name, plan in taken_back(before.plan, after.plan):
        back = before.of(plan)
        holds = key not in back.failures and not before.harms(back) if key else not back.failures
        if holds and {f.key for f in back.findings} <= {f.key for f in after.findings}:
            yield name


def tried(plan: Plan, *, fixes: bool = True) -> Tally:
    """Every fix of a build tried by itself, then mend all."""
    a = assess(plan, catalogue().stock())
    failing = [f for f in a.findings if f.state == "fails"]
    if not a.failures:
        return Tally(failures=0, whole=True)
    broken, outside, silent, spare, mend, offered = [], [], [], list[str](), 0, 0
    strange = {f.key for f in a.findings if f.rule == "as-its-class"}
    for finding in failing if fixes else ():
        if finding.fix is None:
            silent += [] if finding.fix_words else [finding.key]
            continue
        after, offered = a.of(finding.fix.plan), offered + 1
        mend += finding.key not in after.failures
        broken += [f"{finding.key}: {finding.fix.words}"] * bool(set(after.failures) - set(a.failures))
        spare += [f"{finding.key}: {finding.fix.words}: {name}" for name in needless(a, after, finding.key)]
        new = {f.key for f in after.findings if f.rule == "as-its-class"} - strange
        outside += [f"{finding.key}: {finding.fix.words}"] * bool(new)
    found = mend_all(a)
    spare += [] if found.left else [f"mend all: {name}" for name in needless(a, found.after)]
    pair = f"{found.conflict.first} and {found.conflict.second}" if found.conflict else ""
    return Tally(
        failures=len(a.failures),
        fixes=offered,
        mend=mend,
        fixes_that_break=tuple(broken),
        fixes_out_of_bounds=tuple(outside),
        unexplained=tuple(silent),
        needless=tuple(spare),
        whole=not found.left,
        conflict=pair,
    )


def main() -> None:
    """Print what became of so many builds: ``python -m tests.faulty 300``."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 300
    rows = [t for seed in range(count) if (t := tried(faulty(seed)[0])).failures]
    print(f"{len(rows)} of {count} builds fail somewhere; {sum(t.failures for t in rows)} failures, findings and wishes alike")
    print(
        f"fixes offered {sum(t.fixes for t in rows)}, mend their finding {sum(t.mend for t in rows)}, "
        f"add a failure {sum(len(t.fixes_that_break) for t in rows)}, leave a class's bounds {sum(len(t.fixes_out_of_bounds) for t in rows)}, "
        f"findings without a word {sum(len(t.unexplained) for t in rows)}, change what need not be {sum(len(t.needless) for t in rows)}"
    )
    whole = sum(t.whole for t in rows)
    named = sum(bool(t.conflict) and not t.whole for t in rows)
    print(f"mend all: whole {whole} ({whole / len(rows):.0%}), conflict named {named}, neither {len(rows) - whole - named}")


if __name__ == "__main__":
    main()
