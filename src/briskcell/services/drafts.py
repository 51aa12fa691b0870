"""The draft that a stranger gets from a few answers, and the power that a build without a store is given."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

from briskcell.core.assess import Assessment
from briskcell.core.mending import mend_all, mended
from briskcell.core.moves.guards import guard_v
from briskcell.core.moves.switching import switch_behind, switches_before
from briskcell.core.pack.fit import fit
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade
from briskcell.model.errors import FigureError
from briskcell.model.kinds import PART_LISTS
from briskcell.model.parts import Converter, Rail
from briskcell.model.plan import Bay, Plan
from briskcell.model.stores import ChargeBoard
from briskcell.model.units import show

from .assembly import cell_of, load_with_wire, pack_of, plan_from, take, wire, with_warning
from .pack.bay import bay_of_case
from .parts.adding import add


@dataclass(frozen=True, slots=True, kw_only=True)
class DraftRequest:
    """What "New build" asks for. Screen, sound and radio may be empty; ``on_charger`` is left to the layout where it is None."""

    name: str
    board: str
    screen: str
    hours: float
    thickness_mm: float
    sound: str = "amp-3w"
    radio: str = ""
    on_charger: bool | None = None


@dataclass(frozen=True, slots=True)
class Layout:
    """A way to power a board: cells in series, the boards that make its volts and the small parts' 5 V, and charging."""

    series: int
    main: str
    five: str
    charger: str
    supply: str


# The first whose output the computer board accepts and whose watts carry the peak.
LAYOUTS = (
    (9.5, Layout(1, "boost-5v-5a", "boost-5v-5a", "charger-sw-2", "usb-3")),
    (21.0, Layout(2, "buck-5v-5a", "buck-5v-5a", "charger-2s-2", "usb-12v-2")),
    (21.0, Layout(3, "buck-75-3a", "buck-5v-3a", "charger-4s-3", "usb-20v-3")),
    (45.0, Layout(4, "buck-12v-4a", "buck-5v-3a", "charger-4s-3", "usb-20v-3")),
)
MOST_NOTE = 400
MOST_FIRST = 60  # plans judged for one case; what takes more rarely ends whole
MOST_GUARDS = 6  # changes to fuses and wires that a draft is given
LOOSER = ((0.8, 8.0), (0.6, 12.0), (0.4, 20.0))  # of the hours, and millimetres more
CASES = (1.0, 1.15, 1.3)  # times the usual length and width, until nothing fails
USUAL_V = (4.15, 4.25)  # full volts of the cells that most boards charge


NOTE = "Drafted from a few answers; every figure is typical for its class."


@lru_cache(maxsize=32)
def _remembered(wanted: DraftRequest) -> Plan:
    return draft(wanted)


def begun(wanted: DraftRequest | PartsRequest) -> Plan:
    """The plan of a wish, remembered since "New build" shows it before it is begun; or of the parts at hand."""
    if isinstance(wanted, PartsRequest):
        return from_parts(wanted)
    return remade(_remembered(replace(wanted, name="Draft")), {"name": wanted.name})


def promised(wanted: DraftRequest | PartsRequest) -> Assessment:
    """What a wish, or the parts at hand, come to."""
    return Assessment(begun(wanted), catalogue().stock())


@dataclass(frozen=True, slots=True, kw_only=True)
class PartsRequest:
    """The parts that a builder has: cells, a computer board, and what else lies in the drawer; empty where there is none."""

    name: str
    cell: str
    series: int
    parallel: int
    board: str
    screen: str = ""
    sound: str = ""
    charger: str = ""
    regulator: str = ""


