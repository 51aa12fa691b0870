"""Plan to assessment: the answers for one plan, judged by every rule."""

from __future__ import annotations

from functools import cached_property

from briskcell.core.answers import NOTHING, Answers, Stock
from briskcell.core.brief.requirements import Requirement, requirements
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
    def requirements(self) -> tuple[Requirement, ...]:
        """The brief held against the plan."""
        return requirements(self)

    def element_state(self, element: str) -> str:
        """The word for one element, from its own spare and the findings that name it."""
        words: list[str] = [judged(h.spare, self.plan.brief.margins) for h in self.headrooms if h.element == element]
        words += [f.state for f in self.findings if f.element == element]
        if not words and not isinstance(self.plan.by_id.get(element), Load):
            return "unknown"
        return next((w for w in ("fails", "close") if w in words), "holds")


def assess(plan: Plan, stock: Stock = NOTHING) -> Assessment:
    """Assess a plan.

    Parameters
    ----------
    plan : Plan
        A validated plan.
    stock : Stock
        Parts that fixes may choose from; without any, fixes only change figures of the plan.

    Returns
    -------
    Assessment
        Answers, computed as they are asked for.
    """
    return Assessment(plan, stock)
