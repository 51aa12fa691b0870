"""What pages offer from the library: classes to choose from."""

from __future__ import annotations

from typing import Any

from briskcell.library import PartClass, catalogue
from briskcell.library.catalogue import chemistries
from briskcell.model.kinds import kind_of
from briskcell.model.parts import Converter, Load, Part
from briskcell.model.stores import Pack

__all__ = ["PartClass", "chemistry_names", "classes", "classes_for", "draft_choices", "outputs", "part_class"]


def classes(kind: str) -> tuple[PartClass, ...]:
    """The classes of one file of the library."""
    return catalogue().of_kind(kind)


def part_class(key: str) -> PartClass:
    """The class of that key; FigureError where there is none."""
    return catalogue().find(key)


def classes_for(part: Part) -> tuple[PartClass, ...]:
    """The classes that may stand in a part's place: a switch for a switch, any load for a load."""
    same = catalogue().of_kind(kind_of(part).library)
    own = getattr(part, "kind", None)
    if isinstance(part, Converter):
        same = tuple(c for c in same if c.part.built_in == part.built_in)
    return same if isinstance(part, (Load, Pack)) else tuple(c for c in same if own is None or c.part.kind == own)


def outputs() -> tuple[PartClass, ...]:
    """The classes by which a load passes power on: sockets, pins, pads, and regulators that are built into it."""
    links = tuple(c for c in catalogue().of_kind("links") if c.part.kind == "outlet")
    return links + tuple(c for c in catalogue().of_kind("converters") if c.part.built_in)


def chemistry_names() -> list[tuple[str, str]]:
    """Key and name of each chemistry."""
    return [(key, str(row["name"])) for key, row in chemistries().items()]


def draft_choices() -> dict[str, Any]:
    """What "New build" lets one choose from."""
    loads = catalogue().of_kind("loads")
    return {
        "boards": [c for c in loads if c.group == "computer board"],
        "screens": [c for c in loads if c.group == "screen" and c.key != "screen-driver"],
        "sounds": [c for c in loads if c.key.startswith("amp-")],
        "radios": [c for c in loads if c.key.startswith("radio-")],
        "cells": list(catalogue().of_kind("cells")),
        "chargers": list(catalogue().of_kind("chargers")),
        "regulators": list(catalogue().boards()),
    }
