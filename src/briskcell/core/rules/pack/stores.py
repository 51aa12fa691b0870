"""Rules of what stores are: proven capacity, equal voltages, ratings, banks, what is kept for a shutdown, the shelf."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.moves.charging import other_chargers
from briskcell.core.moves.fix import Fix, only, placed
from briskcell.core.moves.packs import as_one, other_packs
from briskcell.core.pack.rated import nominal_v, rated_wh
from briskcell.core.pack.switching import card_loads
from briskcell.model.changes import altered, put_in, replaced, warned
from briskcell.model.parts import Converter, Load, State
from briskcell.model.plan import Store
from briskcell.model.stores import Pack
from briskcell.model.tree import behind_links, stays_connected
from briskcell.model.units import show

from ..registry import Finding, missed_by, no_fix, rule

DENSEST_LITHIUM = 800.0  # Wh a litre of any lithium cell sold
DENSEST_WH_PER_L = {"LFP": 420.0, "NiMH": 480.0, "alkaline": 560.0}  # of other chemistries, the best that is sold
CARRIER_WH, REFUSED_WH = 100.0, 160.0
EASY_SHARE = 0.5  # of what a string may be charged with, that may flow as two are joined without a word
TIRED, RETIRED = 0.7, 0.55  # of its first capacity: worth a word, and no more to be used; typical of second-life sorting
ALIKE = 0.05  # of their capacity, within which cells of one batch differ; typical
CAP_SHARE = 0.9  # of its rating, that a supercapacitor is charged to: its life doubles for each 0.1 V less


@rule(
    "proven-capacity",
    station="pack",
    shown=("pack/cells",),
    source="Energy density of lithium cells, Linden's Handbook of Batteries, 4th ed.",
)
def proven_capacity(assessed: Answers) -> Iterator[Finding]:
    """A capacity is proven by a test or a sheet, and fits the cell's own volume."""
    for pack in assessed.plan.packs:
        cell = pack.cell
        if cell.measured_ah is not None and cell.measured_ah.likely < 0.8 * cell.label_ah.likely:
            cause = (
                f"{cell.name} says {show(cell.label_ah.likely, 'Ah')} and is counted with {show(cell.measured_ah.likely, 'Ah')}."
            )
            yield Finding("close", pack.id, cause, 0.2, advice="The label does not count; a capacity test of each cell does.")
            continue
        litres, volts = _litres(pack), nominal_v(cell)
        dense = cell.label_ah.likely * volts / litres if litres else 0.0
        densest = DENSEST_WH_PER_L.get(cell.chemistry, DENSEST_LITHIUM)
        if cell.measured_ah is None and dense > densest:
            most = densest * litres / volts
            cause = f"{cell.name} says {show(cell.label_ah.likely, 'Ah')}: {dense:.0f} Wh a litre, more than any cell of its chemistry holds."
            yield Finding(
                "fails",
                pack.id,
                cause,
                missed_by(dense, densest),
                partial(_count_less, assessed, pack, most),
                "Test the capacity and enter what was measured.",
            )
        elif cell.measured_ah is None and cell.label_ah.grade == "guessed":
            yield Finding(
                "close",
                pack.id,
                f"The capacity of {cell.name} is a guess that no test confirms.",
                0.05,
                advice="Test the capacity of one cell and enter what was measured.",
            )


def _litres(pack: Pack) -> float:
    cell = pack.cell
    if cell.thickness_mm is None or cell.length_mm is None:
        return 0.0
    width = cell.width_mm or cell.thickness_mm
    round_share = math.pi / 4.0 if cell.is_round else 1.0
    return cell.thickness_mm * width * cell.length_mm * round_share * 1e-6


def _count_less(assessed: Answers, pack: Pack, most_ah: float) -> Iterator[Fix]:
    figure = pack.cell.label_ah.at(round(most_ah * 0.6, 2), source="what a cell of this size may hold, until it is tested")
    cell = pack.cell.model_copy(update={"measured_ah": figure})
    words = f"Count with {show(figure.likely, 'Ah')} until it is tested"
    yield Fix(words, "is what such a cell may hold.", replaced(assessed.plan, altered(pack, cell=cell)))
    wanted = assessed.plan.brief.hours * max(assessed.draw.mean_w, 0.05)
    yield from (f for f in other_packs(assessed, pack, least_wh=1.25 * wanted) if _trusted(f, pack))


