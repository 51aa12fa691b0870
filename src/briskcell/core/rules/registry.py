"""The registry of rules, and what a rule says."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from functools import cached_property

from briskcell.core.answers import Answers
from briskcell.core.moves.fix import Fix, Search

SEVERITY = {"fails": 0, "close": 1, "unknown": 2}


MOST_LOSS = 1e6  # a limit of nothing is missed by no more than this, so that findings still have an order


def missed_by(value: float, limit: float) -> float:
    """The share by which a figure misses its limit, for the order of findings.

    Parameters
    ----------
    value, limit : float
        In one unit; a temperature counts by hundreds of degrees, whatever its limit.

    Returns
    -------
    float
        0 or more, finite.
    """
    return min(abs(value - limit) / max(abs(limit), 1e-9), MOST_LOSS)


def past(celsius: float, limit_c: float) -> str:
    """A temperature past its limit, with as many digits as tell the two apart.

    Parameters
    ----------
    celsius, limit_c : float
        The temperature and its limit. [°C]

    Returns
    -------
    str
        Of two decimals at the most.
    """
    told = (f"{celsius:.{digits}f}" for digits in range(2) if f"{celsius:.{digits}f}" != f"{limit_c:.{digits}f}")
    return f"{next(told, f'{celsius:.2f}')} °C"


def no_fix() -> Iterable[Fix]:
    """The search of a finding that no change of the plan mends.

    Returns
    -------
    iterable of Fix
        Nothing.
    """
    return ()


@dataclass(frozen=True, slots=True)
class Remedy:
    """The change that mends a finding; or None, with why none does and what comes nearest."""

    fix: Fix | None
    why: str


@dataclass(frozen=True)
class Finding:
    """What is wrong or close, its cause with the numbers, and changes that may mend it, the likeliest first.

    ``loss`` orders findings of one state: the share by which it misses. ``judge`` chooses among the changes when first asked:
    the first that mends the finding on the whole build, and what comes nearest where none does.
    """

    state: str
    element: str
    cause: str
    loss: float = 0.0
    search: Search = field(default=no_fix, repr=False)
    advice: str = ""
    rule: str = ""
    station: str = ""
    judge: Callable[[Finding], Remedy] | None = field(default=None, repr=False)

    @cached_property
    def remedy(self) -> Remedy:
        """What mends it, or why nothing does."""
        if self.judge is None:
            return Remedy(next(iter(self.search()), None), "")
        return self.judge(self)

    @property
    def sought(self) -> bool:
        """Whether the remedy is known already."""
        return "remedy" in self.__dict__

    @property
    def fix(self) -> Fix | None:
        """The first change that mends it and harms nothing; None where no single change does."""
        return self.remedy.fix

    @property
    def fix_words(self) -> str:
        """The fix, what it brings and costs; or advice, and why no change of the plan mends it."""
        if (found := self.remedy).fix is not None:
            return " ".join(filter(None, (found.fix.words, found.fix.brings, found.fix.costs)))
        return f"{self.advice} {found.why}".strip()

    @property
    def key(self) -> str:
        """Names the finding within one assessment."""
        return f"{self.rule}:{self.element}"


@dataclass(frozen=True, slots=True)
class Rule:
    """A registered rule: its name, station, source, what it asks, the function that checks it, the worst it may say.

    ``shown`` names the sections of pages that carry its word, each as ``station/section``; ``wish`` the wish of the brief that it
    serves, empty where it serves none.
    """

    name: str
    station: str
    source: str
    asks: str
    function: Callable[[Answers], Iterator[Finding]]
    worst: str = "fails"
    shown: tuple[str, ...] = ()
    wish: str = ""

    def check(self, assessed: Answers) -> Iterator[Finding]:
        """The rule's findings, signed with its name and station."""
        for f in self.function(assessed):
            yield Finding(f.state, f.element, f.cause, f.loss, f.search, f.advice, self.name, self.station)


RULES: dict[str, Rule] = {}


def rule(
    name: str, *, station: str, shown: tuple[str, ...], source: str, worst: str = "fails", wish: str = ""
) -> Callable[..., Callable[[Answers], Iterator[Finding]]]:
    """Register a rule.

    Parameters
    ----------
    name : str
        Its name, in the words of the job.
    station : str
        Where it is decided.
    shown : tuple of str
        The sections of pages that carry its word, each as ``station/section``; one of its own station at the least.
    source : str
        Literature or reasoning behind it.
    worst : str
        The worst state it may say; one that never says ``fails`` is not asked where only failures are.
    wish : str
        The wish of the brief that it serves, by its field: where both cannot be had, that one gives way.

    Returns
    -------
    callable
        The decorator; the function's docstring is what the rule asks.
    """

    def register(function: Callable[[Answers], Iterator[Finding]]) -> Callable[[Answers], Iterator[Finding]]:
        RULES[name] = Rule(name, station, source, (function.__doc__ or "").strip(), function, worst, shown, wish)
        return function

    return register


def unjudged(rule: Rule) -> Finding:
    """What is said of a rule that fails by itself.

    Parameters
    ----------
    rule : Rule
        The rule.

    Returns
    -------
    Finding
        Of state ``unknown``.
    """
    advice = "Everything else stands. Undo the last change if it began with it; the log says what went wrong."
    return Finding(
        "unknown",
        "",
        f"The rule “{rule.name}” could not be judged for this build.",
        0.0,
        advice=advice,
        rule=rule.name,
        station=rule.station,
    )


def sorted_findings(found: Iterable[Finding]) -> tuple[Finding, ...]:
    """Worst first: failing before close, then by how far it misses.

    Parameters
    ----------
    found : iterable of Finding
        In any order.

    Returns
    -------
    tuple of Finding
        Sorted.
    """
    return tuple(sorted(found, key=lambda f: (SEVERITY[f.state], -f.loss)))
