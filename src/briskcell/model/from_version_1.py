"""Plans of format version 1: what its classes said without writing it down is written down, by the class a part names."""

from __future__ import annotations

from typing import Any

LITHIUM = ["NMC/NCA", "LCO pouch", "high-voltage pouch"]
FROM_5V = {"low_v": 4.5, "high_v": 6.5, "absolute_max_v": 7.0, "source": "class of format version 1"}
TO_20V = {"low_v": 9.0, "high_v": 22.0, "absolute_max_v": 24.0, "source": "class of format version 1"}


def _set(low_a: float, high_a: float) -> list[dict[str, Any]]:
    return [{"field": "current_a", "low": low_a, "high": high_a, "by": "a resistor"}]


def _one(low_a: float, high_a: float) -> dict[str, Any]:
    return {"cells": [1], "end_v": 4.2, "chemistries": LITHIUM, "input": FROM_5V, "adjustable": _set(low_a, high_a)}


CHARGERS: dict[str, dict[str, Any]] = {
    "charger-lin-05": _one(0.1, 0.5),
    "charger-lin-1": _one(0.13, 1.0),
    "charger-lin-1-cell": _one(0.13, 1.0),
    "charger-sw-15": _one(0.5, 1.5),
    "charger-sw-2": _one(0.5, 2.0),
    "charger-2s-1": {"cells": [2], "end_v": 4.2, "chemistries": LITHIUM, "input": TO_20V, "adjustable": _set(0.3, 1.0)},
    "charger-4s-2": {
        "cells": [3, 4],
        "end_v": 4.2,
        "chemistries": LITHIUM,
        "adjustable": _set(0.5, 2.0),
        "input": TO_20V | {"low_v": 14.0},
    },
}


def _volts(low_v: float, high_v: float) -> dict[str, Any]:
    return {"adjustable": [{"field": "output_v", "low": low_v, "high": high_v, "by": "a trimmer"}]}


CONVERTERS: dict[str, dict[str, Any]] = {
    "boost-5v-3a": _volts(4.9, 5.4),
    "boost-5v-5a": _volts(4.9, 5.4),
    "boost-9v-3a": _volts(5.5, 12.0),
    "boost-12v-5a": _volts(9.0, 15.0),
    "buck-5v-3a": _volts(3.0, 8.0),
    "buck-5v-5a": _volts(3.0, 8.0),
    "buck-12v-4a": _volts(8.0, 13.0),
    "buck-75-3a": _volts(5.0, 9.0),
    "buckboost-5v-2a": _volts(4.9, 5.4),
}


# Share of play that a part peaks for, and the seconds of one peak, by the beginning of its class.
PEAKS = (
    ("board-", 0.05, 3.0),
    ("screen-driver", 0.02, 1.0),
    ("screen-", 0.0, 1.0),
    ("amp-", 0.08, 0.3),
    ("radio-", 0.05, 0.2),
    ("controls-", 0.03, 0.3),
    ("haptics", 0.03, 0.4),
    ("fan", 0.0, 1.0),
    ("la", 0.0, 1.0),
    ("light", 0.0, 1.0),
    ("usb", 0.05, 1.0),
    ("clock", 0.0, 1.0),
)


def from_version_1(document: dict[str, Any]) -> dict[str, Any]:
    """A document of version 1 as one of version 2; a board whose class it does not know states none of the new facts."""
    lists = {
        key: [_facts(part, known) for part in parts]
        for key, known in (("chargers", CHARGERS), ("converters", CONVERTERS))
        if isinstance(parts := document.get(key), list)
    }
    loads = document.get("loads")
    peaks = {"loads": [_peaks(load) for load in loads]} if isinstance(loads, list) else {}
    packs = document.get("packs")
    plain = {"packs": [_without_share(pack) for pack in packs]} if isinstance(packs, list) else {}
    return document | lists | peaks | plain | {"version": 2}


def _without_share(pack: Any) -> Any:
    """A pack whose cells no longer state their diffusion as a share of resistance."""
    if not isinstance(pack, dict):
        return pack
    strings = pack.get("strings")
    inner = {"strings": [_bare(s) for s in strings]} if isinstance(strings, list) else {}
    return _bare(pack) | inner


def _bare(holder: Any) -> Any:
    cell = holder.get("cell") if isinstance(holder, dict) else None
    kept = {k: v for k, v in cell.items() if k != "diffusion_share"} if isinstance(cell, dict) else None
    return holder if kept is None else holder | {"cell": kept}


def _peaks(load: Any) -> Any:
    if not isinstance(load, dict):
        return load
    key = str(load.get("part_class", ""))
    known = next(({"peak_share": share, "peak_s": s} for begins, share, s in PEAKS if key.startswith(begins)), {})
    return known | load


def _facts(part: Any, known: dict[str, dict[str, Any]]) -> Any:
    facts = known.get(str(part.get("part_class", "")), {}) if isinstance(part, dict) else {}
    return facts | part if facts else part