def from_parts(wanted: PartsRequest) -> Plan:
    """A build of given parts, each put where it fits, with a wire, a switch and a fuse that carry their peak.

    Raises
    ------
    FigureError
        If a part fits nowhere; the error names the field of the request.
    """
    cell = cell_of(wanted.cell)
    keys = [k for k in (wanted.board, wanted.screen, wanted.sound, "controls-wired") if k]
    peak_w = sum(catalogue().find(k).part.power_w.peak.likely for k in keys)
    worst_a = peak_w / 0.85 / (max(cell.empty_v, 0.8) * wanted.series)
    pack = pack_of("pack", "Pack", cell, wanted.series, wanted.parallel, cutoff=guard_v(cell))
    lead = [
        pack,
        take(_rated("fuse", worst_a), id="fuse", fed_by="pack"),
        wire("w-pack", "Wire from the pack", "fuse", 18 if worst_a > 4 else 20, 0.10),
        take(_rated("switch", worst_a), id="switch", fed_by="w-pack"),
    ]
    plan = plan_from(
        wanted.name, "Begun from the parts at hand; every figure is typical for its class.", lead, shutdown={"soft": True}
    )
    for field, key in (
        ("charger", wanted.charger),
        ("regulator", wanted.regulator),
        ("board", wanted.board),
        ("screen", wanted.screen),
        ("sound", wanted.sound),
        ("board", "controls-wired"),
    ):
        try:
            plan = add(plan, key).plan if key else plan
        except FigureError as error:
            raise FigureError(field, error.message, fix=error.fix) from error
    return with_warning(_switched_at_its_output(plan))


def _switched_at_its_output(plan: Plan) -> Plan:
    """The plan with its switch behind a board that charges as well, so that it charges while the console is off."""
    for board in plan.chargers:
        whole = plan.by_id.get(board.half_of or "")
        for switch in switches_before(plan, board):
            if isinstance(whole, Converter) and (moved := switch_behind(plan, switch, whole)) is not None:
                return moved.plan
    return plan


def draft(wanted: DraftRequest) -> Plan:
    """A complete, honest draft for a wish in which nothing fails; where that cannot be had, the nearest, and the note says so.

    Raises
    ------
    FigureError
        If the board or screen is no library class, or nothing is thin enough.
    """
    found = Assessment(_drafted(wanted), catalogue().stock())
    for _ in range(MOST_GUARDS):
        fixes = (f.fix for f in (*found.of_rule("fuse-choice"), *found.of_rule("short-lasts")) if f.fix is not None)
        if (fix := next(fixes, None)) is None:
            break
        found = found.of(fix.plan)
    return _cooler_charged(found)


def _cooler_charged(found: Assessment) -> Plan:
    """Where play on the charger would warm the cells too much and is not asked for: what prevents it in the same case."""
    fixes = (f.fix for f in found.of_rule("played-on-the-charger") if f.fix is not None)
    return next((f.plan for f in fixes if f.plan.case == found.plan.case), found.plan)


def _drafted(wanted: DraftRequest) -> Plan:
    stock = catalogue().stock()
    for scale in CASES:
        whole, _ = mended(Assessment(_first(wanted, scale), stock), MOST_FIRST)
        if not whole.failures:
            return whole.plan
    found = mend_all(Assessment(_first(wanted, 1.0), stock))
    plan, note = found.after.plan, NOTE
    if found.left:
        c = found.conflict
        pair = f"{c.first} and {c.second} contradict each other" if c else found.left[0].rstrip(".")
        if c and c.offers:
            given_way = c.offers[0].words.split(";")[0]
            plan, note = c.offers[0].plan, f"As it was wished it cannot be had: {pair}. The nearest that can: {given_way}. {NOTE}"
        elif (smaller := _smaller(wanted)) is not None:
            less = f"{show(smaller.brief.hours, 'h')} of play in {show(smaller.brief.thickness_mm, 'mm')}"
            plan, note = smaller, f"As it was wished it cannot be had: {pair}. The nearest that can: {less}. {NOTE}"
        else:
            note = f"As it was wished it cannot be had: {pair}. This comes nearest. {NOTE}"
    return remade(plan, {"note": note[:MOST_NOTE]})


def _smaller(wanted: DraftRequest) -> Plan | None:
    """A draft of fewer hours in a thicker case, where no single wish that gives way is enough."""
    for share, more_mm in LOOSER:
        looser = replace(wanted, hours=round(share * wanted.hours, 1), thickness_mm=wanted.thickness_mm + more_mm)
        whole, _ = mended(Assessment(_first(looser, CASES[-1]), catalogue().stock()), MOST_FIRST)
        if not whole.failures:
            return whole.plan
    return None


