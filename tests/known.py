"""The known answers under tests/cases, written as plans."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
from scipy.optimize import brentq

from briskcell.core.pack.own_curve import own_curve, with_pulses
from briskcell.library.catalogue import chemistries, chemistry_fields
from briskcell.model.stores import Cell

CASES = Path(__file__).parent / "cases"


def case(name: str) -> dict[str, Any]:
    found: dict[str, Any] = json.loads((CASES / f"{name}.json").read_text())
    return found


def tree_plan(data: dict[str, Any]) -> dict[str, Any]:
    """A tree case as a plan document: a flat table is its cell, and its elements keep their names."""
    plan: dict[str, Any] = {"name": data["title"], "packs": [], "links": [], "converters": [], "loads": []}
    flat = {"soc": [0, 1], "value": [1, 1]}
    no_slow = {"soc": [0, 1], "value": [0, 0]}

    def table_cell(ocv_v: float, ohm: float, series: int) -> dict[str, Any]:
        volts = ocv_v / series
        return {
            "name": "table cell",
            "chemistry": "table",
            "label_ah": 3.0,
            "full_v": volts + 0.5,
            "empty_v": 2.0,
            "ocv": {"soc": [0, 1], "value": [volts, volts]},
            "resistance_ohm": ohm / series,
            "fast": flat,
            "slow": no_slow,
            "max_charge_a": 3,
            "max_discharge_a": 10,
        }

    def walk(node: dict[str, Any], fed_by: str | None) -> None:
        part: dict[str, Any] = {"id": node["name"], "name": node["name"], "fed_by": fed_by}
        if node["type"] == "pack":
            series, strings = node["cells_series"], node["strings"]
            cells = [table_cell(s["ocv_V"], s["resistance_ohm"], series) for s in strings]
            pack = {"id": node["name"], "name": node["name"], "cell": cells[0], "series": series}
            plan["packs"].append(pack | ({"strings": [{"cell": c} for c in cells]} if len(cells) > 1 else {}))
        elif node["type"] == "supply":
            plan["supplies"] = [
                {
                    "id": node["name"],
                    "name": node["name"],
                    "voltage_v": node["voltage_V"],
                    "cable_ohm": 0.0,
                    "own_resistance_ohm": node["resistance_ohm"],
                    "current_limit_a": 9,
                }
            ]
        elif node["type"] == "system_tap":
            # The power path's switch is the charge board's own; what it feeds hangs on the store.
            (switch,) = node["children"]
            plan["path_ohm"] = switch["resistance_ohm"]
            for child in switch["children"]:
                walk(child, "store")
            return
        elif node["type"] == "charger":
            plan["supplies"][0]["current_limit_a"] = node["source_current_limit_A"]
            cell = table_cell(node["cell_ocv_V"], node["cell_resistance_ohm"], 1)
            plan["packs"].append({"id": "store", "name": "store", "cell": cell})
            board = {
                "id": node["name"],
                "name": node["name"],
                "charges": "store",
                "supply": "adapter",
                "fed_by": fed_by,
                "layout": "power_path",
                "kind": node["kind"],
                "current_a": node["charge_current_setting_A"],
                "termination_a": 0.1,
                "path_resistance_ohm": plan.pop("path_ohm"),
            }
            plan["chargers"] = [board | ({"efficiency": node["efficiency"]} if "efficiency" in node else {})]
        elif node["type"] == "resistor":
            kind = {"connector_contact": "plug", "power_path_switch": "path"}.get(node["kind"], node["kind"])
            part |= {"kind": kind}
            if kind == "wire":
                part |= {"length_m": node["length_m"], "awg": node["awg"], "conductors": node["conductors"]}
            else:
                part |= {"resistance_ohm": node["resistance_ohm"]}
            plan["links"].append(part)
        elif node["type"] == "converter":
            part |= {
                "kind": node["kind"],
                "output_v": node["output_voltage_V"],
                "output_resistance_ohm": node["output_resistance_ohm"],
                "loss": {"kind": "fixed", "efficiency": node["efficiency"]},
            }
            plan["converters"].append(part)
        else:
            key, value = {
                "constant_power": ("power_w", "power_W"),
                "constant_current": ("current_a", "current_A"),
                "resistor": ("resistance_ohm", "resistance_ohm"),
            }[node["kind"]]
            part |= {key: dict.fromkeys(("rest", "play", "peak"), node[value]), "window": {"low_v": 0.5, "high_v": 50}}
            plan["loads"].append(part | ({"return_by": node["ground"]} if "ground" in node else {}))
        for child in node.get("children", []):
            walk(child, node["name"])

    walk(data["topology"], None)
    for back in data.get("ground_returns", []):
        plan["links"].append(
            {
                "id": back["node"],
                "name": back["node"],
                "kind": "return",
                "fed_by": plan["packs"][0]["id"],
                "length_m": back["length_m"],
                "awg": back["awg"],
            }
        )
    return plan


def reference_plan(power_w: float, *, corrected: bool = False) -> dict[str, Any]:
    """The reference cell's tables as a plan, with one constant-power load straight on it and a 1 A charger; the resistances with
    the fall of the open-circuit voltage in their pulses, or corrected for it."""
    data = case("cell-reference-21700")
    table, first = data["resistance"], data["resistance"]["soc"].index(0.5)
    ten, minute = (table[f"{r}_ocv_corrected_ohm" if corrected else f"{r}_ohm"] for r in ("r10", "r60"))
    unit = minute[first]
    slow = [(b - a) / unit for a, b in zip(ten, minute, strict=True)]
    run = data["charges"][0]
    cell = {
        "name": "reference cell",
        "chemistry": "nmc",
        "label_ah": data["capacity_Ah"],
        "full_v": 4.2,
        "empty_v": 3.0,
        "ocv": {"soc": data["ocv"]["soc"], "value": data["ocv"]["voltage_V"]},
        "resistance_ohm": unit,
        "fast": {"soc": table["soc"], "value": [a / unit for a in ten]},
        "ocv_corrected": corrected,
        "slow": {"soc": table["soc"], "value": slow},
        "max_charge_a": 3,
        "max_discharge_a": 10,
    }
    states = dict.fromkeys(("rest", "play", "peak"), power_w)
    return {
        "name": "reference",
        "profile": {"rest": 0, "play": 1, "peak": 0},
        "packs": [{"id": "pack", "name": "pack", "cell": cell}],
        "loads": [{"id": "load", "name": "load", "fed_by": "pack", "power_w": states, "window": {"low_v": 1, "high_v": 5}}],
        "supplies": [{"id": "supply", "name": "supply", "voltage_v": 9, "current_limit_a": 5, "cable_ohm": 0.0}],
        "chargers": [
            {
                "id": "charger",
                "name": "charger",
                "charges": "pack",
                "supply": "supply",
                "layout": "cut_out",
                "kind": "linear",
                "current_a": run["cc_current_A"],
                "termination_a": run["cutoff_current_A"],
            }
        ],
    }


def capacitor_plan(data: dict[str, Any]) -> dict[str, Any]:
    """The supercapacitor case as a plan."""
    cap, boost = data["topology"], data["topology"]["children"][0]
    states = dict.fromkeys(("rest", "play", "peak"), boost["children"][0]["power_W"])
    return {
        "name": data["title"],
        "profile": {"rest": 0, "play": 1, "peak": 0},
        "capacitors": [
            {
                "id": "cap",
                "name": "cap",
                "capacitance_f": cap["capacitance_F"],
                "esr_ohm": cap["esr_ohm"],
                "full_v": cap["initial_voltage_V"],
                "rating_v": 5.5,
            }
        ],
        "converters": [
            {
                "id": "boost",
                "name": "boost",
                "kind": "boost",
                "fed_by": "cap",
                "output_v": 5.0,
                "lockout_v": boost["minimum_input_voltage_V"],
                "loss": {"kind": "fixed", "efficiency": boost["efficiency"]},
            }
        ],
        "loads": [{"id": "board", "name": "board", "fed_by": "boost", "power_w": states, "window": {"low_v": 4, "high_v": 6}}],
    }


def flat_cell(
    volts: float = 3.7, ohm: float = 0.05, ah: float = 3.0, top_v: float | None = None, slow: float = 0.0, **figures: Any
) -> dict[str, Any]:
    """A cell whose answers can be worked by hand: volts that are flat, or rise in a straight line to ``top_v``; one resistance,
    ``slow`` of which is polarisation."""
    plain = {"soc": [0, 1], "value": [1 - slow, 1 - slow]}
    return {
        "name": "hand cell",
        "chemistry": "by hand",
        "label_ah": ah,
        "full_v": 4.2,
        "empty_v": 2.5,
        "max_charge_a": 3,
        "cold_b_k": 3000,
        "ocv": {"soc": [0, 1], "value": [volts, top_v or volts]},
        "resistance_ohm": ohm,
        "max_discharge_a": 10,
        "fast": plain,
        "slow": {"soc": [0, 1], "value": [slow, slow]},
        "diffusion_s": 0,
    } | figures


def drawing(figure: float, key: str = "current_a", **more: Any) -> dict[str, Any]:
    """A load that draws the same in all states, or rest, play and peak of its own."""
    states = dict.fromkeys(("rest", "play", "peak"), figure) | {k: more.pop(k) for k in ("rest", "play", "peak") if k in more}
    return {"id": "load", "name": "load", "fed_by": "pack", "window": {"low_v": 0.5, "high_v": 50}, key: states} | more


def hand_plan(**lists: Any) -> dict[str, Any]:
    """One cell and a load of 1 A right on it, played all the time, charged outside; any list may be replaced."""
    lists["brief"] = {"charged_outside": True} | lists.get("brief", {})
    return {
        "name": "by hand",
        "profile": {"rest": 0, "play": 1, "peak": 0},
        "packs": [{"id": "pack", "name": "Pack", "cell": flat_cell()}],
        "loads": [drawing(1.0)],
    } | lists


def measured_cell(name: str, *, typed_points: int | None = None) -> Cell:
    """A reference cell as a builder knows it: its label, its own slow discharge, and pulses read after ten seconds and a minute."""
    data = case(f"cell-reference-{name}")
    ah, volts = (data["slow_discharge"][k] for k in ("ah", "volts"))
    if typed_points:
        few = sorted({round(k * (len(ah) - 1) / (typed_points - 1)) for k in range(typed_points)})
        ah, volts = [ah[k] for k in few], [volts[k] for k in few]
    known = chemistry_fields(chemistries()["lco" if "lco" in name else "nmc"])
    bare = Cell.model_validate(
        known
        | {
            "name": name,
            "label_ah": data["label_Ah"],
            "resistance_ohm": 0.05,
            "full_v": data["voltage_max_V"],
            "empty_v": data["voltage_min_V"],
            "max_charge_a": 5,
            "max_discharge_a": 10,
        }
    )
    socs = sorted(data["pulse_ohm"], key=float)
    ten, minute = ([data["pulse_ohm"][s][k] for s in socs] for k in ("10_s", "60_s"))
    pulsed = with_pulses(bare, [float(s) for s in socs], ten, minute, "pulses of 10 s and 60 s")
    return own_curve(pulsed, ah, volts, data["slow_discharge"]["current_A"], "a slow discharge").cell


def closed_case(
    watts: float, *, own_w: float = 0.0, part_w: float = 0.0, room_c: float = 30.0, covered: float = 0.35, held: bool = True
) -> dict[str, float]:
    """Temperatures of the usual case of 160 × 85 × 30 mm, 0.0419 m², with one cell of no size in it: by hand, three places.

    Radiation and free convection take 5.8 + 1.9·ΔT^¼ W/m²K, hands of 34 °C 12 W/m²K of what they cover; the air rises over the
    skin as if two fifths of the film lay between; a watt of the hottest part lifts the skin over it by 1.6 K.
    """
    area, usual = 0.0419, 5.8 + 1.9 * 8.0**0.25
    hand = 12.0 * area * covered if held else 0.0

    def left(rise: float) -> float:
        film = (5.8 + 1.9 * max(rise, 1.0) ** 0.25) * area * (1.0 - covered)
        return float(film * rise + hand * (rise + room_c - 34.0) - watts)

    rise = float(brentq(left, -20.0, 400.0))
    out = (5.8 + 1.9 * max(rise, 1.0) ** 0.25) * area * (1.0 - covered)
    inner, film, wall = usual * area / 0.4, 9.0 * 0.65 * 0.004, 14.0 * 0.001 + 0.001
    matrix = np.array([[out + hand + inner + wall, -inner, -wall], [-inner, inner + film, -film], [-wall, -film, film + wall]])
    skin, air, cells = np.linalg.solve(matrix, [hand * (34.0 - room_c), watts - own_w, own_w])
    hot = skin * (1.0 + 1.6 * part_w / skin) if part_w else skin
    return {"mean": room_c + skin, "skin": room_c + hot, "air": room_c + air, "cells": room_c + cells}
