"""Two to four builds side by side: every wish and number with which of them does best, the parts that differ, the findings."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.core.draw.bill import bill
from briskcell.model.parts import Link, Rail
from briskcell.model.stores import Pack
from briskcell.model.units import show

MOST = 4
CLOSE = 0.01  # of a figure, within which two builds are alike


@dataclass(frozen=True, slots=True)
class Side:
    """A build that is compared."""

    id: int
    name: str
    assessed: Assessment


@dataclass(frozen=True, slots=True)
class Line:
    """One number of every build: its name, the figures in words, the states, and which builds are best, none where all are."""

    name: str
    shown: tuple[str, ...]
    states: tuple[str, ...]
    best: frozenset[int]
    wins: str


@dataclass(frozen=True, slots=True)
class _Number:
    """A number that builds are held against each other by; ``sign`` is 1 where more is better, −1 where less is."""

    name: str
    unit: str
    sign: int
    wins: str
    wish: str = ""


NUMBERS = (
    _Number("Plays", "h", 1, "plays longest", "hours"),
    _Number("Charges in", "h", -1, "is full soonest", "charge_hours"),
    _Number("Draws", "W", -1, "draws least"),
    _Number("Energy", "Wh", 1, "holds most"),
    _Number("Least spare", "%", 1, "has most to spare"),
    _Number("Resets over one pack", "", -1, "resets least", "resets_per_charge"),
    _Number("On the shelf", "d", 1, "keeps its charge longest", "shelf_days"),
    _Number("Skin of the case", "°C", -1, "stays coolest"),
    _Number("Thickness needed", "mm", -1, "is thinnest", "thickness_mm"),
    _Number("Mass", "g", -1, "is lightest", "mass_g"),
    _Number("Cost of the parts", "€", -1, "costs least", "budget"),
)


def figures(assessed: Assessment) -> dict[str, float | None]:
    """The numbers that builds are held against each other by, under their names."""
    found, least, chance = assessed.runtime, assessed.least_spare(), assessed.resets
    got = {w.field: w.got for w in assessed.requirements if isinstance(w.got, float)}
    return {
        "Plays": found.hours if found else None,
        "Charges in": next((c.off.hours for c in assessed.charges), None),
        "Draws": assessed.draw.mean_w,
        "Energy": sum(r.energy_wh for r in assessed.runtimes) or None,
        "Least spare": least.spare if least else None,
        "Resets over one pack": round(chance.expected, 2) if chance else None,
        "On the shelf": min((s.days for s in assessed.storage), default=None),
        "Skin of the case": assessed.heat.skin_c if assessed.heat else None,
        "Thickness needed": got.get("thickness_mm"),
        "Mass": got.get("mass_g"),
        "Cost of the parts": bill(assessed.plan).cost or None,
    }


def lines(sides: Sequence[Side]) -> list[Line]:
    """Every number of every build, and which does best.

    Parameters
    ----------
    sides : sequence of Side
        Two to four builds.

    Returns
    -------
    list of Line
        A build without a number cannot win it; builds within a hundredth of each other share it.
    """
    known = [figures(s.assessed) for s in sides]
    wishes = [{w.field: w.state for w in s.assessed.requirements} for s in sides]
    out = []
    for number in NUMBERS:
        values = [k[number.name] for k in known]
        have = [number.sign * v for v in values if v is not None]
        top = max(have, default=0.0)
        best = frozenset(k for k, v in enumerate(values) if v is not None and number.sign * v >= top - CLOSE * abs(top))
        shown = tuple("no figure" if v is None else _shown(v, number.unit) for v in values)
        states = tuple(w.get(number.wish, "") for w in wishes)
        out.append(Line(number.name, shown, states, frozenset() if len(best) == len(sides) else best, number.wins))
    return out


def _shown(value: float, unit: str) -> str:
    return f"{show(-value, '%')} short" if unit == "%" and value < 0 else show(value, unit) if unit else f"{value:.3g}"


def verdicts(sides: Sequence[Side], compared: Sequence[Line]) -> list[str]:
    """For each build, in words, what it does best and how many wishes it misses."""
    out = []
    for k, side in enumerate(sides):
        alone = [f"{line.wins} ({line.shown[k]})" for line in compared if line.best == {k}]
        missed = [w for w in side.assessed.requirements if w.state == "fails"]
        well = f"{side.name} " + (_and(alone) if alone else "is best at nothing alone")
        out.append(f"{well}; it {'meets every wish' if not missed else f'misses {len(missed)} of its own wishes'}.")
    return out


def _and(words: Sequence[str]) -> str:
    return words[0] if len(words) == 1 else ", ".join(words[:-1]) + " and " + words[-1]


def parts(sides: Sequence[Side]) -> list[tuple[str, tuple[int, ...]]]:
    """Parts by name with how many each build has, those that are not in all alike; wires and rails are left out."""
    counts = [Counter(_names(s.assessed)) for s in sides]
    names = sorted({n for c in counts for n in c})
    return [(n, row) for n in names if len(set(row := tuple(c[n] for c in counts))) > 1]


def _names(assessed: Assessment) -> list[str]:
    out = []
    for part in assessed.plan.parts():
        if isinstance(part, Pack):
            out += [cell.name for cell in part.string_cells for _ in range(part.series)]
        elif not isinstance(part, Rail) and not (isinstance(part, Link) and part.kind in ("wire", "outlet")):
            out.append(part.name)
    return out


def findings(sides: Sequence[Side]) -> list[list[str]]:
    """What each build's rules find."""
    return [[f"{f.state}: {f.cause}" for f in s.assessed.findings] for s in sides]
