"""Tables of parts: what is written is read again, and nothing that is pasted breaks anything."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from briskcell.formats.parts_csv import COLUMNS, MOST_ROWS, as_words, read_parts, write_parts
from briskcell.model.changes import altered, replaced
from briskcell.model.errors import FigureError
from briskcell.model.parts import STATES
from briskcell.model.plan import Plan
from briskcell.services.demo import demo_plans, sanderling

HEAD = ",".join(COLUMNS)


@pytest.mark.parametrize("plan", demo_plans(), ids=lambda p: p.name)
def test_what_is_written_is_read_again(plan: Plan) -> None:
    rows = read_parts(write_parts(plan).decode("utf-8-sig"))
    assert [r.problem for r in rows] == [""] * len(plan.loads)
    for row, load in zip(rows, plan.loads, strict=True):
        assert row.load is not None
        assert (row.load.name, row.load.kind) == (load.name, load.kind)
        assert row.load.window.low_v == load.window.low_v
        for state in STATES:
            mine, theirs = getattr(row.load.draw, state), getattr(load.draw, state)
            assert (mine.low, mine.likely, mine.high) == pytest.approx((theirs.low, theirs.likely, theirs.high), rel=1e-5)
        assert row.load.draw.play.grade == load.draw.play.grade


@pytest.mark.parametrize("cell", ["=1+1", "+1", "-1", "@x", "＝1+1", "\u200b=1", "\ufeff＋1", " =1", "\t=1", "\u2060＠x"])
def test_signs_that_begin_a_formula_are_seen_through_any_disguise(cell: str) -> None:
    assert as_words(cell) == f"'{cell}"
    assert as_words(f"a{cell}") == f"a{cell}"


def test_what_a_spreadsheet_would_take_for_a_formula_is_kept_words() -> None:
    plan = sanderling()
    named = replaced(plan, altered(plan.by_id["light"], name='=HYPERLINK("x")'))
    cells = [line.split(",")[0] for line in write_parts(named).decode("utf-8-sig").splitlines()]
    assert not [c for c in cells if c.lstrip('"')[:1] in "=+-@"]


@given(st.text(max_size=400))
def test_any_text_is_read_or_refused_in_words(text: str) -> None:
    for table in (text, f"{HEAD}\n{text}", f"name;play\n{text}"):
        try:
            rows = read_parts(table)
        except FigureError:
            continue
        assert all((r.load is None) == bool(r.problem) for r in rows)


cells = st.sampled_from(
    ["1 W", "1,5W", "0.2..0.4 W", "240 mA", "", "-1 W", "1e400", "nan", "3 V", "x", "4.75", "1 W..2 A", "3..2..1 W", "measured"]
)


@given(st.lists(st.tuples(*[cells] * 8), max_size=6))
def test_every_line_makes_a_part_or_says_why_not(lines: list[tuple[str, ...]]) -> None:
    table = "\n".join([";".join(COLUMNS), *(";".join([f"part {k}", *line]) for k, line in enumerate(lines))])
    for row in read_parts(table):
        assert (row.load is None) == bool(row.problem)
        if row.load is not None:
            assert row.load.draw.play.low >= 0
            assert row.load.window.low_v < row.load.window.high_v


def test_columns_may_stand_in_any_order_and_go_by_what_benches_call_them() -> None:
    (row,) = read_parts("Max\tPart\tVmin\tVmax\tTypical\tHow\tSource\n1.2 W\tBuzzer\t3\t5,5\t0,4 W\tmeasured\tmeter")
    assert row.load is not None
    assert row.load.draw.peak.likely == 1.2
    assert (row.load.window.low_v, row.load.window.high_v) == (3.0, 5.5)
    assert row.load.draw.play.grade == "measured"
    assert row.load.draw.rest.grade == "guessed", "what was not given is a guess"


@pytest.mark.parametrize(
    ("table", "words"),
    [
        ("", "Nothing was pasted"),
        ("colour,size\nred,3", "names no columns"),
        (f"{HEAD}\n" + "\n".join(f"p{k},1,1,1" for k in range(MOST_ROWS + 1)), "101 parts"),
        (f"{HEAD}\n" + "x" * 200_001, "larger than 200 kB"),
    ],
)
def test_what_is_no_table_is_refused_whole(table: str, words: str) -> None:
    with pytest.raises(FigureError, match=words):
        read_parts(table)


def test_a_measured_figure_without_a_source_is_left_out_with_the_reason() -> None:
    (row,) = read_parts("name,play,grade\nBuzzer,1 W,measured")
    assert row.load is None
    assert "source" in row.problem


def test_a_decimal_comma_in_a_table_parted_by_commas_is_asked_back() -> None:
    whole, torn, quoted = read_parts('name,rest,play\nA,1 W,1.5 W\nB,1 W,1,5 W\nC,1 W,"1,5 W"')
    assert whole.load is not None
    assert torn.load is None
    assert "4 cells, the first line 3" in torn.problem
    assert "quotes" in torn.problem
    assert quoted.load is not None
    assert quoted.load.draw.play.likely == 1.5
