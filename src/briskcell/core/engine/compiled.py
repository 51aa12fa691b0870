"""How the innermost loops are compiled: on first use, kept on disk where it can be, without the interpreter's lock."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar, cast

from numba import njit

Loop = TypeVar("Loop", bound=Callable[..., object])


def compiled(loop: Loop) -> Loop:
    """Compile a function of plain numbers and arrays. It divides as NumPy does: by zero to inf, never an exception.

    Parameters
    ----------
    loop : callable
        Written in the part of Python that numba knows.

    Returns
    -------
    callable
        The same function to its callers.
    """
    try:
        return cast(Loop, njit(cache=True, nogil=True, error_model="numpy")(loop))
    except RuntimeError:  # numba's own: neither beside the source nor in the user's cache can anything be written
        return cast(Loop, njit(nogil=True, error_model="numpy")(loop))
