"""How an instrument is talked to: what is asked, how the answers read. A file that a user can write."""

from __future__ import annotations

import tomllib
from functools import cache, lru_cache
from importlib.resources import files
from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, ValidationError, model_validator

from briskcell.model.errors import FigureError

Kind = Literal["meter", "supply", "load"]
Quantity = Literal["volts", "amps", "ohms", "celsius"]
Line = Annotated[str, StringConstraints(min_length=1, max_length=120, pattern=r"^[\x20-\x7e]+$")]
MOST_TEXT = 4_000
NEEDS: dict[Kind, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "meter": ((), ()),
    "supply": (("volts", "amps"), ("volts", "amps", "on", "off")),
    "load": (("volts", "amps"), ("amps", "on", "off")),
}
PLACE = "{value}"


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Ask(_Strict):
    """What is asked. ``clock`` is for a bench whose time runs at another speed: it gives its own seconds."""

    who: Line = "*IDN?"
    volts: Line | None = None
    amps: Line | None = None
    ohms: Line | None = None
    celsius: Line | None = None
    clock: Line | None = None


class Put(_Strict):
    """What is set, with ``{value}`` where the figure goes.

    ``safe`` brings a load into a state of its own in which it draws nothing; ``cut_off`` sets the volts below which it lets go by
    itself, whether anybody asks it or not. ``place`` is for a bench that puts its own probes where a step asks.
    """

    volts: Line | None = None
    amps: Line | None = None
    on: Line | None = None
    off: Line | None = None
    safe: Line | None = None
    cut_off: Line | None = None
    place: Line | None = None


class Off(_Strict):
    """What a reading may be off: a share of it, and a fixed amount beside."""

    volts: tuple[float, float] = (0.01, 0.01)
    amps: tuple[float, float] = (0.02, 0.01)
    ohms: tuple[float, float] = (0.01, 0.2)
    celsius: tuple[float, float] = (0.01, 1.0)


class Most(_Strict):
    """What a load stands at the most, as its sheet says: volts, amps, watts."""

    volts: Annotated[float, Field(gt=0)] | None = None
    amps: Annotated[float, Field(gt=0)] | None = None
    watts: Annotated[float, Field(gt=0)] | None = None


class Description(_Strict):
    """An instrument's kind and its words.

    ``answer`` is how an answer reads around its figure, as ``VDC {value} V``; ``ends_with`` ends a line both ways; a whole answer
    comes within ``timeout_s``; ``baud`` is the pace of a serial line; at and above ``over_range`` an answer says that the range is
    too small.
    """

    name: Annotated[str, StringConstraints(min_length=1, max_length=120)]
    kind: Kind
    ends_with: Literal["\n", "\r\n", "\r"] = "\n"
    timeout_s: Annotated[float, Field(gt=0, le=20)] = 2.0
    baud: Annotated[int, Field(ge=300, le=4_000_000)] = 9_600
    answer: Annotated[str, StringConstraints(max_length=60)] = PLACE
    over_range: Annotated[float, Field(gt=0)] = 9.9e37
    ask: Ask = Ask()
    set: Put = Put()
    error: Off = Off()
    most: Most = Most()

    @model_validator(mode="after")
    def _whole(self) -> Self:
        asks, sets = NEEDS[self.kind]
        missing = [f"ask.{n}" for n in asks if getattr(self.ask, n) is None] + [
            f"set.{n}" for n in sets if getattr(self.set, n) is None
        ]
        if self.kind == "meter" and not any((self.ask.volts, self.ask.amps, self.ask.ohms, self.ask.celsius)):
            missing = ["ask.volts"]
        if missing:
            raise ValueError(f"a {self.kind} needs {', '.join(missing)}")
        if self.answer.count(PLACE) != 1:
            raise ValueError("answer needs {value} once")
        for name in ("volts", "amps", "cut_off", "place"):
            line = getattr(self.set, name)
            if line is not None and line.count(PLACE) != 1:
                raise ValueError(f"set.{name} needs {{value}} once")
        return self


@lru_cache(maxsize=64)
def read_description(text: str) -> Description:
    """A description as it was written.

    Raises
    ------
    FigureError
        If it is no TOML, lacks something, or says something that is unknown.
    """
    if len(text) > MOST_TEXT:
        raise FigureError("description", f"The description has {len(text)} characters.", fix=f"Keep it below {MOST_TEXT}.")
    try:
        return Description.model_validate(tomllib.loads(text))
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(p) for p in first["loc"]) or "description"
        what = str(first["msg"]).removeprefix("Value error, ")
        what = {"Extra inputs are not permitted": "is not known", "Field required": "is missing"}.get(what, what)
        raise FigureError(
            "description", f"In the description, {where}: {what}.", fix="Compare it with the standard one."
        ) from error
    except (tomllib.TOMLDecodeError, RecursionError, ValueError) as error:
        why = "it is nested too deeply" if isinstance(error, RecursionError) else str(error)[:200]
        raise FigureError(
            "description", f"The description is not TOML: {why}.", fix='Write lines such as volts = "MEAS:VOLT:DC?".'
        ) from error


DESCRIPTIONS = files("briskcell.instruments") / "descriptions"
STANDARD = tuple(sorted(p.name.removesuffix(".toml") for p in DESCRIPTIONS.iterdir()))


@cache
def standard(kind: str) -> str:
    """The text of a description that ships: ``meter``, ``supply``, ``load``, and the simulated ones of each.

    Raises
    ------
    FigureError
        If there is none of that name.
    """
    if kind not in STANDARD:
        raise FigureError("kind", f"There is no instrument “{kind}”.", fix=f"Choose from {', '.join(STANDARD)}.")
    return (DESCRIPTIONS / f"{kind}.toml").read_text(encoding="utf-8")
