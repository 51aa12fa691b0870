"""The table of how far things may be off, beside this file: one place to change them."""

from __future__ import annotations

import tomllib
from importlib.resources import files
from typing import Any

TABLE: dict[str, dict[str, Any]] = tomllib.loads(files(__package__).joinpath("doubts.toml").read_text("utf-8"))


def by_grade(quantity: str, grade: str) -> float:
    """One standard deviation of the logarithm of a figure.

    Parameters
    ----------
    quantity : str
        A row of the table: ``draw``, ``loss``, ``capacity``, ``cell``, ``current``.
    grade : str
        How the figure is known.

    Returns
    -------
    float
        About the share that it may be off by.

    Examples
    --------
    >>> by_grade("draw", "measured"), by_grade("draw", "guessed")
    (0.03, 0.5)
    """
    return float(TABLE[quantity][grade])


def reading_off(what: str) -> float:
    """The same of a reading of the whole console.

    Parameters
    ----------
    what : str
        ``watts``, ``hours``, ``charge``, ``capacity`` or ``tester``.

    Returns
    -------
    float
        About the share that it may be off by.
    """
    return float(TABLE["reading"][what])
