"""A conductor in words: its colour, its gauge, its length; what a short one is that the plan does not name."""

from __future__ import annotations

from collections.abc import Mapping

from briskcell.core.circuit.circuit import Conductor
from briskcell.model.parts import Colour
from briskcell.model.units import Show, show


def strand_words(colours: Mapping[str, Colour], c: Conductor, show: Show = show) -> str:
    """One strand in words, as the list, the steps and the drawing of a circuit have it.

    Parameters
    ----------
    colours : mapping of str to str
        The colour of each wire's positive strand, by its id.
    c : Conductor
        One of its circuit.
    show : Show
        Writes a figure with its unit.

    Returns
    -------
    str
        Colour, gauge and length of a wire of the plan.
    """
    if c.link is None:
        return {"tap": "balance lead", "signal": "button lead"}.get(c.pole, "short wire, not named in the plan")
    gauge = f"{c.link.awg:g} AWG" if c.link.awg is not None else "wire"
    return f"{strand_colour(colours, c)} {gauge}" + (f", {show(c.link.length_m, 'm')}" if c.link.length_m else "")


def strand_colour(colours: Mapping[str, Colour], c: Conductor) -> Colour | None:
    """The colour of a strand.

    Parameters
    ----------
    colours : mapping of str to str
        The colour of each wire's positive strand, by its id.
    c : Conductor
        One of its circuit.

    Returns
    -------
    str or None
        None of one that the plan does not name.
    """
    return None if c.link is None else colours[c.link.id] if c.pole == "+" else "black"
