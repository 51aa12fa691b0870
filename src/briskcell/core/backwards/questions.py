"""From a wish back to a figure: each answer is a change to try, meets the wish, and one step less does not."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import islice
from typing import Literal

from briskcell.core.answers import Answers
from briskcell.core.moves.boards import other_boards
from briskcell.core.moves.fix import within
from briskcell.core.search.candidates import Candidate
from briskcell.model.changes import altered, replaced
from briskcell.model.facts import settable
from briskcell.model.parts import Converter, Load
from briskcell.model.plan import Plan
from briskcell.model.stores import ChargeBoard, Pack
from briskcell.model.units import show

MOST_PARALLEL = 24
STEP = 0.01  # of a draw or an amp: the answer's own step
MOST_BOARDS = 40  # that are judged
Key = Literal["pack", "draw", "charger", "board", "thin"]


@dataclass(frozen=True, slots=True)
class Answer:
    """A question with its answer in words, the plan that has it (None where nothing does), and points of the curve around it.

    ``points`` are pairs of what is asked for and what it gives, in ``units``; ``wanted`` is the wish on the second of them.
    """

    key: Key
    question: str
    words: str
    plan: Plan | None
    points: tuple[tuple[float, float], ...] = ()
    units: tuple[str, str] = ("", "")
    wanted: float = 0.0
    at: float | None = None


def answers(a: Answers, packs: tuple[Candidate, ...] = ()) -> Iterator[Answer]:
    """Every question that a build can be asked.

    Parameters
    ----------
    a : Answers
        The build.
    packs : tuple of Candidate
        Packs that fit it, where they are known.

    Yields
    ------
    Answer
        In the order pack, draw, charger, board, thinness; those that make no sense for the build are left out.
    """
    pack = a.plan.stores[a.pack_index or 0] if a.plan.stores else None
    hours = a.runtime.hours if a.runtime else None
    if isinstance(pack, Pack) and hours is not None and not pack.strings:
        yield pack_for_hours(a, pack)
    if hours is not None and (load := _largest(a)) is not None:
        yield most_draw(a, load)
    for found in a.charges[:1]:
        if isinstance(found.store, Pack) and found.off.hours and (board := a.plan.by_id[found.board.id]):
            assert isinstance(board, ChargeBoard)
            yield charger_amps(a, board)
    if a.plan.converters and a.resets is not None:
        yield weakest_board(a, a.plan.converters[0])
    if packs and isinstance(pack, Pack) and not pack.strings:
        yield thinnest(a, pack, packs)


def _plays(a: Answers, plan: Plan) -> float:
    found = a.of(plan).runtime
    return found.hours or 0.0 if found else 0.0


def pack_for_hours(a: Answers, pack: Pack) -> Answer:
    """How many cells in parallel give the hours of the brief: the fewest that do.

    Parameters
    ----------
    a : Answers
        The build.
    pack : Pack
        That ends play.

    Returns
    -------
    Answer
        With the hours of counts around it.
    """
    wish = a.plan.brief.hours

    def of(count: int) -> Plan:
        return replaced(a.plan, altered(pack, parallel=count))

    fewest = _least(1, MOST_PARALLEL, lambda n: _plays(a, of(n)) >= wish)
    question = f"What pack for {show(wish, 'h')}?"
    around = range(max((fewest or MOST_PARALLEL) - 2, 1), min((fewest or MOST_PARALLEL) + 2, MOST_PARALLEL) + 1)
    points = tuple((float(n), _plays(a, of(n))) for n in around)
    if fewest is None:
        return Answer("pack", question, f"Not even {MOST_PARALLEL} of these cells side by side.", None, points, ("", "h"), wish)
    words = f"{fewest * pack.series} cells, {pack.series} in series and {fewest} side by side: {show(_plays(a, of(fewest)), 'h')}."
    return Answer("pack", question, words, of(fewest), points, ("", "h"), wish, float(fewest))


def _largest(a: Answers) -> Load | None:
    """What draws most and is no resistor: what a builder would turn down."""
    loads = [p for p in a.plan.loads if p.kind != "resistance_ohm" and p.settings] or [
        p for p in a.plan.loads if p.kind != "resistance_ohm"
    ]
    return max(loads, key=lambda p: p.draw.play.likely, default=None)


def drawing(plan: Plan, load: Load, factor: float) -> Plan:
    """A plan in which a load draws a factor of what it does.

    Parameters
    ----------
    plan : Plan
        The build.
    load : Load
        One of it.
    factor : float
        On its draw at rest, in play and at the peak.

    Returns
    -------
    Plan
        Its ranges scaled with it.
    """
    states = {
        s: f.at(f.likely * factor, grade=f.grade, source=f.source) for s in ("rest", "play", "peak") if (f := getattr(load.draw, s))
    }
    return replaced(plan, altered(load, **{load.kind: load.draw.model_copy(update=states)}))


def most_draw(a: Answers, load: Load) -> Answer:
    """What a load may draw at most for the hours of the brief.

    Parameters
    ----------
    a : Answers
        The build.
    load : Load
        One of it.

    Returns
    -------
    Answer
        To a hundredth of what it draws now.
    """
    wish, unit = a.plan.brief.hours, {"power_w": "W", "current_a": "A"}[load.kind]
    now = load.draw.play.likely

    def plays(step: int) -> float:
        return _plays(a, drawing(a.plan, load, step * STEP))

    most = _most(1, 600, lambda n: plays(n) >= wish)
    question = f"What may {load.name} draw at most?"
    around = sorted({1, 50, 100, 150, 200} | ({most} if most else set()))
    points = tuple((n * STEP * now, plays(n)) for n in around)
    if most is None:
        return Answer(
            "draw", question, f"Without it the build would still not play {show(wish, 'h')}.", None, points, (unit, "h"), wish
        )
    at = most * STEP * now
    than = "more than now" if most > 100 else "less than now" if most < 100 else "as now"
    words = f"{show(at, unit)} in play, {than}: {show(plays(most), 'h')}."
    return Answer("draw", question, words, drawing(a.plan, load, most * STEP), points, (unit, "h"), wish, at)


def charger_amps(a: Answers, board: ChargeBoard) -> Answer:
    """What a charge board must give to be full within the hours of the brief.

    Parameters
    ----------
    a : Answers
        The build.
    board : ChargeBoard
        One of it.

    Returns
    -------
    Answer
        Within what can be set on the board, to a hundredth of an amp.
    """
    wish = a.plan.brief.charge_hours
    knob = settable(board.adjustable, "current_a")
    low, high = (knob.low, knob.high) if knob else (board.current_a.likely, board.current_a.likely)

    def of(step: int) -> Plan | None:
        changed = within(board, "current_a", step * STEP)
        return replaced(a.plan, changed) if changed else a.plan if abs(step * STEP - board.current_a.likely) < STEP / 2 else None

    def takes(step: int) -> float:
        plan = of(step)
        found = next((c.off.hours for c in a.of(plan).charges if c.board.id == board.id), None) if plan else None
        return found or 1e9

    steps = (max(round(low / STEP), 1), round(high / STEP))
    least = _least(*steps, lambda n: takes(n) <= wish)
    question = f"What must {board.name} give to be full in {show(wish, 'h')}?"
    around = sorted({steps[0], (steps[0] + steps[1]) // 2, steps[1]} | ({least} if least else set()))
    points = tuple((n * STEP, t) for n in around if (t := takes(n)) < 1e8)
    if least is None:
        words = (
            f"More than it can: at {show(high, 'A')} it takes {show(takes(steps[1]), 'h')}."
            if takes(steps[1]) < 1e8
            else "It never fills it."
        )
        return Answer("charger", question, words, None, points, ("A", "h"), wish)
    return Answer(
        "charger",
        question,
        f"{show(least * STEP, 'A')}: {show(takes(least), 'h')}.",
        of(least),
        points,
        ("A", "h"),
        wish,
        least * STEP,
    )


def weakest_board(a: Answers, board: Converter) -> Answer:
    """The weakest board in the main one's place that carries every peak, by the amps of its switch.

    Parameters
    ----------
    a : Answers
        The build.
    board : Converter
        The main one.

    Returns
    -------
    Answer
        Of the classes that fit there, and the one that stands there.
    """
    accepted = a.plan.brief.resets_per_charge
    others = (f.plan.by_id[board.id] for f in islice(other_boards(a, board), MOST_BOARDS))
    fits = [board, *(p for p in others if isinstance(p, Converter) and p.kind == board.kind)]
    rated = sorted((p for p in fits if p.switch_current_a), key=_strength)
    question = f"What is the weakest board for {board.name} without a reset?"
    points, found = [], None
    for candidate in rated:
        plan = replaced(a.plan, candidate)
        other = a.of(plan)
        expected = other.resets.expected if other.resets else 0.0
        assert candidate.switch_current_a is not None
        if _plays(a, plan) <= 0:
            continue
        points.append((candidate.switch_current_a.likely, expected))
        if expected <= accepted and found is None:
            found = candidate, plan, expected
    unit = ("A", "")
    if found is None:
        return Answer("board", question, "None of the library: the peaks need another way.", None, tuple(points), unit, accepted)
    candidate, plan, expected = found
    assert candidate.switch_current_a is not None
    amps = candidate.switch_current_a.likely
    words = f"{candidate.name}, {show(amps, 'A')} of switch: {expected:.2g} resets over a pack."
    return Answer("board", question, words, plan, tuple(points), unit, accepted, amps)


def _strength(board: Converter) -> tuple[float, float]:
    return (board.switch_current_a.likely if board.switch_current_a else 0.0, board.cost or 0.0)


def thinnest(a: Answers, pack: Pack, packs: tuple[Candidate, ...]) -> Answer:
    """How thin it can get and still play the hours of the brief.

    Parameters
    ----------
    a : Answers
        The build.
    pack : Pack
        The one that is replaced.
    packs : tuple of Candidate
        Those that fit.

    Returns
    -------
    Answer
        Of packs that are judged on the whole build.
    """
    wish = a.plan.brief.hours
    question = f"How thin can the pack get and play {show(wish, 'h')}?"
    long_enough = sorted((c for c in packs if (c.runtime_h or 0.0) >= wish * 0.97), key=lambda c: c.thickness_mm)
    points = tuple((c.thickness_mm, c.runtime_h or 0.0) for c in packs if c.frontier)
    for c in long_enough:
        plan = replaced(a.plan, altered(pack, cell=c.cell, series=c.series, parallel=c.parallel))
        hours = _plays(a, plan)
        if hours >= wish:
            words = f"{show(c.thickness_mm, 'mm')}: {c.series} × {c.parallel} of {c.cell.name}, {show(hours, 'h')}."
            return Answer("thin", question, words, plan, points, ("mm", "h"), wish, c.thickness_mm)
    return Answer("thin", question, "No pack that fits the bay plays so long.", None, points, ("mm", "h"), wish)


def _least(low: int, high: int, holds: Callable[[int], bool]) -> int | None:
    """The least whole number from which something holds, where it holds from there on."""
    if low > high or not holds(high):
        return None
    while low < high:
        middle = (low + high) // 2
        low, high = (low, middle) if holds(middle) else (middle + 1, high)
    return low


def _most(low: int, high: int, holds: Callable[[int], bool]) -> int | None:
    """The most whole number up to which something holds, where it holds until there."""
    if low > high or not holds(low):
        return None
    while low < high:
        middle = (low + high + 1) // 2
        low, high = (middle, high) if holds(middle) else (low, middle - 1)
    return low
