"""Builds that no draft would make, and that must be answered all the same."""

from __future__ import annotations

from typing import Any

from briskcell.formats.plan_json import document_of
from briskcell.library import catalogue
from briskcell.model.changes import altered, replaced
from briskcell.services.demo import sanderling
from tests.known import capacitor_plan, case, tree_plan


def odd_documents() -> dict[str, dict[str, Any]]:
    """Documents by name: nothing at all, one part alone, every kind of store, two trees, no draw, cases on a charger."""
    find, plan = catalogue(), sanderling()
    whole, pack = document_of(plan), plan.packs[0]
    bank = {"id": "bank", "name": "Bank", "cells_wh": 37, "efficiency": 0.85, "output_v": 5.05, "output_limit_a": 2.4}
    supply = {"id": "s", "name": "s", "voltage_v": 9, "current_limit_a": 2, "cable_ohm": 0.1}
    board = {
        "id": "c",
        "name": "c",
        "charges": "cap",
        "supply": "s",
        "layout": "power_path",
        "kind": "switching",
        "current_a": 1,
        "termination_a": 0.05,
    }
    aa = {k: document_of(replaced(plan, altered(pack, cell=find.find(k).part, series=3))) for k in ("alkaline-aa", "nimh-aa")}
    strings = ({"cell": pack.cell}, {"cell": find.find("pouch-p30").part})
    idle = [altered(p, **{p.kind: type(p.draw)(rest=0, play=0, peak=0)}) for p in plan.loads]
    return {
        "nothing": {"name": "Nothing"},
        "a pack alone": {"name": "Pack", "packs": [pack]},
        "a load on a pack": {"name": "Pair", "packs": [pack], "loads": [find.part("amp-3w", id="a", fed_by="pack")]},
        "a capacitor": capacitor_plan(case("tree-14")),
        "a capacitor on a charger": capacitor_plan(case("tree-14")) | {"supplies": [supply], "chargers": [board]},
        "a bank": {
            "name": "Bank",
            "banks": [bank],
            "loads": [find.part("board-small4", id="b", fed_by="bank")],
            "supplies": [find.part("usb-3", id="s")],
            "chargers": [find.part("charger-sw-2", id="c", charges="bank", supply="s")],
        },
        "two trees": whole
        | {
            "packs": [pack, altered(pack, id="pack-2", name="Second pack")],
            "loads": [*plan.loads, find.part("lamp-strip", id="strip", fed_by="pack-2")],
        },
        "unequal strings": document_of(replaced(plan, altered(pack, strings=strings))),
        "a crank": whole
        | {
            "trickles": [
                {
                    "id": "crank",
                    "name": "Crank",
                    "charges": "pack",
                    "open_v": 12,
                    "source_ohm": 10,
                    "bridge_drop_v": 1.4,
                    "smoothing_f": 0.001,
                    "ripple_hz": 60,
                    "efficiency": 0.85,
                }
            ]
        },
        "no loads": whole | {"loads": [], "converters": [], "rails": [], "links": []},
        "no draw": whole | {"loads": idle},
        "a shared return": tree_plan(case("tree-10")),
        "on its adapter": tree_plan(case("tree-11")),
        **aa,
    }