def _trusted(fix: Fix, pack: Pack) -> bool:
    """Whether a fix has other cells than those whose label promises too much."""
    now = fix.plan.by_id[pack.id]
    return isinstance(now, Pack) and now.cell.label_ah != pack.cell.label_ah


@rule(
    "retired",
    station="pack",
    shown=("pack/cells",),
    source="Below some six tenths of its first capacity a lithium cell ages faster and swells; practice of second-life sorting",
)
def retired(assessed: Answers) -> Iterator[Finding]:
    """No cell is used on that holds half of what it once did."""
    for pack in assessed.plan.packs:
        cell = min(pack.string_cells, key=lambda c: c.health)
        if cell.rechargeable and cell.health < TIRED:
            cause = f"{cell.name} holds {show(cell.health, '%')} of what it did when new: worn cells swell, leak and drop out in the cold."
            new = cell.model_copy(update={"health": 1.0})
            search = only("New cells of the same class", "hold what they should.", replaced(assessed.plan, altered(pack, cell=new)))
            state = "fails" if cell.health < RETIRED else "close"
            yield Finding(state, pack.id, cause, 1.0 - cell.health, no_fix if pack.strings else search, "Retire them.")


@rule("equal-strings", station="pack", shown=("pack/cells",), source="Current between strings, (V1 − V2)/(r1 + r2)")
def equal_strings(assessed: Answers) -> Iterator[Finding]:
    """Strings are joined in parallel only where no more would flow between them than the emptier one may be charged with."""
    for pack in assessed.plan.packs:
        measured = [s for s in pack.strings if s.ocv_v is not None]
        for a, b in itertools.combinations(measured, 2):
            apart = abs((a.ocv_v or 0.0) - (b.ocv_v or 0.0))
            ohm = pack.series * sum(s.cell.resistance_ohm.likely * s.cell.fast.value[-1] for s in (a, b))
            flows, low = apart / max(ohm, 1e-6), min((a, b), key=lambda s: s.ocv_v or 0.0)
            share = flows / low.cell.max_charge_a.likely
            if share > EASY_SHARE:
                cause = f"Two strings of {pack.name} stand {show(apart, 'V')} apart: joined, {show(flows, 'A')} would flow between them."
                told = f" The emptier one takes {show(low.cell.max_charge_a.likely, 'A')}."
                state = "fails" if share > 1.0 else "close"
                yield Finding(
                    state, pack.id, f"{cause}{told}", share, advice="Charge both to the same voltage before they are joined."
                )


@rule(
    "weakest-in-series",
    station="pack",
    shown=("pack/cells",),
    source="The weakest cell in series is empty first; driven on, its volts turn round",
)
def weakest_in_series(assessed: Answers) -> Iterator[Finding]:
    """Cells in series hold the same; where they do not, each is watched on its own."""
    for pack in assessed.plan.packs:
        held, weakest = pack.cell.capacity_ah.likely, pack.cell.in_series_ah(pack.series).likely
        if weakest >= (1.0 - ALIKE) * held:
            continue
        left = (held - weakest) * pack.cell.health * (pack.series - 1) * pack.parallel * nominal_v(pack.cell)
        cause = (
            f"The weakest of {pack.name}'s cells in series holds {show(weakest, 'Ah')}, the others {show(held, 'Ah')}: it is empty "
            f"first, and {show(left, 'Wh')} stay in the others."
        )
        if pack.protection is None:
            cause += (
                " Nothing watches the cells one by one, so the others drive it past empty, which ruins it and can set it alight."
            )
        cell = pack.cell.model_copy(update={"weakest_ah": None})
        yield Finding(
            "close" if pack.protection else "fails",
            pack.id,
            cause,
            1.0 - weakest / held,
            only(
                "A cell like the others in the place of the weakest",
                "holds as much as they do.",
                replaced(assessed.plan, altered(pack, cell=cell)),
            ),
        )


