"""The sections of a station's page: where they are jumped to, and the rules whose words they carry."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.assess import Assessment


@dataclass(frozen=True, slots=True)
class Section:
    """A section: the id of its heading, its short name, and the rules it shows the figures of."""

    anchor: str
    title: str
    rules: tuple[str, ...] = ()

    def state(self, assessed: Assessment) -> str:
        """The worst word of its rules' findings."""
        found = {f.state for f in assessed.findings if f.rule in self.rules}
        return next((w for w in ("fails", "close", "unknown") if w in found), "holds")
