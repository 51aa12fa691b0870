"""Whole assessments of builds that do not change, pinned figure by figure, with the reason why one may move.

The demo plans and the stock they choose from are kept beside the pins, so a class of the library that is added or corrected moves no
figure. Sentences are pinned apart, in ``pins/words``: a better wording shows there alone.

``python -m tests.core.pins`` writes figures and words anew; read the difference before it is kept, and say in CHANGELOG.md which moved
and why. ``python -m tests.core.pins --stock`` takes plans and stock from the library and the demo again.
"""

from __future__ import annotations

import json
import math
import sys
from collections.abc import Callable, Iterator
from functools import cache, partial
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter

from briskcell.core.answers import Stock
from briskcell.core.assess import Assessment, assess
from briskcell.core.day.session import play_session
from briskcell.core.draw.bill import bill
from briskcell.core.rails.board_figures import board_figures
from briskcell.core.stations import STATIONS
from briskcell.core.workings import NUMBERS, value, working
from briskcell.formats.assessment_json import nodes_document
from briskcell.formats.plan_json import write_plan
from briskcell.library import catalogue
from briskcell.model.parts import STATES
from briskcell.model.phases import Phase
from briskcell.model.plan import Plan, plan_of
from briskcell.services.demo import demo_plans
from tests.faults import FAULTS, judged
from tests.odd import odd_documents

FOLDER = Path(__file__).with_name("pins")
STOCK_KEPT, PLANS_KEPT = FOLDER / "kept" / "stock.json", FOLDER / "kept" / "plans.json"
KEPT = TypeAdapter(Stock)
PHASES = (Phase("boot", 60), Phase("play", 3600), Phase("peak", 120), Phase("off", 1200), Phase("play", 1800, plugged=True))
# Why a figure of each group may move; what is in none may move for nothing but a change of the physics of the engine.
REASONS = {
    "node": "class figures of draws, boards and wires in the library; the solver only by its tolerance",
    "number": "class figures of the library; a constant whose name stands in the working",
    "working": "the same, and the words",
    "charge": "the charge board's and supply's class; the chemistry's diffusion",
    "session": "the chemistry's time constants; the lumped case, which is a guess until a case is measured",
    "need": "limits that the brief is held to, and the words",
    "finding": "a rule's limit, and the words",
    "draw": "class draws and their grades",
    "pack": "the chemistry's tables; the margins of reserve, storage and fit",
    "case": "class warmth per watt; the guess of the air inside",
    "wire": "tables of conductors, bundles and fuses",
    "room": "sizes of the parts, and where they lie",
    "rail": "windows of the parts; where within a window a rail is proposed",
}


@cache
def stock() -> Stock:
    return KEPT.validate_json(STOCK_KEPT.read_bytes())


@cache
def plans() -> list[Plan]:
    return [plan_of(d) for d in json.loads(PLANS_KEPT.read_text("utf-8"))]


def plain(value: Any) -> Any:
    if isinstance(value, bool) or value is None or isinstance(value, (str, int)):
        return value
    if isinstance(value, float) or getattr(value, "shape", None) == ():
        number = float(value)
        return float(f"{number:.6g}") if math.isfinite(number) else str(number)
    return [plain(v) for v in value]


def keys_of(a: Assessment) -> list[str]:
    """Every key of a number that the build has."""
    elements = [p.id for p in a.plan.parts()]
    limited = [f"{h.element}:{h.kind}" for h in a.headrooms]
    every = [k if not rest else f"{k}:{rest}" for k in NUMBERS for rest in ("", *elements, *limited)]
    return [k for k in every if value(a, k)[0] is not None]


