"""Valid plans from the schema alone, with figures at the ends of what it allows: nobody's build, and to be answered all the same."""

from __future__ import annotations

import random
import types
from collections.abc import Callable
from typing import Any, Literal, Union, get_args, get_origin

import annotated_types
from pydantic import BaseModel, ValidationError
from pydantic.fields import FieldInfo

from briskcell.model.figure import Curve, Figure
from briskcell.model.parts import Load, Part, Window
from briskcell.model.plan import Box, Game, Plan, Profile, plan_of
from briskcell.model.stores import Cell, Pack
from briskcell.model.units import Unit

WORDS = ["plain", "x", "=1+1", "Ωµ–🔋", "a" * 120, "<b>&amp;</b>", "two words, and a comma", "ڭ שלום"]


def number(unit: Unit, rng: random.Random) -> float:
    """A figure at or near an end of a unit's range, or somewhere within."""
    low = unit.at_least if unit.at_least is not None else (unit.above or 0.0)
    high = unit.at_most if unit.at_most is not None else 1e3
    tiny = low + (high - low) * 10.0 ** rng.uniform(-12, -3)
    picked: float = rng.choice([low, high, tiny, tiny, rng.uniform(low, high), low + (high - low) * 10.0 ** rng.uniform(-4, 0)])
    return tiny if unit.above is not None and picked <= unit.above else picked


def figure(unit: Unit, rng: random.Random) -> dict[str, Any]:
    low, likely, high = sorted(number(unit, rng) for _ in range(3))
    return {
        "low": low,
        "likely": likely,
        "high": high,
        "grade": rng.choice(["measured", "sheet", "typical", "guessed"]),
        "source": "x",
    }


def of_type(annotation: Any, metadata: list[Any], rng: random.Random) -> Any:
    unit = next((m for m in metadata if isinstance(m, Unit)), None)
    origin, args = get_origin(annotation), get_args(annotation)
    if hasattr(annotation, "__metadata__"):
        return of_type(args[0], [*annotation.__metadata__, *metadata], rng)
    if origin in (Union, types.UnionType):
        kept = [a for a in args if a is not type(None)]
        return None if len(kept) < len(args) and rng.random() < 0.5 else of_type(rng.choice(kept), metadata, rng)
    if origin is Literal:
        return rng.choice(args)
    if origin is tuple:
        most = next((m.max_length for m in metadata if isinstance(m, annotated_types.MaxLen)), 2)
        least = next((m.min_length for m in metadata if isinstance(m, annotated_types.MinLen)), 0)
        return [of_type(args[0], [], rng) for _ in range(min(rng.choice([least, 1, 2]), most))]
    if annotation is Figure and unit:
        return figure(unit, rng)
    if annotation is float:
        return number(unit or Unit("", at_least=0, at_most=1), rng)
    if annotation is int:
        low = next((int(str(m.ge)) for m in metadata if isinstance(m, annotated_types.Ge)), 0)
        high = next((int(str(m.le)) for m in metadata if isinstance(m, annotated_types.Le)), 10)
        return rng.choice([low, high, rng.randint(low, high)])
    if annotation is bool:
        return rng.random() < 0.5
    if annotation is str:
        return rng.choice(WORDS)
    make = SPECIAL.get(annotation)
    return make(annotation, rng) if make else document(annotation, rng)


def document(model: type[BaseModel], rng: random.Random, **fixed: Any) -> dict[str, Any]:
    """A document of a model; optional fields are left to their defaults now and then."""
    out: dict[str, Any] = {}
    for name, info in model.model_fields.items():
        if name in fixed:
            out[name] = fixed[name]
        elif info.is_required() or rng.random() < 0.6:
            out[name] = of_type(info.annotation, info.metadata, rng)
    return {k: v for k, v in out.items() if v is not None or not _required(model.model_fields[k])}


def _required(info: FieldInfo) -> bool:
    return info.is_required() or info.default is not None


def curve(_model: Any, rng: random.Random) -> dict[str, Any]:
    soc = sorted({0.0, 1.0, *(round(rng.random(), rng.choice([1, 9])) for _ in range(rng.choice([0, 1, 5])))})
    return {"soc": soc, "value": sorted(rng.choice([0.001, 0.5, 1.0, 3.7, 60.0, 1e-6]) for _ in soc)}


def window(_model: Any, rng: random.Random) -> dict[str, Any]:
    volts = sorted({number(Unit("V", above=0, at_most=60), rng) for _ in range(3)})
    return {"low_v": volts[0], "high_v": volts[-1] if len(volts) > 1 else volts[0] + 1e-6}


