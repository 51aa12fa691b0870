"""Workings of the reserve, the shelf, heat, wiring, fuses and fit."""

from __future__ import annotations

from briskcell.core.assess import Assessment
from briskcell.core.engine.resistance import link_section_mm2
from briskcell.core.heat.case import AIR_OVER_SKIN, HAND_C, HAND_FILM, HOT_K_W, still_air
from briskcell.core.pack.fit import cell_size
from briskcell.model.parts import Link
from briskcell.model.stores import Pack
from briskcell.model.units import show

from .registry import Input, Working, computed, figure, number, wish


def _short(minutes: float) -> str:
    return f"{minutes:.0f} min" if minutes >= 2 else f"{minutes * 60:.0f} s"


def _set(symbol: str, name: str, shown: str, source: str = "set for this build") -> Input:
    return Input(symbol=symbol, name=name, shown=shown, grade="the build", source=source)


@number("reserve", "V", lambda a, _: a.reserve.under_load_v if a.reserve else None)
def reserve(assessed: Assessment, _rest: str) -> Working | None:
    found, shutdown = assessed.reserve, assessed.plan.shutdown
    if found is None:
        return None
    return Working(
        title="Warning before shutdown",
        shown=f"{show(found.under_load_v, 'V')} under load, {show(found.at_rest_v, 'V')} at rest, "
        f"{_short(found.minutes_left)} before the end",
        words="The latest moment at which the pack still holds one and a half times what a clean shutdown takes, above its stop.",
        formula="E(soc) − E(stop) ≥ 1.5 · P_shutdown · t_shutdown",
        inputs=(
            figure("P shutdown", "Power while shutting down", shutdown.power_w, "W"),
            _set("t shutdown", "Seconds it takes", f"{shutdown.seconds:.0f} s"),
            computed("E", "Energy that must remain", found.needed_wh, "Wh", "one and a half times the product"),
            computed("soc", "State of charge then", found.warning_soc, "%", "energy left, read backwards"),
        ),
        source="Energy at the terminals in play, integrated over charge; the factor covers an aged cell",
    )


@number("shelf", "d", lambda a, of: next((a.storage[k].days for k, s in enumerate(a.plan.stores) if s.id == of), None))
def shelf(assessed: Assessment, store_id: str) -> Working | None:
    index = next((k for k, s in enumerate(assessed.plan.stores) if s.id == store_id), None)
    if index is None:
        return None
    life = assessed.storage[index]
    who = tuple(computed("I", name, amps, "A", "its current when off") for name, amps in life.who)
    return Working(
        title=f"Shelf life of {assessed.plan.stores[index].name}",
        shown=f"{life.days:.0f} days" if life.days < 1e6 else "as good as for ever",
        words="Usable charge over what the connected boards sip when off, and what the cells lose by themselves.",
        formula="t = Q / (Σ I_off + I_self)",
        inputs=(*who, computed("I self", "Self-discharge", life.self_discharge_a, "A", "share a month of the chemistry")),
        source="T. B. Reddy (ed.), Linden's Handbook of Batteries, 4th ed., 2011, for self-discharge",
    )


@number("heat", "°C", lambda a, _: a.heat.skin_c if a.plan.stores else None)
def heat(assessed: Assessment, _rest: str) -> Working:
    found, case = assessed.heat, assessed.plan.case
    size = f"{case.length_mm:.0f} × {case.width_mm:.0f} × {case.depth_mm:.0f} mm"
    return Working(
        title="Warmth of the case",
        shown=f"{found.skin_c:.0f} °C at the hottest place of the skin, {found.mean_skin_c:.0f} °C on its mean, "
        f"{found.air_c:.0f} °C inside, {found.cells_c:.0f} °C in the cells",
        words="Every watt drawn ends as heat; the free part of the case gives it to the air, what hands cover to them. Over the "
        "hottest part the skin is warmer than on its mean. Cells take the temperature of air, wall and what lies beside them.",
        formula="P = h · A · (1 − covered) · ΔT + h_hand · A · covered · (T − T_hand); T_skin = T + k · P_part / blown",
        inputs=(
            computed("P", "Power in play", found.watts, "W", "solved tree at half charge"),
            _set("A", "Outside of the case", size),
            _set("covered", "Covered by hands or table", f"{case.covered:.0%}"),
            _set(
                "h",
                "Heat to air",
                f"{still_air(found.rise_k):.1f} W/m²K{', vents' if case.vents else ''}{', fan' if case.fan else ''}",
                "radiation and free convection, Incropera, 7th ed., ch. 9",
            ),
            Input(
                symbol="h hand, T hand",
                name="What hands take of what they cover",
                shown=f"{HAND_FILM:.0f} W/m²K over {HAND_C:.0f} °C" if assessed.plan.brief.held else "nobody holds it",
                grade="guessed",
                source="a guess: blood carries it off",
            ),
            Input(
                symbol="k",
                name="Rise of the hottest place for each watt of the hottest part",
                shown=f"{HOT_K_W[case.material]:.1f} K/W",
                grade="guessed",
                source="held against a finer network of a closed case",
            ),
            Input(
                symbol="T air",
                name="Air inside, by two films in a row",
                shown=f"{AIR_OVER_SKIN:g} times the mean rise",
                grade="guessed",
                source="measure one closed case to know it",
            ),
            wish("T room", "Warmest room", f"{assessed.plan.brief.room_c:.0f} °C"),
        ),
        source="F. P. Incropera et al., Fundamentals of Heat and Mass Transfer, 7th ed., 2011; limit by IEC 62368-1:2018",
    )


