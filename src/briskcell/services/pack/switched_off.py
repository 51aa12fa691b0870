"""How a build is switched off, in words for its page and sheet: acts, what they cut, what is drawn then."""

from __future__ import annotations

from typing import Any

from briskcell.core.assess import Assessment
from briskcell.core.pack.reserve import storage_life
from briskcell.core.pack.switching import Act, card_loads
from briskcell.model.plan import Plan
from briskcell.model.units import show

ACT_WORDS = {"off": "Switched off", "hold": "Held down", "empty": "Pack runs empty", "crash": "Board hangs"}
SOFT_WORDS = (("", "as its switches say"), ("true", "by a button that starts a script"), ("false", "nothing has to be shut down"))
HARD_OFF_WORDS = (("", "as its switches say"), ("true", "yes, something else does"), ("false", "no"))
MOST_NAMED = 3


def switched_off(assessed: Assessment) -> dict[str, Any]:
    """The ways off, the lamps, and the choices that belong to them."""
    plan, k = assessed.plan, assessed.pack_index or 0
    drawn: dict[frozenset[str], str] = {}

    def draws(act: Act) -> str:
        if act.opened not in drawn:
            drawn[act.opened] = show(storage_life(assessed.op, k, act.opened).leakage_a, "A") if plan.stores else ""
        return drawn[act.opened]

    return {
        "ways": [
            {"element": way.element, "name": way.name, "acts": [_said(plan, a, draws(a)) for a in way.acts]}
            for way in assessed.ways_off
        ],
        "cards": [plan.by_id[c].name for c in sorted(card_loads(plan))],
        "lamps": assessed.lamps,
        "soft": _word(plan.shutdown.soft),
        "soft_words": SOFT_WORDS,
        "hard_off": _word(plan.shutdown.hard_off),
        "hard_off_words": HARD_OFF_WORDS,
    }


def _said(plan: Plan, act: Act, draws: str) -> dict[str, Any]:
    return {
        "name": ACT_WORDS[act.act],
        "cuts": _cuts(plan, act),
        "after": _after(act),
        "at_risk": act.at_risk,
        "draws": draws,
        "why": act.why,
    }


def _cuts(plan: Plan, act: Act) -> str:
    """What loses its power, or all but what does not, whichever is shorter."""
    kept = [p.name for p in plan.loads if p.id not in act.loses]
    lost = [plan.by_id[p].name for p in act.loses]
    if not lost:
        return "nothing"
    if not kept:
        return "everything"
    if len(kept) <= MOST_NAMED:
        return f"all but {', '.join(kept)}"
    return ", ".join(lost) if len(lost) <= MOST_NAMED else f"{', '.join(lost[:MOST_NAMED])} and {len(lost) - MOST_NAMED} more"


def _after(act: Act) -> str:
    if act.after_s is None:
        return "never"
    if act.act == "empty":
        return "as play ends"
    return "at once" if act.after_s == 0 else show(act.after_s, "s")


def _word(value: bool | None) -> str:
    return "" if value is None else str(value).lower()
