"""Plans and figures: what people type, what a bad document is told, round trips."""

from __future__ import annotations

import io
import json
import math
import re
import time
from functools import cache
from typing import Any, get_args

import pint
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from pydantic_core.core_schema import ErrorType

from briskcell.formats.plan_json import MOST_BYTES, document_of, read_plan, schema, write_plan
from briskcell.library.catalogue import catalogue, read_classes
from briskcell.model.errors import FigureError, PlanError, _words
from briskcell.model.figure import Figure, read_figure
from briskcell.model.plan import plan_of
from briskcell.model.units import read, show, typed
from briskcell.services.demo import demo_plans
from briskcell.services.edits.differences import differences
from briskcell.services.edits.swap import swap
from briskcell.services.edits.values import set_value


@cache
def units() -> pint.UnitRegistry[float]:
    return pint.UnitRegistry()


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("850 mA", "A", 0.85),
        ("1.2A", "A", 1.2),
        ("4W", "W", 4),
        ("3,7 V", "V", 3.7),
        ("24awg", "AWG", 24),
        ("0.2 mm2", "mm²", 0.2),
        ("5h30", "h", 5.5),
        ("5:30", "h", 5.5),
        ("90 min", "h", 1.5),
        ("45 mΩ", "Ω", 0.045),
        ("45 mohm", "Ω", 0.045),
        ("12 cm", "m", 0.12),
        ("1 in", "mm", 25.4),
        ("86 °F", "°C", 30),
        ("85 %", "", 0.85),
        (" 3200mah ", "Ah", 3.2),
        ("4.7uH", "H", 4.7e-6),
        ("−5 °C", "°C", -5),
        ("2 450 mAh", "Ah", 2.45),
        ("2\u202f450 mAh", "Ah", 2.45),
        ("1.234,5 mAh", "Ah", 1.2345),
        ("1,234.5 mAh", "Ah", 1.2345),
        ("12,345,678 mA", "A", 12345.678),
        ("0,850 A", "A", 0.85),
        ("3.125 V", "V", 3.125),
        ("12,50 W", "W", 12.5),
        ("0.31 A at 5.1 V", "W", 1.581),
        ("1.6 W @ 5 V", "A", 0.32),
        ("310 mA at 5 V", "A", 0.31),
    ],
)
def test_fields_read_what_people_type(text: str, unit: str, value: float) -> None:
    assert read(text, unit) == pytest.approx(value, rel=1e-12)


@given(
    st.floats(0.001, 999),
    st.sampled_from(["mV", "V", "µA", "mA", "A", "mW", "W", "mΩ", "Ω", "mAh", "Ah", "Wh", "mm", "cm", "m", "g"]),
)
def test_units_agree_with_an_independent_library(number: float, symbol: str) -> None:
    assume(symbol != "mAh" or not re.fullmatch(r"\d+\.\d{3}", repr(number)))  # a thousands point as likely: it is asked back
    base = symbol.removeprefix("m") if len(symbol) > 1 else symbol
    base = {"µA": "A", "m": "mm", "cm": "mm"}.get(symbol, "mm" if symbol == "mm" else base)
    expected = units().Quantity(number, symbol.replace("Ω", "ohm")).to(base.replace("Ω", "ohm")).magnitude
    assert read(f"{number!r} {symbol}", base) == pytest.approx(expected, rel=1e-9)


@given(st.floats(1e-6, 900), st.sampled_from(["V", "A", "W", "Ω", "Ah", "h", "mm", "H", "Hz"]))
def test_what_a_field_shows_reads_back_as_itself(value: float, unit: str) -> None:
    assert read(typed(value, unit), unit) == pytest.approx(value, rel=1e-5)
    assert "nan" not in show(value, unit)


@pytest.mark.parametrize(
    ("text", "unit"), [("", "A"), ("bright", "W"), ("4 W", "A"), ("1.2.3", "V"), ("5h99x", "h"), ("3 V", ""), ("∞", "V")]
)
def test_what_is_no_figure_is_told_with_an_example(text: str, unit: str) -> None:
    with pytest.raises(FigureError) as caught:
        read(text, unit)
    assert caught.value.fix.startswith("Type it like")


@pytest.mark.parametrize("plan", demo_plans(), ids=lambda p: p.name)
def test_a_plan_comes_back_from_its_file_to_the_byte(plan: Any) -> None:
    text = write_plan(plan)
    again = read_plan(io.BytesIO(text))
    assert again == plan
    assert write_plan(again) == text
    assert set(document_of(plan)) <= set(schema()["properties"])


def spoiled(path: str, value: Any) -> dict[str, Any]:
    document = document_of(demo_plans()[0])
    at: Any = document
    *steps, last = path.split("/")
    for step in steps:
        at = at[int(step)] if step.isdigit() else at[step]
    at[last] = value
    return document


