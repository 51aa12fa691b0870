"""The Draw station: what each part takes, by what feeds it; settings; how the time is spent; and what is added."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from briskcell.core.answers import Answers
from briskcell.core.draw.consumption import LoadDraw
from briskcell.drawing.scale import Scale
from briskcell.model.parts import STATES, Part
from briskcell.model.plan import Profile
from briskcell.model.tree import load_feeders, named_feeder
from briskcell.services.builds import Opened
from briskcell.web.sections import Section
from briskcell.web.view import View

UNITS = {"power_w": "W", "current_a": "A", "resistance_ohm": "Ω"}
BARS = 216.0

SECTIONS = (
    Section("h-profile", "Use"),
    Section("h-draw", "Parts"),
    Section("h-own", "A part of your own"),
    Section("h-table", "A table"),
)


@dataclass(frozen=True, slots=True)
class DrawRow:
    """A part with its fields, bars and knobs; ``before`` and ``after`` are what it would be put before, moved up or down."""

    draw: LoadDraw
    path: str
    unit: str
    bars: tuple[tuple[str, float, float, float], ...]
    before: str
    after: str


@dataclass(frozen=True, slots=True)
class Use:
    """One profile in shares of a hundred: the build's own or a game's, and how long the build plays with it alone."""

    path: str
    name: str
    profile: Profile
    share: float | None
    hours: float | None

    @property
    def typed(self) -> str:
        """As it stands in its field."""
        p = self.profile
        return " / ".join(f"{v * 100:.3g}" for v in (p.rest, p.play, p.peak))


def surface(opened: Opened, _view: View) -> dict[str, Any]:
    """What the Draw station shows."""
    assessed = opened.assessed
    rows = assessed.draw.loads
    scale = Scale(0.0, max([h for d in rows for _, _, h in d.watts], default=0.1) or 0.1, 0.0, BARS)
    groups: dict[str, list[LoadDraw]] = {}
    places: dict[str, Part] = {}
    for d in rows:
        place = named_feeder(assessed.plan, d.load)
        places[place.id] = place
        groups.setdefault(place.id, []).append(d)
    return {
        "groups": [(places[p], [_row(k, found, scale) for k in range(len(found))]) for p, found in groups.items()],
        "feeders": load_feeders(assessed.plan),
        "states": STATES,
        "uses": _uses(assessed),
        "peaking": [p.load for p in assessed.resets.parts] if assessed.resets else [],
    }


def _row(k: int, found: list[LoadDraw], scale: Scale) -> DrawRow:
    d = found[k]
    bars = tuple((s, scale(low), scale(likely), scale(high)) for s, (low, likely, high) in zip(STATES, d.watts, strict=True))
    before = found[k - 1].load.id if k else ""
    after = (found[k + 2].load.id if k + 2 < len(found) else "-last") if k + 1 < len(found) else ""
    return DrawRow(d, f"loads/{d.load.id}/{d.load.kind}", UNITS[d.load.kind], bars, before, after)


def _uses(assessed: Answers) -> list[Use]:
    plan = assessed.plan
    if not plan.games:
        return [Use("profile", "", plan.profile, None, None)]
    whole = sum(g.share for g in plan.games) or 1.0
    alone = assessed.game_hours
    return [Use(f"games/{k}", g.name, g.profile, g.share / whole, alone[k]) for k, g in enumerate(plan.games)]
