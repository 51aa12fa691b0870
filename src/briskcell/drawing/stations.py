"""What the stations are called, and which kinds of parts the map picks out beside each."""

from __future__ import annotations

from briskcell.model.parts import Converter, Link, Load, Part, Rail
from briskcell.model.stores import Bank, Capacitor, Pack

TITLES = {
    "brief": "Brief",
    "draw": "Draw",
    "rails": "Rails",
    "pack": "Pack",
    "charge": "Charge",
    "day": "Day",
    "wiring": "Wiring",
    "heat": "Heat",
    "room": "Room",
    "bench": "Bench",
    "log": "Log",
}
STORES: tuple[type[Part], ...] = (Pack, Capacitor, Bank)
OWN: dict[str, tuple[type[Part], ...]] = {
    "draw": (Load,),
    "rails": (Converter, Rail, Load),
    "pack": STORES,
    "charge": STORES,
    "day": STORES,
    "wiring": (Link,),
    "heat": (Converter, Load, Pack),
    "bench": (Pack, Converter, Load),
}
