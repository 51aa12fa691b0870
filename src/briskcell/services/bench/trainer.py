"""Practice as a page plays it: a case by its seed, and what was done so far as a line of text that its address carries."""

from __future__ import annotations

import re
from dataclasses import dataclass

from briskcell.core.answers import Answers
from briskcell.core.bench.practice import GRADES, GROUND, MOST, Case, Probe, Tell, burns, case_of, probe, shortest_way
from briskcell.core.bench.specimen import KINDS, WORDS, Fault
from briskcell.model.plan import Plan

SEEDS = 1_000_000
DONE = re.compile(r"([vaop])([jn])~([\w-]{1,80})~([\w-]{1,80})(?:~([\w-]{1,80}))?")
SAID = re.compile(r"w~([a-z_]{2,20})~([\w-]{1,80})")  # a wrong answer
WRONG_COSTS = 3  # readings that a wrong answer counts for, and one that broke something on the way
MODES = {"v": "volts", "a": "amps", "o": "ohms", "p": "pads"}
CARELESS = ("short", "swapped")  # which burn something as soon as the pack is joined


@dataclass(frozen=True, slots=True)
class Verdict:
    """What a learner said, and whether it is so; once it is right or given up, what there is to learn from it. Said before
    anything was read, it is ``unread``, and counts for nothing.
    """

    said: str
    right: bool
    near: bool
    given_up: bool
    unread: bool
    truth: str
    way: tuple[Tell, ...]
    burned: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Practice:
    """A case with its readings so far; ``hurt`` is what was broken on the way by joining the pack too soon, ``wrong`` how many
    answers were; ``score`` counts readings, and each of those as several, against ``par``, the readings of the shortest way.
    """

    case: Case
    probes: tuple[Probe, ...]
    hurt: tuple[str, ...]
    verdict: Verdict | None
    log: str
    full: bool
    wrong: int = 0
    score: int = 0
    par: int | None = None


def points(plan: Plan) -> tuple[tuple[str, str], ...]:
    """Where probes can go: elements that have a plus, and ground."""
    parts = [*plan.stores, *plan.chargers, *plan.links, *plan.converters, *plan.loads]
    return ((GROUND, "ground, any minus"), *((p.id, p.name) for p in parts))


def practised(
    a: Answers, seed: int, grade: int, log: str, *, more: str = "", says: str = "", gives_up: bool = False
) -> Practice | None:
    """A case played so far.

    Parameters
    ----------
    a : Answers
        The build.
    seed, grade : int
        Which case.
    log : str
        Readings so far, each as mode, pack joined or not, red, black and what is unplugged, ``vj~board~ground~radio``, and wrong
        answers, ``w~trimmer~boost``, with a full stop between them.
    more : str
        One more reading.
    says : str
        What the learner says is wrong: a fault's kind and where, with a comma between.
    gives_up : bool
        Whether the answer is asked for.

    Returns
    -------
    Practice or None
        None where the build cannot be practised on.
    """
    case = case_of(a, seed % SEEDS, grade if grade in GRADES else 1)
    if case is None:
        return None
    known = {name for name, _ in points(a.plan)} | {""}
    before = [m[0] for text in log.split(".") if (m := SAID.fullmatch(text))]
    done = [m for text in (*log.split("."), more) if (m := DONE.fullmatch(text)) and {m[3], m[4], m[5] or ""} <= known][:MOST]
    probes = tuple(
        probe(case, MODES[m[1]], m[3], m[4], joined=m[2] == "j", number=k, without=m[5] or "")  # type: ignore[arg-type]
        for k, m in enumerate(done)
    )
    careless = any(p.joined for p in probes) and case.fault.kind in CARELESS
    kind, _, where = says.partition(",")
    verdict = None
    if (kind in KINDS and where and where in known) or gives_up:
        said = Fault(kind, where) if where else None  # type: ignore[arg-type]
        verdict = _verdict(case, said, gives_up, unread=not probes)
        answer = f"w~{kind.replace(' ', '_')}~{where}"
        if not verdict.right and not gives_up and probes and answer not in before:
            before.append(answer)
    hurt = burns(case.specimen) if careless else ()
    score = len(probes) + WRONG_COSTS * (len(before) + bool(hurt))
    par = max(len(verdict.way), 1) if verdict and verdict.truth and verdict.way else None
    told = ".".join((*(m[0] for m in done), *before))
    return Practice(case, probes, hurt, verdict, told, len(done) >= MOST, len(before), score, par)


def _verdict(case: Case, said: Fault | None, gives_up: bool, *, unread: bool) -> Verdict:
    plan = case.specimen.plan

    def words(fault: Fault) -> str:
        return f"{WORDS[fault.kind]} at {plan.by_id[fault.where].name}"

    right = said == case.fault and not unread
    near = said is not None and not right and not unread and (said.where == case.fault.where or said.kind == case.fault.kind)
    over = right or gives_up
    return Verdict(
        words(said) if said else "",
        right,
        near,
        gives_up and not right,
        unread and not gives_up,
        words(case.fault) if over else "",
        shortest_way(case) if over else (),
        burns(case.specimen) if over else (),
    )
