"""Rules of switching off: the card, the hang, and lamps that say so in time."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.moves.fix import Fix, placed
from briskcell.core.moves.switching import soft_switches
from briskcell.core.pack.switching import card_loads, softest
from briskcell.model.changes import altered, replaced
from briskcell.model.parts import Link
from briskcell.model.plan import Plan
from briskcell.model.tree import feeders_of, source_of
from briskcell.model.units import show

from ..registry import Finding, missed_by, rule


@rule("switched-off", station="pack", shown=("pack/off",), source="Power cut without a shutdown corrupts a card")
def switched_off(assessed: Answers) -> Iterator[Finding]:
    """Something shuts the board down before its power goes, waits long enough for it, and cuts the power when it hangs."""
    plan, cards = assessed.plan, card_loads(assessed.plan)
    if not cards or assessed.pack_index is None:
        return
    element, needs = plan.stores[assessed.pack_index].id, plan.shutdown.seconds
    ways = assessed.ways_off
    for way in ways:
        off, part = way.act("off"), plan.by_id.get(way.element)
        if way.soft and off.at_risk and isinstance(part, Link) and part.acts:
            cause = f"{way.name} cuts {off.after_s or 0:.0f} s after it is pressed; a shutdown takes {needs:.0f} s."
            yield Finding("fails", way.element, cause, missed_by(off.after_s or 0.0, needs), partial(_waits, assessed, part))
    if not any(softest(ways)) and not any(w.soft and w.act("off").at_risk for w in ways):
        hand = next((w for w in ways if cards & set(w.act("off").loses)), None)
        switch = plan.by_id.get(hand.element) if hand else None
        cause = "Nothing shuts the board down: it has to be told by its own menu before the power goes."
        if hand:
            cause = f"{hand.name} cuts at once: unless the board was shut down by its menu, its card is at risk."
        yield Finding(
            "close",
            hand.element if hand else element,
            cause,
            0.05,
            partial(soft_switches, assessed, switch if isinstance(switch, Link) else None),
            advice="A button that starts a script does too; say so under Switched off.",
        )
    if not _cut_off(assessed, element):
        yield Finding(
            "close",
            element,
            "Nothing cuts the power when the board hangs.",
            0.05,
            partial(soft_switches, assessed, None),
            advice="Add a hard-off.",
        )


def _cut_off(assessed: Answers, store: str) -> bool:
    """Whether something cuts the power when the board hangs: as the plan says, or an act on every way from the store."""
    plan = assessed.plan
    if plan.shutdown.hard_off is not None:
        return plan.shutdown.hard_off
    able = {w.element for w in assessed.ways_off if w.act("crash").after_s is not None}
    fed = [p for p in plan.loads if source_of(plan, p).id == store]  # a regulator that stays on does not hang
    return store in able or all(any(k.id in able for k in feeders_of(plan, p)) for p in fed)


def _waits(assessed: Answers, switch: Link) -> Iterator[Fix]:
    assert switch.acts is not None
    waits = float(round(assessed.plan.shutdown.seconds * 1.2 + 1.0))
    if not switch.part_class:
        changed = altered(switch, acts=altered(switch.acts, cuts_after_s=waits))
        yield Fix(f"{switch.name} set to wait {waits:.0f} s", "leaves time for the shutdown.", replaced(assessed.plan, changed))
    yield from soft_switches(assessed, switch)


@rule(
    "lamps",
    station="pack",
    shown=("pack/off",),
    worst="close",
    source="A lamp has to light in play, before the warning's last moment, where it is seen",
)
def lamps(assessed: Answers) -> Iterator[Finding]:
    """Each low-battery lamp lights before play ends, early enough for a shutdown, and can be seen."""
    plan: Plan = assessed.plan
    for shown in assessed.lamps:
        lamp, name = shown.load.lamp, shown.load.name
        assert lamp is not None
        volts = show(lamp.lights_below_v.likely, "V")
        if lamp.hidden:
            yield Finding(
                "close",
                shown.id,
                f"The case hides {name}: nobody sees it light.",
                0.05,
                advice="Bring it to a face of the case, or read it by a hole.",
            )
        if shown.minutes_left is None:
            cause = (
                f"{name} never lights before play ends: it is fed {show(shown.least_v, 'V')} and more, and lights below {volts}."
            )
            yield Finding(
                "close",
                shown.id,
                cause,
                0.1,
                partial(_sooner, assessed, shown.id),
                advice="A lamp behind a regulator sees its volts, not the pack's: feed it from the pack.",
            )
        elif assessed.reserve and plan.shutdown.seconds and shown.soc is not None and shown.soc < assessed.reserve.warning_soc:
            cause = (
                f"{name} lights at {volts} with {shown.minutes_left:.0f} min left, later than the {assessed.reserve.minutes_left:.0f} min"
                " that the warning has to leave."
            )
            yield Finding("close", shown.id, cause, 0.1, partial(_sooner, assessed, shown.id), advice="Choose a higher threshold.")


def _sooner(assessed: Answers, load_id: str) -> Iterator[Fix]:
    """The lamp's class that lights at the first higher threshold."""
    plan = assessed.plan
    load = next(p for p in plan.loads if p.id == load_id)
    assert load.lamp is not None
    higher = [
        (c, c.lamp) for c in assessed.stock.loads if c.lamp and c.lamp.lights_below_v.likely > load.lamp.lights_below_v.likely
    ]
    for candidate, lamp in sorted(higher, key=lambda c: c[1].lights_below_v.likely):
        changed = altered(placed(load, candidate), lamp=altered(lamp, hidden=load.lamp.hidden))
        yield Fix(f"{candidate.name} in its place", "lights earlier.", replaced(plan, changed))
