"""What builders type: read in the field's unit, asked back where it can be two things, questioned where it seldom is right."""

from __future__ import annotations

import pytest

from briskcell.formats.parts_csv import parted_by, read_parts
from briskcell.model.changes import altered, replaced
from briskcell.model.errors import FigureError
from briskcell.model.plan import Plan
from briskcell.services.demo import sanderling
from briskcell.services.edits.questions import questions
from briskcell.services.edits.values import set_grade, set_value, value_at

PLAY, LAMP, LABEL = "loads/screen/power_w/play", "loads/light/current_a/play", "packs/pack/cell/label_ah"


def kept(plan: Plan, path: str, text: str) -> tuple[float, float, float]:
    figure = value_at(set_value(plan, path, text).plan, path)[0]
    return figure.low, figure.likely, figure.high


@pytest.mark.parametrize(
    ("path", "text", "likely"),
    [
        (PLAY, "0.3 A", 1.53),
        (PLAY, "300 mA", 1.53),
        (PLAY, "0.31 A at 5.0 V", 1.55),
        (PLAY, "1.2 W", 1.2),
        (LAMP, "51 mW", 0.01),
        (LAMP, "10 mA", 0.01),
        (LABEL, "2 450 mAh", 2.45),
        (LABEL, "2450mAh", 2.45),
        (LABEL, "2,45 Ah", 2.45),
    ],
)
def test_a_draw_is_typed_in_watts_or_amperes_and_a_capacity_with_its_thousands(path: str, text: str, likely: float) -> None:
    assert kept(sanderling(), path, text)[1] == pytest.approx(likely), "the screen and the lamp hang on 5.1 V"


def test_a_range_in_amperes_is_a_range_in_watts() -> None:
    assert kept(sanderling(), PLAY, "0.2..0.3 A") == pytest.approx((1.02, 1.275, 1.53))


@pytest.mark.parametrize("text", ["2,450 mAh", "2.450 mAh", "1,200 W", "three", "5 V"])
def test_what_can_be_two_things_or_none_is_asked_back(text: str) -> None:
    with pytest.raises(FigureError) as asked:
        set_value(sanderling(), LABEL if "mAh" in text else PLAY, text)
    assert asked.value.fix


def test_a_figure_that_is_seldom_right_is_kept_and_questioned_beside_its_field() -> None:
    plan = sanderling()
    assert questions(plan) == {}
    swapped = set_value(set_value(plan, PLAY, "3 W").plan, "loads/board/power_w/rest", "2 W").plan
    assert set(questions(swapped)) == {PLAY, "loads/board/power_w/rest"}
    cell = plan.packs[0].cell
    for measured, asked in ((3.9, True), (3.95, False), (5.9, True)):
        tested = replaced(plan, altered(plan.packs[0], cell=cell.model_copy(update={"measured_ah": cell.label_ah.at(measured)})))
        assert ("packs/pack/cell/measured_ah" in questions(tested)) is asked
    tiny = set_value(plan, LABEL, "2.9 mAh").plan
    assert "less than any cell holds" in questions(tiny)[LABEL]


def test_what_is_called_measured_has_its_own_range_its_source_and_its_day() -> None:
    plan, old = sanderling(), value_at(sanderling(), PLAY)[0]
    good = ("measured", "meter in the supply lead", "1.0..1.1..1.3 W", "2026-11-20")
    figure = value_at(set_grade(plan, PLAY, *good).plan, PLAY)[0]
    assert (figure.low, figure.likely, figure.high, figure.grade) == (1.0, 1.1, 1.3, "measured")
    assert figure.source == "meter in the supply lead, 2026-11-20"
    for k, missing in ((1, old.source), (1, ""), (2, ""), (2, "soon"), (3, ""), (3, "yesterday")):
        with pytest.raises(FigureError):
            set_grade(plan, PLAY, *(*good[:k], missing, *good[k + 1 :]))
    with pytest.raises(FigureError, match="where the figure before came from"):
        set_grade(plan, PLAY, "sheet", old.source)
    assert value_at(set_grade(plan, PLAY, "sheet", "page 3 of its sheet").plan, PLAY)[0].grade == "sheet"


def test_a_table_is_headed_as_the_application_names_things_and_says_what_parts_it() -> None:
    text = "Part;At rest;In play;At the peak;Least volts;Most volts;How it is known;Source\nLamp;0,1;0,4 W;0.5..0.6 W;4.5;5.5;sheet;its page\n"
    assert parted_by(text) == ";"
    (row,) = read_parts(text)
    assert row.load is not None
    assert row.load.power_w is not None
    drawn = row.load.power_w
    assert (drawn.rest.likely, drawn.play.likely, drawn.peak.likely, drawn.play.grade) == (0.1, 0.4, pytest.approx(0.55), "sheet")
    (torn,) = read_parts("name,play\nLamp,1,5 W\n")
    assert torn.load is None
    assert "parted by commas" in torn.problem
