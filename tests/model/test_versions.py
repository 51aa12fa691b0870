"""A plan of format version 1 opens as it was meant, and a part says where it differs from its class."""

from __future__ import annotations

import io
import json

import pytest

from briskcell.core.assess import assess
from briskcell.core.circuit.circuit import circuit_of
from briskcell.core.circuit.terminals import terminals_of
from briskcell.formats.plan_json import document_of, read_plan, write_plan
from briskcell.library import catalogue
from briskcell.model.changes import altered, replaced
from briskcell.model.differing import differing
from briskcell.model.facts import Adjustable, settable
from briskcell.model.kinds import PART_LISTS
from briskcell.model.parts import Converter, Link, Load, Rail
from briskcell.model.plan import Plan, plan_of
from briskcell.model.stores import ChargeBoard
from briskcell.services.demo import sanderling
from briskcell.services.edits.values import set_value
from tests.known import CASES

STOCK = catalogue().stock()
OLD = (CASES / "plan-version-1.json").read_bytes()


def test_a_file_of_version_1_opens_with_what_its_classes_said_and_is_written_as_version_3() -> None:
    assert json.loads(OLD)["version"] == 1
    plan = read_plan(io.BytesIO(OLD))
    (board,) = plan.chargers
    assert (board.cells, board.end_v.likely, board.layout) == ((2,), 4.2, "cut_out")  # type: ignore[union-attr]
    knob = settable(board.adjustable, "current_a")
    assert knob is not None
    assert (knob.low, knob.high) == (0.3, 1.0)
    by_id = {p.id: p for p in plan.loads}
    assert (by_id["screen"].peak_share, by_id["sound"].peak_s) == (0.0, 0.3)
    assert read_plan(io.BytesIO(write_plan(plan))) == plan
    assert document_of(plan)["version"] == 3
    a = assess(plan, STOCK)
    assert a.runtime is not None
    assert a.runtime.hours == pytest.approx(8.0, abs=1.0)
    assert not a.failures


def test_a_board_of_version_1_that_names_no_class_is_asked_what_it_charges() -> None:
    document = json.loads(OLD)
    document["chargers"][0]["part_class"] = ""
    (f,) = [f for f in assess(plan_of(document), STOCK).findings if f.rule == "charger-suits-cells"]
    assert f.state == "unknown"


def differs(plan: Plan) -> list[str]:
    return [f.cause for f in assess(plan, STOCK).findings if f.rule == "as-its-class"]


@pytest.mark.parametrize(
    ("figures", "says"),
    [
        ({"current_a": 1.52}, ""),
        ({"current_a": 1.6}, "current 1.60 A, it can be set from 0.50 A to 1.50 A"),
        ({"current_a": 0.4}, "current 0.40 A"),
        ({"balancing": True}, "balancing yes, not no"),
        ({"layout": "cut_out"}, "layout cut out, not power path"),
        ({"cells": (2,)}, "cells in series 2, not 1"),
        ({"end_v": 4.35}, "end volts a cell 4.35, not 4.2"),
    ],
)
def test_a_figure_typed_against_its_class_is_kept_and_said(figures: dict[str, object], says: str) -> None:
    plan = sanderling()
    changed = replaced(plan, altered(plan.chargers[0], **figures))
    got = [c.replace("\u00a0", " ") for c in differs(changed)]
    assert len(got) == bool(says)
    assert all(says in c for c in got)


def test_a_part_past_its_class_and_a_part_without_one() -> None:
    plan = sanderling()
    boost = plan.by_id["boost"]
    strong = differing(altered(boost, switch_current_a=7.0), boost)
    assert [d.field for d in strong] == ["switch_current_a"]
    assert differing(altered(boost, output_v=5.3), boost) == [], "within the trimmer's bounds"
    assert [d.field for d in differing(altered(boost, output_v=6.0), boost)] == ["output_v"]
    own = replaced(plan, altered(boost, switch_current_a=7.0, part_class=""))
    assert differs(own) == []
    with pytest.raises(ValueError, match="below"):
        Adjustable(field="output_v", low=5.0, high=4.0)


def test_a_document_of_version_2_reads_with_the_usual_terminals_and_comes_to_the_same() -> None:
    """The demo builds as they were kept before: a marked board and its charger stay two, as their figures were stated."""
    for document in json.loads((CASES.parent / "core" / "pins" / "kept" / "plans.json").read_text("utf-8")):
        assert document["version"] == 2
        plan = plan_of(document)
        assert (plan.version, plan.halves) == (3, {})
        assert {p.id for p in plan.parts()} == {p["id"] for k in PART_LISTS for p in document.get(k, [])}
        for part in plan.parts():
            assert part.terminals == ()
            if not isinstance(part, (Rail, Link)):
                assert terminals_of(plan, part), part.id
        assert read_plan(io.BytesIO(write_plan(plan))) == plan


def test_every_class_that_one_solders_to_says_where_and_a_corrected_terminal_stays() -> None:
    keys: dict[type, set[str]] = {
        Converter: {"in", "in-", "out", "gnd"},
        ChargeBoard: {"in", "in-", "bat", "bat-"},
        Load: {"plus", "gnd"},
    }
    for c in catalogue().classes:
        if c.kind == "cells" or c.part.half_of or c.group in ("wire", "output"):
            continue
        assert c.part.terminals, c.key
        have = {t.key for t in c.part.terminals}
        assert len(have) == len(c.part.terminals)
        assert c.group == "pin" or keys.get(type(c.part), set()) <= have, c.key
        assert {t.polarity for t in c.part.terminals} >= {"+"} or c.kind == "balancers"
        body = getattr(c.part, "body", None)
        for t in c.part.terminals:
            side = {"left": "width_mm", "right": "width_mm"}.get(t.edge or "", "length_mm")
            assert t.at_mm is None or (body is not None and 0 <= t.at_mm <= getattr(body, side)), (c.key, t.key)
    boost = catalogue().find("boost-5v-5a").part
    of = {t.key: t for t in boost.terminals}
    assert (of["in"].stands_a, of["in"].at_mm) == (
        boost.switch_current_a.likely,
        pytest.approx(0.2 * boost.body.width_mm, abs=0.05),
    )
    own = set_value(sanderling(), "converters/boost/terminals/1/at_mm", "3 mm").plan
    own = set_value(own, "converters/boost/terminals/0/prints", "VIN").plan
    place = circuit_of(own).by_id["boost"]
    assert (place.of("in").prints, place.of("in-").at_mm) == ("VIN", 3.0)
    bare = replaced(sanderling(), altered(sanderling().by_id["screen"], terminals=()))
    told = set_value(bare, "loads/screen/terminals/0/kind", "socket")
    assert [t.kind for t in told.plan.by_id["screen"].terminals] == ["socket", "pad"]
    assert told.words == "Screen 4.3 in with backlight, terminal +: kind: pad to socket"
