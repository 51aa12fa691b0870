"""The working of a number: its formula, what was put in, from where, and what would move it most."""

from __future__ import annotations

from briskcell.core.assess import Assessment

from . import case, power  # noqa: F401  each module registers its numbers
from .registry import NUMBERS, Input, Mover, Working

__all__ = ["NUMBERS", "Input", "Mover", "Working", "working"]


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
    maker = NUMBERS.get(kind)
    return maker(assessed, rest) if maker else None
