"""Rules of the wiring: every conductor protected, none too warm, none longer than it must be."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.wiring.fuses import FUSE_SHARE, FuseCheck
from briskcell.core.wiring.harness import LinkCheck, find_gauge, slack_length_m
from briskcell.model.changes import altered, remade, replaced
from briskcell.model.parts import Fed, Link, State
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.model.units import show

from .registry import Finding, Fix, rule


@rule("fuse-at-the-store", station="wiring", source="A board fed behind its input jack has no fuse of its own left")
def fuse_at_the_store(assessed: Answers) -> Iterator[Finding]:
    """Between a pack and everything it feeds there is a fuse."""
    plan = assessed.plan
    for pack in plan.packs:
        for child in plan.fed.get(pack.id, ()):
            if not _guarded(plan, child):
                yield Finding("fails", pack.id, f"No fuse lies between {pack.name} and {child.name}: a short there draws all the pack can give.",
                              0.4, partial(_with_fuse, assessed, pack, child))  # fmt: skip


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


def _with_fuse(assessed: Answers, pack: Pack, child: Fed) -> Fix | None:
    column = assessed.op.network.branch.get(child.id, assessed.op.network.branch[pack.id])
    peak = assessed.op.flow.branch_a[State.PEAK, :, column]
    most = float(peak[peak < math.inf].max(initial=0.0))
    for fuse, rating_a in _fuses(assessed):
        if rating_a * FUSE_SHARE >= most:
            new = altered(fuse, id=f"fuse-{pack.id}"[:48], fed_by=pack.id)
            plan = remade(assessed.plan, {"links": (*assessed.plan.links, new)})
            plan = replaced(plan, altered(plan.by_id[child.id], fed_by=new.id))
            return Fix(f"{fuse.name} right at {pack.name}", "holds the peak and cuts a short.", plan)
    return None


@rule("fuse-choice", station="wiring", source="IEC 60127-2; Onderdonk's equation")
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


def _other_fuse(assessed: Answers, check: FuseCheck) -> Fix | None:
    for fuse, _ in _fuses(assessed):
        plan = replaced(assessed.plan, altered(fuse, id=check.fuse.id, fed_by=check.fuse.fed_by))
        now = next(c for c in assessed.of(plan).fuses if c.fuse.id == check.fuse.id)
        if not now.words:
            return Fix(f"{fuse.name} in its place", "holds the peak and opens in time.", plan)
    return None


@rule("wire-warmth", station="wiring", source="I²R = h·π·d·ΔT; IEC 60364-5-52 for bundles; IPC-2221 for traces")
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


def _thicker(assessed: Answers, check: LinkCheck) -> Fix | None:
    link = check.link
    if link.kind != "wire" or link.awg is None:
        return None
    gauge = find_gauge(check.amps, link.length_m or 0.1, max(check.drop_v, 0.02), air_c=assessed.heat.air_c,
                       insulation_c=assessed.heat.air_c + check.allowed_k, bundle=link.strands_in_bundle)  # fmt: skip
    if gauge is None or gauge >= link.awg:
        return None
    return Fix(
        f"{gauge:.0f} AWG instead of {link.awg:.0f} AWG",
        f"carries {show(check.amps, 'A')}.",
        replaced(assessed.plan, altered(link, awg=gauge)),
    )


@rule("slack", station="wiring", source="Run plus the slack that service needs: a seventh and 20 mm")
def slack(assessed: Answers) -> Iterator[Finding]:
    """No conductor is longer than its run plus the slack that service needs."""
    for check in assessed.links:
        if check.excess_m > 0.005 and check.link.run_m is not None:
            length = round(slack_length_m(check.link.run_m), 3)
            plan = replaced(assessed.plan, altered(check.link, length_m=length))
            yield Finding("close", check.link.id, f"{check.link.name} is {check.excess_m * 100:.0f} cm longer than its run and its slack.", 0.05,
                          partial(Fix, f"{length * 100:.0f} cm", "reaches and can be serviced.", plan))  # fmt: skip
