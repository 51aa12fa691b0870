"""No figure of a build that does not change moves by itself."""

from __future__ import annotations

import json
from typing import Any

import pytest

from tests.core.pins import FOLDER, pinned, reason

PINNED = pinned()


def apart(was: Any, now: Any) -> bool:
    if isinstance(was, list) and isinstance(now, list):
        return len(was) != len(now) or any(apart(a, b) for a, b in zip(was, now, strict=True))
    if isinstance(was, float) and isinstance(now, (float, int)):
        return now != pytest.approx(was, rel=2e-5, abs=2e-7)
    return bool(was != now)


@pytest.mark.parametrize("name", sorted(PINNED))
def test_an_assessment_stays_what_it_is(name: str) -> None:
    kept = json.loads((FOLDER / f"{name.replace(' ', '-')}.json").read_text("utf-8"))
    now = PINNED[name]()
    moved = [f"{k}: {kept.get(k)} -> {now.get(k)}  ({reason(k)})" for k in kept | now if apart(kept.get(k), now.get(k))]
    assert not moved, "\n".join(moved[:12])
