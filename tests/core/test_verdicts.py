"""Careless and sound builds, as an engineer judges them by looking: none of the one holds, hardly any of the other fails."""

from __future__ import annotations

import pytest

from briskcell.core.assess import Assessment, assess
from briskcell.library import catalogue
from tests.verdicts import ASKED, CARELESS, SOUND, built

STOCK = catalogue().stock()


def verdict(a: Assessment) -> str:
    return "fails" if a.failures else "close" if any(f.state == "close" for f in a.findings) else "holds"


@pytest.mark.parametrize(("base", "steps", "why"), CARELESS, ids=[f"{b}: {s}" for b, s, _ in CARELESS])
def test_what_is_careless_is_told(base: str, steps: str, why: str) -> None:
    a = assess(built(base, steps), STOCK)
    assert verdict(a) == ("close" if steps in ASKED else "fails"), why


def test_what_is_sound_is_let_pass() -> None:
    found = {f"{base}: {steps}": verdict(assess(built(base, steps), STOCK)) for base, steps in SOUND}
    assert len(found) >= 40
    assert len(CARELESS) >= 60
    failing = [name for name, word in found.items() if word == "fails"]
    assert len(failing) <= 3, failing
    assert sum(word == "holds" for word in found.values()) >= 35
