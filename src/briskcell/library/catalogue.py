"""Reads the data files into parts, ready to be copied into a plan."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from functools import cache, cached_property
from importlib.resources import files
from typing import Any

from pydantic import ValidationError

from briskcell.core.answers import Stock
from briskcell.model.errors import FigureError, PlanError
from briskcell.model.figure import Curve
from briskcell.model.kinds import LIBRARY
from briskcell.model.parts import Part

from .terminals import terminals_of_class

NOWHERE = {"fed_by": "nowhere", "charges": "nowhere", "supply": "nowhere"}


@dataclass(frozen=True, slots=True)
class PartClass:
    """One class of part: its key, kind (a file of the library), group within it, and the part to copy."""

    key: str
    kind: str
    group: str
    part: Any

    @property
    def name(self) -> str:
        return str(self.part.name)


@dataclass(frozen=True)
class Catalogue:
    """All classes, in the order of the files."""

    classes: tuple[PartClass, ...]

    def of_kind(self, kind: str) -> tuple[PartClass, ...]:
        """What can be bought: what comes on the board of another class alone is none."""
        return tuple(c for c in self.classes if c.kind == kind and getattr(c.part, "half_of", None) is None)

    @cached_property
    def halves(self) -> dict[str, tuple[Part, ...]]:
        """What comes on each board besides, by the key of the board's class."""
        out: dict[str, list[Part]] = {}
        for c in self.classes:
            if (whole := getattr(c.part, "half_of", None)) is not None:
                out.setdefault(whole, []).append(c.part)
        return {key: tuple(parts) for key, parts in out.items()}

    def boards(self) -> tuple[PartClass, ...]:
        """Converters that can be bought: all but those that are built into a load."""
        return tuple(c for c in self.of_kind("converters") if not c.part.built_in)

    def find(self, key: str) -> PartClass:
        """The class of that key; FigureError where there is none."""
        for c in self.classes:
            if c.key == key:
                return c
        raise FigureError("part_class", f"The library has no class “{key}”.", fix="Choose one from the list.")

    def part(self, key: str, **figures: Any) -> Any:
        """A copy of the class's part with some fields set, such as its id and what feeds it."""
        part = self.find(key).part
        fields = {name: getattr(part, name) for name in type(part).model_fields}
        return type(part).model_validate(fields | figures)

    def stock(self) -> Stock:
        """What fixes may choose from."""
        return self._stock

    @cached_property
    def _stock(self) -> Stock:
        """What fixes may choose from."""
        return Stock(
            **{kind: tuple(c.part for c in self.of_kind(kind)) for kind in LIBRARY if kind != "converters"},
            converters=tuple(c.part for c in self.boards()),
            halves=self.halves,
        )


BY_ONE_FIGURE = (  # of amperes, that sheets give by one figure
    "max_charge_a",
    "max_discharge_a",
    "rating_a",
    "termination_a",
    "precharge_a",
    "current_limit_a",
    "input_limit_a",
)


def sourced(row: dict[str, Any], grade: str, source: str) -> dict[str, Any]:
    """A row's figures in full: ``[low, likely, high]`` or a number becomes a figure with the row's grade and source."""

    def full(value: Any) -> Any:
        if isinstance(value, list) and len(value) == 3 and all(isinstance(v, (int, float)) for v in value):
            return {"low": value[0], "likely": value[1], "high": value[2], "grade": grade, "source": source}
        if isinstance(value, dict):
            return {k: full(v) for k, v in value.items()}
        return value

    return {k: full(v) for k, v in row.items()}


def read_classes(kind: str, text: str, chemistries: dict[str, Any]) -> tuple[PartClass, ...]:
    """The classes of one file.

    Raises
    ------
    FigureError
        If a row has no source.
    PlanError
        If a row is no part of its kind.
    """
    out = []
    for key, row in tomllib.loads(text).items():
        grade, source, group = row.pop("grade", ""), row.pop("source", "").strip(), row.pop("group", kind)
        if not source:
            raise FigureError("source", f"The class {key} has no source.", fix="Name the source.")
        fields = LIBRARY[kind].model_fields
        row = sourced(row, grade, source)
        for name in BY_ONE_FIGURE:
            if isinstance(row.get(name), (int, float)):
                row[name] = {"likely": row[name], "grade": grade, "source": source}
        if kind == "cells":
            row |= chemistry_fields(chemistries[row["chemistry"]])
        if kind == "loads":
            row["window"]["source"] = source
        row |= {"part_class": key} | {k: v for k, v in NOWHERE.items() if k in fields and fields[k].is_required()}
        row |= {"id": key} if "id" in fields else {}
        if "terminals" in fields:
            row["terminals"] = terminals_of_class(key, kind, group, row)
        try:
            out.append(PartClass(key, kind, group, LIBRARY[kind].model_validate(row)))
        except ValidationError as error:
            raise PlanError.from_validation(error, prefix=key) from error
    return tuple(out)


def chemistry_fields(row: dict[str, Any]) -> dict[str, Any]:
    """What a cell takes from its chemistry."""
    curves = {name: Curve.of([(s, v) for s, v in row[name]]) for name in ("ocv", "fast", "slow")}
    ranges = {f"{at}_{end}_c": c for at in ("charge", "use") for end, c in zip(("low", "high"), row[f"{at}_c"], strict=True)}
    kept = (
        "full_v",
        "empty_v",
        "cold_b_k",
        "self_discharge_per_month",
        "rechargeable",
        "slow_s",
        "cold_shares",
        "diffusion_s",
        "ageing",
    )
    return {"chemistry": row["name"]} | {k: row[k] for k in kept if k in row} | ranges | curves


@cache
def chemistries() -> dict[str, dict[str, Any]]:
    """The shipped chemistries by key: name, volts over charge, resistance over charge.

    Raises
    ------
    FigureError
        If one has no source.
    """
    found = tomllib.loads(_text("chemistries"))
    for key, row in found.items():
        if not row.get("source", "").strip():
            raise FigureError("source", f"The chemistry {key} has no source.", fix="Name the source.")
    return found


def _text(name: str) -> str:
    return files("briskcell.library.data").joinpath(f"{name}.toml").read_text("utf-8")


@cache
def catalogue() -> Catalogue:
    """The shipped library."""
    return Catalogue(tuple(c for kind in LIBRARY for c in read_classes(kind, _text(kind), chemistries())))
