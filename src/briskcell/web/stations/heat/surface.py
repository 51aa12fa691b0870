"""The Heat station: where the watts go, temperatures in time, limits, the case, what to do first, and what drifts when warm."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from flask import request

from briskcell.core.heat.drifts import Drift
from briskcell.core.heat.network import AIR, CELLS, SKIN
from briskcell.drawing.curves import numbers, plot
from briskcell.model.parts import STATES, State
from briskcell.model.plan import Brief
from briskcell.model.units import show as plain
from briskcell.services.builds import Opened
from briskcell.services.heat.scenarios import Scenario, scenarios
from briskcell.web.sections import Section
from briskcell.web.units import show
from briskcell.web.view import View

SECTIONS = (
    Section("h-watts", "Where the watts go"),
    Section("h-limits", "Limits"),
    Section("h-time", "In time"),
    Section("h-case", "The case"),
    Section("h-cooler", "What to do first"),
    Section("h-warm", "Fails when warm"),
)
BAR = 220.0
MINUTES = np.concatenate([np.arange(0.0, 30.0), np.linspace(30.0, 240.0, 71)])
CASE_FIELDS = (
    ("length_mm", "Length", "mm"),
    ("width_mm", "Width", "mm"),
    ("depth_mm", "Thickness", "mm"),
    ("wall_mm", "Wall", "mm"),
    ("covered", "Covered by hands or a table", "%"),
    ("mass_g", "Mass of the whole", "g"),
)


def surface(opened: Opened, view: View) -> dict[str, Any]:
    """What the Heat station shows."""
    assessed = opened.assessed
    if not assessed.plan.stores or not assessed.plan.loads:
        return {"shares": ()}
    row = State.PLAY if view.plugged else State[view.state.upper()]
    shares = assessed.heat_shares[row]
    found = scenarios(assessed)
    chosen = next((s for s in found if s.key == request.values.get("way", "")), found[0] if found else None)
    most = max((s.watts for s in shares), default=1.0)
    room = assessed.plan.brief.room_c
    return {
        "shares": [(s, BAR * s.watts / most) for s in shares],
        "whole_w": sum(s.watts for s in shares),
        "state": view.state,
        "rows": [_row(s, assessed.plan.brief) for s in found],
        "chosen": chosen.key if chosen else "",
        "ways": [(s.key, s.words) for s in found],
        "plot": _plot(chosen, room) if chosen else None,
        "case_fields": CASE_FIELDS,
        "air_range": assessed.heat.air_range_c,
        "heat": assessed.heat,
        "drifts": [_drifted(d) for d in assessed.drifts],
    }


def _row(found: Scenario, brief: Brief) -> dict[str, Any]:
    """One way of use: the temperatures it reaches, each with whether it holds, and what gives up first."""
    network = found.network
    hottest = max(range(CELLS + 1, len(network.nodes)), key=lambda k: float(found.most_c[k]), default=None)
    first = found.first
    shown = [SKIN, AIR, CELLS, *([] if hottest is None else [hottest])]
    minutes = None if first is None else found.minutes[first]
    # A peak does not last, and who asks for no play on the charger may yet play.
    unasked = found.key.endswith(":play") and not brief.play_while_charging
    over = "close" if found.key == STATES[State.PEAK] or unasked else "fails"
    return {
        "words": found.words,
        "watts": found.total_w,
        "at": [(float(found.most_c[k]), over if found.minutes[k] is not None else "holds") for k in shown],
        "hottest": "" if hottest is None else network.nodes[hottest].name,
        "first": "nothing" if first is None else f"{network.nodes[first].name}, after {plain((minutes or 0.0) / 60.0, 'h')}",
    }


def _plot(found: Scenario, room_c: float) -> dict[str, Any]:
    """Skin, air, cells and the hottest board from a cold case on."""
    rises = found.risen(MINUTES * 60.0)
    network = found.network
    boards = range(CELLS + 1, len(network.nodes))
    hottest = max(boards, key=lambda k: float(found.most_c[k]), default=None)
    lines = [(SKIN, "skin of the case", "limit"), (AIR, "air inside", "quiet"), (CELLS, "cells", "demand")]
    lines += [] if hottest is None else [(hottest, network.nodes[hottest].name[:40], "quiet")]
    marks: list[dict[str, Any]] = []
    for k in (SKIN, CELLS):
        limit = float(found.limits_c[k])
        if math.isfinite(limit) and limit < float(found.most_c.max()) + 15:
            marks.append({"y": limit, "words": f"{network.nodes[k].name} {show(limit, '°C')}"})
    return plot(
        f"Temperatures {found.words}",
        {"label": "time from a cold case", "unit": "h", "values": numbers(MINUTES / 60.0), "reverse": False},
        [{"label": name, "unit": "°C", "role": role, "values": numbers(room_c + rises[:, k], 2)} for k, name, role in lines],
        marks,
    )


def _drifted(d: Drift) -> tuple[str, str, str, str]:
    """What drifts, in words: id, name, what changes, and what that does here."""
    what, here = {
        "fuse": (f"holds {plain(d.value, 'A')} instead of {plain(d.limit, 'A')}", f"the peak asks {plain(d.asked, 'A')}"),
        "charger": (f"burns {plain(d.value, 'W')} at most before it charges less", f"it folds back at {plain(d.limit, '°C')}"),
        "part": (f"is {plain(d.value, '°C')} in play", f"{d.limit - d.value:.0f} °C below its limit"),
        "cells": (
            f"cells are {plain(d.value, '°C')} in play",
            f"{d.limit - d.value:.0f} °C below what they are rated to; each 10 °C warmer ages them about twice as fast",
        ),
        "wires": (f"resist {d.value * 100:.0f} % more than at 20 °C", "their drops grow by as much"),
    }[d.kind]
    return d.element, d.name, what, here
