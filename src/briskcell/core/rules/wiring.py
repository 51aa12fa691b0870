"""Rules of the wiring: every conductor protected, none too warm, none longer than it must be."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.moves.fix import Fix, only
from briskcell.core.moves.wires import outliving
from briskcell.core.wiring.fuses import FUSE_SHARE, FuseCheck
from briskcell.core.wiring.harness import LinkCheck, find_gauge, slack_length_m
from briskcell.core.wiring.shorts import ShortCheck
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.parts import Converter, Fed, Link, State
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.model.tree import feeders_of, free_id
from briskcell.model.units import show

from .registry import Finding, rule

GAUGES = (28.0, 26.0, 24.0, 22.0, 20.0, 18.0, 16.0, 14.0)


@rule(
    "fuse-at-the-store",
    station="wiring",
    shown=("wiring/shorts",),
    source="A board fed behind its input jack has no fuse of its own left",
)
def fuse_at_the_store(assessed: Answers) -> Iterator[Finding]:
    """Between a pack and everything it feeds there is a fuse."""
    plan = assessed.plan
    for pack in plan.packs:
        for child in plan.fed.get(pack.id, ()):
            if not _guarded(plan, child):
                yield Finding(
                    "fails",
                    pack.id,
                    f"No fuse lies between {pack.name} and {child.name}: a short there draws all the pack can give.",
                    0.4,
                    partial(_with_fuse, assessed, pack, child),
                )


def _guarded(plan: Plan, part: Fed) -> bool:
    """A part is a fuse, a return, or a link with a fuse on every way on."""
    if isinstance(part, Link) and part.kind in ("fuse", "return"):
        return True
    below = plan.fed.get(part.id, ())
    return isinstance(part, Link) and bool(below) and all(_guarded(plan, p) for p in below)


def _fuses(assessed: Answers) -> list[tuple[Link, float]]:
    """Fuses within reach and their ratings, smallest first."""
    rated = [(k, k.rating_a.likely) for k in assessed.stock.links if k.kind == "fuse" and k.rating_a]
    return sorted(rated, key=lambda pair: pair[1])


def _with_fuse(assessed: Answers, pack: Pack, child: Fed) -> Iterator[Fix]:
    column = assessed.op.network.branch.get(child.id, assessed.op.network.branch[pack.id])
    peak = assessed.op.flow.branch_a[State.PEAK, :, column]
    most = float(peak[peak < math.inf].max(initial=0.0))
    for fuse, rating_a in _fuses(assessed):
        if rating_a * FUSE_SHARE >= most:
            new = altered(fuse, id=free_id(assessed.plan, f"fuse-{pack.id}"), fed_by=pack.id)
            plan = remade(assessed.plan, {"links": (*assessed.plan.links, new)})
            plan = replaced(plan, altered(plan.by_id[child.id], fed_by=new.id))
            yield Fix(f"{fuse.name} right at {pack.name}", "holds the peak and cuts a short.", plan)
            yield from _with_thicker(assessed, plan, f"{fuse.name} right at {pack.name}", new.id)


def _with_thicker(assessed: Answers, plan: Plan, words: str, fuse: str) -> Iterator[Fix]:
    """The same with the wires behind the fuse thick enough that it opens in time."""
    for gauge in GAUGES:
        thin = [w for w in plan.links if w.kind == "wire" and w.awg is not None and w.awg > gauge and _behind(plan, w, fuse)]
        if not thin:
            continue
        changed = plan
        for wire in thin:
            changed = replaced(changed, altered(wire, awg=gauge))
        if not next(c.words for c in assessed.of(changed).fuses if c.fuse.id == fuse):
            names = ", ".join(w.name for w in thin[:2]) + (" and others" if len(thin) > 2 else "")
            yield Fix(f"{words}, with {gauge:.0f} AWG for {names},", "holds the peak and protects the wire.", changed)
            return


def _behind(plan: Plan, wire: Link, fuse: str) -> bool:
    """Whether a wire lies behind a fuse, before the next board or fuse."""
    for part in feeders_of(plan, wire):
        if part.id == fuse:
            return True
        if isinstance(part, Converter) or (isinstance(part, Link) and part.kind == "fuse"):
            return False
    return False


@rule("fuse-choice", station="wiring", shown=("wiring/shorts",), source="IEC 60127-2; Onderdonk's equation")
def fuse_choice(assessed: Answers) -> Iterator[Finding]:
    """A fuse holds the warm peak, and opens before the thinnest wire behind it suffers."""
    for check in assessed.fuses:
        if check.words:
            yield Finding(
                "fails",
                check.fuse.id,
                check.words,
                0.3,
                partial(_other_fuse, assessed, check),
                "Choose another fuse or a thicker wire.",
            )


def _other_fuse(assessed: Answers, check: FuseCheck) -> Iterator[Fix]:
    for fuse, _ in _fuses(assessed):
        plan = replaced(assessed.plan, altered(fuse, id=check.fuse.id, fed_by=check.fuse.fed_by))
        now = next(c for c in assessed.of(plan).fuses if c.fuse.id == check.fuse.id)
        if not now.words:
            yield Fix(f"{fuse.name} in its place", "holds the peak and opens in time.", plan)
        else:
            yield from _with_thicker(assessed, plan, f"{fuse.name} in its place", check.fuse.id)


@rule(
    "wire-warmth",
    station="wiring",
    shown=("wiring/conductors",),
    source="I²R = h·π·d·ΔT; IEC 60364-5-52 for bundles; IPC-2221 for traces",
)
def wire_warmth(assessed: Answers) -> Iterator[Finding]:
    """No conductor warms past what its insulation stands in the warm case."""
    for check in assessed.links:
        if check.rise_k is not None and check.rise_k > check.allowed_k:
            how = "runs away" if math.isinf(check.rise_k) else f"warms by {check.rise_k:.0f} K"
            cause = (
                f"{check.link.name} {how} in play; its insulation stands {max(check.allowed_k, 0):.0f} K over the air in the case."
            )
            yield Finding(
                "fails", check.link.id, cause, 0.5, partial(_thicker, assessed, check), "A wider trace, or a thicker wire."
            )


def _thicker(assessed: Answers, check: LinkCheck) -> Iterator[Fix]:
    link = check.link
    if link.kind != "wire" or link.awg is None:
        return
    gauge = find_gauge(
        check.amps,
        link.length_m or 0.1,
        max(check.drop_v, 0.02),
        air_c=assessed.heat.air_c,
        insulation_c=assessed.heat.air_c + check.allowed_k,
        bundle=link.strands_in_bundle,
    )
    for awg in (gauge, *GAUGES):
        if awg is not None and awg < link.awg:
            yield Fix(
                f"{awg:.0f} AWG instead of {link.awg:.0f} AWG for {link.name}",
                f"carries {show(check.amps, 'A')}.",
                replaced(assessed.plan, altered(link, awg=awg)),
            )


@rule(
    "short-lasts",
    station="wiring",
    shown=("wiring/shorts",),
    worst="close",
    source="A buck or linear regulator holds its limit through a short; IEC 60724 for a moment's heat",
)
def short_lasts(assessed: Answers) -> Iterator[Finding]:
    """The insulation of every wire outlives a short at its far end, also where nothing opens on it."""
    past: dict[str, list[ShortCheck]] = {}
    for check in assessed.shorts:
        if not check.safe and (check.held_by or check.opener):
            board = next((p for p in feeders_of(assessed.plan, check.link) if isinstance(p, Converter)), None)
            past.setdefault(board.id if board and check.held_by else check.link.id, []).append(check)
    for element, checks in past.items():
        most = max(checks, key=lambda c: c.reaches_c)
        what = f"{most.link.name}" if len(checks) == 1 else f"one of {len(checks)} wires"
        when = (
            f"would last: {most.held_by} may hold {show(most.fault_a, 'A')} all the while"
            if most.held_by
            else f"draws {show(most.fault_a, 'A')} until {most.opener} opens after {most.opens_s:.2g} s"
        )
        which = "it" if len(checks) == 1 else most.link.name
        cause = (
            f"A short at the end of {what} {when}; {which} would then reach {most.reaches_c:.0f} °C, "
            f"its insulation stands {most.insulation_c:.0f} °C."
        )
        yield Finding("close", element, cause, 0.1, partial(_outlive, assessed, checks), "A thicker wire, or a fuse of its own.")


def _outlive(assessed: Answers, checks: list[ShortCheck]) -> Iterator[Fix]:
    if (found := outliving(assessed, [c.link for c in checks])) is not None:
        yield found


@rule("slack", station="wiring", shown=("wiring/conductors",), source="Run plus the slack that service needs: a seventh and 20 mm")
def slack(assessed: Answers) -> Iterator[Finding]:
    """No conductor is longer than its run plus the slack that service needs."""
    for check in assessed.links:
        if check.excess_m > 0.005 and check.link.run_m is not None:
            length = round(slack_length_m(check.link.run_m), 3)
            plan = replaced(assessed.plan, altered(check.link, length_m=length))
            yield Finding(
                "close",
                check.link.id,
                f"{check.link.name} is {check.excess_m * 100:.0f} cm longer than its run and its slack.",
                0.05,
                only(f"{length * 100:.0f} cm", "reaches and can be serviced.", plan),
            )