def _first(wanted: DraftRequest, scale: float) -> Plan:
    """A first plan by rules of thumb: every figure typical for its class, nothing left empty."""
    keys: tuple[tuple[str, str, int, float], ...] = (
        (wanted.board, "board", 22, 0.10),
        (wanted.screen, "screen", 24, 0.15),
        (wanted.sound, "sound", 26, 0.12),
        ("controls-wired", "controls", 26, 0.2),
        (wanted.radio, "radio", 28, 0.1),
    )
    keys = tuple(k for k in keys if k[0])
    parts = {part_id: catalogue().find(key).part for key, part_id, _, _ in keys}
    peak_w = sum(p.power_w.peak.likely for p in parts.values())
    mean_w = sum(p.power_w.play.likely for p in parts.values())
    layout = _layout_for(parts["board"].window, peak_w)
    regulators = {"main": layout.main, "five": layout.five}
    if wanted.screen:
        window = parts["screen"].window
        # A screen that accepts the pack from full to cut-off needs no board of its own.
        on_pack = window.low_v <= 2.8 * layout.series <= 4.2 * layout.series <= window.high_v
        if not on_pack and not _accepts(window, layout.main) and not _accepts(window, layout.five):
            regulators["screen"] = "boost-9v-3a" if layout.series < 3 else "buck-12v-4a"
    case, fan = _case_for(mean_w, wanted.thickness_mm)
    case |= {n: round(case[n] * scale) for n in ("length_mm", "width_mm")}
    if fan:
        keys = (*keys, ("fan-30", "fan", 28, 0.1))
        parts["fan"] = catalogue().find("fan-30").part
    loads: list[Any] = []
    used: dict[str, str] = {}
    for key, part_id, awg, length in keys:
        rail = next((r for r, board in regulators.items() if _accepts(parts[part_id].window, board)), "")
        if rail:
            used[rail] = regulators[rail]
        loads += load_with_wire(key, part_id, f"rail-{rail}" if rail else "switch", awg, length)
    worst_a = peak_w / 0.85 / (3.1 * layout.series)
    bay = bay_of_case(plan_from(wanted.name, "", [], case=case))
    cell, parallel = _pack_for(wanted.hours * mean_w / 0.72, worst_a, layout.series, wanted.thickness_mm, bay)
    build = [
        take(layout.supply, id="supply"),
        _gentle(take(layout.charger, id="charger", charges="pack", supply="supply"), cell.max_charge_a.likely * parallel),
        pack_of("pack", "Pack", cell, layout.series, parallel, cutoff=2.8),
        take(_rated("fuse", worst_a), id="fuse", fed_by="pack"),
        wire("w-pack", "Wire from the pack", "fuse", 18 if worst_a > 4 else 20, 0.10),
        take(_rated("switch", worst_a), id="switch", fed_by="w-pack"),
    ]
    names = {"main": "Main rail", "five": "5 V rail", "screen": "Screen rail"}
    for rail, board in used.items():
        build += [
            take(board, id=f"reg-{rail}", fed_by="switch"),
            Rail(id=f"rail-{rail}", name=names[rail], fed_by=f"reg-{rail}"),
        ]
    charger = next(p for p in build if isinstance(p, ChargeBoard))
    # A draft takes as long to charge as its own charger needs, with a fifth to spare, and never asks for less than 3 h.
    charge_hours = max(3.0, round(1.2 * cell.label_ah.high * parallel / charger.current_a.likely + 0.5))
    brief = {
        "hours": wanted.hours,
        "thickness_mm": wanted.thickness_mm,
        "charge_hours": charge_hours,
        "play_while_charging": layout.series == 1 if wanted.on_charger is None else wanted.on_charger,
    }
    return with_warning(plan_from(wanted.name, NOTE, [*build, *loads], brief=brief, case=case, bay=bay, shutdown={"soft": True}))


