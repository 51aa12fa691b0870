"""What stores energy and what fills it: cells, packs, capacitors, banks, trickle sources, charge boards and supplies."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, model_validator

from .errors import FigureError
from .facts import Adjustables
from .figure import (
    AmpHours,
    Amps,
    AmpsAbove,
    Celsius,
    Curve,
    Document,
    Efficiency,
    Figure,
    Grade,
    Grams,
    KelvinPerWatt,
    Millimetres,
    Money,
    Ohms,
    OhmsAbove,
    Share,
    Volt,
    Volts,
)
from .parts import Body, Id, Name, Part, Window
from .units import Unit

LITHIUM_V = 3.0  # full, above which a cell that can be charged is a lithium cell
ROUND_MM = 0.05  # a cylinder's two measures, as typed, differ by less


class Cell(Document):
    """One cell: voltage and resistance over state of charge, capacity as printed and as measured, limits.

    ``fast`` and ``slow`` are relative to ``resistance_ohm``, the steady resistance at half full and 25 °C; a peak feels ``fast``
    alone, a steady draw the sum. ``slow_s`` is the time constant of that slow part. On charge the surface of the particles is
    ahead of their inside by what flows in during ``diffusion_s``; where none is given it follows from the slow part of the cell's
    own resistance. ``curve_grade`` says how its open-circuit voltage is known: as a class has it, or measured on it. Tables that
    are ``ocv_corrected`` do not contain the fall of the open-circuit voltage during the minute's pulse; the others do. ``ageing``
    is the share by which resistance has risen per share of capacity lost. ``weakest_ah`` is the capacity of the weakest of those
    in series, where they were measured one by one.
    """

    name: Name
    part_class: Annotated[str, StringConstraints(max_length=80)] = ""
    chemistry: Name
    label_ah: AmpHours
    measured_ah: AmpHours | None = None
    weakest_ah: AmpHours | None = None
    health: Annotated[float, Unit("", above=0, at_most=1)] = 1.0
    ocv: Curve
    resistance_ohm: Ohms
    fast: Curve
    slow: Curve
    cold_b_k: Annotated[float, Unit("K", at_least=0, at_most=8000)] = 3000.0
    cold_shares: Annotated[tuple[tuple[Celsius, Share], ...], Field(max_length=12)] = ()
    full_v: Volt
    empty_v: Volt
    max_charge_a: AmpsAbove
    max_discharge_a: AmpsAbove
    peak_discharge_a: AmpsAbove | None = None
    rechargeable: bool = True
    self_discharge_per_month: Share = 0.02
    charge_low_c: Celsius = 0.0
    charge_high_c: Celsius = 45.0
    use_low_c: Celsius = -20.0
    use_high_c: Celsius = 60.0
    slow_s: Annotated[float, Unit("s", above=0, at_most=3600)] = 60.0
    ocv_corrected: bool = False
    diffusion_s: Annotated[float, Unit("s", at_least=0, at_most=36000)] | None = None
    curve_grade: Grade = "typical"
    curve_source: Annotated[str, StringConstraints(max_length=200)] = ""
    ageing: Annotated[float, Unit("", at_least=0, at_most=20)] = 2.5
    swelling: Share = 0.0
    mass_g: Grams | None = None
    thickness_mm: Millimetres | None = None
    width_mm: Millimetres | None = None
    length_mm: Millimetres | None = None
    cost: Money | None = None

    @model_validator(mode="after")
    def _sensible(self) -> Self:
        if not self.empty_v < self.full_v:
            raise FigureError(
                "empty_v",
                f"Empty at {self.empty_v:g} V is not below full at {self.full_v:g} V.",
                fix="Swap the two, or read them again from the data sheet.",
            )
        if any(b < a for a, b in zip(self.ocv.value, self.ocv.value[1:], strict=False)):
            raise FigureError("ocv", "The open-circuit voltage falls as the cell fills.", fix="Sort the points again.")
        if self.ocv.value[0] <= 0 or min(*self.fast.value, *self.slow.value) < 0:
            raise FigureError("ocv", "A cell's volts and resistances are not negative.", fix="Read the table again.")
        return self

    @property
    def is_round(self) -> bool:
        """Whether it is a cylinder: as wide as it is thick."""
        return self.width_mm is None or (self.thickness_mm is not None and abs(self.width_mm - self.thickness_mm) < ROUND_MM)

    @property
    def is_lithium(self) -> bool:
        """Whether it is one of the lithium cells that can be charged: no other is as full as 3 V."""
        return self.rechargeable and self.full_v > LITHIUM_V

    @property
    def capacity_ah(self) -> Figure:
        """The capacity to count with, before health: measured where it is, else as printed."""
        return self.measured_ah or self.label_ah

    def in_series_ah(self, series: int) -> Figure:
        """The capacity of a string of so many: that of its weakest cell, which is empty first."""
        weakest = self.weakest_ah
        return weakest if series > 1 and weakest and weakest.likely < self.capacity_ah.likely else self.capacity_ah


class CellString(Document):
    """One string of a pack of unequal strings: its cell, and its open-circuit voltage where it was measured."""

    cell: Cell
    ocv_v: Volt | None = None


class Protection(Document):
    """The pack's protection board: where it cuts, where it trips, what it puts in the way.

    It cuts a discharge at ``cutoff_cell_v`` a cell and a charge at ``over_cell_v``, None where nobody has said so; one that
    ``senses_each`` has a lead to every cell in series, one that does not sees the whole alone. Cells that carry their own bring
    it ``with_cells``: nothing is bought or soldered then. A board lies at the end of the pack.
    """

    cutoff_cell_v: Volt
    over_cell_v: Volt | None = None
    senses_each: bool = True
    with_cells: bool = False
    cost: Money | None = None
    trip_a: AmpsAbove
    resistance_ohm: Ohms
    off_current_a: Amps = Figure(low=3e-6, likely=6e-6, high=1e-5, grade="typical", source="protection board class")


class Pack(Part):
    """Cells in series and parallel, their links, and their protection.

    ``strings``, where given, are in parallel and replace ``parallel`` strings of ``cell``: each is ``series`` cells of
    its own kind. ``ocv_v`` is a measured open-circuit voltage that replaces the table's. ``spare_sets`` of the same cells are
    carried along; changing to one takes ``swap_s``, without the start that follows.
    """

    cell: Cell
    series: Annotated[int, Field(ge=1, le=12)] = 1
    parallel: Annotated[int, Field(ge=1, le=24)] = 1
    strings: Annotated[tuple[CellString, ...], Field(max_length=24)] = ()
    ocv_v: Volt | None = None
    link_resistance_ohm: Ohms = Figure(low=0, likely=0, high=0, source="not counted")
    protection: Protection | None = None
    spare_sets: Annotated[int, Field(ge=0, le=50)] = 0
    swap_s: Annotated[float, Unit("s", at_least=0, at_most=3600)] = 60.0

    @property
    def string_cells(self) -> list[Cell]:
        """The cell of each string in parallel: its own, where the strings are unequal."""
        return [s.cell for s in self.strings] or [self.cell] * self.parallel


class Capacitor(Part):
    """A supercapacitor as a store: what is left in it falls with the square of its voltage."""

    capacitance_f: Annotated[Figure, Unit("F", above=0, at_most=100_000)]
    esr_ohm: Ohms
    full_v: Volt
    rating_v: Volt
    leakage_a: Amps = Figure(low=0, likely=0, high=0, source="not counted")


class Bank(Part):
    """A ready-made power bank: the energy of its cells, what its converter leaves of it, and its cut-offs."""

    cells_wh: Annotated[Figure, Unit("Wh", above=0, at_most=2000)]
    efficiency: Efficiency
    output_v: Volts
    output_resistance_ohm: Ohms = Figure(low=0.02, likely=0.05, high=0.1, grade="typical", source="bank output with its socket")
    output_limit_a: AmpsAbove
    least_load_a: Amps = Figure(low=0, likely=0, high=0, source="stays on")
    off_after_s: Annotated[float, Unit("s", at_least=0, at_most=3600)] = 30.0
    output_while_charging: bool = True
    charge_w: Annotated[Figure, Unit("W", above=0, at_most=300)] = Figure(
        low=8, likely=10, high=12, grade="typical", source="bank class"
    )


class Trickle(Part):
    """A crank, small generator or panel that fills a store through a bridge, smoothing and a converter.

    ``stops_at_v`` are the store's volts at which that converter stops; None where nobody has said so.
    """

    charges: Id
    open_v: Volts
    source_ohm: OhmsAbove
    bridge_drop_v: Annotated[Figure, Unit("V", at_least=0, at_most=4)]
    smoothing_f: Annotated[Figure, Unit("F", above=0, at_most=10)]
    ripple_hz: Annotated[Figure, Unit("Hz", above=0, at_most=1e5)]
    efficiency: Efficiency
    stops_at_v: Volt | None = None


class Supply(Part):
    """What feeds the charge board: its volts, the amperes it gives, and the loop resistance of its cable.

    ``outlet`` is what a plug goes into. ``gives`` says by which open standard those amperes are promised: the ``default`` of a
    USB port (0.5 or 0.9 A), a ``charging_port`` (Battery Charging 1.2), a current ``advertised`` on the reversible socket, volts
    ``negotiated`` on it, or ``fixed``, as it stands on the label. Nobody has said so where they are empty.
    """

    voltage_v: Volts
    current_limit_a: AmpsAbove
    outlet: Literal["usb_a", "usb_c", "barrel"] | None = None
    gives: Literal["default", "charging_port", "advertised", "negotiated", "fixed"] | None = None
    cable_ohm: Ohms
    own_resistance_ohm: Ohms = Figure(low=0, likely=0, high=0, source="taken as stiff")


class Balancer(Part):
    """A board of its own that brings cells in series together while they charge: the pack it watches, and its current."""

    charges: Id
    balance_a: AmpsAbove
    off_current_a: Amps | None = None
    body: Body | None = None
    cost: Money | None = None


class ChargeBoard(Part):
    """The board that fills a pack, and what it does with the console meanwhile.

    ``layout``: ``power_path`` feeds the console first and charges with the remainder; ``cut_out`` disconnects the
    console while charging; ``on_cell`` leaves the console on the charging cell. A ``linear`` or ``switching`` board needs a
    supply above its end volts, a ``step_up`` board one below. What it is made for: ``cells`` in series, ``end_v`` for each,
    ``chemistries``, and the volts it accepts at its ``input``; empty where nobody has said so.

    Its ``socket`` is ``flat``, ``reversible`` with the two 5.1 kΩ resistors that a reversible outlet wants to see before it gives
    anything, ``reversible_bare`` without them, ``negotiating`` where it asks for more volts than 5, or a ``barrel``. It
    ``limits_input`` to a ``set`` current, by the ``sags`` of its input volts, to what the source has ``advertised``, or it does
    ``not``: then it asks its set current of any source. ``battery_path_ohm`` and ``battery_path_a`` are the way from the cells to
    the output that a power path feeds the console from, on battery.
    """

    charges: Id
    supply: Id
    fed_by: Id | None = None
    socket: Literal["flat", "reversible", "reversible_bare", "negotiating", "barrel"] | None = None
    limits_input: Literal["set", "sags", "advertised", "not"] | None = None
    input_limit_a: AmpsAbove | None = None
    battery_path_ohm: Ohms | None = None
    battery_path_a: AmpsAbove | None = None
    layout: Literal["power_path", "cut_out", "on_cell"]
    kind: Literal["linear", "switching", "step_up"]
    cells: Annotated[tuple[Annotated[int, Field(ge=1, le=12)], ...], Field(max_length=12)] = ()
    end_v: Volts | None = None
    chemistries: Annotated[tuple[Name, ...], Field(max_length=12)] = ()
    input: Window | None = None
    current_a: AmpsAbove
    termination_a: AmpsAbove
    precharge_below_v: Volt = 2.9
    precharge_a: AmpsAbove | None = None
    efficiency: Efficiency = Figure(low=0.88, likely=0.9, high=0.93, grade="typical", source="switching charger class")
    path_resistance_ohm: Ohms = Figure(low=0, likely=0, high=0, source="not counted")
    thermal_k_per_w: KelvinPerWatt | None = None
    foldback_c: Celsius = 120.0
    balancing: bool = False
    balance_a: Amps | None = None
    adjustable: Adjustables = ()
    off_current_a: Amps | None = None
    body: Body | None = None
    cost: Money | None = None
