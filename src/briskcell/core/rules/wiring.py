"""Rules of the wiring: every conductor protected, none too warm, none longer than it must be."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.engine.resistance import link_rating_a
from briskcell.core.moves.fix import Fix, only, placed
from briskcell.core.moves.fusing import fused_branches, usual_fuses
from briskcell.core.moves.wires import SILICONE_C, outliving
from briskcell.core.wiring.fuses import FUSE_SHARE, FuseCheck
from briskcell.core.wiring.harness import LinkCheck, find_gauge, slack_length_m
from briskcell.core.wiring.overload import END_OF_A_SHORT_C
from briskcell.core.wiring.shorts import ShortCheck
from briskcell.model.changes import altered, put_in, replaced
from briskcell.model.parts import Converter, Fed, Link, Part, State
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.model.tree import feeders_of, on_supply
from briskcell.model.units import show

from .registry import Finding, missed_by, rule

# Metres of wire between a cell and its first fuse that are worth a word, and that are too many: guesses after the standard's "short".
LEAD_M, BARE_LEAD_M = (0.15, 0.5), (0.08, 0.25)  # where a protection board opens on a short, and where nothing does
BARE = ("switch", "jack", "path", "trace", "diode")  # links with joints that one can touch; a plug and a holder cover theirs
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


def _with_fuse(assessed: Answers, pack: Pack, child: Fed) -> Iterator[Fix]:
    column = assessed.op.network.branch.get(child.id, assessed.op.network.branch[pack.id])
    peak = assessed.op.flow.branch_a[State.PEAK, assessed.op.down_to(assessed.end_of(pack.id)), column]
    most = float(peak[peak < math.inf].max(initial=0.0))
    for fuse, rating_a in usual_fuses(assessed):
        if rating_a * FUSE_SHARE >= most:
            plan, new = put_in(assessed.plan, fuse, pack.id, f"fuse-{pack.id}", [child])
            yield Fix(f"{fuse.name} right at {pack.name}", "holds the peak and cuts a short.", plan)
            yield from _with_thicker(assessed, plan, f"{fuse.name} right at {pack.name}", new)


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


@rule(
    "fuse-choice",
    station="wiring",
    shown=("wiring/shorts",),
    source="IEC 60364-4-43, In ≤ Iz; IEC 60127-2; Churchill and Chu; Onderdonk",
)
def fuse_choice(assessed: Answers) -> Iterator[Finding]:
    """A fuse holds the warm peak, and every wire and contact behind it carries what the fuse lets pass."""
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
        yield from _contacts(assessed, check)


def _contacts(assessed: Answers, check: FuseCheck) -> Iterator[Finding]:
    """Switches and plugs behind a fuse that are rated for less than it."""
    fuse_a = check.fuse.rating_a.likely if check.fuse.rating_a else 0.0
    for part in assessed.plan.links:
        rated = link_rating_a(part) if part.kind in ("switch", "plug", "jack", "flat", "path") else None
        if rated is None or rated >= fuse_a or not _behind(assessed.plan, part, check.fuse.id):
            continue
        cause = f"{part.name} is rated {show(rated, 'A')}; {check.fuse.name} before it lets {show(fuse_a, 'A')} pass for ever."
        search = partial(_smaller_fuse, assessed, check, rated)
        yield Finding(
            "close", part.id, cause, missed_by(rated, fuse_a), search, "A fuse of no more than its rating, or a stronger one."
        )


def _smaller_fuse(assessed: Answers, check: FuseCheck, rated_a: float) -> Iterator[Fix]:
    for fuse, rating_a in usual_fuses(assessed):
        if rating_a <= rated_a and FUSE_SHARE * rating_a >= check.peak_a:
            plan = replaced(assessed.plan, altered(fuse, id=check.fuse.id, fed_by=check.fuse.fed_by))
            yield Fix(f"{fuse.name} in place of {check.fuse.name}", "is no more than the contact stands.", plan)


def _other_fuse(assessed: Answers, check: FuseCheck) -> Iterator[Fix]:
    yield from _in_silicone(assessed, check)
    for fuse, _ in usual_fuses(assessed):
        plan = replaced(assessed.plan, altered(fuse, id=check.fuse.id, fed_by=check.fuse.fed_by))
        now = next(c for c in assessed.of(plan).fuses if c.fuse.id == check.fuse.id)
        if not now.words:
            yield Fix(f"{fuse.name} in its place", "holds the peak and opens in time.", plan)
        else:
            yield from _with_thicker(assessed, plan, f"{fuse.name} in its place", check.fuse.id)


def _in_silicone(assessed: Answers, check: FuseCheck) -> Iterator[Fix]:
    """The wires behind a fuse that it does not guard, in silicone, where the fuse holds the peak as it is."""
    wires = [s.link for s in assessed.shorts if not s.safe and _behind(assessed.plan, s.link, check.fuse.id)]
    if check.peak_a <= check.holds_a and (found := outliving(assessed, wires, SILICONE_C)) is not None:
        yield found
    if check.peak_a <= check.holds_a:
        yield from fused_branches(assessed, wires)


@rule("unfused-lead", station="wiring", shown=("wiring/shorts",), source="IEC 60364-4-43, 433.2 and 434.2: short, and covered")
def unfused_lead(assessed: Answers) -> Iterator[Finding]:
    """The lead between a cell and its first fuse is centimetres long: nothing guards it."""
    for lead in assessed.leads:
        close_m, fails_m = LEAD_M if lead.guarded else BARE_LEAD_M
        if lead.length_m <= close_m:
            continue
        what = "only the protection board opens, and on a short alone" if lead.guarded else "nothing opens"
        cause = f"{show(lead.length_m, 'm')} of wire lie between {lead.store.name} and {lead.fuse.name}: whatever touches there, {what}."
        yield Finding(
            "fails" if lead.length_m > fails_m else "close",
            lead.wires[-1].id,
            cause,
            missed_by(lead.length_m, close_m) / 10.0,
            partial(_to_the_front, assessed.plan, lead.fuse, (lead.wires[-1], lead.store), "guards the lead too."),
            "Put the fuse right at the pack, and cover the lead.",
        )


@rule(
    "fuse-first",
    station="wiring",
    shown=("wiring/shorts",),
    source="IEC 60364-4-43, 433.2: what guards against a short stands where the conductor begins, before anything bare",
)
def fuse_first(assessed: Answers) -> Iterator[Finding]:
    """A fuse stands before the first bare joint behind the cells: before switch, jack and board."""
    plan = assessed.plan
    for fuse in plan.links:
        if fuse.kind != "fuse" or on_supply(plan, fuse):
            continue
        way = list(feeders_of(plan, fuse))
        bare = [p for p in way if isinstance(p, Link) and p.kind in BARE]
        if not bare or any(isinstance(p, Converter) or (isinstance(p, Link) and p.kind == "fuse") for p in way):
            continue
        store = way[-1]
        guarded = not isinstance(store, Pack) or store.protection is not None
        what = "only its protection board opens, and on a short alone" if guarded else "nothing opens"
        cause = f"{bare[-1].name} lies between {store.name} and {fuse.name}: its joints are bare, and where they touch {what}."
        yield Finding(
            "close" if guarded else "fails",
            fuse.id,
            cause,
            0.1 if guarded else 0.4,
            partial(_to_the_front, plan, fuse, (way[-2], store), "stands before every bare joint."),
            "Put the fuse right at the pack.",
        )


def _to_the_front(plan: Plan, fuse: Link, last: tuple[Part, Part], brings: str) -> Iterator[Fix]:
    """The fuse right at the store, before what lies there now."""
    first, store = last
    if not isinstance(first, Link) or first.fed_by != store.id or sum(not _is_return(p) for p in plan.fed.get(store.id, ())) != 1:
        return
    changed = plan
    for part in plan.fed.get(fuse.id, ()):
        changed = replaced(changed, altered(part, fed_by=fuse.fed_by))
    changed = replaced(changed, altered(fuse, fed_by=store.id))
    yield Fix(f"{fuse.name} right at {store.name}", brings, replaced(changed, altered(first, fed_by=fuse.id)))


def _is_return(part: Fed) -> bool:
    return isinstance(part, Link) and part.kind == "return"


@rule("rated-volts", station="wiring", shown=("wiring/contacts",), source="A contact breaks no more DC volts than its sheet says")
def rated_volts(assessed: Answers) -> Iterator[Finding]:
    """A fuse, switch and plug can break the DC volts that they get."""
    op = assessed.op
    for part in assessed.plan.links:
        if part.rating_v is None or part.id not in op.network.position:
            continue
        row = op.network.position[part.id]
        most = float(op.flow.element_v[..., row].max(initial=0.0))
        if most > part.rating_v + 1e-9:
            yield Finding(
                "fails",
                part.id,
                f"{part.name} breaks {show(part.rating_v, 'V')} DC and gets {show(most, 'V')}: an arc may stand in it.",
                missed_by(most, part.rating_v),
                partial(_breaks, assessed, part, most),
                "Choose one that is rated for the volts.",
            )


def _breaks(assessed: Answers, part: Link, volts: float) -> Iterator[Fix]:
    for other in sorted(assessed.stock.links, key=lambda k: k.cost or 0.0):
        strong = other.rating_a is not None and part.rating_a is not None and other.rating_a.likely >= part.rating_a.likely
        if other.kind == part.kind and strong and other.rating_v is not None and other.rating_v >= volts:
            yield Fix(
                f"{other.name} in its place", f"breaks {show(other.rating_v, 'V')}.", replaced(assessed.plan, placed(part, other))
            )


@rule(
    "wire-warmth",
    station="wiring",
    shown=("wiring/conductors",),
    source="Churchill and Chu, horizontal cylinder, with radiation; IEC 60364-5-52 for bundles; IPC-2221 for traces",
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
    source="A buck or linear regulator holds its limit through a short; IEC 60724 for a moment's heat",
)
def short_lasts(assessed: Answers) -> Iterator[Finding]:
    """The insulation of every wire outlives a short at its far end, dead or partial, also where nothing opens on it."""
    past: dict[str, list[ShortCheck]] = {}
    for check in assessed.shorts:
        board = next((p for p in feeders_of(assessed.plan, check.link) if isinstance(p, Converter)), None)
        if (
            not check.safe and not check.guard and (board or check.held_by or check.worst.opener)
        ):  # of a guard's own wires its rule speaks
            past.setdefault(board.id if board else check.link.id, []).append(check)
    for element, checks in past.items():
        most = max(checks, key=lambda c: c.worst.past_k)
        worst = most.worst
        what = f"{most.link.name}" if len(checks) == 1 else f"one of {len(checks)} wires"
        when = (
            f"would last: {most.held_by} may hold {show(worst.amps, 'A')} all the while"
            if most.held_by
            else f"may draw {show(worst.amps, 'A')} for as long as it lasts, and nothing opens on that"
            if not worst.opener
            else f"draws {show(worst.amps, 'A')} until {worst.opener} opens after {worst.opens_s:.2g} s"
        )
        which = "it" if len(checks) == 1 else most.link.name
        cause = (
            f"A short at the end of {what} {when}; {which} would then reach {worst.reaches_c:.0f} °C, "
            f"its insulation stands {most.link.insulation_c:.0f} °C."
        )
        burns = bool(most.held_by) and worst.reaches_c > END_OF_A_SHORT_C
        search = partial(_outlive, assessed, checks)
        yield Finding("fails" if burns else "close", element, cause, 0.1, search, "A thicker wire, or a fuse of its own.")


def _outlive(assessed: Answers, checks: list[ShortCheck]) -> Iterator[Fix]:
    """A fuse of their own, silicone wire, thicker wire: whatever makes every one of them outlive it."""
    wires = [c.link for c in checks]
    if all(c.held_by for c in checks):
        yield from filter(None, [outliving(assessed, wires)])
    yield from filter(None, [outliving(assessed, wires, SILICONE_C)])
    yield from fused_branches(assessed, wires)
    yield from filter(None, [outliving(assessed, wires)])


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
