"""No figure of a build that does not change moves by itself."""

from __future__ import annotations

import json
from functools import cache
from typing import Any

import pytest

from tests.core.pins import figures_of, file_of, pinned, reason, sentences_of

PINNED = pinned()
now_of = cache(lambda name: PINNED[name]())


def apart(was: Any, now: Any) -> bool:
    if isinstance(was, list) and isinstance(now, list):
        return len(was) != len(now) or any(apart(a, b) for a, b in zip(was, now, strict=True))
    if isinstance(was, float) and isinstance(now, (float, int)):
        return now != pytest.approx(was, rel=2e-5, abs=2e-7)
    return bool(was != now)


@pytest.mark.parametrize("name", sorted(PINNED))
def test_no_figure_of_an_assessment_moves(name: str) -> None:
    kept = json.loads(file_of(name).read_text("utf-8"))
    now = figures_of(now_of(name))
    moved = [f"{k}: {kept.get(k)} -> {now.get(k)}  ({reason(k)})" for k in kept | now if apart(kept.get(k), now.get(k))]
    assert not moved, "\n".join(moved[:12])


@pytest.mark.parametrize("name", sorted(PINNED))
def test_no_sentence_of_an_assessment_changes_unseen(name: str) -> None:
    kept = json.loads(file_of(name, "words").read_text("utf-8"))
    now = sentences_of(now_of(name))
    moved = [f"{k}: {kept.get(k)} -> {now.get(k)}" for k in kept | now if kept.get(k) != now.get(k)]
    assert not moved, "\n".join(moved[:12])
