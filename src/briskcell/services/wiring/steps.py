"""The order to build in, in words: how each joint is made, what proves it, and what a touch there would do."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.core.wiring.order import LAST, Joint
from briskcell.core.wiring.strands import strand_words
from briskcell.model.parts import Link
from briskcell.model.units import show

from .joints import made, next_joint


@dataclass(frozen=True, slots=True)
class BuildStep:
    """A joint as the page shows it."""

    joint: Joint
    number: int
    name: str
    to: str
    how: str
    reading: str
    live: str
    lines: tuple[str, ...]
    done: bool
    due: bool
    open: bool


def steps_of(assessed: Assessment) -> tuple[BuildStep, ...]:
    """The order to build in as it is shown, with what is done and due."""
    plan = assessed.plan
    done, due = made(plan, assessed.joints), next_joint(plan, assessed.joints)
    return tuple(
        BuildStep(
            j,
            n + 1,
            *_words(assessed, j),
            lines=tuple(_lines(assessed, j)),
            done=j.key in done,
            due=j is due or (due is not None and j.key == due.key),
            open=set(j.after) <= done,
        )
        for n, j in enumerate(assessed.joints)
    )


def _lines(assessed: Assessment, joint: Joint) -> Iterator[str]:
    """What is soldered at a joint, a line for each end: the strand, and the terminal it goes to."""
    circuit, part = assessed.circuit, assessed.plan.by_id[joint.part]
    if joint.key == LAST:
        return
    wire = isinstance(part, Link) and part.kind in ("wire", "return")
    for c in circuit.conductors:
        own = c.key.rpartition(":")[0] == part.id
        if wire and own:
            yield f"{strand_words(assessed.colours, c)} to {circuit.words(c.a if c.pole == '+' else c.b)}"
        elif not wire and part.id in (c.a.place, c.b.place):
            here, there = (c.a, c.b) if c.a.place == part.id else (c.b, c.a)
            what = strand_words(assessed.colours, c)
            if c.link is not None and assessed.plan.by_id.get(getattr(part, "fed_by", "")) is c.link:
                yield f"{what} to {circuit.words(here)}"
            elif own:
                yield f"{circuit.words(here)} to {circuit.words(there)}, {what}"


def _touched(assessed: Assessment) -> str:
    """What a touch of a store's two leads would do, skin and metal apart."""
    touch = max(assessed.lead_touches, key=lambda t: t.volts)
    return (
        f"Its {show(touch.volts, 'V')} do nothing to dry skin; a ring, a tool or two bare leads that touch would "
        f"carry up to {show(touch.amps, 'A')} and burn: rings off, one lead covered while you hold the other."
    )


def _bridged(assessed: Assessment, joint: Joint) -> str:
    """What a tool between plus and minus at that joint would do, once it is live."""
    found = next((s for s in assessed.shorts if s.link.id == joint.part), None)
    if found is None:
        return ""
    ends = (
        f"{found.dead.opener} opens after {show(found.dead.opens_s, 's')}"
        if found.dead.opener
        else f"{found.held_by} holds it there"
        if found.held_by
        else "nothing opens"
    )
    hot = f"the wire gets to {show(found.dead.reaches_c, '°C')}" + ("" if found.dead.safe else ", more than its insulation stands")
    return f" A tool from plus to minus there would draw {show(found.fault_a, 'A')}: {ends}, and {hot}."


def _words(assessed: Assessment, joint: Joint) -> tuple[str, str, str, str, str]:
    """The names of both sides, how to join, the reading that proves it, what is live then, and what a touch would do."""
    plan = assessed.plan
    if joint.key == LAST:
        stores = " and ".join(s.name for s in plan.stores)
        return (
            stores,
            "the console",
            "Switch off. Join the negative first, then the positive; keep your hands off both at once.",
            "First the pack alone: its volts and which side is plus. Between its leads and the console's: the same sign.",
            f"From now on {stores} {'are' if len(plan.stores) > 1 else 'is'} live up to the switch. {_touched(assessed)}",
        )
    part, to = plan.by_id[joint.part], plan.by_id[joint.to]
    beeps = f"beeps, {show(joint.ohm, 'Ω')} and your leads" if joint.ohm else "beeps from end to end"
    reading = f"Each strand {beeps}; from plus to minus no beep, a value that climbs as capacitors fill."
    how = (
        f"Plus to plus, minus to minus: {part.name} to the lead of {to.name}."
        if to in plan.stores
        else "Plus to plus, minus to minus, then cover both."
    )
    if joint.key in {b.id for b in plan.chargers} and to in plan.stores:
        how = f"Output of {part.name} to the lead of {to.name}; nothing is plugged into it yet."
    live = "Nothing is live."
    if joint.live_later:
        guard = f"{plan.by_id[joint.guard].name} guards it" if joint.guard else "no fuse guards it"
        live = f"Nothing is live yet; once the pack is joined this is, with the switch off too: {guard}. Cover it well."
        live += _bridged(assessed, joint)
    lies_in = isinstance(to, Link) and to.kind in ("wire", "return")
    where = f"the lead of {to.name}" if to in plan.stores else "its wire" if lies_in else to.name
    return part.name, where, how, reading, live
