"""Builds as an engineer would judge them by looking: what is careless and why, and what is sound.

A step is one a builder takes on the pages: ``swap part class``, ``set path value``, ``add class before|behind part``, ``out part``,
``join part field part``.
"""

from __future__ import annotations

from collections.abc import Callable

from briskcell.model.plan import Plan
from briskcell.services.demo import curlew, sanderling
from briskcell.services.edits.swap import swap
from briskcell.services.edits.values import set_value
from briskcell.services.parts.adding import add
from briskcell.services.parts.feeding import connect
from briskcell.services.parts.removing import remove

S, C = "Sanderling", "Curlew"
BASES: dict[str, Callable[[], Plan]] = {S: sanderling, C: curlew}


def step(plan: Plan, words: str) -> Plan:
    """One step of a builder."""
    what, rest = words.split(" ", 1)
    if what == "swap":
        return swap(plan, *rest.split(" ")).plan
    if what == "set":
        path, value = rest.split(" ", 1)
        return set_value(plan, path, value).plan
    if what == "add":
        key, *where = rest.split(" ")
        return add(plan, key, **dict([where]) if where else {}).plan
    if what == "out":
        return remove(plan, rest).plan
    return connect(plan, *rest.split(" ")).plan


def built(base: str, steps: str) -> Plan:
    """A build after all its steps, separated by semicolons."""
    plan = BASES[base]()
    for words in filter(None, (s.strip() for s in steps.split(";"))):
        plan = step(plan, words)
    return plan


