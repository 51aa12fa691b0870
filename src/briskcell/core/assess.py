"""Plan to assessment: the answers for one plan, judged by every rule; and whether a change mends more than it harms."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace
from functools import cached_property
from itertools import islice

from briskcell.core.answers import ANSWERS, NOTHING, Answers, Report, Stock, raised
from briskcell.core.bench.ladder import ladder
from briskcell.core.bench.step import Step
from briskcell.core.brief.requirements import Requirement, requirements, unmet
from briskcell.core.brief.wishes import thickness_mm
from briskcell.core.draw.bill import bill
from briskcell.core.moves.fix import Fix
from briskcell.core.rails.headroom import judged
from briskcell.core.rules import RULES, Finding, Remedy, sorted_findings, unjudged
from briskcell.core.spread.spread import Spread, spread
from briskcell.model.parts import Load
from briskcell.model.plan import Plan
from briskcell.model.units import show

MOST_TRIED = 12  # changes that are judged on the whole build before a finding is said to have no fix
WORSE = 0.05  # share by which a finding that fails already may miss more, before a change counts as harm
WISH = "wish:"


class Assessment(Answers):
    """The answers for one plan, and what every rule says of them."""

    @cached_property
    def ladder(self) -> tuple[Step, ...]:
        """Every step that proves the build on the bench."""
        return ladder(self)

    @cached_property
    def spread(self) -> Spread | None:
        """Hours of the store that ends play, over all that is uncertain; None where nothing plays."""
        store = self.pack_index or 0
        likely = self.runtimes[store].hours if self.runtimes else None
        return spread(self.op, likely, store) if likely else None

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What is wrong or close, worst first."""
        return sorted_findings([f for name in RULES for f in self.of_rule(name)])

    @cached_property
    def failing(self) -> tuple[Finding, ...]:
        """What is wrong, worst first: of the findings those that fail, without asking the rules that never say so."""
        able = (name for name, rule in RULES.items() if rule.worst == "fails")
        return sorted_findings([f for name in able for f in self.of_rule(name) if f.state == "fails"])

    def of_rule(self, name: str) -> tuple[Finding, ...]:
        """What one rule says. A rule that fails takes nothing but itself away."""
        if name not in self._by_rule:
            rule = RULES[name]
            try:
                self._by_rule[name] = tuple(replace(f, judge=self._remedy) for f in rule.check(self))
            except Exception as error:  # whatever it is: the other rules still speak
                self.report(f"rule {rule.name}", error)
                self._by_rule[name] = (unjudged(rule),)
        return self._by_rule[name]

    @cached_property
    def _by_rule(self) -> dict[str, tuple[Finding, ...]]:
        return {}

    @cached_property
    def failures(self) -> dict[str, tuple[float, str]]:
        """What fails, findings and wishes of the brief alike: by key the share it misses by, and the cause; of two the larger."""
        found: dict[str, tuple[float, str]] = {}
        for f in self.failing:
            if f.key not in found or f.loss > found[f.key][0]:
                found[f.key] = (f.loss, f.cause)
        return found | {f"{WISH}{w.field}": (0.0, w.why) for w in unmet(self)}

    def options(self, finding: Finding) -> Iterator[Fix]:
        """The changes that a rule proposes. A search that fails takes nothing but itself away."""
        try:
            yield from finding.search()
        except Exception as error:
            self.report(f"fix of {finding.key}", error)

    def harms(self, after: Assessment) -> list[str]:
        """What a change would break: causes of failures that were none before, or that miss by more than before."""
        was = self.failures
        return [cause for key, (loss, cause) in after.failures.items() if key not in was or loss > was[key][0] + WORSE]

    def forgets(self, after: Assessment) -> list[str]:
        """Wishes of the brief that nobody could say anything of any more after a change; of cells that are thrown away, how they
        charge is none."""
        known = {w.field for w in self.requirements if w.state != "unknown"}
        if after.plan.packs and not any(c.rechargeable for p in after.plan.packs for c in p.string_cells):
            known -= CHARGING
        return [w.why for w in after.requirements if w.state == "unknown" and w.field in known]

    def _remedy(self, finding: Finding) -> Remedy:
        """The first change that mends a finding on the whole build and harms nothing; else what comes nearest."""
        nearest: tuple[int, str] | None = None
        tried = 0
        for fix in islice(self.options(finding), MOST_TRIED):
            after, tried = self.of(fix.plan), tried + 1
            if not mended(finding, after.of_rule(finding.rule)):
                continue
            harm = self.harms(after) or self.forgets(after)
            if not harm:
                return Remedy(replace(fix, costs=costs(self, after)), "")
            if nearest is None or len(harm) < nearest[0]:
                nearest = len(harm), f"The nearest is: {fix.words.rstrip(',')}. But then: {harm[0]}"
        if finding.state != "fails":
            return Remedy(None, nearest[1] if nearest else "")
        none = (
            f"None of {tried} changes tried mends it alone"
            if tried
            else "No class of the library and no change of the plan mends it"
        )
        return Remedy(None, nearest[1] if nearest else f"{none}.")

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

    def wish(self, field: str) -> Requirement | None:
        """One requirement of the brief."""
        return next((w for w in self.requirements if w.field == field), None)

    def element_state(self, element: str) -> str:
        """The word for one element, from its own spare and the findings that name it."""
        words: list[str] = [judged(h.spare, self.plan.brief.margins) for h in self.headrooms if h.element == element]
        words += [f.state for f in self.findings if f.element == element]
        if not words and not isinstance(self.plan.by_id.get(element), Load):
            return "unknown"
        return next((w for w in ("fails", "close") if w in words), "holds")


CHARGING = {"charge_hours", "play_while_charging", "charge_c", "charge_ports"}  # wishes of a build that is charged


def mended(finding: Finding, after: Iterable[Finding]) -> bool:
    """Whether a finding is gone, or where it failed, no longer fails.

    Parameters
    ----------
    finding : Finding
        Of the build as it was.
    after : iterable of Finding
        Of the changed build.

    Returns
    -------
    bool
        By its key.
    """
    states = {f.state for f in after if f.key == finding.key}
    return "fails" not in states if finding.state == "fails" else not states


def costs(before: Assessment, after: Assessment) -> str:
    """What a change costs: money, hours of play, time on the charger, thickness.

    Parameters
    ----------
    before, after : Assessment
        The build without and with it.

    Returns
    -------
    str
        A sentence, empty where nothing worth a word changes.
    """
    words: list[str] = []
    money = bill(after.plan).cost - bill(before.plan).cost
    if abs(money) >= 0.05:
        words.append(f"{show(abs(money), '€')} {'more' if money > 0 else 'less'}")
    was, now = (a.runtime.hours if a.runtime else None for a in (before, after))
    if was and now is not None and abs(now - was) >= 0.1:
        words.append(f"{show(abs(now - was), 'h')} {'more' if now > was else 'less'} play")
    was, now = (max((c.off.hours or 0.0 for c in a.charges), default=0.0) for a in (before, after))
    if was and now and now - was >= 0.2:
        words.append(f"{show(now - was, 'h')} longer on the charger")
    thicker = thickness_mm(after) - thickness_mm(before)
    if abs(thicker) >= 0.5:
        words.append(f"{show(abs(thicker), 'mm')} {'thicker' if thicker > 0 else 'thinner'}")
    return f"It comes with {', '.join(words)}." if words else ""


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
