"""Kinds of parts, registered once: the plan's list of each, its model, and the file of its classes in the library."""

from __future__ import annotations

from dataclasses import dataclass

from .parts import Converter, Link, Load, Part, Rail
from .stores import Balancer, Bank, Capacitor, Cell, ChargeBoard, Pack, Supply, Trickle


@dataclass(frozen=True, slots=True)
class Kind:
    """One kind of part. ``library`` names the file of its classes, empty where it has none.

    What the classes describe is ``described``: of a pack, its cell.
    """

    list: str
    model: type[Part]
    library: str = ""
    described: type[Part] | type[Cell] | None = None


# In the order of the current, from the socket to the speaker.
KINDS = (
    Kind("supplies", Supply, "supplies"),
    Kind("trickles", Trickle, "trickles"),
    Kind("chargers", ChargeBoard, "chargers"),
    Kind("packs", Pack, "cells", Cell),
    Kind("balancers", Balancer, "balancers"),
    Kind("capacitors", Capacitor, "capacitors"),
    Kind("banks", Bank, "banks"),
    Kind("links", Link, "links"),
    Kind("converters", Converter, "converters"),
    Kind("rails", Rail),
    Kind("loads", Load, "loads"),
)
PART_LISTS = tuple(k.list for k in KINDS)
LIBRARY: dict[str, type[Part] | type[Cell]] = {k.library: k.described or k.model for k in KINDS if k.library}


def kind_of(part: Part | type[Part]) -> Kind:
    """The kind of a part."""
    model = part if isinstance(part, type) else type(part)
    return next(k for k in KINDS if k.model is model)
