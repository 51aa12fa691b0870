"""The sections of a station's page: where they are jumped to, and the worst word of the rules that are shown there."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.core.rules import RULES


@dataclass(frozen=True, slots=True)
class Section:
    """A section: the id of its heading, and its short name."""

    anchor: str
    title: str

    @property
    def name(self) -> str:
        """What rules call it by."""
        return self.anchor.removeprefix("h-")

    def state(self, station: str, assessed: Assessment) -> str:
        """The worst word of the rules that say to be shown in it."""
        place = f"{station}/{self.name}"
        found = {f.state for f in assessed.findings if f.rule in RULES and place in RULES[f.rule].shown}
        return next((w for w in ("fails", "close", "unknown") if w in found), "holds")
