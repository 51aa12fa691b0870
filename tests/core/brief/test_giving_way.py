"""How each wish gives way: to what the build comes to, or by its steps, and never where it is met already."""

from __future__ import annotations

from typing import Any

import pytest

from briskcell.core.assess import Assessment, assess
from briskcell.core.brief.wish import WISHES
from briskcell.model.plan import plan_of
from tests.known import hand_plan


def asked(**brief: Any) -> Assessment:
    bay = {"length_mm": 80, "width_mm": 40, "depth_mm": 20.0}
    return assess(
        plan_of(
            hand_plan(
                brief={"hours": 8.0, "charge_hours": 4.0, "thickness_mm": 25.0, "shelf_days": 60.0, "budget": 80.0, "mass_g": 300.0}
                | brief,
                bay=bay,
            )
        )
    )


def ways(field: str, got: float | None, **brief: Any) -> list[Any]:
    """What the wish is lowered to, in the order that it is tried."""
    return [getattr(plan.brief, field) for plan, _ in WISHES[field].gives_way(asked(**brief), got)]


@pytest.mark.parametrize(
    ("field", "got", "becomes"),
    [
        ("hours", 3.0, [3.0]),
        ("hours", 0.1, []),  # less than a quarter of an hour is no play
        ("charge_hours", 5.2, [5.5]),  # to the next half hour
        ("charge_hours", None, [8.0]),  # twice as long where nobody knows
        ("thickness_mm", 40.0, [29.0, 33.0, 41.0]),  # by 4, 8 and 16 mm
        ("play_while_charging", None, [False]),
        ("room_c", None, [22.0]),  # by 8 °C
        ("shelf_days", 40.5, [40.0]),
        ("shelf_days", 70.0, []),  # met already
        ("budget", 81.2, [82.0]),
        ("mass_g", 303.5, [304.0]),
    ],
)
def test_a_wish_gives_way_to_what_the_build_comes_to(field: str, got: float | None, becomes: list[Any]) -> None:
    assert ways(field, got) == pytest.approx(becomes)


def test_what_is_not_asked_does_not_give_way_and_a_thicker_case_has_a_deeper_bay() -> None:
    assert ways("play_while_charging", None, play_while_charging=False) == []
    deeper = [plan.bay.depth_mm for plan, _ in WISHES["thickness_mm"].gives_way(asked(), None) if plan.bay]
    assert deeper == [24.0, 28.0, 36.0]


def test_every_wish_names_its_question_and_its_own_field() -> None:
    a = asked()
    assert [w.judge(a).field for w in WISHES.values()] == list(WISHES)
    assert all(w.field in type(a.plan.brief).model_fields and w.question and w.called for w in WISHES.values())
