"""Mend all: a bounded search over what can be set and what can be bought, for the cheapest plan in which nothing fails."""

from __future__ import annotations

import heapq
import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import count, islice

from cachetools import LRUCache
from pydantic import ValidationError

from briskcell.core.assess import WISH, Assessment, costs
from briskcell.core.brief.requirements import WISHES
from briskcell.core.draw.bill import bill
from briskcell.core.moves.fix import Fix
from briskcell.core.moves.packs import MOST_PARALLEL, other_packs
from briskcell.core.moves.warning import lower_warning
from briskcell.core.moves.whole_boards import restored
from briskcell.core.rules import RULES
from briskcell.model.changes import left_out, remade
from briskcell.model.figure import Figure
from briskcell.model.parts import Part
from briskcell.model.plan import Brief, Plan
from briskcell.model.stores import Pack
from briskcell.model.units import show, unit_of_field

MOST_JUDGED = 140  # plans that are judged whole before the search gives up
EACH = 5  # changes that are tried for one finding of one plan
WIDTH = 4  # findings of one plan that changes are tried for
MOST_KEPT = 128  # plans met that are kept solved: some 70 MB
SETTINGS = ("current_a", "output_v", "fed_by")
SETTINGS_WORDS = {"current_a": "set to", "output_v": "set to", "awg": "gauge"}


@dataclass(frozen=True, slots=True)
class Conflict:
    """Two wishes that contradict each other, in words, and the nearest plan for each that gives way."""

    first: str
    second: str
    offers: tuple[Fix, ...]


@dataclass(frozen=True, slots=True)
class Mending:
    """What the search found: the changed build, its changes in order, what still fails, and the wishes that contradict."""

    before: Assessment
    after: Assessment
    steps: tuple[str, ...]
    left: tuple[str, ...]
    judged: int
    conflict: Conflict | None

    @property
    def costs(self) -> str:
        """Money, hours and thickness of the whole."""
        return costs(self.before, self.after)


