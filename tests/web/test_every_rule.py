"""Every rule is set off by what the pages offer: fields, choices, classes added, swapped, connected and removed."""

from __future__ import annotations

import re
from typing import Any

import pytest
from flask.testing import FlaskClient

from briskcell.core.rules.registry import RULES, SEVERITY
from briskcell.web.pages import PAGES
from tests.web.doors import post

CURLEW, SANDERLING = 1, 3
Step = tuple[str, dict[str, str]]


def edit(path: str, value: str) -> Step:
    return "edit", {"path": path, "value": value}


def add(key: str, **where: str) -> Step:
    return "add", {"part_class": key, **where}


def swap(part: str, key: str) -> Step:
    return "swap", {"part": part, "part_class": key}


def remove(part: str) -> Step:
    return "remove-part", {"part": part}


# By which build and steps each rule is reached. A step is an address of the page and its form.
REACHED: dict[str, tuple[int, list[Step]]] = {
    "headroom": (SANDERLING, [swap("boost", "boost-5v-2a")]),
    "load-window": (SANDERLING, [edit("loads/screen/window/low_v", "5.09 V")]),
    "input-window": (SANDERLING, [edit("packs/pack/series", "2")]),
    "double-conversion": (SANDERLING, [add("boost-9v-3a", behind="rail-5"), add("screen-70-12v", behind="rail")]),
    "lock-out-chatter": (SANDERLING, [edit("packs/pack/cell/resistance_ohm", "120 mΩ"), edit("converters/boost/lockout_v", "3.2 V")]),
    "logic-level": (SANDERLING, [edit("loads/radio/logic_v", "3.3 V"), edit("loads/controls/logic_v", "5 V"),
                                 ("connect", {"part": "radio", "field": "driven_by", "to": "controls"})]),
    "inrush": (SANDERLING, [("inrush", {"part": "screen"}), edit("loads/screen/inrush/capacitance_f", "470 µF"),
                            edit("loads/screen/inrush/peak_a", "4 A")]),
    "battery-measure": (SANDERLING, [edit("loads/board/measures_battery", "true"), edit("loads/board/window/low_v", "2.7 V")]),
    "behind-the-jack": (SANDERLING, [edit("loads/board/jack/bypassed", "true")]),
    "as-its-class": (SANDERLING, [edit("chargers/charger/current_a", "3 A")]),
    "resets": (SANDERLING, [swap("boost", "boost-5v-2a")]),
    "day": (SANDERLING, [edit("days/0/stretches/1/minutes", "20 h")]),
    "runtime-brief": (SANDERLING, [edit("brief/hours", "12 h")]),
    "runtime-range": (SANDERLING, [edit("brief/hours", "9.5 h")]),
    "cell-current": (SANDERLING, [edit("packs/pack/cell/max_discharge_a", "1.5 A")]),
    "proven-capacity": (SANDERLING, [edit("packs/pack/cell/label_ah", "9.9 Ah")]),
    "equal-strings": (SANDERLING, [("string", {"part": "pack", "part_class": "cell-21700-e50"}),
                                   edit("packs/pack/strings/0/ocv_v", "4.1 V"), edit("packs/pack/strings/1/ocv_v", "3.7 V")]),
    "weakest-in-series": (CURLEW, [edit("packs/pack/cell/weakest_ah", "4 Ah")]),
    "capacitor-rating": (SANDERLING, [add("capacitor-10-5v4"), edit("capacitors/capacitor-10-5v4/full_v", "5.3 V")]),
    "bank-output": (SANDERLING, [add("bank-5"), add("light", behind="bank-5")]),
    "one-of-each": (SANDERLING, [add("usb-1"), add("charger-lin-05"),
                                 ("connect", {"part": "charger-lin-05", "field": "supply", "to": "usb-1"})]),
    "shutdown-reserve": (SANDERLING, [edit("shutdown/warning_v", "2.6 V")]),
    "switched-off": (SANDERLING, [("pressed", {"part": "switch"}), edit("links/switch/acts/cuts_after_s", "10 s")]),
    "lamps": (SANDERLING, [add("lamp-low-33"), edit("loads/lamp-low-33/lamp/hidden", "true")]),
    "room": (SANDERLING, [("place", {"part": "board", "x": "-5 mm", "y": "0 mm"})]),
    "shelf-life": (SANDERLING, [edit("chargers/charger/off_current_a", "12 mA")]),
    "carrier": (SANDERLING, [edit("packs/pack/parallel", "6")]),
    "fits-the-bay": (SANDERLING, [edit("bay/depth_mm", "12 mm")]),
    "charge-brief": (SANDERLING, [edit("brief/charge_hours", "2 h")]),
    "charge-temperature": (SANDERLING, [edit("brief/cells_c", "-4 °C")]),
    "played-on-the-charger": (SANDERLING, [edit("brief/play_while_charging", "false"), edit("brief/room_c", "30 °C")]),
    "only-rechargeable": (SANDERLING, [edit("packs/pack/cell/rechargeable", "false")]),
    "load-on-charging-cell": (SANDERLING, [edit("chargers/charger/layout", "on_cell")]),
    "series-balance": (CURLEW, [edit("chargers/charger/balancing", "false")]),
    "charger-suits-cells": (CURLEW, [swap("charger", "charger-sw-2")]),
    "charger-input": (SANDERLING, [swap("usb", "usb-20v-3")]),
    "cut-out-contact": (CURLEW, [remove("jack")]),
    "like-strings": (SANDERLING, [("string", {"part": "pack", "part_class": "lfp-26650"})]),
    "fuse-at-the-store": (SANDERLING, [remove("fuse")]),
    "fuse-choice": (SANDERLING, [swap("fuse", "fuse-3")]),
    "wire-warmth": (SANDERLING, [edit("links/w-pack/awg", "36"), edit("links/w-pack/strands_in_bundle", "12"),
                                 edit("links/w-pack/insulation_c", "50 °C"), edit("links/w-pack/length_m", "3 cm")]),
    "trickle-current": (SANDERLING, [add("hub-6v"), edit("packs/pack/cell/max_charge_a", "0.1 A")]),
    "trickle-end": (SANDERLING, [add("crank-12v")]),
    "protected-cells": (SANDERLING, [("protect", {"part": "pack"})]),
    "short-lasts": (CURLEW, [edit("links/w-fan/awg", "28")]),
    "slack": (SANDERLING, [edit("links/w-controls/run_m", "8 cm")]),
    "case-heat": (CURLEW, [edit("case/vents", "false"), edit("case/fan", "false")]),
    "part-heat": (CURLEW, [edit("converters/buck/thermal_k_per_w", "140"), edit("converters/buck/junction_max_c", "84 °C"),
                           edit("case/fan", "false")]),
}  # fmt: skip


