"""The demo builds: a seaside workshop that builds handhelds for ferry crossings and a harbour museum. All made up."""

from __future__ import annotations

from functools import cache

from briskcell.core.assess import Assessment
from briskcell.library import catalogue
from briskcell.model.changes import remade
from briskcell.model.figure import Figure
from briskcell.model.parts import Rail, Window
from briskcell.model.plan import Day, Plan, Stretch

from .assembly import cell_of, load_with_wire, pack_of, plan_from, take, wire, with_warning
from .room.layout import arrange


def _sanderling() -> Plan:
    return with_warning(
        plan_from(
            "Sanderling",
            "Lent out on the morning ferry. One cell voltage in parallel, boosted, with a power path.",
            [
                take("usb-3", id="usb"),
                take("charger-sw-15", id="charger", charges="pack", supply="usb"),
                pack_of("pack", "Pack", cell_of("cell-21700-e50"), 1, 2, cutoff=2.8),
                take("fuse-5", id="fuse", fed_by="pack"),
                wire("w-pack", "Wire from the pack", "fuse", 20, 0.09),
                take("switch-toggle-6", id="switch", fed_by="w-pack"),
                take("boost-5v-5a", id="boost", fed_by="switch"),
                Rail(id="rail-5", name="5 V rail", fed_by="boost"),
                *load_with_wire("board-small4", "board", "rail-5", 22, 0.08),
                *load_with_wire("screen-43", "screen", "rail-5", 24, 0.14),
                *load_with_wire("amp-3w", "sound", "rail-5", 24, 0.12),
                *load_with_wire("controls-wired", "controls", "rail-5", 24, 0.22),
                *load_with_wire("light", "light", "rail-5", 24, 0.1),
                take("linear-33-025", id="linear", fed_by="rail-5"),
                Rail(id="rail-33", name="3.3 V rail", fed_by="linear"),
                *load_with_wire("radio-bt", "radio", "rail-33", 28, 0.05),
            ],
            brief={"hours": 8.0, "charge_hours": 8.0, "thickness_mm": 30.0, "room_c": 24.0, "mass_g": 400, "budget": 120},
            shutdown={"soft": True},
            case={"length_mm": 170, "width_mm": 90, "depth_mm": 30, "covered": 0.3, "vents": True, "mass_g": 350},
            bay={
                "length_mm": 86,
                "width_mm": 72,
                "depth_mm": 24,
                "keep_outs": [{"length_mm": 86, "width_mm": 3, "depth_mm": 24, "x_mm": 0, "y_mm": 69, "z_mm": 0}],
            },
        )
    )


def _oystercatcher() -> Plan:
    flickers = Window(low_v=4.75, high_v=5.5, absolute_max_v=6.0, source="flickers below this, seen at the bench")
    sagging = Figure(low=4.85, likely=4.9, high=4.95, grade="measured", source="meter at the board, one afternoon")
    return plan_from(
        "Oystercatcher",
        "First try for the harbour museum: one charge-and-boost board, cells from a drawer, thin wire throughout.",
        [
            take("usb-09", id="usb"),
            take("combined-5v-1-charge", id="charger", charges="pack", supply="usb", half_of="boost"),
            pack_of("pack", "Pack", cell_of("cell-18650-wrap"), 1, 2, cutoff=2.5),
            wire("w-pack", "Wire from the pack", "pack", 26, 0.15),
            take("switch-slide-2", id="switch", fed_by="w-pack"),
            take("combined-5v-1", id="boost", fed_by="switch", output_v=sagging),
            Rail(id="rail-5", name="5 V rail", fed_by="boost"),
            *load_with_wire("board-small4", "board", "rail-5", 26, 0.14),
            *load_with_wire("screen-50", "screen", "rail-5", 30, 0.4, window=flickers),
            *load_with_wire("amp-headphone", "sound", "rail-5", 28, 0.2),
            *load_with_wire("controls-wireless", "controls", "rail-5", 30, 0.25),
            *load_with_wire("lamp-strip", "lamps", "rail-5", 30, 0.3),
        ],
        brief={"hours": 3.0, "charge_hours": 4.0, "thickness_mm": 28.0, "room_c": 32.0, "budget": 95},
        bay={"length_mm": 76, "width_mm": 36, "depth_mm": 22},
    )


def _curlew() -> Plan:
    return with_warning(
        plan_from(
            "Curlew",
            "For the museum's long gallery. Two in series, bucked down, balanced while it charges behind a cut-out jack.",
            [
                take("barrel-12v-2", id="barrel"),
                take("charger-2s-1", id="charger", charges="pack", supply="barrel"),
                pack_of("pack", "Pack", cell_of("cell-21700-e50"), 2, 2, cutoff=2.8),
                take("fuse-5", id="fuse", fed_by="pack"),
                wire("w-pack", "Wire from the pack", "fuse", 18, 0.12),
                take("plug-power-10", id="plug", fed_by="w-pack"),
                take("switch-soft-5", id="switch", fed_by="plug"),
                take("jack-dc-5", id="jack", fed_by="switch"),
                take("buck-5v-5a", id="buck", fed_by="jack"),
                Rail(id="rail-5", name="5 V rail", fed_by="buck"),
                *load_with_wire("board-full", "board", "rail-5", 20, 0.07),
                *load_with_wire("screen-70", "screen", "rail-5", 22, 0.12),
                *load_with_wire("amp-3w", "sound", "rail-5", 22, 0.15),
                *load_with_wire("radio-wifi-usb", "radio", "rail-5", 22, 0.1),
                *load_with_wire("controls-wired", "controls", "rail-5", 22, 0.25),
                *load_with_wire("fan-30", "fan", "rail-5", 22, 0.1),
                take("fuse-1", id="fuse-low", fed_by="switch"),
                *load_with_wire("lamp-low-70", "low", "fuse-low", 28, 0.1),
            ],
            brief={"hours": 3.0, "charge_hours": 11.0, "thickness_mm": 36.0, "room_c": 28.0, "play_while_charging": False},
            profile={"rest": 0.1, "play": 0.82, "peak": 0.08},
            case={"length_mm": 215, "width_mm": 120, "depth_mm": 36, "vents": True, "fan": True, "mass_g": 720},
            bay={"length_mm": 90, "width_mm": 96, "depth_mm": 26, "holder_mm": 2.0},
        )
    )


CROSSING = Day(
    name="The morning crossing",
    begins_h=8.5,
    stretches=(
        Stretch(what="boot", minutes=1),
        Stretch(what="play", minutes=119),
        Stretch(what="off", minutes=60),
        Stretch(what="play", minutes=60, plug="own"),
        Stretch(what="play", minutes=90),
    ),
)


@cache
def sanderling() -> Plan:
    """Sound: two round cells in parallel, a power path, a boost with spare."""
    return remade(_laid(_sanderling()), {"days": (CROSSING,)})


@cache
def oystercatcher() -> Plan:
    """Fails in instructive ways: a combined board, thin wires, a wrapper's promise, a slow linear charger."""
    return _laid(_oystercatcher())


@cache
def curlew() -> Plan:
    """Two cells in series with a buck: a full-size board, a fan, and a cut-out jack."""
    return _laid(_curlew())


def _laid(plan: Plan) -> Plan:
    """A build with its parts laid in the case, as far as the greedy search finds room."""
    return arrange(Assessment(plan, catalogue().stock())).plan


def demo_plans() -> tuple[Plan, ...]:
    """All demo builds, in the order they are shown."""
    return sanderling(), oystercatcher(), curlew()