def profile(_model: Any, rng: random.Random) -> dict[str, Any]:
    rest, play = rng.choice([(0.0, 1.0), (1.0, 0.0), (0.0, 0.0), (0.1, 0.85), (1e-9, 1.0 - 1e-9)])
    return {"rest": rest, "play": play, "peak": 1.0 - rest - play}


def cell(model: Any, rng: random.Random) -> dict[str, Any]:
    low, high = sorted({number(Unit("V", above=0, at_most=60), rng), number(Unit("V", above=0, at_most=60), rng)} | {0.5, 4.2})[:2]
    return document(model, rng, empty_v=low, full_v=high)


SPECIAL: dict[Any, Callable[[Any, random.Random], Any]] = {
    Curve: curve,
    Window: window,
    Profile: profile,
    Cell: cell,
    Box: document,
    Game: document,
}


def made(model: type[Part], rng: random.Random, **fixed: Any) -> dict[str, Any] | None:
    """A document of a part that stands by itself; None where none came out of a few tries."""
    fixed = {"half_of": None} | fixed
    for _ in range(12):
        tried = document(model, rng, **fixed)
        try:
            model.model_validate(tried)
        except (ValidationError, ValueError):
            continue
        return tried
    return None


def extreme_plan(seed: int) -> Plan:
    """A valid plan of a seed."""
    rng = random.Random(seed)
    whole: dict[str, Any] = {"name": rng.choice(WORDS)}
    for name in ("brief", "profile", "shutdown", "case", "bay"):
        if rng.random() < 0.7:
            info = Plan.model_fields[name]
            value = of_type(info.annotation, info.metadata, rng)
            if value is not None:
                whole[name] = value
    lists: dict[str, list[Any]] = {}

    def add(name: str, count: int, **fixed: Any) -> list[str]:
        model = next(a for a in get_args(Plan.model_fields[name].annotation) if isinstance(a, type))
        for k in range(count):
            own = {"id": f"{name[:4]}-{k}", "name": rng.choice(WORDS)} | {f: v() for f, v in fixed.items()}
            if (part := made(model, rng, **own)) is not None:
                lists.setdefault(name, []).append(part)
        return [p["id"] for p in lists.get(name, [])]

    stores = (
        add("packs", rng.choice([0, 1, 1, 1, 2])) + add("capacitors", rng.choice([0, 0, 1])) + add("banks", rng.choice([0, 0, 1]))
    )
    while not stores:
        stores = add("packs", 1)
    spots = list(stores)
    for _ in range(rng.choice([0, 1, 3, 6])):
        name = rng.choice(["links", "links", "converters", "rails"])
        at = rng.choice(spots)
        have = len(lists.get(name, []))
        model = next(a for a in get_args(Plan.model_fields[name].annotation) if isinstance(a, type))
        if (part := made(model, rng, id=f"{name[:4]}-{have}", name=rng.choice(WORDS), fed_by=at)) is not None:
            if part.get("kind") == "outlet":
                part["kind"] = "plug"
            lists.setdefault(name, []).append(part)
            if part.get("kind") != "return":
                spots.append(part["id"])
    hosts = add("loads", rng.choice([0, 1, 2, 5]), fed_by=lambda: rng.choice(spots), return_by=lambda: None, driven_by=lambda: None)
    if hosts and rng.random() < 0.5:
        lists["links"] = [
            *lists.get("links", []),
            {
                "id": "out",
                "name": "Output",
                "kind": "outlet",
                "resistance_ohm": rng.choice([0.0, 0.1, 9.0]),
                "fed_by": rng.choice(hosts),
                "rating_a": rng.choice([None, 0.05, 2.0]),
            },
        ]
        passed = made(Load, rng, id="passed-on", name="Passed on", fed_by="out", return_by=None, driven_by=None)
        lists["loads"] += [passed] if passed else []
    supplies = add("supplies", rng.choice([0, 1]))
    if supplies and stores:
        add("chargers", rng.choice([0, 1, 2]), charges=lambda: rng.choice(stores), supply=lambda: supplies[0], fed_by=lambda: None)
    if stores:
        add("trickles", rng.choice([0, 0, 1]), charges=lambda: rng.choice(stores))
    document_ = whole | lists
    for name in ("bay", "brief", "case", "shutdown", "profile", ""):
        try:
            return plan_of(document_)
        except ValueError:
            document_.pop(name, None)
    return plan_of({"name": "x"} | {k: v for k, v in lists.items() if k == "packs"})


__all__ = ["Load", "Pack", "extreme_plan"]
