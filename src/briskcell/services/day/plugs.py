"""When to plug in, and into what: the latest moment and the weakest supply at which a day still lasts."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.core.day.course import latest_plug, weakest_supply
from briskcell.model.plan import Day
from briskcell.model.stores import Supply
from briskcell.services.aside import kept
from briskcell.services.charge.at_socket import sockets


@dataclass(frozen=True, slots=True)
class Late:
    """A stretch that is plugged in, and the day with its begin as late as it may be; None where the day does not last as it is."""

    stretch: int
    day: Day | None


@dataclass(frozen=True, slots=True)
class Plugs:
    """What can be said of a day's plugs."""

    lasts: bool
    late: tuple[Late, ...]
    weakest: Supply | None
    plugged: bool


def lasts(assessed: Assessment) -> Callable[[Day], bool]:
    """Whether a day lasts on a build: everything that is wanted is played."""
    return lambda day: assessed.live(day).lasts


@kept
def plugs(assessed: Assessment, day: Day) -> Plugs:
    """When to plug in, and into what.

    Parameters
    ----------
    assessed : Assessment
        The build.
    day : Day
        One of its days.

    Returns
    -------
    Plugs
        The latest moment of every plug that comes after time on the pack, and the weakest supply of the library that would do.
    """
    asks = lasts(assessed)
    after = [k for k, s in enumerate(day.stretches) if k and s.plug and not day.stretches[k - 1].plug]
    late = tuple(Late(k, latest_plug(day, k, asks)) for k in after)
    supplies = {s.supply.part_class: s.supply for s in sockets(assessed)}
    return Plugs(asks(day), late, weakest_supply(day, list(supplies.values()), asks), any(s.plug for s in day.stretches))
