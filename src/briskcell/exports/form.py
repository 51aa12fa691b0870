"""What a format is, and what it is given."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from briskcell.core.assess import Assessment
from briskcell.model.plan import Plan
from briskcell.services.sheet import Record


@dataclass(frozen=True, slots=True)
class Given:
    """A build as it is taken along: its assessment, and what is kept of it beside the plan."""

    assessed: Assessment
    record: Record = field(default_factory=Record)

    @property
    def plan(self) -> Plan:
        """The build's plan."""
        return self.assessed.plan


@dataclass(frozen=True, slots=True)
class Wanted:
    """What is asked of a format besides the build: the charge and load of a circuit or a map."""

    soc: float = 0.5
    state: str = "play"


@dataclass(frozen=True, slots=True)
class Form:
    """A way out: its key, title, what it is for, the end of its file's name, its type, how it is written, whether slowly."""

    key: str
    title: str
    words: str
    suffix: str
    mime: str
    write: Callable[[Given, Wanted], str | bytes]
    slow: bool = False