def mend_all(assessed: Assessment, most: int = MOST_JUDGED, ended: Callable[[], bool] = lambda: False) -> Mending:
    """The cheapest plan in which nothing fails, as far as a bounded search finds it.

    Best first: of all plans met, the one with the fewest failures, then the least missed, then the cheapest, is changed next.
    Where one change mends the last failure, the others of that plan are tried too, and the cheapest of them is taken.
    A change stays within what can be set on a part, or puts a class in its place; the brief is the builder's and stays.

    Parameters
    ----------
    assessed : Assessment
        The build; its stock holds the classes.
    most : int
        Plans to judge at most.
    ended : callable
        Asked between two plans whether to stop.

    Returns
    -------
    Mending
        The best plan met. Where something still fails, the pair of wishes that contradict each other, if one is found.
    """
    met = Met()
    best, judged = mended(assessed, most, ended, met)
    left = tuple(best.failures[key][1] for key in each_once(best))
    conflict = _conflict(assessed, best, max(most // 4, 20), ended, met) if left else None
    return Mending(assessed, best, told(assessed.plan, best.plan), left, judged, conflict)


class Met:
    """The plans that a mending met: one that is met again, under another brief, is not solved again."""

    def __init__(self) -> None:
        self._kept: LRUCache[Plan, Assessment] = LRUCache(MOST_KEPT)

    def judge(self, at: Assessment, plan: Plan) -> Assessment:
        """A plan assessed, with what an assessment knows that was met before.

        Parameters
        ----------
        at : Assessment
            What the plan was made of.
        plan : Plan
            The plan.

        Returns
        -------
        Assessment
            The very one where just this plan was met.
        """
        apart = plan.model_copy(update={"brief": Brief()})
        near = self._kept.get(apart, at)
        self._kept[apart] = found = near if near.plan == plan else near.of(plan)
        return found


def mended(
    assessed: Assessment, most: int = MOST_JUDGED, ended: Callable[[], bool] = lambda: False, met: Met | None = None
) -> tuple[Assessment, int]:
    """The best plan that the search meets, without asking which wishes contradict each other where something still fails.

    Parameters
    ----------
    assessed, most, ended
        As of ``mend_all``.
    met : Met, optional
        The plans that were met before.

    Returns
    -------
    tuple of Assessment and int
        The plan, with every change taken back that it holds without; and how many were judged.
    """
    met = met or Met()
    best, judged = _search(assessed, most, ended, met)
    return (best if best.failures else _fewest(assessed, best, met)), judged


def _search(start: Assessment, most: int, ended: Callable[[], bool], met: Met) -> tuple[Assessment, int]:
    """Best first from a plan, until nothing fails or so many were judged; the best one met, and how many."""
    order, judged = count(), 1
    best, best_rank = start, _rank(start)
    heap: list[tuple[tuple[float, ...], int, Assessment]] = [(best_rank, next(order), start)]
    seen = {best_rank}
    for fix in lower_warning(start) if start.falls_short else ():  # a warning that ends play too soon hides what else is wrong
        heap, judged = [(best_rank, next(order), met.judge(start, fix.plan))], judged + 1
    while heap and best.failures and judged < most and not ended():
        place, _, at = heapq.heappop(heap)
        rank = _rank(at)
        for fix in _moves(at):
            if judged >= most or ended():
                break
            after, judged = met.judge(at, fix.plan), judged + 1
            new = _rank(after)
            aside = new[0] == rank[0] and after.failures.keys() != at.failures.keys()
            if new in seen or (new >= rank and not aside):
                continue  # no better, and not even another trouble, from which another way may lead on
            seen.add(new)
            heapq.heappush(heap, (new, next(order), after))
            if new < best_rank:
                best, best_rank = after, new
            if 0 < new[0] < rank[0]:  # one failure less: go on from here, and come back only if that leads nowhere
                heapq.heappush(heap, ((place[0] + 0.5, *place[1:]), next(order), at))
                break
    return best, judged


def _fewest(start: Assessment, found: Assessment, met: Met) -> Assessment:
    """The mended plan with every change taken back that it holds without."""
    while True:
        was = found.plan
        found = _parts_back(start.plan, found, met)
        for field in ("case", "bay", "shutdown"):
            if getattr(found.plan, field) != getattr(start.plan, field):
                back = met.judge(found, remade(found.plan, {field: getattr(start.plan, field)}))
                found = found if back.failures else back
        if found.plan == was:
            return found


def _parts_back(start: Plan, found: Assessment, met: Met) -> Assessment:
    """Changed parts as they were, and added ones left out, where nothing fails without; an added one only if nothing is worse."""
    for part in start.parts():
        now = found.plan.by_id.get(part.id)
        if now is None or part.half_of or now.half_of or _as_it_was(found.plan, start, part.id):
            continue
        try:
            back = met.judge(found, restored(found.plan, start, part.id))
        except ValidationError:
            continue
        found = found if back.failures else back
    for added in [p for p in found.plan.parts() if p.id not in start.by_id]:
        if (plan := left_out(found.plan, added)) is not None:
            back = met.judge(found, plan)
            worse = {f.key for f in back.findings} - {f.key for f in found.findings}
            found = found if back.failures or worse else back
    return found


def _as_it_was(plan: Plan, before: Plan, part_id: str) -> bool:
    """Whether a part, and all that comes on it, is as it was."""
    same = plan.by_id[part_id] == before.by_id[part_id]
    return same and plan.halves.get(part_id, ()) == before.halves.get(part_id, ())


def told(before: Plan, after: Plan) -> tuple[str, ...]:
    """What changed from one plan to another, a sentence a part.

    Parameters
    ----------
    before, after : Plan
        The plans.

    Returns
    -------
    tuple of str
        Parts replaced, set, added and left out; then case, bay and warning.
    """
    out = []
    for part in before.parts():
        now = after.by_id.get(part.id)
        if now is None:
            out.append(f"{part.name} left out")
        elif now != part:
            out.append(_changed(part, now, after))
    out += [f"{part.name} added" for part in after.parts() if part.id not in before.by_id]
    if before.case != after.case:
        c = after.case
        more = " with vents and a fan" if c.vents and c.fan else " with vents" if c.vents else ""
        out.append(f"A case of {c.length_mm:.0f} × {c.width_mm:.0f} × {c.depth_mm:.0f} mm{more}")
    if before.bay != after.bay and after.bay is not None:
        out.append(f"A bay {show(after.bay.depth_mm, 'mm')} deep")
    if before.shutdown != after.shutdown and after.shutdown.warning_v is not None:
        out.append(f"A warning at {after.shutdown.warning_v:.2f} V")
    return tuple(out)


def _changed(part: Part, now: Part, after: Plan) -> str:
    if isinstance(part, Pack) and isinstance(now, Pack):
        if part.cell == now.cell and (part.series, part.parallel) == (now.series, now.parallel):
            trip = show(now.protection.trip_a.likely, "A") if now.protection else "nothing"
            return f"{part.name}: a protection board that trips at {trip}"
        laid = f"{now.series} in series, " if max(now.series, part.series) > 1 else ""
        new = f"{now.series * now.parallel} × {now.cell.name} ({laid}{now.parallel} in parallel)"
        same = part.cell.name == now.cell.name
        return f"{new} instead of {part.series * part.parallel}{'' if same else f' × {part.cell.name}'}"
    if part.name != now.name:
        return f"{now.name} instead of {part.name}{_figures(part, now, after, only=SETTINGS)}"
    return f"{part.name}{_figures(part, now, after, only=())}" if type(part) is type(now) else now.name


def _figures(part: Part, now: Part, after: Plan, only: tuple[str, ...]) -> str:
    words = []
    for field in type(now).model_fields:
        a, b = getattr(part, field, None), getattr(now, field)
        unit = unit_of_field(type(now), field)
        a, b = (v.likely if isinstance(v, Figure) else v for v in (a, b))
        if a == b or (only and field not in only) or field in ("part_class", "adjustable"):
            continue
        if field == "fed_by":
            words.append(f"fed from {after.by_id[str(b)].name}")
        elif unit is not None and isinstance(b, float):
            words.append(f"{SETTINGS_WORDS.get(field, field.rsplit('_', 1)[0].replace('_', ' '))} {show(b, unit.symbol)}")
    return f": {', '.join(words)}" if words else ""


def _rank(a: Assessment) -> tuple[float, ...]:
    return (
        float(len(each_once(a))),
        round(sum(min(loss, 5.0) for loss, _ in a.failures.values()), 3),
        round(bill(a.plan).cost, 2),
    )


def each_once(a: Assessment) -> list[str]:
    """What fails, told once: without the wishes that a finding speaks of already.

    Parameters
    ----------
    a : Assessment
        The build.

    Returns
    -------
    list of str
        Keys of its failures.
    """
    said = {_wish_of(key) for key in a.failures if not key.startswith(WISH)}
    return [key for key in a.failures if not (key.startswith(WISH) and key.removeprefix(WISH) in said)]


def _wish_of(key: str) -> str:
    """The wish of the brief that a failure speaks of; its own key where there is none."""
    if key.startswith(WISH):
        return key.removeprefix(WISH)
    rule = RULES.get(key.partition(":")[0])
    return rule.wish if rule is not None and rule.wish else key


def _moves(a: Assessment) -> Iterator[Fix]:
    """Changes for the worst findings that fail, then for the wishes that no finding speaks of."""
    for finding in a.failing[:WIDTH]:
        yield from islice(a.options(finding), EACH)
    for finding in a.failing[:WIDTH]:
        yield from islice(a.options(finding), EACH, 3 * EACH)
    for finding in a.failing[WIDTH:]:
        yield from islice(a.options(finding), EACH)
    for field in ("thickness_mm", "mass_g", "budget"):
        if f"{WISH}{field}" in a.failures:
            yield from _for_wish(a, field)


def _for_wish(a: Assessment, field: str) -> Iterator[Fix]:
    brief, case = a.plan.brief, a.plan.case
    if field == "thickness_mm" and case.depth_mm > brief.thickness_mm:
        changed = remade(a.plan, {"case": case.model_copy(update={"depth_mm": brief.thickness_mm})})
        yield Fix(f"A case {show(brief.thickness_mm, 'mm')} deep", "is what is wished.", changed)
    for pack in a.plan.packs:
        now = a.runtimes[a.plan.stores.index(pack)]
        for share in (1.0, 0.75, 0.5):
            yield from islice(other_packs(a, pack, least_wh=share * now.energy_wh), MOST_PARALLEL)


def _conflict(start: Assessment, best: Assessment, most: int, ended: Callable[[], bool], met: Met) -> Conflict | None:
    """The wish that cannot be had, the other that stands in its way, and the nearest plan for each."""
    firsts = [w for w in dict.fromkeys(_wish_of(key) for key in best.failures) if w in WISHES]
    for first in firsts:
        own = _offer(best, first, most, ended, met)
        for second in sorted((w for w in WISHES if w != first), key=lambda w: WISHES[w].turn):
            if ended():
                return None
            if (other := _offer(start, second, most, ended, met)) is not None:
                offers = tuple(o for o in (own, other) if o is not None)
                return Conflict(WISHES[first].called, WISHES[second].called, offers)
        if own is not None:
            return Conflict(WISHES[first].called, "everything else of the brief", (own,))
    named = [WISHES[w].called for w in firsts]
    return Conflict(named[0] if named else "the build", named[1] if len(named) > 1 else "what the library has", ())


def _offer(a: Assessment, wish: str, most: int, ended: Callable[[], bool], met: Met) -> Fix | None:
    """The build mended with one wish given way; None where even that leaves something failing."""
    for plan, words in WISHES[wish].gives_way(a, _comes_to(a, wish)):
        found, _ = mended(met.judge(a, plan), most, ended, met)
        if not found.failures:
            return Fix("; ".join((words, *told(a.plan, found.plan))), f"Nothing fails then. {costs(a, found)}".strip(), found.plan)
    return None


def _comes_to(a: Assessment, wish: str) -> float | None:
    """What a build comes to of a wish; None where that is no figure."""
    got = a.wish(wish)
    return got.got if got is not None and isinstance(got.got, float) and math.isfinite(got.got) else None
