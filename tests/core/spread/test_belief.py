"""Doubts together: readings of the whole as sums of logarithms, held against normals by hand; what would settle most."""

from __future__ import annotations

import math

import numpy as np
import pytest

from briskcell.core.assess import assess
from briskcell.core.spread.belief import belief
from briskcell.core.spread.doubts import Doubt, doubts
from briskcell.core.spread.settle import half_width
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.evidence import Evidence, Term
from briskcell.model.figure import Figure
from briskcell.model.plan import plan_of
from briskcell.services.demo import sanderling
from tests.known import drawing, flat_cell, hand_plan

STOCK = catalogue().stock()


def test_a_reading_of_a_sum_by_hand() -> None:
    """Two figures off by 0.3 and 0.4, and their product read to 0.1: variances 0.09 and 0.16, of the sum 0.25 and 0.01 of noise."""
    of = (Doubt("draw", "a", "", 0.3, "typical"), Doubt("draw", "b", "", 0.4, "typical"))
    terms = (Term(doubt="draw|a", weight=1, off=0.3), Term(doubt="draw|b", weight=1, off=0.4))
    known = belief(of, (Evidence(words="read", off=0.1, terms=terms),))
    a, b, both = 0.09 - 0.09**2 / 0.26, 0.16 - 0.16**2 / 0.26, -0.09 * 0.16 / 0.26
    assert known.covariance == pytest.approx(np.array([[a, both], [both, b]]))
    x = np.log(known.drawn(20_000, 1))
    low, high = np.quantile(x.sum(axis=1), [0.1, 0.9])
    assert (high - low) / 2 / 1.28155 == pytest.approx(math.sqrt(a + b + 2 * both), rel=0.03), "what is left of the sum"
    assert np.median(x, axis=0) == pytest.approx([0, 0], abs=0.01)
    assert np.corrcoef(x.T)[0, 1] < -0.8, "one is more where the other is less"
    free = belief(of, ())
    assert free.covariance == pytest.approx(np.diag([0.09, 0.16]))


def test_evidence_of_what_a_build_has_not_got_any_more_tells_of_the_rest() -> None:
    of = (Doubt("draw", "a", "", 0.3, "typical"),)
    terms = (Term(doubt="draw|a", weight=1, off=0.3), Term(doubt="capacity|gone", weight=-1, off=0.4))
    known = belief(of, (Evidence(words="read", off=0.1, terms=terms),))
    assert known.covariance[0, 0] == pytest.approx(0.09 - 0.09**2 / 0.26)
    assert known.drawn(100, 1).shape == (100, 1)


def test_what_a_reading_will_narrow_is_what_it_narrows() -> None:
    """Promised before it is taken, and seen after: a draw read at the bench, and a reading of the whole."""
    a = assess(sanderling(), STOCK)
    assert a.runtime_range is not None
    promised = {r.key: r for r in a.readings}
    wide = (a.runtime_range.high - a.runtime_range.low) / 2 / a.runtime_range.likely
    assert 0.35 <= wide <= 0.45, "what no meter has touched"
    assert [r.key for r in a.readings[:2]] == ["hours", "watts"]
    board = a.plan.by_id["board"]
    play = Figure(low=1.8, likely=1.8, high=1.8, grade="measured")
    read = assess(replaced(a.plan, altered(board, power_w=board.draw.model_copy(update={"play": play}))), STOCK)  # type: ignore[attr-defined]
    assert read.runtime_range is not None
    left = (read.runtime_range.high - read.runtime_range.low) / 2 / read.runtime_range.likely
    assert left == pytest.approx(promised["draw:board"].then, rel=0.12)
    assert promised["draw:board"].now == pytest.approx(wide, rel=0.1)
    terms = tuple(Term(doubt=d.known_as, weight=1.0, off=d.off) for d in doubts(a.plan) if d.kind == "shared")
    shared_known = remade(a.plan, {"evidence": (Evidence(words="w", off=1e-3, terms=terms),)})
    narrower = assess(shared_known, STOCK).runtime_range
    assert narrower is not None
    assert (narrower.high - narrower.low) / 2 / narrower.likely < 0.8 * wide


def test_widths_and_the_chance_by_hand() -> None:
    """One draw of a typical 1 A beside what all share: the logarithm is off by √(0.25² + 0.23²), and 3 Ah last 3 h at the middle."""
    figures = {"low": 3.0, "likely": 3.0, "high": 3.0, "grade": "measured"}
    cell = flat_cell(ah=3.0, ohm=0.0) | {"label_ah": figures, "curve_grade": "measured", "measured_ah": figures}
    load = drawing(1.0)
    for state in ("rest", "play", "peak"):
        load["current_a"][state] = {"low": 1.0, "likely": 1.0, "high": 1.0, "grade": "typical"}
    a = assess(plan_of(hand_plan(packs=[{"id": "pack", "name": "Pack", "cell": cell}], loads=[load])))
    off = math.sqrt(0.25**2 + 0.23**2 + 0.02**2 + 0.02**2)
    assert a.runtime_range is not None
    assert math.log(a.runtime_range.high / a.runtime_range.low) / 2 == pytest.approx(1.28155 * off, rel=0.08)
    assert a.chance_of(a.runtime_range.low) == pytest.approx(0.9, abs=0.01)
    assert a.chance_of(3.0) == pytest.approx(0.5, abs=0.02)
    assert half_width(off**2) == pytest.approx(math.sinh(1.28155 * off), rel=1e-5)