def test_the_table_names_every_rule() -> None:
    assert set(REACHED) == set(RULES)


@pytest.mark.parametrize("name", sorted(RULES))
def test_every_rule_says_where_pages_show_it_and_its_station_is_among_them(wired: Any, name: str) -> None:
    assert wired, "which fills the list of pages"
    places = {f"{station}/{section.name}" for station, page in PAGES.items() for section in page.sections}
    shown = RULES[name].shown
    assert set(shown) <= places, "a section that no page has"
    assert RULES[name].station in {place.partition("/")[0] for place in shown}


@pytest.mark.parametrize("rule", sorted(REACHED))
def test_every_rule_is_set_off_from_the_pages(client: FlaskClient, rule: str) -> None:
    build, steps = REACHED[rule]
    shop = client.application.extensions["briskcell"]
    before = {f.rule for f in shop.builds.open(build).assessed.findings}
    for path, form in steps:
        answer: Any = post(client, path, form, build=build)
        assert answer.status_code == 200, (path, form, answer.text[:300])
    after = shop.builds.open(build).assessed.findings
    assert rule in {f.rule for f in after} - before
    worst = min((f.state for f in after if f.rule == rule), key=SEVERITY.__getitem__)
    for station, _, section in (place.partition("/") for place in RULES[rule].shown):
        index = client.get(f"/builds/{build}/{station}").text
        words = re.search(rf'href="#(?:h-)?{section}"[^>]*>.*?</a>', index, re.DOTALL)
        assert words is not None, (station, section)
        said = next((w for w in SEVERITY if w in words[0]), "holds")
        assert SEVERITY.get(said, 9) <= SEVERITY[worst], (station, section, words[0])