@pytest.mark.parametrize(
    ("path", "value", "field", "says"),
    [
        ("loads/0/fed_by", "nowhere", "fed_by", "hangs on"),
        ("links/0/fed_by", "switch", "fed_by", "feeds itself"),
        ("loads/0/id", "boost", "id", "share the id"),
        ("loads/0/power_w/play", {"low": 2, "likely": 1, "high": 3}, "likely", "rising order"),
        ("loads/0/power_w/play", "bright", "play", "not a figure"),
        ("brief/hours", "5h60", "hours", "not a figure"),
        ("loads/0/power_w/play", 1e9, "play", "above"),
        ("loads/0/window/low_v", 9.0, "low_v", "not below"),
        ("loads/0/current_a", {"rest": 1, "play": 1, "peak": 1}, "power_w", "2 ways"),
        ("packs/0/cell/ocv", {"soc": [0, 1], "value": [4, 3]}, "ocv", "falls as the cell fills"),
        ("packs/0/series", 0, "series", "below 1"),
        ("converters/0/loss", None, "loss", "no efficiency"),
        ("chargers/0/supply", "pack", "supply", "no supply"),
        ("profile/rest", 0.5, "play", "add up"),
        ("version", 4, "version", "versions 1, 2 and 3 are read"),
        ("colour", "red", "colour", "no field of this name"),
    ],
)
def test_a_bad_document_is_told_the_field_the_value_and_a_fix(path: str, value: Any, field: str, says: str) -> None:
    with pytest.raises(PlanError) as caught:
        plan_of(spoiled(path, value))
    problem = caught.value.problems[0]
    assert problem.field.split("/")[-1] == field
    assert says in problem.message
    assert problem.fix
    assert problem.value


@pytest.mark.parametrize(
    "raw", [b"", b"[]", b"\xff\xfe", b'{"name": NaN}', b'{"name": "x", "note": Infinity}', b"[" * 100_000, b" " * (MOST_BYTES + 1)]
)
def test_a_file_that_is_no_plan_is_turned_away(raw: bytes) -> None:
    with pytest.raises(PlanError):
        read_plan(io.BytesIO(raw))


@given(
    st.recursive(
        st.none() | st.booleans() | st.floats() | st.text(), lambda c: st.lists(c) | st.dictionaries(st.text(), c), max_leaves=8
    )
)
def test_no_document_breaks_the_reader(document: Any) -> None:
    if document not in ([], {}):
        with pytest.raises(PlanError) as caught:
            plan_of({"name": "x", "loads": document, "brief": document})
        assert all(p.message for p in caught.value.problems)


def test_the_schema_is_json_and_names_units() -> None:
    text = json.dumps(schema())
    assert '"unit": "W"' in text
    assert schema()["properties"]["version"]["const"] == 3


def test_the_library_is_whole_and_every_figure_has_grade_and_source() -> None:
    classes = catalogue().classes
    assert len(classes) >= 60
    assert len({c.part.chemistry for c in catalogue().of_kind("cells")}) == 6
    for c in classes:
        for name in type(c.part).model_fields:
            figure = getattr(c.part, name)
            if isinstance(figure, Figure) and name in c.part.model_fields_set:
                assert figure.grade in ("typical", "guessed"), (c.key, name)
                assert figure.source != "no source given", (c.key, name)
    with pytest.raises(FigureError, match="no source"):
        read_classes("links", '[x]\nname = "x"\nkind = "plug"\nresistance_ohm = [1, 2, 3]\nsource = ""', {})


def test_an_edit_keeps_ranges_in_proportion_and_reads_new_ones() -> None:
    plan = demo_plans()[0]
    moved = set_value(plan, "loads/board/power_w/play", "3.6 W").plan
    figure = moved.by_id["board"].power_w.play  # type: ignore[attr-defined]
    assert (figure.low, figure.likely, figure.high) == pytest.approx((2.6, 3.6, 4.8))
    assert figure.grade == "guessed"
    ranged = set_value(plan, "loads/board/power_w/play", "1.5..1.7..2.1 W").plan.by_id["board"].power_w.play  # type: ignore[attr-defined]
    assert (ranged.low, ranged.likely, ranged.high) == (1.5, 1.7, 2.1)
    shares = set_value(plan, "profile/peak", "20 %").plan.profile
    assert shares.rest + shares.play + shares.peak == pytest.approx(1.0)
    assert shares.rest / shares.play == pytest.approx(0.10 / 0.85)
    assert differences(plan, moved) == [("Small four-core computer board, power in play", "1.8 W", "3.6 W")]


def test_a_swap_keeps_where_a_part_hangs_and_refuses_another_kind() -> None:
    plan = demo_plans()[0]
    changed = swap(plan, "boost", "boost-5v-3a").plan
    assert changed.by_id["boost"].fed_by == plan.by_id["boost"].fed_by  # type: ignore[attr-defined]
    assert changed.by_id["boost"].part_class == "boost-5v-3a"
    assert swap(plan, "pack", "pouch-p50").plan.packs[0].cell.chemistry == "LCO pouch"
    with pytest.raises(FigureError, match="cannot stand for"):
        swap(plan, "boost", "fuse-2")


