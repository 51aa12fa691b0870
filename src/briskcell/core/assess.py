"""Plan to assessment: the answers for one plan, judged by every rule."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import cached_property

from briskcell.core.answers import ANSWERS, NOTHING, Answers, Report, Stock, raised
from briskcell.core.brief.requirements import Requirement, requirements
from briskcell.core.rails.headroom import judged
from briskcell.core.rules import RULES, Finding, Fix, sorted_findings, unjudged
from briskcell.model.parts import Load
from briskcell.model.plan import Plan


class Assessment(Answers):
    """The answers for one plan, and what every rule says of them."""

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What is wrong or close, worst first. A rule that fails takes nothing but itself away."""
        found: list[Finding] = []
        for rule in RULES.values():
            try:
                found += [replace(f, search=self._sought(f)) for f in rule.check(self)]
            except Exception as error:  # whatever it is: the other rules still speak
                self.report(f"rule {rule.name}", error)
                found.append(unjudged(rule))
        return sorted_findings(found)

    def _sought(self, finding: Finding) -> Callable[[], Fix | None]:
        """The search for a fix, which may fail without taking its finding away."""

        def search() -> Fix | None:
            try:
                return finding.search()
            except Exception as error:
                self.report(f"fix of {finding.key}", error)
                return None

        return search

    def work_out(self) -> None:
        """Ask for everything at once; what fails is reported, and nothing is raised unless the report does."""
        for name in (*ANSWERS, "findings", "requirements"):
            try:
                getattr(self, name)
            except Exception as error:
                self.report(f"answer {name}", error)

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


def assess(plan: Plan, stock: Stock = NOTHING, report: Report = raised) -> Assessment:
    """Assess a plan.

    Parameters
    ----------
    plan : Plan
        A validated plan.
    stock : Stock
        Parts that fixes may choose from; without any, fixes only change figures of the plan.
    report : callable
        Told of a rule or answer that fails, which then takes nothing but itself away; unless given, it is raised.

    Returns
    -------
    Assessment
        Answers, computed as they are asked for.
    """
    return Assessment(plan, stock, report)
