"""Nobody's builds: valid plans with figures at the ends of what the schema allows. Answered, never NaN, and quickly."""

from __future__ import annotations

import json
import math
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from briskcell.core.assess import assess
from briskcell.core.workings import NUMBERS, value
from briskcell.formats.assessment_json import assessment_document
from briskcell.formats.plan_json import document_of
from briskcell.library import catalogue
from briskcell.model.plan import plan_of
from tests.core.pins import answers, keys_of
from tests.extremes import extreme_plan

STOCK = catalogue().stock()


def numbers(at: Any) -> Any:
    if isinstance(at, float):
        yield at
    elif isinstance(at, (list, tuple)):
        for each in at:
            yield from numbers(each)
    elif hasattr(at, "tolist"):
        yield from numbers(at.tolist())


@settings(max_examples=10)
@given(st.integers(0, 10**9))
def test_a_valid_extreme_plan_is_answered_whole(seed: int) -> None:
    plan = extreme_plan(seed)
    assert plan_of(document_of(plan)) == plan
    a = assess(plan, STOCK)
    for name, found in answers(a):
        assert not any(math.isnan(n) for n in numbers(found)), name
    json.dumps(assessment_document(a, 0.4, "play"), allow_nan=False)
    for f in a.findings:
        assert "nan" not in f"{f.cause} {f.fix_words}".lower().split()
        assert math.isfinite(f.loss)
    for key in keys_of(a):
        number = value(a, key)[0]
        assert number is not None
        assert not math.isnan(number), key
        kind, _, rest = key.partition(":")
        NUMBERS[kind].make(a, rest)
