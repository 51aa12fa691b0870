"""A board that nobody knows: what each of its pads may be, by what is read between them, and what to read next.

First ohms to a shell, with nothing joined; then the meter's diode range; last volts, from a supply that is held to little current.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

Role = Literal["ground", "supply", "signal", "output", "not joined", "unknown"]
RINGS_OHM = 2.0  # to a shell, below which a pad is ground
SUPPLY_V, JUNCTION_V = 0.45, 0.85  # of the diode range from ground: many junctions at once read less than one alone
NEAR = 0.15  # share of the supply's volts, within which a pad is joined to it
LEAST_V = 0.3  # above which a pad gives something by itself
LIMIT_A = 0.1  # to which an unknown board's first supply is held


@dataclass(frozen=True, slots=True)
class Pad:
    """A pad and what was read on it; None where nothing was yet.

    ``shell_ohm`` to a shell or mounting hole, infinite where open; ``diode_v`` with the red probe on ground, infinite where open;
    ``volts`` to ground, with ``fed_v`` on the pad that is taken for the supply.
    """

    name: str
    shell_ohm: float | None = None
    diode_v: float | None = None
    volts: float | None = None


@dataclass(frozen=True, slots=True)
class Guess:
    """What a pad may be, and why."""

    role: Role
    why: str


@dataclass(frozen=True, slots=True)
class Ask:
    """What to read next: on which pad, how the meter is set, where both probes go, and what to mind."""

    pad: str
    what: Literal["shell_ohm", "diode_v", "volts"]
    setting: str
    red: str
    black: str
    caution: str


def guess(pad: Pad, fed_v: float | None = None) -> Guess:
    """What a pad may be by all that was read on it.

    Parameters
    ----------
    pad : Pad
        With its readings.
    fed_v : float, optional
        Volts that the supply gave as its volts were read. [V]

    Returns
    -------
    Guess
        A guess, and no more: a print or a sheet beats it.
    """
    if pad.shell_ohm is not None and pad.shell_ohm < RINGS_OHM:
        return Guess("ground", "It rings with the shell.")
    if pad.volts is not None and fed_v:
        if abs(pad.volts - fed_v) <= NEAR * fed_v:
            return Guess("supply", "It has the supply's own volts.")
        if pad.volts > LEAST_V:
            return Guess("output", f"It gives {pad.volts:.2f} V by itself: a rail, or a line that is pulled up.")
        return Guess("signal", "It lies near ground while the board runs.")
    if pad.diode_v is None:
        return Guess("unknown", "Nothing was read but that it is not ground." if pad.shell_ohm is not None else "Nothing was read.")
    if pad.diode_v < SUPPLY_V:
        return Guess("supply", "Many junctions at once lie on it: a rail, as a supply is.")
    if pad.diode_v < JUNCTION_V:
        return Guess("signal", "One junction lies on it: a chip's pin.")
    return Guess("not joined", "Open both ways: nothing is on it, or it is behind a switch.")


def next_ask(pads: Sequence[Pad], fed_v: float) -> Ask | None:
    """What to read next: all pads to the shell, then all but ground in the diode range, then volts with the likeliest supply fed.

    Parameters
    ----------
    pads : sequence of Pad
        In the order in which they lie.
    fed_v : float
        The least volts that such a board may run on, which the supply is set to. [V]

    Returns
    -------
    Ask or None
        None where all that can be read was.
    """
    if (pad := next((p for p in pads if p.shell_ohm is None), None)) is not None:
        return Ask(
            pad.name, "shell_ohm", "ohms, lowest range", pad.name, "a shell, a mounting hole", "Nothing is joined to the board."
        )
    ground = next((p for p in pads if guess(p).role == "ground"), None)
    if ground is None:
        return None
    rest = [p for p in pads if guess(p).role != "ground"]
    if (pad := next((p for p in rest if p.diode_v is None), None)) is not None:
        return Ask(pad.name, "diode_v", "diode", ground.name, pad.name, "Red on ground: the board's own junctions are read so.")
    supply = likeliest_supply(pads)
    if supply is None or (pad := next((p for p in rest if p.volts is None and p is not supply), None)) is None:
        return None
    held = (
        f"Feed {supply.name} with {fed_v:.2f} V held to {LIMIT_A:g} A. If it runs into that limit, off at once: it is not that pad."
    )
    return Ask(pad.name, "volts", "volts DC, 20 V range", pad.name, ground.name, held)


def likeliest_supply(pads: Sequence[Pad]) -> Pad | None:
    """The pad to feed first: of those that look like a rail, the one with the lowest reading of the diode range.

    Parameters
    ----------
    pads : sequence of Pad
        With their readings.

    Returns
    -------
    Pad or None
        None where no pad looks like one.
    """
    rails = [p for p in pads if p.diode_v is not None and guess(Pad(p.name, p.shell_ohm, p.diode_v)).role == "supply"]
    return min(rails, key=lambda p: p.diode_v or 0.0, default=None)