def answers(a: Assessment) -> Iterator[tuple[str, Any]]:
    """Group and name of each figure, and what it is."""
    op = a.op
    for row in STATES:
        for soc in (1.0, 0.5, 0.08):
            for n in nodes_document(a, soc, row):
                yield f"node {n['name']} {row} {soc:g}", (n["voltage_v"], n["current_a"], n.get("string_currents_a", ()))
    for c in a.charges:
        for name, course in (("off", c.off), ("play", c.play)):
            yield f"charge {c.board.id} {name}", (course.hours, course.why, course.start_soc, course.end_soc, course.balance_h)
            picked = range(0, len(course.soc), max(len(course.soc) // 6, 1))
            yield (
                f"charge {c.board.id} {name} course",
                [
                    (
                        course.soc[k],
                        course.current_a[k],
                        course.cell_v[k],
                        course.elapsed_h[k],
                        course.system_a[k],
                        course.bus_v[k],
                        int(course.limit[k]),
                    )
                    for k in picked
                ],
            )
    for store in range(len(a.plan.stores)):
        found = a.runtimes[store]
        yield f"pack {store} stops", [(soc, s.cause, s.element, s.words) for soc, s in found.stops]
        yield f"pack {store}", (found.hours, found.mean_a, found.mean_w, found.own_end_soc, found.gain_if_fixed_h, found.next_words)
        life = a.storage[store]
        yield f"pack {store} stored", (life.days, life.leakage_a, life.self_discharge_a, life.who)
        if a.plan.chargers or store == 0:
            s = play_session(op, PHASES, start_soc=0.8, step_s=30.0, store=store)
            yield f"session {store}", (s.soc[::25], s.store_v[::25], s.store_a[::25], s.case_c[::25], s.ended)
    if a.runtime_range:
        yield "pack range", (a.runtime_range.low, a.runtime_range.high)
    if a.spare_range:
        yield "pack spare range", (a.spare_range.low, a.spare_range.high)
    if a.reserve:
        r = a.reserve
        yield "pack reserve", (r.needed_wh, r.warning_soc, r.under_load_v, r.at_rest_v, r.minutes_left, r.enough)
    yield "pack fits", [(f.fits, f.most, f.spare_mm, f.words) for f in a.fits]
    yield "pack games", a.game_hours
    for d in a.draw.loads:
        yield f"draw {d.load.id}", (*d.watts, d.mean_w, d.share, d.worst_grade)
    yield "draw all", (a.draw.state_w, a.draw.guessed)
    total = bill(a.plan)
    yield "draw bill", (total.cost, total.unpriced, total.mass_g, total.unweighed)
    h = a.heat
    yield "case", (h.watts, h.rise_k, h.skin_c, h.air_c, h.cells_c, h.minutes_to_limit, h.vents_save_k, h.fan_saves_k)
    for p in h.parts:
        yield f"case {p.element}", (p.watts, p.celsius, p.limit_c)
    for link in a.links:
        yield f"wire {link.link.id}", (link.amps, link.drop_v, link.rise_k, link.allowed_k, link.excess_m)
    for f in a.fuses:
        yield (
            f"wire {f.fuse.id} fuse",
            (f.peak_a, f.holds_a, f.lets_a, f.fault_a, f.opens_after_s, f.carries_a, f.worst and f.worst.reaches_c, f.words),
        )
    for board in board_figures(op).values():
        yield f"rail {board.board.id}", (board.taken_w, board.given_w, board.efficiency, board.rise_k)
    for w in a.headrooms:
        yield f"rail {w.element} {w.kind} spare", (w.demand_a, w.limit_a, w.spare, w.at_soc, w.at_state, w.input_v)
    for choice in a.proposals:
        yield f"rail {choice.choice.volts:.3f}", (choice.why, choice.set_board and choice.set_board.id, choice.to_move)
    yield "rail direct", [(d.load.id, d.point, d.direct) for d in a.direct_feeds]
    yield "rail guards", [(g.load.id, g.most_v, g.rated_v, g.state, g.higher and g.higher.id) for g in a.voltage_guards]
    yield "charge trickles", [(t.flow.power_w, t.flow.current_a, t.flow.ripple_v, t.hours) for t in a.trickles]
    for got in a.windows:
        yield f"rail {got.load.id} gets", (got.least_v, got.most_v, got.best_v)
    for name, watts in op.lost_w.items():
        yield f"case {name} loses", watts[:, [0, op.half, 92]].ravel()
    for row, shares in zip(STATES, a.heat_shares, strict=True):
        yield f"case shares {row}", [(w.element, w.watts) for w in shares]
    yield "case drifts", [(d.element, d.kind, d.value, d.limit, d.asked) for d in a.drifts]
    for short in a.shorts:
        yield (
            f"wire {short.link.id} short",
            (
                short.fault_a,
                short.dead.opener,
                short.dead.opens_s,
                short.dead.reaches_c,
                short.worst.amps,
                short.worst.reaches_c,
                short.held_by,
            ),
        )
    yield "wire touches", [(t.store.id, t.volts, t.amps) for t in a.lead_touches]
    yield "wire pieces", [(p.link.id, p.colour, p.length_m, p.near, p.far) for p in a.pieces]
    yield "wire joints", [(j.key, j.to, j.after, j.guard, j.ohm, j.live_later) for j in a.joints]
    yield "rail first moments", [(m.load.id, m.board.id, m.pulls_a, m.others_a, m.limit_a) for m in a.first_moments]
    yield "charge starts", list(a.starting_v.items())
    for c in a.charges:
        yield f"charge {c.board.id} held", c.off.held
    yield "pack left", a.left_h[::20]
    room = a.room
    yield "room clashes", [(c.parts, c.by_mm, c.state) for c in room.clashes]
    yield "room needs", [(n.outside_mm, n.by) for n in room.needed or ()]
    yield "room reaches", [(r.block.solid.id, r.face, r.gap_mm) for r in room.reaches]
    yield "room openings", [(o.block.solid.id, o.at, o.size) for o in room.openings]
    if room.least_face and room.bundle:
        yield "room faces", (room.least_face.beside, room.least_face.above, room.bundle.across_mm, room.bundle.volume_cm3)
    for need in a.requirements:
        yield f"need {need.field}", (need.state, need.got, need.why)
    for name, station in STATIONS.items():
        yield f"number station {name}", (station.state(a), station.headline(a).value, station.headline(a).after)
    yield from (item for f in a.findings for item in finding(f))


def finding(f: Any) -> Iterator[tuple[str, Any]]:
    yield f"finding {f.key}", (f.state, f.cause, f.fix_words, f.loss)


def workings(a: Assessment) -> Iterator[tuple[str, Any]]:
    for key in keys_of(a):
        yield f"number {key}", value(a, key)[0]
        kind, _, rest = key.partition(":")
        shown = NUMBERS[kind].make(a, rest)
        assert shown is not None
        yield f"working {key}", (shown.shown, "; ".join(f"{i.name} {i.shown}" for i in shown.inputs))
    for key in ("runtime", f"charge:{a.plan.chargers[0].id}", "heat"):
        shown = working(a, key)
        assert shown is not None
        yield f"working {key} movers", [(m.name, m.change) for m in shown.movers]


def of_demo(plan: Plan) -> dict[str, Any]:
    a = assess(plan, stock())
    return {k: plain(v) for k, v in (*answers(a), *workings(a))}


def of_odd(document: dict[str, Any]) -> dict[str, Any]:
    return {k: plain(v) for k, v in answers(assess(plan_of(document), stock()))}


def of_broken() -> dict[str, Any]:
    found = ((name, f) for name in FAULTS for f in judged(name).findings)
    return {f"finding {name}: {k}": plain(v) for name, f in found for k, v in (*finding(f),)}


def pinned() -> dict[str, Callable[[], dict[str, Any]]]:
    """What is pinned, by file: the demo builds with their workings, odd builds, and what every broken build is told."""
    demo = {plan.name.lower(): partial(of_demo, plan) for plan in plans()}
    return demo | {f"odd {name}": partial(of_odd, d) for name, d in odd_documents().items()} | {"broken": of_broken}


def reason(key: str) -> str:
    return REASONS[key.split()[0]]


def is_words(value: Any) -> bool:
    return isinstance(value, str) and " " in value


def numbers(value: Any) -> Any:
    """What of a pin is no sentence; one stands as a dot in its place."""
    if isinstance(value, list):
        return [numbers(v) for v in value]
    return "·" if is_words(value) else value


def words(value: Any) -> list[str]:
    """The sentences of a pin, in order."""
    if isinstance(value, list):
        return [w for v in value for w in words(v)]
    return [value] if is_words(value) else []


def figures_of(found: dict[str, Any]) -> dict[str, Any]:
    return {k: numbers(v) for k, v in found.items()}


def sentences_of(found: dict[str, Any]) -> dict[str, list[str]]:
    return {k: said for k, v in found.items() if (said := words(v))}


def file_of(name: str, *folder: str) -> Path:
    return FOLDER.joinpath(*folder, f"{name.replace(' ', '-')}.json")


def write(path: Path, found: dict[str, Any]) -> None:
    lines = [f" {json.dumps(k, ensure_ascii=False)}: {json.dumps(v, ensure_ascii=False)}" for k, v in found.items()]
    path.write_text("{\n" + ",\n".join(lines) + "\n}\n", "utf-8")


def main() -> None:
    if "--stock" in sys.argv:
        STOCK_KEPT.parent.mkdir(parents=True, exist_ok=True)
        STOCK_KEPT.write_bytes(KEPT.dump_json(catalogue().stock()))
        PLANS_KEPT.write_text(json.dumps([json.loads(write_plan(p)) for p in demo_plans()], ensure_ascii=False), "utf-8")
    (FOLDER / "words").mkdir(parents=True, exist_ok=True)
    for name, ask in pinned().items():
        found = ask()
        write(file_of(name), figures_of(found))
        write(file_of(name, "words"), sentences_of(found))


if __name__ == "__main__":
    main()
