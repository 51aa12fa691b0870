"""The stations in their working order, registered once: each with its number, and whether enough is known to judge it.

Pages, spine, help and tests walk this registry. A station's pages lie under its name in ``web/stations/`` and its templates in
``templates/``; its rules name it. See CONTRIBUTING.md for how to add one.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.core.rails.headroom import Word


@dataclass(frozen=True, slots=True)
class Headline:
    """A station's one number: a figure in its unit with a word after it, or words where there is none.

    ``key`` names the number whose working stands behind it, empty where it is a wish of the brief.
    """

    value: float | None
    unit: str
    after: str = ""
    key: str = ""
    none: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Station:
    """One station. ``known`` says whether enough is known for *holds*.

    ``reach`` gives the 10 and 90 % points of its number, where it has a range.
    """

    name: str
    headline: Callable[[Assessment], Headline]
    known: Callable[[Assessment], bool]
    reach: Callable[[Assessment], tuple[float, float] | None] = lambda _: None

    def state(self, assessed: Assessment) -> Word:
        """Worst word of the station's findings, of the brief its requirements'; ``unknown`` where it has nothing to judge."""
        found = [f.state for f in assessed.findings if f.station == self.name]
        states: list[str] = list(found)
        if self.name == "brief":
            states = [w.state for w in assessed.requirements]
        if "fails" in states:
            return "fails"
        if "close" in states:
            return "close"
        return "holds" if self.known(assessed) and "unknown" not in found else "unknown"


def _spare(a: Assessment) -> Headline:
    least = a.least_spare()
    if least is None:
        return Headline(None, "%", none="no limits")
    after = "least" if least.spare >= 0 else "short"
    return Headline(abs(least.spare), "%", after, f"headroom:{least.element}:{least.kind}")


def _charge(a: Assessment) -> Headline:
    if not a.charges:
        return Headline(None, "h", none="no charger")
    return Headline(a.charges[0].off.hours, "h", key=f"charge:{a.charges[0].board.id}", none="never full")


def _hours(a: Assessment) -> tuple[float, float] | None:
    found = a.runtime_range
    return (found.low, found.high) if found else None


def _sparing(a: Assessment) -> tuple[float, float] | None:
    found = a.spare_range
    if found is None:
        return None
    return (found.low, found.high) if found.likely >= 0 else (-found.high, -found.low)


def _filling(a: Assessment) -> tuple[float, float] | None:
    found = a.charge_spread
    return (found.range_h[0], found.range_h[2]) if found else None


def _day(a: Assessment) -> Headline:
    """What is left at the end of the first day that is kept."""
    if not a.days:
        return Headline(None, "%", none="none planned")
    first = a.days[0]
    return Headline(float(first.soc[-1]), "%", "left" if first.lasts else "stops")


def _wiring(a: Assessment) -> Headline:
    """The conductor that drops most."""
    most = max(a.links, key=lambda c: c.drop_v, default=None)
    if most is None:
        return Headline(None, "V", none="no wires")
    return Headline(most.drop_v, "V", "most", f"wiring:{most.link.id}")


def _room(a: Assessment) -> Headline:
    """The thickness that the case needs as everything lies."""
    if a.room.needed is None:
        return Headline(None, "mm", none="not laid out")
    return Headline(a.room.needed[2].outside_mm, "mm", "thick")


def _bench(a: Assessment) -> Headline:
    """What is proven is a unit's, not the plan's."""
    return Headline(None, "", none="step by step" if a.plan.stores else "no pack")


def _heat(a: Assessment) -> Headline:
    if not a.plan.stores or not a.plan.loads:
        return Headline(None, "°C", none="no draw")
    return Headline(a.heat.skin_c, "°C", "skin", "heat")


def _brief_known(a: Assessment) -> bool:
    return all(w.state != "unknown" for w in a.requirements if w.field in ("hours", "room_c"))


GUESSED_MOST = 0.25  # share of the draw that may be guessed before Draw counts as unknown

STATIONS: dict[str, Station] = {
    s.name: s
    for s in (
        Station(name="brief", headline=lambda a: Headline(a.plan.brief.hours, "h", "wanted"), known=_brief_known),
        Station(
            name="draw",
            headline=lambda a: Headline(a.draw.mean_w, "W", key="draw"),
            known=lambda a: bool(a.plan.loads) and a.draw.guessed <= GUESSED_MOST,
        ),
        Station(
            name="rails",
            headline=_spare,
            known=lambda a: bool(a.headrooms),
            reach=_sparing,
        ),
        Station(
            name="pack",
            headline=lambda a: Headline(a.runtime.hours if a.runtime else None, "h", key="runtime", none="no draw"),
            known=lambda a: a.runtime is not None,
            reach=_hours,
        ),
        Station(
            name="charge",
            headline=_charge,
            known=lambda a: bool(a.charges),
            reach=_filling,
        ),
        Station(name="day", headline=_day, known=lambda a: bool(a.days)),
        Station(name="wiring", headline=_wiring, known=lambda a: bool(a.links)),
        Station(
            name="heat",
            headline=_heat,
            known=lambda a: bool(a.plan.stores and a.plan.loads),
        ),
        Station(
            name="room",
            headline=_room,
            known=lambda a: bool(a.laid[0]) and not a.laid[1] and not a.solids[1],
        ),
        Station(name="bench", headline=_bench, known=lambda _: False),
        Station(
            name="log",
            known=lambda _: False,
            headline=lambda a: Headline(None, "", none="by unit" if a.plan.stores else "no pack"),
        ),
    )
}