# Base, steps, and why an engineer would say no.
CARELESS: tuple[tuple[str, str, str], ...] = (
    (S, "swap boost boost-5v-2a", "its switch carries 2 A; at 3.2 V in that is 1 A out, and the board peaks past it"),
    (S, "swap boost boost-5v-1a", "half of what play and a loud scene ask together"),
    (S, "swap boost combined-5v-1", "advertised amps are those of its switch"),
    (S, "set packs/pack/parallel 1", "half the hours that are wished"),
    (S, "swap pack cell-18650-wrap", "a capacity that no test confirms, counted as if it were there"),
    (S, "set packs/pack/cell/label_ah 9.9 Ah", "no cell of that size holds so much"),
    (S, "set links/w-pack/awg 30", "the fuse lets past what the wire does not carry"),
    (S, "set links/w-screen/awg 34; set links/w-screen/length_m 60 cm; set loads/screen/window/low_v 5.0 V", "drop"),
    (S, "out fuse", "nothing opens on a short but the protection board"),
    (
        S,
        "join w-pack fed_by pack; join fuse fed_by w-pack; join switch fed_by fuse; set links/w-pack/length_m 70 cm",
        "a long lead that no fuse guards",
    ),
    (S, "swap fuse fuse-10", "ten amperes may flow for ever in wires for five"),
    (S, "swap fuse fuse-2", "opens in play on a low pack"),
    (S, "swap switch switch-slide-05", "a slide switch of half an ampere carries three"),
    (S, "add plug-125 before boost", "a plug of small pitch in the way of three amperes"),
    (S, "set packs/pack/protection/trip_a 2.5 A", "trips at every loud scene"),
    (S, "set packs/pack/protection/cutoff_cell_v 2.0 V", "drains the cells below what they stand"),
    (S, "swap pack alkaline-aa", "primary cells on a charger"),
    (S, "swap pack lfp-26650", "a board of 4.2 V on cells that end at 3.65 V"),
    (S, "swap charger charger-nimh-05", "made for other cells"),
    (S, "set packs/pack/series 2", "a board for one cell on two in series"),
    (C, "swap charger charger-2s-plain", "nothing balances the two in series"),
    (C, "out jack", "nothing cuts the console out while it charges"),
    (S, "set chargers/charger/layout on_cell", "the charger never sees its end"),
    (
        S,
        "set chargers/charger/current_a 6 A; set chargers/charger/limits_input sags",
        "more than the cells take, and the board gives",
    ),
    (S, "swap usb usb-05", "half an ampere does not fill ten ampere-hours in the time that is wished"),
    (S, "swap usb usb-05; set chargers/charger/limits_input not", "asks three amperes of a port of half of one"),
    (S, "set chargers/charger/socket reversible_bare", "a reversible outlet gives it nothing"),
    (S, "swap usb barrel-19v-3", "nineteen volts on a board of five"),
    (C, "swap barrel usb-12v-2", "nobody asks the source for its twelve volts"),
    (S, "set supplies/usb/cable_ohm 1.5 Ω", "the cable eats what should charge"),
    (S, "add fuse-1 before charger", "a fuse of one ampere before a board that takes three"),
    (S, "set shutdown/warning_v 2.6 V", "the warning comes when nothing is left for a shutdown"),
    (S, "set shutdown/warning_v 3.7 V", "ends play with half the pack unused, and short of what is wished"),
    (S, "set converters/boost/lockout_v 3.6 V", "locks out while half is left"),
    (S, "swap switch switch-soft-5; set links/switch/acts/cuts_after_s 3 s", "cuts the card's power before it is shut down"),
    (S, "set loads/board/jack/bypassed true", "fed behind its fuse and its guard"),
    (S, "set loads/radio/window/high_v 3.1 V; set loads/radio/window/absolute_max_v 3.2 V", "gets more than destroys it"),
    (S, "add screen-70-12v behind rail-5", "a screen for twelve volts on five"),
    (S, "set loads/radio/logic_v 3.3 V; set loads/controls/logic_v 5 V; join radio driven_by controls", "five volts into three"),
    (S, "set brief/room_c 50 °C", "a room in which neither hands nor cells stand it"),
    (S, "set brief/charge_c -5 °C", "charged below freezing"),
    (S, "set brief/cells_c -25 °C", "used below what the cells stand"),
    (C, "set case/vents false; set case/fan false", "nine watts in a closed box"),
    (S, "set case/length_mm 80; set case/width_mm 50", "too small a skin, and nothing fits"),
    (S, "set bay/depth_mm 12 mm", "the cells are thicker than their bay"),
    (S, "set packs/pack/cell/health 50 %", "cells of half health"),
    (S, "set packs/pack/cell/max_discharge_a 1.2 A", "cells that give less than a peak takes"),
    (S, "set chargers/charger/off_current_a 15 mA", "empty on the shelf in a month"),
    (S, "add crank-12v", "a crank that nothing ends"),
    (S, "add bank-5; add light behind bank-5", "a bank that switches itself off at so small a load"),
    (S, "add capacitor-10-5v4; set capacitors/capacitor-10-5v4/full_v 5.4 V", "a capacitor at its rating"),
    (S, "add usb-1; add charger-lin-05; join charger-lin-05 supply usb-1", "two charge ports: one is always forgotten"),
    (S, "add lamp-low-33; set loads/lamp-low-33/lamp/hidden true", "a lamp that the case hides"),
    (
        S,
        "add boost-5v-3a behind fuse; join rail-5 also reg-boost-5v-3a; set converters/reg-boost-5v-3a/blocks_back false",
        "one board drives the other backwards",
    ),
    (S, "swap boost buck-5v-3a", "a buck makes no five volts of one cell"),
    (C, "set links/switch/rating_v 5 V", "an arc may stand in the switch"),
    (C, "set links/w-fan/awg 34; set links/w-fan/insulation_c 80 °C", "the buck holds its limit through a short of so thin a wire"),
    (S, "set loads/board/measures_battery true; set loads/board/window/low_v 2.7 V", "its gauge sees a regulated rail"),
    (S, "set brief/hours 20 h", "twice the hours that the pack holds"),
    (S, "set brief/thickness_mm 20 mm", "thinner than its case"),
    (S, "set brief/budget 40", "half of what the parts cost"),
    (C, "set packs/pack/cell/weakest_ah 3 Ah", "the weakest in series ends play for both"),
)
# Of these he would say that they are close: he would ask, and might let it pass.
ASKED = {
    "swap fuse fuse-10",
    "out jack",
    "set chargers/charger/current_a 6 A; set chargers/charger/limits_input sags",
    "set loads/board/jack/bypassed true",
    "add crank-12v",
    "add lamp-low-33; set loads/lamp-low-33/lamp/hidden true",
    "set packs/pack/cell/weakest_ah 3 Ah",
}
# Base and steps, that an engineer would build as they are.
SOUND: tuple[tuple[str, str], ...] = (
    (S, ""),
    (C, ""),
    (S, "set brief/hours 6 h"),
    (S, "swap boost boost-5v-8a"),
    (S, "set packs/pack/parallel 1; set brief/hours 4 h; set brief/charge_hours 5 h"),
    (S, "set links/w-pack/awg 18"),
    (S, "swap screen screen-35"),
    (S, "swap screen screen-28"),
    (S, "out radio"),
    (S, "swap sound amp-headphone"),
    (S, "swap board board-small1"),
    (S, "swap board board-low"),
    (S, "set brief/room_c 18 °C"),
    (S, "set brief/room_c 30 °C"),
    (S, "set brief/charge_c 12 °C"),
    (S, "set brief/cells_c 10 °C; set brief/hours 7 h"),
    (S, "set case/material wood"),
    (S, "set case/vents false"),
    (S, "set brief/held false"),
    (S, "set loads/screen/settings/0/position 40 %"),
    (S, "swap usb usb-2"),
    (S, "swap charger charger-sw-2"),
    (S, "set chargers/charger/current_a 1.2 A; set brief/charge_hours 10 h"),
    (S, "swap switch switch-toggle-10"),
    (S, "swap switch switch-soft-5"),
    (S, "set shutdown/warning_v 3.3 V"),
    (S, "add lamp-low-33"),
    (S, "set links/w-board/awg 20"),
    (S, "add clock behind pack"),
    (S, "swap pack cell-21700-p40; set brief/hours 6 h"),
    (S, "swap pack cell-18650-e35; set packs/pack/parallel 2; set brief/hours 5 h"),
    (S, "set brief/play_while_charging false"),
    (S, "swap controls controls-wireless"),
    (C, "set brief/hours 6 h"),
    (C, "set packs/pack/parallel 1; set brief/hours 2.5 h"),
    (C, "swap screen screen-50"),
    (C, "swap board board-old4"),
    (C, "set brief/room_c 22 °C"),
    (C, "set links/w-pack/awg 16"),
    (C, "out radio"),
    (C, "set chargers/charger/balance_a 80 mA"),
)
