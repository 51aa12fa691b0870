"""A board that nobody knows: what its pads may be by hand, and the order in which they are read."""

from __future__ import annotations

import math

from briskcell.core.assess import assess
from briskcell.core.bench.before_cuts import cuts
from briskcell.core.bench.pins import Pad, guess, likeliest_supply, next_ask
from briskcell.library import catalogue
from briskcell.services.demo import sanderling


def test_what_a_pad_may_be() -> None:
    for pad, role in (
        (Pad("1", shell_ohm=0.3), "ground"),
        (Pad("1", shell_ohm=2.5), "unknown"),
        (Pad("1", shell_ohm=900.0, diode_v=0.44), "supply"),
        (Pad("1", shell_ohm=900.0, diode_v=0.46), "signal"),
        (Pad("1", shell_ohm=900.0, diode_v=0.9), "not joined"),
        (Pad("1", shell_ohm=math.inf, diode_v=math.inf), "not joined"),
    ):
        assert guess(pad).role == role, pad
    seen = {v: guess(Pad("1", 900.0, 0.6, v), fed_v=3.3).role for v in (3.3, 2.9, 2.7, 0.4, 0.1)}
    assert seen == {3.3: "supply", 2.9: "supply", 2.7: "output", 0.4: "output", 0.1: "signal"}


def test_ohms_come_before_diodes_and_volts_last_with_little_current() -> None:
    pads = [Pad("1"), Pad("2"), Pad("3"), Pad("4")]
    truth = {"1": (0.2, None, None), "2": (800.0, 0.38, None), "3": (5e3, 0.6, 3.1), "4": (5e3, 0.42, 1.2)}
    asked = []
    while (ask := next_ask(pads, 3.0)) is not None:
        asked.append((ask.what, ask.pad))
        k = int(ask.pad) - 1
        read = dict(zip(("shell_ohm", "diode_v", "volts"), truth[ask.pad], strict=True))[ask.what]
        assert read is not None
        kept = {f: getattr(pads[k], f) for f in ("shell_ohm", "diode_v", "volts")} | {ask.what: read}
        pads[k] = Pad(ask.pad, **kept)
        if ask.what == "volts":
            assert "Feed 2 with 3.00 V held to 0.1 A" in ask.caution, "the pad with the lowest junctions is fed first"
            assert ask.black == "1"
        if ask.what == "diode_v":
            assert (ask.red, ask.black) == ("1", ask.pad)
    assert [w for w, _ in asked] == ["shell_ohm"] * 4 + ["diode_v"] * 3 + ["volts"] * 2
    assert likeliest_supply(pads) is pads[1]
    assert next_ask([Pad("1", 900.0), Pad("2", 50.0)], 3.0) is None, "without ground nothing goes on"


def test_what_cannot_be_undone_waits_for_its_steps() -> None:
    a = assess(sanderling(), catalogue().stock())
    none, every = cuts(a.plan, a.ladder, ()), cuts(a.plan, a.ladder, {s.key for s in a.ladder})
    assert [c.words for c in none][-1] == "The case is printed"
    board = next(c for c in none if c.words == f"Connectors of {a.plan.by_id['boost'].name} come off")
    assert set(board.steps) == {"pads:boost", "short:boost", "idle:boost", "dummy:boost", "feed:boost"}
    assert board.waits.startswith("first: Find plus and minus of")
    assert not board.proven
    assert all(c.proven for c in every)