@number("wiring", "V", lambda a, of: next((c.drop_v for c in a.links if c.link.id == of), None))
def wiring(assessed: Assessment, link_id: str) -> Working | None:
    check = next((c for c in assessed.links if c.link.id == link_id), None)
    if check is None:
        return None
    link: Link = check.link
    section = link_section_mm2(link) if link.awg is not None or link.section_mm2 is not None or link.trace_width_mm else None
    inputs = [computed("I", "Highest current", check.amps, "A", "solved tree, all states")]
    if link.resistance_ohm is not None:
        inputs.append(figure("R", "Resistance of the path", link.resistance_ohm, "Ω"))
    if section is not None:
        inputs.append(_set("A", "Copper section", f"{section:.3f} mm²", "ASTM B258 for a gauge"))
    if link.length_m is not None:
        inputs.append(_set("L", "Length, one way", f"{link.length_m * 100:.0f} cm"))
    if check.rise_k is not None:
        inputs.append(computed("ΔT", "Warming in play", check.rise_k, "K", "I²R' = h·π·d·ΔT, h by Churchill and Chu"))
    return Working(
        title=f"Drop over {link.name}",
        shown=show(check.drop_v, "V"),
        words="Current times the resistance of the whole path, out and back.",
        formula="V = I · ρ(T)·L·n/A",
        inputs=tuple(inputs),
        source="IEC 60028:1925 for copper; IEC 60364-5-52 for bundles; IPC-2221B for traces",
    )


@number("fuse", "A", lambda a, of: next((c.peak_a for c in a.fuses if c.fuse.id == of), None))
def fuse(assessed: Assessment, fuse_id: str) -> Working | None:
    check = next((c for c in assessed.fuses if c.fuse.id == fuse_id), None)
    if check is None or check.fuse.rating_a is None:
        return None
    inputs = [
        figure("I rated", "Rating", check.fuse.rating_a, "A"),
        computed("I peak", "Highest current", check.peak_a, "A", "solved tree at the peak"),
        computed("I fault", "Short circuit behind it", check.fault_a, "A", "full store over its fast resistance and the path"),
    ]
    inputs.append(computed("I lets", "Passes for as long as it may", check.lets_a, "A", "below it the fuse may never open"))
    if check.wire is not None and check.worst is not None:
        inputs.append(computed("I z", f"{check.wire.name} carries for ever", check.carries_a, "A", "its own balance of heat"))
        inputs.append(computed("I worst", "Hardest on it", check.worst.amps, "A", "of all currents up to a dead short"))
        inputs.append(
            computed("T wire", "It would reach", check.worst.reaches_c, "°C", check.worst.opener or "nothing opens on it")
        )
    return Working(
        title=f"Choice of {check.fuse.name}",
        shown=check.words or f"holds, and opens {check.opens_after_s:.2g} s into a short",
        words="It carries the warm peak, and every wire behind it outlives what it lets pass, from its rating to a dead short.",
        formula="I_peak ≤ I_hold(T), T_wire(I, t_open(I)) ≤ T_insulation for every I",
        inputs=tuple(inputs),
        source="IEC 60127-2; IEC 60364-4-43; Churchill and Chu, 1975; E. R. Stauffacher, General Electric Review 31(6), 1928",
    )


@number("fit", "mm", lambda a, of: next((f.spare_mm for p, f in zip(a.plan.packs, a.fits, strict=False) if p.id == of), None))
def fits(assessed: Assessment, pack_id: str) -> Working | None:
    pack, bay = assessed.plan.by_id.get(pack_id), assessed.plan.bay
    if not isinstance(pack, Pack) or bay is None:
        return None
    found = assessed.fits[assessed.plan.packs.index(pack)]
    size = cell_size(pack.cell, bay)
    return Working(
        title=f"Fit of {pack.name}",
        shown="fits" if found.fits else "does not fit",
        words=found.words,
        formula="n = Π ⌊room / size⌋ over the best orientation and block",
        inputs=(
            _set("bay", "Bay", f"{bay.length_mm:.0f} × {bay.width_mm:.0f} × {bay.depth_mm:.0f} mm"),
            _set("cell", "A cell with swelling and wrap", " × ".join(f"{v:.1f}" for v in size) + " mm" if size else "not stated"),
            _set("plug", "Room for the plug", f"{bay.plug_room_mm:.0f} mm"),
        ),
        source="Measures as given; pouches swell by 8 to 10 % of their thickness",
    )
