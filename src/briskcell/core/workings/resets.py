"""The working of resets: which parts peak, how often, and what they overrun together."""

from __future__ import annotations

from briskcell.core.assess import Assessment
from briskcell.model.units import show

from .registry import Input, Working, computed, number


@number("resets", "resets", lambda a, _: a.resets.expected if a.resets else None)
def resets(assessed: Assessment, _rest: str) -> Working | None:
    found = assessed.resets
    if found is None:
        return None
    parts = tuple(
        Input(
            symbol="p, τ",
            name=p.load.name,
            shown=f"{show(p.share, '%')} of play, {show(p.seconds, 's')} at a time",
            grade="guessed" if p.typical else "typical",
            source="no figure of its own" if p.typical else "class figure, or typed",
        )
        for p in found.parts
    )
    ends = (
        computed(
            "f", "Rate when play ends", found.at_end, "/h", "sum over the steps from a combination that holds to one that does not"
        ),
        computed(
            "t", "Hours before the first to fear", found.free_hours, "h", "where the rate rises above one in ten thousand hours"
        ),
    )
    return Working(
        title="Resets over one pack",
        shown=f"{found.expected:.2g} expected",
        words=found.words,
        formula="f = Σ P(c) · λ(c → c′), over steps into overrun;  λ = 1/τ out of a peak, p / (τ·(1 − p)) into one",
        inputs=(*parts, *ends),
        source="R. Billinton, R. N. Allan, Reliability Evaluation of Power Systems, 2nd ed., 1996; parts taken as independent",
    )