def _case_for(mean_w: float, thickness_mm: float) -> tuple[dict[str, Any], bool]:
    """A case that sheds the watts: larger, vented and with a fan as they rise; and whether it has a fan."""
    if mean_w < 4.0:
        return {"length_mm": 160, "width_mm": 85, "depth_mm": thickness_mm, "mass_g": 350}, False
    if mean_w < 9.0:
        return {"length_mm": 200, "width_mm": 110, "depth_mm": thickness_mm, "vents": True, "fan": True, "mass_g": 600}, True
    return {"length_mm": 260, "width_mm": 140, "depth_mm": thickness_mm, "vents": True, "fan": True, "mass_g": 1100}, True


def _gentle(board: ChargeBoard, most_a: float) -> ChargeBoard:
    """The charge board with its current set to no more than the cells take."""
    if board.current_a.likely <= most_a:
        return board
    return altered(board, current_a=board.current_a.at(round(most_a, 2), source="set to what the cells take"))


def _accepts(window: Any, board: str) -> bool:
    volts = catalogue().find(board).part.output_v.likely
    return bool(window.low_v * 1.02 < volts <= window.high_v)


def _layout_for(window: Any, peak_w: float) -> Layout:
    for most_w, layout in LAYOUTS:
        if peak_w <= most_w and _accepts(window, layout.main):
            return layout
    raise FigureError("board", "No regulator class of the library feeds this board.", fix="Choose another board class.")


def _rated(kind: str, worst_a: float) -> str:
    """The smallest switch or fuse that leaves three tenths to spare, else the largest."""
    classes = sorted((c.part for c in catalogue().of_kind("links") if c.group == kind), key=lambda k: k.rating_a.likely)
    fits = [k for k in classes if worst_a <= 0.7 * k.rating_a.likely]
    return str((fits or classes[-1:])[0].part_class)


def _pack_for(energy_wh: float, worst_a: float, series: int, thickness_mm: float, bay: Bay) -> tuple[Any, int]:
    """The cell and number in parallel that hold the energy and carry the peak with the fewest cells, and fit."""
    room = thickness_mm - 8.0  # two walls of 2.5 mm, tape, and swelling
    fits = [
        c.part
        for c in catalogue().of_kind("cells")
        if c.part.thickness_mm <= room and c.part.measured_ah is None and USUAL_V[0] < c.part.full_v < USUAL_V[1]
    ]
    if not fits:
        raise FigureError("thickness", f"No cell class fits a case {thickness_mm:g} mm thick.", fix="Allow 12 mm or more.")

    def count(cell: Any) -> int:
        volts = cell.ocv.value[len(cell.ocv.value) // 2]
        by_energy = energy_wh / (volts * cell.label_ah.likely * series)
        return max(1, math.ceil(max(float(by_energy), float(worst_a / (0.7 * cell.max_discharge_a.likely)))))

    inside = [c for c in fits if fit(c, series * count(c), bay).fits]
    best = min(inside or fits, key=lambda c: (count(c), c.label_ah.likely))
    return best, min(count(best), 12)


def with_power(plan: Plan) -> Plan:
    """A plan without a store, given a pack, its charging, and a 5 V rail to hang parts on.

    Raises
    ------
    FigureError
        If it has a store already.
    """
    if plan.stores:
        raise FigureError("fed_by", "This build has a store already.", fix="Change it at the Pack station.")
    chain = [
        take("usb-3", id="supply"),
        take("charger-sw-2", id="charger", charges="pack", supply="supply"),
        pack_of("pack", "Pack", cell_of("cell-18650-e35"), 1, 2, cutoff=2.8),
        take("fuse-5", id="fuse", fed_by="pack"),
        wire("w-pack", "Wire from the pack", "fuse", 20, 0.10),
        take("switch-toggle-6", id="switch", fed_by="w-pack"),
        take("boost-5v-3a", id="reg-main", fed_by="switch"),
        Rail(id="rail-main", name="5 V rail", fed_by="reg-main"),
    ]
    taken = {p["id"] if isinstance(p, dict) else p.id for p in chain} & set(plan.by_id)
    if taken:
        raise FigureError("fed_by", f"The name “{taken.pop()}” is taken.", fix="Begin a new build.")
    fresh = plan_from(plan.name, plan.note, chain)
    return remade(plan, {name: (*getattr(plan, name), *getattr(fresh, name)) for name in PART_LISTS})
