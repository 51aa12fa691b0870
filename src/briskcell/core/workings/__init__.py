"""The working of a number: its formula, what was put in, from where, and what would move it most."""

from __future__ import annotations

from dataclasses import replace

from briskcell.core.assess import Assessment

from . import case, parts, power, resets  # noqa: F401  each module registers its numbers
from .registry import NUMBERS, Input, Mover, Working, movers

__all__ = ["NUMBERS", "Input", "Mover", "Working", "value", "working"]


def working(assessed: Assessment, key: str) -> Working | None:
    """The working of a number.

    Parameters
    ----------
    assessed : Assessment
        The assessed plan.
    key : str
        A registered kind, and what it is of: ``runtime``, ``charge:BOARD``, ``headroom:ELEMENT:KIND``, ``wiring:LINK``.

    Returns
    -------
    Working or None
        None where the build has no such number.
    """
    kind, _, rest = key.partition(":")
    known = NUMBERS.get(kind)
    made = known.make(assessed, rest) if known else None
    if known is None or made is None:
        return None
    points = known.unit == "%"
    return replace(made, movers=movers(assessed, lambda a: known.value(a, rest), relative=not points), in_points=points)


def value(assessed: Assessment, key: str) -> tuple[float | None, str]:
    """What a number is worth, and its unit.

    Parameters
    ----------
    assessed : Assessment
        The assessed plan.
    key : str
        A registered kind, and what it is of.

    Returns
    -------
    tuple
        None where the build has no such number, as where the part is gone.
    """
    kind, _, rest = key.partition(":")
    known = NUMBERS[kind]
    return known.value(assessed, rest), known.unit
