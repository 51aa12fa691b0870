"""The known answers under tests/cases, written as plans."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

CASES = Path(__file__).parent / "cases"


def case(name: str) -> dict[str, Any]:
    return json.loads((CASES / f"{name}.json").read_text())


def tree_plan(data: dict[str, Any]) -> dict[str, Any]:
    """A tree case as a plan document: a flat table is its cell, and its elements keep their names."""
    plan: dict[str, Any] = {"name": data["title"], "packs": [], "links": [], "converters": [], "loads": []}
    flat = {"soc": [0, 1], "value": [1, 1]}
    no_slow = {"soc": [0, 1], "value": [0, 0]}

    def walk(node: dict[str, Any], fed_by: str | None) -> None:
        part: dict[str, Any] = {"id": node["name"], "name": node["name"], "fed_by": fed_by}
        if node["type"] == "pack":
            series, string = node["cells_series"], node["strings"][0]
            volts = string["ocv_V"] / series
            cell = {
                "name": "table cell", "chemistry": "table", "label_ah": 3.0, "full_v": volts + 0.1, "empty_v": 2.0,
                "ocv": {"soc": [0, 1], "value": [volts, volts]}, "resistance_ohm": string["resistance_ohm"] / series,
                "fast": flat, "slow": no_slow, "max_charge_a": 3, "max_discharge_a": 10,
            }  # fmt: skip
            plan["packs"].append({"id": node["name"], "name": node["name"], "cell": cell, "series": series})
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
                "kind": node["kind"], "output_v": node["output_voltage_V"],
                "output_resistance_ohm": node["output_resistance_ohm"],
                "loss": {"kind": "fixed", "efficiency": node["efficiency"]},
            }  # fmt: skip
            plan["converters"].append(part)
        else:
            key, value = {
                "constant_power": ("power_w", "power_W"), "constant_current": ("current_a", "current_A"),
                "resistor": ("resistance_ohm", "resistance_ohm"),
            }[node["kind"]]  # fmt: skip
            part |= {key: dict.fromkeys(("rest", "play", "peak"), node[value]), "window": {"low_v": 0.5, "high_v": 50}}
            plan["loads"].append(part)
        for child in node.get("children", []):
            walk(child, node["name"])

    walk(data["topology"], None)
    return plan