@rule("capacitor-rating", station="pack", shown=("pack/cells",), source="Life of a supercapacitor falls by half for each 0.1 V")
def capacitor_rating(assessed: Answers) -> Iterator[Finding]:
    """A supercapacitor is charged to no more than nine tenths of its rating."""
    for cap in assessed.plan.capacitors:
        share = cap.full_v / cap.rating_v
        if share > CAP_SHARE:
            plan = replaced(assessed.plan, altered(cap, full_v=float(f"{CAP_SHARE * cap.rating_v:.3g}")))
            yield Finding(
                "fails" if share > 1 else "close",
                cap.id,
                f"{cap.name} is charged to {cap.full_v:.2f} V of {cap.rating_v:.2f} V.",
                share,
                only(f"Charge it to {show(CAP_SHARE * cap.rating_v, 'V')}", "leaves a tenth.", plan),
            )


@rule("use-room", station="pack", wish="cells_c", shown=("pack/cells",), source="Cells: −20 to 60 °C in use, IEC 62133-2")
def use_room(assessed: Answers) -> Iterator[Finding]:
    """Cells are used within their temperatures."""
    at = assessed.plan.brief.cells_c
    for pack in assessed.plan.packs:
        cell = pack.cell
        if not cell.use_low_c <= at <= cell.use_high_c:
            cause = f"The cells would be used at {at:.0f} °C; they are rated {cell.use_low_c:.0f} to {cell.use_high_c:.0f} °C."
            yield Finding("fails", pack.id, cause, 0.7, advice="Keep them warmer or cooler: no part of the build changes that.")


@rule("bank-output", station="pack", shown=("pack/answers",), source="The bank's own cut-offs")
def bank_output(assessed: Answers) -> Iterator[Finding]:
    """A power bank neither switches off at rest nor cuts its output while it charges."""
    op, plan = assessed.op, assessed.plan
    for bank in plan.banks:
        amps = op.flow.branch_a[State.REST, :, op.network.branch[bank.id]]
        least = float(amps.min())
        if least < bank.least_load_a.likely:
            cause = f"At rest {bank.name} gives {show(least, 'A')} and switches off below {show(bank.least_load_a.likely, 'A')} after {bank.off_after_s:.0f} s."
            yield Finding("fails", bank.id, cause, 0.6, advice="Use a bank that stays on, or a load that keeps it awake.")
        if plan.brief.play_while_charging and not bank.output_while_charging:
            yield Finding(
                "fails",
                bank.id,
                f"{bank.name} cuts its output while it charges.",
                0.4,
                advice="Use a bank that feeds while it charges.",
            )


@rule(
    "one-of-each",
    station="pack",
    shown=("pack/answers",),
    worst="close",
    source="Two packs, two switches, two ports: one is always forgotten",
)
def one_of_each(assessed: Answers) -> Iterator[Finding]:
    """There are no more packs and charge ports than the brief asks for."""
    plan = assessed.plan
    ports = len({b.supply for b in plan.chargers})
    if ports > plan.brief.charge_ports:
        cause = f"The build has {ports} charge ports, {plan.brief.charge_ports} {'is' if plan.brief.charge_ports == 1 else 'are'} wanted."
        yield Finding(
            "close",
            plan.chargers[-1].id,
            cause,
            0.1,
            partial(as_one, assessed),
            "One port that fills all packs is never forgotten.",
        )
    fed = [s for s in plan.stores if plan.fed.get(s.id)]
    switches = sum(k.kind == "switch" for k in plan.links)
    if len(fed) > 1 and switches > 1:
        yield Finding(
            "close",
            fed[-1].id,
            f"{len(fed)} stores with {switches} switches: one of them will be left on.",
            0.1,
            partial(as_one, assessed),
            "Join them behind one switch.",
        )


