"""The ladder joined with the order to build in: which joints are made before a step."""

from __future__ import annotations

from briskcell.core.answers import Answers
from briskcell.core.bench.step import Step
from briskcell.core.wiring.order import LAST, Joint
from briskcell.model.parts import Fed
from briskcell.model.tree import feeders_of


def joined_before(assessed: Answers, steps: tuple[Step, ...], step: Step) -> tuple[Joint, ...]:
    """The joints that a step needs and that no step before it needed, the far ends first; the store's own comes last.

    Parameters
    ----------
    assessed : Answers
        The build.
    steps : tuple of Step
        Its whole ladder.
    step : Step
        One of it. What is not live needs no joint.
    """
    if not step.live:
        return ()
    before: set[str] = set()
    for earlier in steps:
        if earlier.key == step.key:
            break
        before |= _needs(assessed, earlier)
    wanted = _needs(assessed, step) - before
    return tuple(j for j in assessed.joints if j.key in wanted and j.part != j.to)


def _needs(assessed: Answers, step: Step) -> set[str]:
    """The keys of the joints on the way to what a live step reads, and to all parts that are joined for it."""
    if not step.live:
        return set()
    plan, out = assessed.plan, {LAST}
    for name in (step.element, *step.loads):
        part = plan.by_id[name]
        out.add(name)
        out |= {p.id for p in feeders_of(plan, part)} if isinstance(part, Fed) else set()
    return out
