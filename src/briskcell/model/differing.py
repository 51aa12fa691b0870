"""Where a part differs from the class it names: a fact that is another, a figure past the class's or what can be set."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel

from .facts import Adjustable, settable
from .figure import Figure
from .units import Unit, show, unit_of_field

FACTS = (
    "kind",
    "layout",
    "cells",
    "end_v",
    "chemistries",
    "balancing",
    "chemistry",
    "full_v",
    "rechargeable",
    "resettable",
    "latching",
)
MOST = (
    "switch_current_a",
    "output_limit_a",
    "input_max_v",
    "rating_a",
    "max_charge_a",
    "max_discharge_a",
    "current_limit_a",
    "balance_a",
    "label_ah",
)
SET = ("current_a", "output_v", "voltage_v", "restart_v")
NEAR = 0.02  # of a figure: what rounding and a meter make of it is no difference
WORDS = {
    "layout": "layout",
    "cells": "cells in series",
    "end_v": "end volts a cell",
    "chemistries": "chemistries",
    "current_a": "current",
    "output_v": "output",
    "voltage_v": "volts",
    "switch_current_a": "switch current",
}


@dataclass(frozen=True, slots=True)
class Difference:
    """One field of a part that is not as its class has it, in words."""

    field: str
    words: str


def differing(part: BaseModel, known: BaseModel) -> list[Difference]:
    """Where a part differs from its class.

    Parameters
    ----------
    part, known : Document
        The part, or a pack's cell, and its class: of one model.

    Returns
    -------
    list of Difference
        Empty where it is as its class has it.
    """
    fields = type(part).model_fields
    out = [d for f in FACTS if f in fields and (d := _fact(f, getattr(part, f), getattr(known, f)))]
    out += [d for f in MOST if f in fields and (d := _most(part, f, getattr(part, f), getattr(known, f)))]
    return out + [d for f in SET if f in fields and (d := _set(part, known, f))]


def _word(field: str) -> str:
    return WORDS.get(field, field.removesuffix("_a").removesuffix("_v").removesuffix("_ah").replace("_", " "))


def _said(value: Any) -> str:
    if isinstance(value, tuple):
        return " or ".join(str(v) for v in value) or "nothing"
    if isinstance(value, bool):
        return "yes" if value else "no"
    return f"{_likely(value):g}" if isinstance(value, (Figure, float)) else str(value).replace("_", " ")


def _likely(value: Any) -> float:
    return float(value.likely if isinstance(value, Figure) else value)


def _fact(field: str, own: Any, known: Any) -> Difference | None:
    if isinstance(own, Figure) and isinstance(known, Figure):
        same = abs(own.likely - known.likely) <= 0.005 * known.likely
    elif isinstance(own, float) and isinstance(known, float):
        same = abs(own - known) <= 0.005 * abs(known)
    else:
        same = own == known
    return None if same else Difference(field, f"{_word(field)} {_said(own)}, not {_said(known)}")


def _most(part: BaseModel, field: str, own: Any, known: Any) -> Difference | None:
    if own is None or known is None:
        return None
    most = known.high if isinstance(known, Figure) else known
    if _likely(own) <= most * (1.0 + NEAR):
        return None
    unit = _unit(part, field)
    return Difference(field, f"{_word(field)} {show(_likely(own), unit)}, its class has {show(most, unit)} at most")


def _set(part: BaseModel, known: BaseModel, field: str) -> Difference | None:
    own, had = getattr(part, field), getattr(known, field)
    if own is None or had is None or not isinstance(own, Figure):
        return None
    knob: Adjustable | None = settable(getattr(known, "adjustable", ()), field)
    low, high = (knob.low, knob.high) if knob else (had.low, had.high)
    if low * (1.0 - NEAR) <= own.likely <= high * (1.0 + NEAR):
        return None
    unit = _unit(part, field)
    how = (
        f"it can be set from {show(low, unit)} to {show(high, unit)}"
        if knob
        else f"its class has {show(low, unit)} to {show(high, unit)}"
    )
    return Difference(field, f"{_word(field)} {show(own.likely, unit)}, {how}")


def _unit(part: BaseModel, field: str) -> str:
    found: Unit | None = unit_of_field(type(part), field)
    return found.symbol if found else ""
