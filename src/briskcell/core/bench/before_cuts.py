"""What cannot be undone, and the steps that have to be proven before: connectors cut off, and a case that is printed."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from briskcell.model.parts import Converter, Load
from briskcell.model.plan import Plan

from .step import Step


@dataclass(frozen=True, slots=True)
class Cut:
    """Something final: in words, the keys of the steps that come before it, and the titles of those that are not proven yet."""

    words: str
    steps: tuple[str, ...]
    waits: str

    @property
    def proven(self) -> bool:
        return not self.waits


def cuts(plan: Plan, steps: Sequence[Step], proven: Collection[str]) -> tuple[Cut, ...]:
    """What of a build cannot be undone, with what to prove first.

    Parameters
    ----------
    plan : Plan
        The build.
    steps : sequence of Step
        Its ladder.
    proven : collection of str
        Keys of the steps that are proven.

    Returns
    -------
    tuple of Cut
        Each part that is laid with its connectors off, then the case.
    """
    out = []
    for part in plan.parts():
        body = getattr(part, "body", None)
        if body is not None and body.bare_height_mm is not None and isinstance(part, Load | Converter):
            own = [s for s in steps if s.element == part.id]
            out.append(_cut(f"Connectors of {part.name} come off", own, proven))
    if steps:
        out.append(_cut("The case is printed", [s for s in steps if s.stage != "charge"], proven))
    return tuple(out)


def _cut(words: str, steps: Sequence[Step], proven: Collection[str]) -> Cut:
    left = [s.title for s in steps if s.key not in proven]
    more = f" and {len(left) - 3} more" if len(left) > 3 else ""
    waits = f"first: {'; '.join(left[:3])}{more}" if left else ""
    return Cut(words, tuple(s.key for s in steps), waits)