@rule("shutdown-reserve", station="pack", shown=("pack/answers",), source="1.5 times the energy of a shutdown, above the stop")
def shutdown(assessed: Answers) -> Iterator[Finding]:
    """When the warning comes, enough is left for a clean shutdown."""
    plan, found = assessed.plan, assessed.runtime
    if found is None or not found.unwarned_h or assessed.pack_index is None or not card_loads(plan):
        return
    element, reserve = plan.stores[assessed.pack_index].id, assessed.reserve
    if reserve is None:
        asked = plan.shutdown.warning_minutes
        cause = "Even a full store holds too little for a clean shutdown."
        if asked >= found.unwarned_h * 60.0:
            cause = f"The warning is to leave {asked:.0f} min of play; the whole store gives {found.unwarned_h * 60.0:.0f} min."
        yield Finding("fails", element, cause, 1.0, advice="Use a larger store, or ask for fewer minutes.")
        return
    at = f"at {reserve.under_load_v:.2f} V under load or {reserve.at_rest_v:.2f} V at rest"
    search = partial(_warn, assessed, round(reserve.under_load_v + 0.02, 2))
    if reserve.enough is None:
        yield Finding(
            "close",
            element,
            f"No warning before shutdown is set; it belongs {at}, {reserve.minutes_left * 60:.0f} s of play before the end.",
            0.05,
            search,
        )
    elif not reserve.enough:
        cause = f"The warning at {plan.shutdown.warning_v or 0:.2f} V comes too late for a clean shutdown; it belongs {at}."
        yield Finding("fails", element, cause, 0.3, search)


def _warn(assessed: Answers, volts: float) -> Iterator[Fix]:
    yield Fix(f"A warning at {volts:.2f} V", "leaves enough.", warned(assessed.plan, volts))


@rule(
    "shelf-life", station="pack", wish="shelf_days", shown=("pack/off",), source="Currents of boards when off, and self-discharge"
)
def shelf(assessed: Answers) -> Iterator[Finding]:
    """A full pack is not empty after the weeks on the shelf that the brief allows."""
    for store, life in zip(assessed.plan.stores, assessed.storage, strict=True):
        if life.days < assessed.plan.brief.shelf_days:
            who = f", most by {life.who[0][0]}" if life.who else ""
            cause = f"{store.name} is empty after {life.days:.0f} days on the shelf: {show(life.leakage_a, 'A')} leak{who}."
            yield Finding(
                "fails",
                store.id,
                cause,
                missed_by(life.days, assessed.plan.brief.shelf_days),
                partial(_sips_less, assessed, store),
                "Put the switch before the boards that sip, or use ones with a lower current when off.",
            )


def _sips_less(assessed: Answers, store: Store) -> Iterator[Fix]:
    """Boards that sip less when off in the place of those that sip; then a switch before what sips."""
    plan = assessed.plan
    for board in plan.chargers:
        if board.charges == store.id and board.off_current_a is not None:
            for other in sorted(assessed.stock.chargers, key=lambda c: c.cost or 0.0):
                alike = (other.cells, other.layout, other.kind) == (board.cells, board.layout, board.kind)
                if alike and other.off_current_a and other.off_current_a.likely < 0.5 * board.off_current_a.likely:
                    yield Fix(
                        f"{other.name} in its place",
                        f"sips {show(other.off_current_a.likely, 'A')} when off.",
                        replaced(plan, placed(board, other)),
                    )
            yield from other_chargers(assessed, board)
    fed = plan.fed.get(behind_links(plan, store).id, ())
    bare = [p for p in fed if isinstance(p, Converter | Load) and stays_connected(plan, p, store)]
    if bare:
        at = behind_links(plan, store)
        for switch in (k for k in assessed.stock.links if k.kind == "switch"):
            changed, _ = put_in(plan, switch, at.id, "switch")
            yield Fix(f"{switch.name} before the boards", "cuts off what sips.", changed)


@rule(
    "carrier",
    station="pack",
    shown=("pack/answers",),
    worst="close",
    source="Limits for lithium cells in a cabin; local rules and the carrier decide",
)
def carrier(assessed: Answers) -> Iterator[Finding]:
    """Somebody knows the watt-hours when a carrier asks: those of the label; past 100 Wh most ask, past 160 Wh most refuse."""
    for store in assessed.plan.stores:
        if not isinstance(store, Pack):
            continue
        rated = rated_wh(store)
        if rated > CARRIER_WH:
            most = "past 160 Wh most refuse it" if rated > REFUSED_WH else "past 100 Wh a carrier has to agree"
            yield Finding(
                "close",
                store.id,
                f"{store.name} is rated {show(rated, 'Wh')}; {most}.",
                0.02,
                advice="Ask the carrier, or split it; local rules decide.",
            )
