"""A broken build for each rule: what the rule must catch, and its fix must mend; and how the pages reach it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache

from briskcell.core.assess import Assessment, assess
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.parts import Link
from briskcell.model.plan import Day, Plan, Stretch
from briskcell.services.demo import curlew, sanderling
from briskcell.services.edits.swap import swapped
from briskcell.services.edits.values import set_value
from briskcell.services.parts.adding import add as add_part
from briskcell.services.parts.feeding import rise

CURLEW, SANDERLING = 1, 3  # as the demo shelf numbers them
Step = tuple[str, dict[str, str]]


def weak_boost() -> Plan:
    return replaced(sanderling(), catalogue().part("boost-5v-2a", id="boost", fed_by="switch"))


def thin_wire_to_a_picky_screen() -> Plan:
    plan = sanderling()
    screen = plan.by_id["screen"]
    picky = altered(screen, window={"low_v": 5.0, "high_v": 5.5})
    return replaced(replaced(plan, picky), altered(plan.by_id["w-screen"], awg=34.0, length_m=0.3))


def long_wish() -> Plan:
    plan = sanderling()
    return remade(plan, {"brief": plan.brief.model_copy(update={"hours": 12.0, "charge_hours": 14.0})})


def doubtful_wish() -> Plan:
    plan = sanderling()
    return remade(plan, {"brief": plan.brief.model_copy(update={"hours": 9.5, "charge_hours": 14.0})})


def early_lock_out() -> Plan:
    plan = sanderling()
    brief = plan.brief.model_copy(update={"hours": 2.0})
    return replaced(remade(plan, {"brief": brief}), altered(plan.by_id["boost"], lockout_v=3.6))


def slow_charger() -> Plan:
    plan = sanderling()
    brief = plan.brief.model_copy(update={"charge_hours": 6.0})
    slow = altered(plan.chargers[0], current_a=0.6)
    return replaced(remade(plan, {"brief": brief}), slow)


def tired_cell() -> Plan:
    plan = sanderling()
    pack = plan.packs[0]
    return replaced(plan, altered(pack, cell=pack.cell.model_copy(update={"max_discharge_a": pack.cell.max_discharge_a.at(1.5)})))


def two_boosts_in_a_row() -> Plan:
    plan = sanderling()
    second = catalogue().part("boost-9v-3a", id="boost-9", fed_by="boost", lockout_v=2.4)
    panel = catalogue().part("screen-70-12v", id="panel", fed_by="boost-9")
    return remade(plan, {"converters": (*plan.converters, second), "loads": (*plan.loads, panel)})


def boost_on_two_in_series() -> Plan:
    return replaced(sanderling(), altered(sanderling().packs[0], series=2))


def loud_driver() -> Plan:
    plan = sanderling()
    radio = altered(plan.by_id["radio"], logic_v=3.3, driven_by="controls")
    return replaced(replaced(plan, radio), altered(plan.by_id["controls"], logic_v=5.0))


def greedy_start() -> Plan:
    plan = sanderling()
    return replaced(plan, altered(plan.by_id["screen"], inrush={"capacitance_f": 470e-6, "peak_a": 4.0}))


def gauge_behind_a_boost() -> Plan:
    plan = sanderling()
    board = altered(plan.by_id["board"], measures_battery=True, window={"low_v": 2.7, "high_v": 5.5})
    return replaced(plan, board)


def printed_dream() -> Plan:
    plan = sanderling()
    cell = plan.packs[0].cell
    return replaced(plan, altered(plan.packs[0], cell=cell.model_copy(update={"label_ah": cell.label_ah.at(9.9)})))


def strings_apart() -> Plan:
    plan = sanderling()
    cell = plan.packs[0].cell
    return replaced(plan, altered(plan.packs[0], strings=({"cell": cell, "ocv_v": 4.1}, {"cell": cell, "ocv_v": 3.7})))


def eager_capacitor() -> Plan:
    cap = {"id": "cap", "name": "Supercapacitor", "capacitance_f": 10, "esr_ohm": 0.05, "full_v": 2.69, "rating_v": 2.7}
    return remade(sanderling(), {"capacitors": (cap,)})


def shy_bank() -> Plan:
    bank = {
        "id": "bank",
        "name": "Power bank",
        "cells_wh": 37,
        "efficiency": 0.85,
        "output_v": 5.0,
        "output_limit_a": 2.4,
        "least_load_a": 0.001,
        "output_while_charging": False,
    }
    light = catalogue().part("light", id="lamp-2", fed_by="bank")
    plan = sanderling()
    return remade(plan, {"banks": (bank,), "loads": (*plan.loads, light)})


def two_ports() -> Plan:
    plan = sanderling()
    port = catalogue().part("usb-15", id="usb-2")
    second = catalogue().part("charger-lin-05", id="charger-2", charges="pack", supply="usb-2")
    return remade(plan, {"supplies": (*plan.supplies, port), "chargers": (*plan.chargers, second)})


def late_warning() -> Plan:
    plan = sanderling()
    return remade(plan, {"shutdown": plan.shutdown.model_copy(update={"warning_v": 2.6})})


def hasty_switch() -> Plan:
    plan = curlew()
    switch = next(k for k in plan.links if k.acts)
    assert switch.acts is not None
    return replaced(plan, altered(switch, acts=altered(switch.acts, cuts_after_s=10.0)))


def straight_to_the_pins() -> Plan:
    plan = sanderling()
    board = next(p for p in plan.loads if p.jack)
    assert board.jack is not None
    return replaced(plan, altered(board, jack=altered(board.jack, bypassed=True)))


def stacked_in_one_place() -> Plan:
    plan = sanderling()
    screen, board = (next(p for p in plan.placed if p.part == part) for part in ("screen", "board"))
    moved = board.model_copy(update={"x_mm": screen.x_mm + 5.0, "y_mm": screen.y_mm + 5.0, "z_mm": screen.z_mm})
    return remade(plan, {"placed": tuple(moved if p is board else p for p in plan.placed)})


def long_day() -> Plan:
    stretches = (
        Stretch(what="play", minutes=360),
        Stretch(what="off", minutes=120, plug="usb-05"),
        Stretch(what="play", minutes=360),
    )
    return remade(sanderling(), {"days": (Day(name="A long day", stretches=stretches),)})


def unseen_lamp() -> Plan:
    plan = curlew()
    low = next(p for p in plan.loads if p.lamp)
    assert low.lamp is not None
    return replaced(plan, altered(low, lamp=altered(low.lamp, lights_below_v=low.lamp.lights_below_v.at(5.5))))


def sipping_board() -> Plan:
    plan = sanderling()
    sips = altered(plan.by_id["charger"], off_current_a=0.012)
    return replaced(plan, sips)


def long_haul() -> Plan:
    plan = sanderling()
    return replaced(plan, altered(plan.packs[0], parallel=6))


def console_on_the_cell() -> Plan:
    plan = sanderling()
    brief = plan.brief.model_copy(update={"play_while_charging": False})
    return swapped(remade(plan, {"brief": brief}), "charger", "charger-lin-1-cell")[0]


def switch_before_the_fuse() -> Plan:
    return rise(rise(sanderling(), "switch").plan, "switch").plan


def plus_on_minus() -> Plan:
    return set_value(sanderling(), "converters/boost/terminals/0/polarity", "-").plan


def fed_before_the_jack() -> Plan:
    return add_part(add_part(curlew(), "buck-5v-1a", behind="switch").plan, "screen-35", behind="rail").plan


def fed_at_its_pins() -> Plan:
    plan = straight_to_the_pins()
    return replaced(plan, altered(plan.by_id["boost"], blocks_back=None))


def output_left_free() -> Plan:
    return replaced(sanderling(), altered(sanderling().chargers[0], layout="on_cell"))


def charged_by_a_switch() -> Plan:
    return swapped(sanderling(), "boost", "combined-5v-3-path")[0]


def unbalanced_series() -> Plan:
    plan = curlew()
    return replaced(plan, altered(plan.chargers[0], balancing=False))


def one_tired_in_series() -> Plan:
    plan = curlew()
    tired = plan.packs[0].cell.capacity_ah.at(
        0.85 * plan.packs[0].cell.capacity_ah.likely, grade="measured", source="one cell alone"
    )
    return replaced(plan, altered(plan.packs[0], cell=plan.packs[0].cell.model_copy(update={"weakest_ah": tired})))


def sweltering_quay() -> Plan:
    plan = sanderling()
    return remade(plan, {"brief": plan.brief.model_copy(update={"room_c": 40.0, "charge_c": 40.0, "hours": 5.0})})


def primary_on_a_charger() -> Plan:
    plan = sanderling()
    return replaced(plan, altered(plan.packs[0], cell=plan.packs[0].cell.model_copy(update={"rechargeable": False})))


def bare_pack() -> Plan:
    plan = sanderling()
    links = tuple(altered(k, kind="plug", name="Plug") if k.id == "fuse" else k for k in plan.links)
    return remade(plan, {"links": links})


def small_fuse() -> Plan:
    return replaced(sanderling(), catalogue().part("fuse-3", id="fuse", fed_by="pack"))


def hair_wire() -> Plan:
    plan = sanderling()
    return replaced(plan, altered(plan.by_id["w-pack"], awg=36.0, strands_in_bundle=12, insulation_c=50.0, length_m=0.03))


def far_fuse() -> Plan:
    plan = rise(sanderling(), "w-pack").plan
    return replaced(plan, altered(plan.by_id["w-pack"], length_m=0.6))


def low_volts_switch() -> Plan:
    return replaced(curlew(), altered(curlew().by_id["switch"], rating_v=5.0))


def outdoors() -> Plan:
    plan = sanderling()
    return remade(plan, {"brief": plan.brief.model_copy(update={"charge_c": -4.0})})


def arctic() -> Plan:
    plan = sanderling()
    return remade(plan, {"brief": plan.brief.model_copy(update={"cells_c": -25.0, "charge_c": 20.0, "hours": 2.0})})


def salvaged() -> Plan:
    plan = sanderling()
    pack = plan.packs[0]
    return replaced(plan, altered(pack, cell=pack.cell.model_copy(update={"health": 0.5})))


def coiled_wire() -> Plan:
    return replaced(sanderling(), altered(sanderling().by_id["w-controls"], run_m=0.08))


def closed_box() -> Plan:
    plan = curlew()
    return remade(plan, {"case": plan.case.model_copy(update={"vents": False, "fan": False})})


def hot_board() -> Plan:
    plan = curlew()
    hot = altered(plan.by_id["buck"], thermal_k_per_w=140.0, junction_max_c=84.0)
    return remade(replaced(plan, hot), {"case": plan.case.model_copy(update={"vents": True, "fan": False, "covered": 0.35})})


def tight_bay() -> Plan:
    bay = {"length_mm": 82, "width_mm": 30, "depth_mm": 24}
    return remade(sanderling(), {"bay": bay, "brief": sanderling().brief.model_copy(update={"hours": 4.0})})


def chattering_boost() -> Plan:
    plan = sanderling()
    pack = plan.packs[0]
    tired = altered(pack, cell=pack.cell.model_copy(update={"resistance_ohm": pack.cell.resistance_ohm.at(0.12)}))
    return replaced(replaced(plan, tired), altered(plan.by_id["boost"], lockout_v=3.2))


def loud_scene() -> Plan:
    return replaced(sanderling(), catalogue().part("boost-5v-2a", id="boost", fed_by="switch"))


def optimist() -> Plan:
    plan = sanderling()
    return replaced(plan, altered(plan.chargers[0], current_a=3.0))


def one_cell_board_on_two() -> Plan:
    plan = curlew()
    return replaced(plan, catalogue().part("charger-sw-2", id="charger", charges="pack", supply="barrel"))


def nameless_jack() -> Plan:
    plan = curlew()
    links = tuple(k for k in plan.links if k.id != "jack")
    return remade(replaced(plan, altered(plan.by_id["buck"], fed_by="switch")), {"links": links})


def unlike_strings() -> Plan:
    plan = sanderling()
    strings = [{"cell": catalogue().find(key).part} for key in ("cell-21700-e50", "lfp-26650")]
    return replaced(plan, altered(plan.packs[0], strings=strings))


def played_all_the_same() -> Plan:
    brief = sanderling().brief.model_copy(update={"play_while_charging": False, "room_c": 40.0, "charge_c": 30.0})
    return remade(sanderling(), {"brief": brief})


def endless_crank() -> Plan:
    crank = catalogue().part("crank-12v", id="crank", charges="pack")
    return remade(sanderling(), {"trickles": (crank,)})


def eager_panel() -> Plan:
    plan, pack = endless_crank(), sanderling().packs[0]
    return replaced(plan, altered(pack, cell=catalogue().find("pouch-p04").part, parallel=2))


def naked_cells() -> Plan:
    return replaced(sanderling(), altered(sanderling().packs[0], protection=None))


def hair_behind_a_buck() -> Plan:
    wire = curlew().by_id["w-fan"]
    assert isinstance(wire, Link)
    return replaced(curlew(), altered(wire, awg=32.0, insulation_c=80.0))


def fierce_supply() -> Plan:
    return replaced(sanderling(), catalogue().part("barrel-19v-3", id="usb"))


def no_charger() -> Plan:
    return remade(sanderling(), {"chargers": (), "supplies": ()})


def bare_socket() -> Plan:
    plan = sanderling()
    return replaced(plan, altered(plan.chargers[0], socket="reversible_bare"))


def unheld_board() -> Plan:
    plan = replaced(sanderling(), catalogue().part("usb-05", id="usb"))
    return replaced(plan, altered(plan.chargers[0], limits_input="not"))


def small_fuse_on_the_way_in() -> Plan:
    plan = sanderling()
    plan = remade(plan, {"links": (*plan.links, catalogue().part("fuse-1", id="fuse-in", fed_by="usb"))})
    return replaced(plan, altered(plan.chargers[0], fed_by="fuse-in"))


def two_grounds() -> Plan:
    plan = sanderling()
    bank = catalogue().part("bank-5", id="bank-5")
    lamp = catalogue().part("light", id="lamp", fed_by="bank-5", driven_by="controls")
    return remade(plan, {"banks": (bank,), "loads": (*plan.loads, lamp)})


def second_boost() -> Plan:
    plan = sanderling()
    second = catalogue().part("boost-5v-3a", id="second", fed_by="switch", blocks_back=False)
    plan = remade(plan, {"converters": (*plan.converters, second)})
    return replaced(plan, altered(plan.by_id["rail-5"], also=("second",)))


@dataclass(frozen=True, slots=True)
class Broken:
    """A rule's broken build: as a plan, and as the pages reach it, from which demo build and by which steps.

    A step is an address of the page and its form. What no change of the plan mends is done ``by_hand``: a level shifter, a
    sequence, a test, a meter or another part.
    """

    plan: Callable[[], Plan]
    build: int
    steps: list[Step]
    by_hand: bool = False


def edit(path: str, value: str) -> Step:
    return "edit", {"path": path, "value": value}


def add(key: str, **where: str) -> Step:
    return "add", {"part_class": key, **where}


def swap(part: str, key: str) -> Step:
    return "swap", {"part": part, "part_class": key}


def remove(part: str) -> Step:
    return "remove-part", {"part": part}


BROKEN: dict[str, Broken] = {
    "headroom": Broken(weak_boost, SANDERLING, [swap("boost", "boost-5v-2a")]),
    "load-window": Broken(thin_wire_to_a_picky_screen, SANDERLING, [edit("loads/screen/window/low_v", "5.09 V")]),
    "runtime-brief": Broken(long_wish, SANDERLING, [edit("brief/hours", "12 h")]),
    "runtime-range": Broken(doubtful_wish, SANDERLING, [edit("brief/hours", "9.5 h")]),
    "stranded": Broken(early_lock_out, SANDERLING, [edit("brief/hours", "2 h"), edit("converters/boost/lockout_v", "3.6 V")]),
    "charge-brief": Broken(slow_charger, SANDERLING, [edit("brief/charge_hours", "2 h")]),
    "cell-current": Broken(tired_cell, SANDERLING, [edit("packs/pack/cell/max_discharge_a", "1.5 A")]),
    "double-conversion": Broken(
        two_boosts_in_a_row, SANDERLING, [add("boost-9v-3a", behind="rail-5"), add("screen-70-12v", behind="rail")]
    ),
    "input-window": Broken(boost_on_two_in_series, SANDERLING, [edit("packs/pack/series", "2")]),
    "lock-out-chatter": Broken(
        chattering_boost,
        SANDERLING,
        [edit("packs/pack/cell/resistance_ohm", "120 mΩ"), edit("converters/boost/lockout_v", "3.2 V")],
    ),
    "logic-level": Broken(
        loud_driver,
        SANDERLING,
        [
            edit("loads/radio/logic_v", "3.3 V"),
            edit("loads/controls/logic_v", "5 V"),
            ("connect", {"part": "radio", "field": "driven_by", "to": "controls"}),
        ],
        by_hand=True,
    ),
    "inrush": Broken(
        greedy_start,
        SANDERLING,
        [
            ("inrush", {"part": "screen"}),
            edit("loads/screen/inrush/capacitance_f", "470 µF"),
            edit("loads/screen/inrush/peak_a", "4 A"),
        ],
        by_hand=True,
    ),
    "battery-measure": Broken(
        gauge_behind_a_boost, SANDERLING, [edit("loads/board/measures_battery", "true"), edit("loads/board/window/low_v", "2.7 V")]
    ),
    "proven-capacity": Broken(printed_dream, SANDERLING, [edit("packs/pack/cell/label_ah", "9.9 Ah")]),
    "equal-strings": Broken(
        strings_apart,
        SANDERLING,
        [
            ("string", {"part": "pack", "part_class": "cell-21700-e50"}),
            edit("packs/pack/strings/0/ocv_v", "4.1 V"),
            edit("packs/pack/strings/1/ocv_v", "3.7 V"),
        ],
        by_hand=True,
    ),
    "weakest-in-series": Broken(one_tired_in_series, CURLEW, [edit("packs/pack/cell/weakest_ah", "4 Ah")]),
    "capacitor-rating": Broken(
        eager_capacitor, SANDERLING, [add("capacitor-10-5v4"), edit("capacitors/capacitor-10-5v4/full_v", "5.3 V")]
    ),
    "bank-output": Broken(shy_bank, SANDERLING, [add("bank-5"), add("light", behind="bank-5")], by_hand=True),
    "one-of-each": Broken(
        two_ports,
        SANDERLING,
        [add("usb-1"), add("charger-lin-05"), ("connect", {"part": "charger-lin-05", "field": "supply", "to": "usb-1"})],
        by_hand=True,
    ),
    "shutdown-reserve": Broken(late_warning, SANDERLING, [edit("shutdown/warning_v", "2.6 V")]),
    "switched-off": Broken(
        hasty_switch, SANDERLING, [("pressed", {"part": "switch"}), edit("links/switch/acts/cuts_after_s", "10 s")]
    ),
    "lamps": Broken(unseen_lamp, SANDERLING, [add("lamp-low-33"), edit("loads/lamp-low-33/lamp/hidden", "true")]),
    "day": Broken(long_day, SANDERLING, [edit("days/0/stretches/1/minutes", "20 h")]),
    "room": Broken(stacked_in_one_place, SANDERLING, [("place", {"part": "board", "x": "-5 mm", "y": "0 mm"})]),
    "behind-the-jack": Broken(straight_to_the_pins, SANDERLING, [edit("loads/board/jack/bypassed", "true")]),
    "shelf-life": Broken(sipping_board, SANDERLING, [edit("chargers/charger/off_current_a", "12 mA")]),
    "carrier": Broken(long_haul, SANDERLING, [edit("packs/pack/parallel", "6")], by_hand=True),
    "load-on-charging-cell": Broken(console_on_the_cell, SANDERLING, [swap("charger", "charger-lin-1-cell")]),
    "system-output": Broken(output_left_free, SANDERLING, [edit("chargers/charger/layout", "on_cell")]),
    "cut-out-whole": Broken(fed_before_the_jack, CURLEW, [add("buck-5v-1a", behind="switch"), add("screen-35", behind="rail")]),
    "charge-behind-switch": Broken(charged_by_a_switch, SANDERLING, [swap("boost", "combined-5v-3-path")]),
    "series-balance": Broken(unbalanced_series, CURLEW, [edit("chargers/charger/balancing", "false")]),
    "charge-temperature": Broken(sweltering_quay, SANDERLING, [edit("brief/room_c", "40 °C")]),
    "played-on-the-charger": Broken(
        played_all_the_same, SANDERLING, [edit("brief/play_while_charging", "false"), edit("brief/room_c", "40 °C")]
    ),
    "only-rechargeable": Broken(primary_on_a_charger, SANDERLING, [edit("packs/pack/cell/rechargeable", "false")]),
    "fuse-at-the-store": Broken(bare_pack, SANDERLING, [remove("fuse")]),
    "joined": Broken(plus_on_minus, SANDERLING, [edit("converters/boost/terminals/0/polarity", "-")]),
    "own-socket": Broken(
        fed_at_its_pins,
        SANDERLING,
        [edit("loads/board/jack/bypassed", "true"), edit("converters/boost/blocks_back", "")],
    ),
    "fuse-first": Broken(switch_before_the_fuse, SANDERLING, [("rise", {"part": "switch"}), ("rise", {"part": "switch"})]),
    "fuse-choice": Broken(small_fuse, SANDERLING, [swap("fuse", "fuse-3")]),
    "wire-warmth": Broken(
        hair_wire,
        SANDERLING,
        [
            edit("links/w-pack/awg", "36"),
            edit("links/w-pack/strands_in_bundle", "12"),
            edit("links/w-pack/insulation_c", "50 °C"),
            edit("links/w-pack/length_m", "3 cm"),
        ],
    ),
    "trickle-current": Broken(eager_panel, SANDERLING, [add("hub-6v"), edit("packs/pack/cell/max_charge_a", "0.1 A")]),
    "trickle-end": Broken(endless_crank, SANDERLING, [add("crank-12v")]),
    "protected-cells": Broken(naked_cells, SANDERLING, [("protect", {"part": "pack"})]),
    "short-lasts": Broken(hair_behind_a_buck, CURLEW, [edit("links/w-fan/awg", "32"), edit("links/w-fan/insulation_c", "80 °C")]),
    "charge-room": Broken(outdoors, SANDERLING, [edit("brief/charge_c", "-4 °C")], by_hand=True),
    "use-room": Broken(arctic, SANDERLING, [edit("brief/cells_c", "-25 °C")], by_hand=True),
    "retired": Broken(salvaged, SANDERLING, [edit("packs/pack/cell/health", "50 %")]),
    "unfused-lead": Broken(far_fuse, SANDERLING, [("rise", {"part": "w-pack"}), edit("links/w-pack/length_m", "60 cm")]),
    "rated-volts": Broken(low_volts_switch, CURLEW, [edit("links/switch/rating_v", "5 V")]),
    "slack": Broken(coiled_wire, SANDERLING, [edit("links/w-controls/run_m", "8 cm")]),
    "case-heat": Broken(closed_box, CURLEW, [edit("case/vents", "false"), edit("case/fan", "false")]),
    "part-heat": Broken(
        hot_board,
        CURLEW,
        [
            edit("converters/buck/thermal_k_per_w", "140"),
            edit("converters/buck/junction_max_c", "84 °C"),
            edit("case/fan", "false"),
        ],
    ),
    "fits-the-bay": Broken(tight_bay, SANDERLING, [edit("bay/depth_mm", "12 mm")]),
    "resets": Broken(loud_scene, SANDERLING, [swap("boost", "boost-5v-2a")]),
    "as-its-class": Broken(optimist, SANDERLING, [edit("chargers/charger/current_a", "3 A")]),
    "charger-suits-cells": Broken(one_cell_board_on_two, CURLEW, [swap("charger", "charger-sw-2")]),
    "cut-out-contact": Broken(nameless_jack, CURLEW, [remove("jack")]),
    "like-strings": Broken(unlike_strings, SANDERLING, [("string", {"part": "pack", "part_class": "lfp-26650"})]),
    "charger-input": Broken(fierce_supply, SANDERLING, [swap("usb", "barrel-19v-3")]),
    "chargeable": Broken(no_charger, SANDERLING, [remove("charger")]),
    "socket-gives": Broken(bare_socket, SANDERLING, [edit("chargers/charger/socket", "reversible_bare")]),
    "input-limit": Broken(unheld_board, SANDERLING, [swap("usb", "usb-05"), edit("chargers/charger/limits_input", "not")]),
    "way-in": Broken(small_fuse_on_the_way_in, SANDERLING, [add("fuse-1", at="charger")]),
    "common-return": Broken(
        two_grounds,
        SANDERLING,
        [
            add("bank-5"),
            add("light", behind="bank-5"),
            ("connect", {"part": "light-2", "field": "driven_by", "to": "controls"}),
        ],
        by_hand=True,
    ),
    "sources-meet": Broken(
        second_boost,
        SANDERLING,
        [
            add("boost-5v-3a", behind="switch"),
            ("connect", {"part": "rail-5", "field": "also", "to": "reg-boost-5v-3a"}),
            edit("converters/reg-boost-5v-3a/blocks_back", "false"),
        ],
    ),
}
FAULTS = {name: broken.plan for name, broken in BROKEN.items()}


@cache
def judged(name: str) -> Assessment:
    """A broken build as it is judged: what one test had worked out of it, the next need not ask again."""
    return assess(FAULTS[name](), catalogue().stock())
