"""The plan: one document that holds a whole build."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from typing import Annotated, Any, Literal, Self

from pydantic import Field, ValidationError, model_validator

from .errors import FigureError, PlanError
from .figure import Celsius, Document, Hours, Millimetres, Share, Words
from .parts import ChargeBoard, Converter, Fed, Link, Load, Name, Pack, Part, Rail, Supply

FORMAT_VERSION = 1
# The plan's lists of parts, in the order of the current; the one place that names them.
PART_LISTS = ("supplies", "chargers", "packs", "links", "converters", "rails", "loads")


class Margins(Document):
    """Spare that counts as comfortable, and as close; less than close fails."""

    comfortable: Share = 0.25
    close: Share = 0.10

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if self.close > self.comfortable:
            raise FigureError("close", "Close asks for more spare than comfortable.", fix="Swap the two.")
        return self


class Brief(Document):
    """What the handheld must do."""

    hours: Hours = 4.0
    charge_hours: Hours = 5.0
    play_while_charging: bool = True
    thickness_mm: Millimetres = 30.0
    room_c: Celsius = 30.0
    margins: Margins = Margins()


class Profile(Document):
    """Shares of the time at rest, in play and at the peak; they make up the whole."""

    rest: Share = 0.10
    play: Share = 0.85
    peak: Share = 0.05

    @model_validator(mode="after")
    def _whole(self) -> Self:
        total = self.rest + self.play + self.peak
        if abs(total - 1.0) > 1e-6:
            raise FigureError(
                "play",
                f"The shares add up to {total:.0%}, not to 100 %.",
                fix="Change one so that they make up the whole.",
            )
        return self


class Plan(Document):
    """A build: the brief, its parts and how they hang together. Format version 1."""

    format: Literal["brisk-cell-plan"] = "brisk-cell-plan"
    version: Literal[1] = 1
    name: Name
    note: Words = ""
    brief: Brief = Brief()
    profile: Profile = Profile()
    supplies: Annotated[tuple[Supply, ...], Field(max_length=8)] = ()
    chargers: Annotated[tuple[ChargeBoard, ...], Field(max_length=8)] = ()
    packs: Annotated[tuple[Pack, ...], Field(max_length=8)] = ()
    links: Annotated[tuple[Link, ...], Field(max_length=200)] = ()
    converters: Annotated[tuple[Converter, ...], Field(max_length=40)] = ()
    rails: Annotated[tuple[Rail, ...], Field(max_length=40)] = ()
    loads: Annotated[tuple[Load, ...], Field(max_length=100)] = ()

    @cached_property
    def by_id(self) -> dict[str, Part]:
        """Every part under its id."""
        return {part.id: part for part in self.parts()}

    def parts(self) -> Iterator[Part]:
        """All parts, sources first."""
        for name in PART_LISTS:
            yield from getattr(self, name)

    @cached_property
    def fed(self) -> dict[str, tuple[Fed, ...]]:
        """The parts that hang on each id, in the order of the plan."""
        out: dict[str, list[Fed]] = {}
        for part in self.parts():
            if isinstance(part, Fed):
                out.setdefault(part.fed_by, []).append(part)
        return {k: tuple(v) for k, v in out.items()}

    @model_validator(mode="after")
    def _hangs_together(self) -> Self:
        seen: dict[str, Part] = {}
        for part in self.parts():
            if part.id in seen:
                raise FigureError("id", f"Two parts share the id “{part.id}”.", fix="Rename one of them.")
            seen[part.id] = part
        for part in self.parts():
            if isinstance(part, Fed):
                self._check_feeder(part, seen)
            elif isinstance(part, ChargeBoard):
                for field, kind, found in (
                    ("charges", "pack", isinstance(seen.get(part.charges), Pack)),
                    ("supply", "supply", isinstance(seen.get(part.supply), Supply)),
                ):
                    if not found:
                        wrong = getattr(part, field)
                        raise FigureError(field, f"{part.name} names “{wrong}”, which is no {kind}.", fix=f"Name a {kind}.")
        return self

    @staticmethod
    def _check_feeder(part: Fed, seen: dict[str, Part]) -> None:
        path, at = {part.id}, part.fed_by
        while not isinstance(seen.get(at), Pack):
            feeder = seen.get(at)
            if not isinstance(feeder, Fed) or isinstance(feeder, Load):
                raise FigureError(
                    "fed_by",
                    f"{part.name} hangs on “{at}”, which feeds nothing.",
                    fix="Name a pack, link, converter or rail.",
                )
            if at in path:
                raise FigureError("fed_by", f"{part.name} feeds itself by way of “{at}”.", fix="Cut the ring at one point.")
            path.add(at)
            at = feeder.fed_by


def plan_of(document: Any) -> Plan:
    """A plan from a document of plain values.

    Raises
    ------
    PlanError
        If the document is no plan; each problem names the field, its value and a fix.
    """
    if not isinstance(document, dict):
        raise PlanError.single("", document, "A plan is an object with named fields.", fix="Start from an exported plan.")
    version = document.get("version", FORMAT_VERSION)
    if version != FORMAT_VERSION:
        raise PlanError.single(
            "version", version, f"This is format version {version!r}; version {FORMAT_VERSION} is read.",
            fix="Export the build again from the Brisk Cell it came from.",
        )  # fmt: skip
    try:
        return Plan.model_validate(document)
    except ValidationError as error:
        raise PlanError.from_validation(error) from error
    except RecursionError as error:
        raise PlanError.single("", "", "The document nests too deep.", fix="Start from an exported plan.") from error
