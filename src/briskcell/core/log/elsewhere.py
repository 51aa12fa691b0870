"""What makes a console fail that is no matter of its power: each with when it shows, and the test that tells it from the rest."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field


@dataclass(frozen=True, slots=True)
class Elsewhere:
    """A cause outside the power path.

    ``often`` is how often it is behind a complaint, ``shows`` how likely it is told in such words, ``also`` what goes with it, both
    guesses of ours; ``on`` limits it to parts whose class begins so.
    """

    kind: str
    words: str
    why: str
    test: str
    often: float
    shows: Mapping[str, float]
    also: Mapping[str, float] = field(default_factory=dict)
    on: str = ""


ELSEWHERE: tuple[Elsewhere, ...] = (
    Elsewhere(
        "throttle",
        "the board slows down when it is warm",
        "a chip that gets too warm slows itself down; picture and sound go on",
        "Let a fan blow on the open board, or read the clock it reports: if it is quick again, it is that.",
        0.25,
        {"slow": 0.85, "warm": 0.3, "loud": 0.05},
        {"warm": 0.7, "lit": 0.95},
    ),
    Elsewhere(
        "card",
        "the memory card, or a shutdown that came too soon",
        "a card that wears out or was cut off while it was written starts badly or hangs",
        "Start it from another card with a fresh image: if that starts each time, it is the card.",
        0.3,
        {"always": 0.4, "random": 0.15, "slow": 0.15},
        {"lit": 0.95},
    ),
    Elsewhere(
        "chip",
        "a chip's joint under the board, worn by a fall or by bending",
        "it fails when the board bends or warms, though its volts stand",
        "Read the volts at the board's own pads while you press at its corners: if it fails and they stand, it is that.",
        0.12,
        {"random": 0.4, "dropped": 0.6, "warm": 0.15},
        {"dropped": 0.7, "moved": 0.6, "lit": 0.6},
    ),
    Elsewhere(
        "ribbon",
        "a flat cable that sits askew, is creased, or has its contacts on the other side",
        "picture or buttons go, the rest plays on",
        "Take it out, look at its contacts, put it in square and lock it; then bend it gently while it runs.",
        0.25,
        {"random": 0.45, "dropped": 0.35, "always": 0.2},
        {"moved": 0.7, "dropped": 0.4, "lit": 0.9},
        on="screen",
    ),
    Elsewhere(
        "software",
        "the software: a setting, a driver, one game",
        "it fails in the same place each time, whatever the charge",
        "Play another game, or a fresh image, at the same brightness and volume: if that plays, it is the software.",
        0.2,
        {"always": 0.2, "loud": 0.12, "slow": 0.2, "random": 0.1},
        {"lit": 0.95, "same": 0.8},
    ),
)
OFTEN_ELSE = 0.15  # that it is nothing of all this
SHOWS_ELSE = 0.25  # how it shows then