def test_text_that_can_be_read_as_two_figures_is_asked_back() -> None:
    with pytest.raises(FigureError, match=r"can be 2450 mAh or 2\.45 mAh"):
        read("2,450 mAh", "Ah")
    with pytest.raises(FigureError, match=r"can be 1200 mA or 1\.2 mA"):
        read_figure("1,200..1,500 mA", "A", "x")
    with pytest.raises(FigureError, match="Type it like 240 mA at 5 V"):
        read("240 mA", "W")
    between = read_figure("4.5-5.5 V", "V", "x")
    assert (between.low, between.likely, between.high) == (4.5, 5.0, 5.5)
    drawn = read_figure("0.3..0.4 A at 5 V", "W", "x")
    assert (drawn.low, drawn.high) == (1.5, 2.0)
    assert read_figure("-5 °C", "°C", "x").low == -5.0


@pytest.mark.parametrize(
    "text", [" " * 2_000_000, "1" + " " * 400_000 + "x", "9" * 5000, "1e999", "9" * 330 + "h30", "\u00a0" * 100_000]
)
@pytest.mark.parametrize("unit", ["h", "W", ""])
def test_a_figure_of_any_length_is_refused_at_once(text: str, unit: str) -> None:
    start = time.thread_time()  # its own work, whatever else the machine does
    for reader in (lambda: read(text, unit), lambda: read_figure(text, unit, "x")):
        with pytest.raises(FigureError):
            reader()
    assert time.thread_time() - start < 0.5


def test_the_greatest_of_numbers_is_a_figure_or_refused_by_its_bound() -> None:
    assert read_figure("1e308 W", "W", "x").likely == 1e308
    for hours in (1e308, 1e290):
        with pytest.raises(PlanError, match="is above"):
            read_plan(io.BytesIO(json.dumps({**document_of(demo_plans()[0]), "brief": {"hours": hours}}).encode()))


def test_every_sort_of_complaint_is_told_in_our_own_words() -> None:
    for kind in get_args(ErrorType):
        message, fix = _words(
            kind, {"ge": 1, "le": 2, "gt": 1, "lt": 2, "max_length": 3, "min_length": 1, "expected": "'a'", "expected_tags": "'a'"}
        )
        assert message.endswith(".")
        assert fix.endswith(".")
        assert "{" not in message + fix
        assert not re.search(r"input|should|valid|instance", message, re.IGNORECASE), kind


@pytest.mark.parametrize(
    ("raw", "says"),
    [
        (b'{"name": "\\ud800"}', "half a letter"),
        (b'{"name": ' + b"9" * 5000 + b"}", "5000 digits"),
        (b'{"name": "x", "loads": [' + b"{}," * 100_000 + b"{}]}", "more than 100 entries"),
        (b'{"name": "x", "case": {"mass_g": 1e400}}', "not a finite number"),
        (b'{"name": "x", "packs": 3}', "no list"),
        (b'{"name": "x",', "it breaks at line 1, column 14"),
        (b"\xff", "not text in UTF-8"),
    ],
)
def test_a_document_that_would_take_long_or_break_is_refused_with_field_value_and_fix(raw: bytes, says: str) -> None:
    start = time.perf_counter()
    with pytest.raises(PlanError) as caught:
        read_plan(io.BytesIO(raw))
    problem = caught.value.problems[0]
    assert says in problem.message
    assert problem.field
    assert problem.value
    assert problem.fix
    assert time.perf_counter() - start < 1.0


def test_a_document_of_before_says_by_a_field_what_it_said_by_a_name() -> None:
    document = document_of(demo_plans()[1])
    document["version"] = 2
    for board in document["converters"]:
        board["combined"] = True
    for load in document["loads"]:
        del load["keeps_time"]
    document["loads"][0]["name"] = "Clock of the old sort"
    plan = plan_of(document)
    assert (plan.version, plan.loads[0].keeps_time, plan.loads[1].keeps_time) == (3, True, False)
    assert plan.converters == demo_plans()[1].converters


@pytest.mark.parametrize(
    ("value", "unit", "shown"),
    [
        (500, "Hz", "500 Hz"),
        (4700, "Hz", "4.7 kHz"),
        (0.05, "Hz", "0.05 Hz"),  # a millihertz would read as a megahertz
        (0.0009, "A", "900 µA"),
        (2.5e-6, "A", "2.5 µA"),
        (1500, "Ω", "1.5 kΩ"),
        (0.0842, "Ω", "84 mΩ"),
        (-0.05, "V", "−50 mV"),
        (47e-6, "F", "47 µF"),
        (0.02, "h", "1 min"),
        (9.92, "h", "9 h 55"),
        (100.2, "h", "100 h 12"),
        (1234.5, "€", "1234.50 €"),
        (math.inf, "h", "none"),
    ],
)
def test_a_figure_is_shown_with_the_prefix_that_suits_it(value: float, unit: str, shown: str) -> None:
    assert show(value, unit) == shown
