"""Plan to assessment: the answers for one plan, judged by every rule."""

from __future__ import annotations

from functools import cached_property

from briskcell.core.answers import NOTHING, Answers, Shelf
from briskcell.core.brief.requirements import Wish, wishes
from briskcell.core.rails.headroom import judged
from briskcell.core.rules import RULES, Finding, sorted_findings
from briskcell.model.parts import Load
from briskcell.model.plan import Plan


class Assessment(Answers):
    """The answers for one plan, and what every rule says of them."""

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What is wrong or close, worst first."""
        return sorted_findings(f for rule in RULES.values() for f in rule.check(self))

    @cached_property
    def wishes(self) -> tuple[Wish, ...]:
        """The brief held against the plan."""
        return wishes(self)

    def station_state(self, station: str) -> str:
        """Worst word of a station's findings, of the brief its wishes'; ``unknown`` where it has nothing to judge."""
        states = [f.state for f in self.findings if f.station == station]
        if station == "brief":
            states = [w.state for w in self.wishes]
        for word in ("fails", "close"):
            if word in states:
                return word
        known = {
            "brief": all(w.state != "unknown" for w in self.wishes if w.field in ("hours", "room_c")),
            "draw": bool(self.plan.loads) and self.draw.guessed <= 0.25,
            "rails": bool(self.headrooms),
            "pack": self.runtime is not None,
            "charge": bool(self.charges),
        }
        return "holds" if known.get(station, True) else "unknown"

    def element_state(self, element: str) -> str:
        """The word for one element, from its own spare and the findings that name it."""
        words: list[str] = [judged(h.spare, self.plan.brief.margins) for h in self.headrooms if h.element == element]
        words += [f.state for f in self.findings if f.element == element]
        if not words and not isinstance(self.plan.by_id.get(element), Load):
            return "unknown"
        return next((w for w in ("fails", "close") if w in words), "holds")


def assess(plan: Plan, shelf: Shelf = NOTHING) -> Assessment:
    """Assess a plan.

    Parameters
    ----------
    plan : Plan
        A validated plan.
    shelf : Shelf
        Parts that fixes may choose from; without any, fixes only change figures of the plan.

    Returns
    -------
    Assessment
        Answers, computed as they are asked for.
    """
    return Assessment(plan, shelf)
