"""The parts of a build and how they are fed."""

from __future__ import annotations

from enum import IntEnum
from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, model_validator

from .errors import FigureError
from .facts import Adjustables
from .figure import (
    Amp,
    Amps,
    AmpsAbove,
    Celsius,
    Document,
    Efficiency,
    Figure,
    Grade,
    Grams,
    KelvinPerWatt,
    Metres,
    Millimetres,
    Money,
    Ohms,
    OhmsAbove,
    Share,
    Volt,
    Volts,
    Watts,
    Words,
)
from .terminals import Terminals
from .units import Unit

Id = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_-]{0,47}$")]
Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
STATES = ("rest", "play", "peak")


class State(IntEnum):
    """Load states, as rows of solved arrays, in the order of ``STATES``."""

    REST = 0
    PLAY = 1
    PEAK = 2


class Part(Document):
    """What every part has: an id within the plan, a name, and the library class it was taken from.

    ``terminals`` are where one solders or plugs to it; empty where it has the usual ones of its kind. A part that comes on the
    board of another, such as the charging half of a charge-and-boost board, is ``half_of`` that one: it has the body, the price and
    the pads of both.
    """

    id: Id
    name: Name
    part_class: Annotated[str, StringConstraints(max_length=80)] = ""
    note: Words = ""
    terminals: Terminals = ()
    half_of: Id | None = None


class Body(Document):
    """The space that a part takes: its size as it comes, its height with the connectors removed that nobody needs, and the plug
    and bent cable beyond one end of its length. A part of the ``front`` sits right behind the front face, which leaves
    ``seen_length_mm`` by ``seen_width_mm`` of it open. One with an ``antenna`` wants no cell beside it, one with bare ``chips``
    none that presses on them. What ``opens`` has a socket to be reached at an edge of the case, or a grille in any of its faces.
    """

    length_mm: Millimetres
    width_mm: Millimetres
    height_mm: Millimetres
    bare_height_mm: Millimetres | None = None
    plug_mm: Annotated[float, Unit("mm", at_least=0, at_most=100)] = 0.0
    front: bool = False
    antenna: bool = False
    chips: bool = False
    seen_length_mm: Millimetres | None = None
    seen_width_mm: Millimetres | None = None
    opens: Literal["no", "edge", "any_face"] = "no"


class Fed(Part):
    """A part that takes its current from another part, named by its id."""

    fed_by: Id


class Window(Document):
    """The volts a part accepts at its own terminals, and the volts that destroy it.

    A window that is ``partly_known`` is what the part was seen to run on, such as so many dry cells: beyond it nobody knows.
    """

    low_v: Volt
    high_v: Volt
    absolute_max_v: Volt | None = None
    partly_known: bool = False
    source: Words = "no source given"

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if not self.low_v < self.high_v:
            raise FigureError("low_v", f"{self.low_v:g} V is not below {self.high_v:g} V.", fix="Swap the two.")
        if self.absolute_max_v is not None and self.absolute_max_v < self.high_v:
            raise FigureError(
                "absolute_max_v",
                f"{self.absolute_max_v:g} V is below the window's end.",
                fix="Give the highest volts the part survives.",
            )
        return self


class PowerStates(Document):
    """Watts drawn at rest, in play and at the peak."""

    rest: Watts
    play: Watts
    peak: Watts


class CurrentStates(Document):
    """Amperes drawn at rest, in play and at the peak."""

    rest: Amps
    play: Amps
    peak: Amps


class ResistanceStates(Document):
    """Ohms shown at rest, in play and at the peak."""

    rest: OhmsAbove
    play: OhmsAbove
    peak: OhmsAbove


class Setting(Document):
    """A knob that scales a draw, such as brightness or volume: its position, and the share of the draw it governs.

    ``quoted_at`` is the position at which the part's draw was measured or stated.
    """

    name: Name
    position: Share = 1.0
    share: Share = 0.5
    quoted_at: Share = 1.0


class Inrush(Document):
    """What a part takes in the first moment: the capacitance it charges, and the amperes it can pull."""

    capacitance_f: Annotated[Figure, Unit("F", at_least=0, at_most=1)]
    peak_a: Amps


class Lamp(Document):
    """What a lamp shows: it lights once the volts it is fed with fall below its threshold. ``hidden`` where the case covers it."""

    lights_below_v: Volts
    hidden: bool = False


class Jack(Document):
    """The socket that a part is meant to be fed at, and what sits behind its contacts for the part's good.

    A part fed at its pins, pads or a test point instead is ``bypassed``: none of that protects it then.
    """

    fuse: bool = False
    reverse_polarity: bool = False
    over_voltage: bool = False
    bypassed: bool = False


class Load(Fed):
    """A part that draws current: as constant power, constant current or a resistance. Exactly one of the three.

    ``return_by`` names a link of kind ``return`` that its current shares on the way back; ``logic_v`` is the level of
    its signals, ``driven_by`` the part that drives them. A part that ``keeps_time`` goes on drawing while all else is off;
    ``off_current_a`` is what it takes at its own volts when it is shut down and nothing cuts it off. It peaks for
    ``peak_share`` of play, ``peak_s`` at a time; a part that says neither is taken as a typical one. One that ``writes_card``
    has to be shut down before its power goes; a ``lamp`` says by its light that the volts are low. What it passes on hangs on it by
    a link of kind ``outlet``, or by a regulator of its own; ``jack`` says at which end it is fed. An amplifier
    whose ``speaker_ohm`` is known takes at most ``V²/2R``, bridge-tied, and less as its rail sags.
    """

    power_w: PowerStates | None = None
    current_a: CurrentStates | None = None
    resistance_ohm: ResistanceStates | None = None
    window: Window
    return_by: Id | None = None
    settings: Annotated[tuple[Setting, ...], Field(max_length=8)] = ()
    inrush: Inrush | None = None
    logic_v: Volt | None = None
    driven_by: Id | None = None
    theta_k_per_w: KelvinPerWatt | None = None
    limit_c: Celsius | None = None
    slows_c: Celsius | None = None
    peak_share: Share | None = None
    peak_s: Annotated[float, Unit("s", above=0, at_most=600)] | None = None
    off_current_a: Amps | None = None
    measures_battery: bool = False
    keeps_time: bool = False
    writes_card: bool = False
    lamp: Lamp | None = None
    speaker_ohm: Annotated[Figure, Unit("Ω", above=0, at_most=1000)] | None = None
    jack: Jack | None = None
    body: Body | None = None
    mass_g: Grams | None = None
    cost: Money | None = None

    @model_validator(mode="after")
    def _one_kind(self) -> Self:
        given = [k for k in ("power_w", "current_a", "resistance_ohm") if getattr(self, k) is not None]
        if len(given) != 1:
            raise FigureError(
                "power_w",
                f"{self.name} draws in {len(given)} ways." if given else f"{self.name} has no draw.",
                fix="Give exactly one of power_w, current_a, resistance_ohm.",
            )
        return self

    @property
    def kind(self) -> Literal["power_w", "current_a", "resistance_ohm"]:
        if self.power_w is not None:
            return "power_w"
        return "current_a" if self.current_a is not None else "resistance_ohm"

    @property
    def draw(self) -> PowerStates | CurrentStates | ResistanceStates:
        states = self.power_w or self.current_a or self.resistance_ohm
        assert states is not None
        return states


class FixedEfficiency(Document):
    """Power out over power in, the same at every load."""

    kind: Literal["fixed"] = "fixed"
    efficiency: Efficiency


class LossModel(Document):
    """Standing, junction and resistive loss: ``P = V_in·quiescent + drop·I_in + resistance·I_in²``."""

    kind: Literal["losses"] = "losses"
    quiescent_a: Amps
    drop_v: Annotated[Figure, Unit("V", at_least=0, at_most=3)]
    resistance_ohm: Ohms


class EfficiencyPoint(Document):
    """One efficiency as a board's page gives it."""

    input_v: Volt
    output_a: Amp
    efficiency: Annotated[float, Unit("", above=0, at_most=1)]


class EfficiencyPoints(Document):
    """Points that the loss model is fitted to."""

    kind: Literal["points"] = "points"
    points: Annotated[tuple[EfficiencyPoint, ...], Field(min_length=1, max_length=200)]
    grade: Grade = "sheet"
    source: Words = "no source given"


EfficiencyRow = Annotated[tuple[Annotated[float, Unit("", above=0, at_most=1)], ...], Field(max_length=60)]


class EfficiencyTable(Document):
    """Efficiency over input volts (rows) and output amperes (columns), read by straight lines and held at its edges."""

    kind: Literal["table"] = "table"
    input_v: Annotated[tuple[Volt, ...], Field(min_length=1, max_length=60)]
    output_a: Annotated[tuple[Amp, ...], Field(min_length=1, max_length=60)]
    efficiency: Annotated[tuple[EfficiencyRow, ...], Field(max_length=60)]
    grade: Grade = "sheet"
    source: Words = "no source given"

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if len(self.efficiency) != len(self.input_v) or any(len(r) != len(self.output_a) for r in self.efficiency):
            raise FigureError("efficiency", "The table is not one row an input voltage, one column a current.", fix="Fill it.")
        if list(self.input_v) != sorted(set(self.input_v)) or list(self.output_a) != sorted(set(self.output_a)):
            raise FigureError("input_v", "The edges of the table do not rise.", fix="Sort them, each once.")
        return self


Loss = Annotated[FixedEfficiency | LossModel | EfficiencyPoints | EfficiencyTable, Field(discriminator="kind")]


class Converter(Fed):
    """A board that makes one voltage from another.

    ``switch_current_a`` is what its switch carries (boost: at the input; buck: about its output amps);
    ``output_limit_a`` a limit its sheet states at the output. Driven from outside, by another source on its rail, its output
    stands ``output_max_v``, and ``blocks_back`` says whether it keeps current out; None where nobody has said so. ``output_f`` is
    the capacitance on its output, with what is soldered to its rail; one that is ``built_in`` belongs to the load that feeds it,
    such as what makes a board's 3.3 V pin.
    """

    kind: Literal["boost", "buck", "buck_boost", "linear"]
    output_v: Volts
    output_resistance_ohm: Ohms = Figure(low=0, likely=0, high=0, source="taken as stiff")
    loss: Loss | None = None
    quiescent_a: Amps = Figure(low=0, likely=0, high=0, source="not counted")
    switch_current_a: AmpsAbove | None = None
    output_limit_a: AmpsAbove | None = None
    inductance_h: Annotated[Figure, Unit("H", above=0, at_most=1)] | None = None
    frequency_hz: Annotated[Figure, Unit("Hz", above=0, at_most=1e8)] | None = None
    lockout_v: Volt | None = None
    restart_v: Volt | None = None
    input_max_v: Volt | None = None
    dropout_v: Annotated[Figure, Unit("V", at_least=0, at_most=5)] = Figure(low=0, likely=0, high=0, source="not counted")
    dropout_ohm: Ohms = Figure(low=0, likely=0, high=0, source="not counted")
    thermal_k_per_w: KelvinPerWatt | None = None
    junction_max_c: Celsius = 125.0
    output_f: Annotated[Figure, Unit("F", at_least=0, at_most=1)] | None = None
    blocks_back: bool | None = None
    output_max_v: Volt | None = None
    off_current_a: Amps | None = None
    built_in: bool = False
    body: Body | None = None
    adjustable: Adjustables = ()
    cost: Money | None = None

    @model_validator(mode="after")
    def _losses(self) -> Self:
        if self.kind == "linear" and self.loss is not None:
            raise FigureError("loss", "A linear regulator burns what it drops.", fix="Remove loss; give quiescent_a.")
        if self.kind != "linear" and self.loss is None:
            raise FigureError("loss", f"{self.name} has no efficiency.", fix='Give loss, such as {"kind": "fixed", …}.')
        return self


Colour = Literal["red", "black", "yellow", "orange", "green", "blue", "white", "grey", "brown", "violet"]
Seconds = Annotated[float, Unit("s", at_least=0, at_most=3600)]


class Switching(Document):
    """How a pressed switch acts. One that is ``soft`` asks the board to shut down and then cuts: so many seconds later, or where
    none are set, once the board lets go of its line. Held for ``held_s`` it cuts whatever the board does.
    """

    soft: bool = True
    cuts_after_s: Seconds | None = None
    held_s: Seconds | None = None


class Link(Fed):
    """A wire, switch, fuse, plug, trace, flat cable, power-path switch, jack or shared return: resistance in the way.

    A jack is the contact in a charge socket that opens while a plug is in it and so cuts out what hangs behind it; a
    ``latching`` switch stays off once it has lost its volts, until somebody presses it; ``acts`` says how one that is pressed
    acts, and one without is thrown by hand. A return leads from its loads back to the negative of the pack or board that
    ``fed_by`` names, or on to that of the return before it in a chain. An outlet is where a load passes its volts on to others: a
    socket, a pin or a pad, with its path and the current it is limited to.

    A diode lets current pass one way and drops ``drop_v`` beside what its resistance does; an ideal one, a transistor that acts as
    such, drops next to nothing.

    A wire's resistance follows from its length, gauge (``awg``) or section and its number of conductors in the
    path; ``resistance_ohm`` given replaces that, as a measurement does. ``rating_v`` are the DC volts that a fuse, switch or plug
    can break.
    """

    kind: Literal["wire", "switch", "fuse", "plug", "path", "trace", "flat", "return", "jack", "outlet", "diode"]
    resistance_ohm: Ohms | None = None
    drop_v: Annotated[Figure, Unit("V", at_least=0, at_most=2)] | None = None
    length_m: Metres | None = None
    awg: Annotated[float, Unit("AWG", at_least=0, at_most=44)] | None = None
    section_mm2: Annotated[float, Unit("mm²", above=0, at_most=50)] | None = None
    conductors: Annotated[int, Field(ge=1, le=16)] = 2
    temperature_c: Celsius = 20.0
    rating_a: AmpsAbove | None = None
    rating_v: Annotated[float, Unit("V", above=0, at_most=1000)] | None = None
    strands_in_bundle: Annotated[int, Field(ge=1, le=40)] = 1
    insulation_c: Annotated[float, Unit("°C", at_least=-40, at_most=260)] = 80.0
    contacts: Annotated[int, Field(ge=1, le=60)] = 1
    trace_width_mm: Millimetres | None = None
    copper_um: Annotated[float, Unit("µm", above=0, at_most=500)] = 35.0
    resettable: bool = False
    latching: bool = False
    acts: Switching | None = None
    off_current_a: Amps | None = None
    run_m: Metres | None = None
    colour: Colour | None = None
    cost: Money | None = None

    @model_validator(mode="after")
    def _has_resistance(self) -> Self:
        copper = self.kind in ("wire", "return") and (self.awg is None) != (self.section_mm2 is None)
        trace = self.kind == "trace" and self.trace_width_mm is not None
        if self.resistance_ohm is None and not (self.length_m is not None and (copper or trace)):
            raise FigureError(
                "resistance_ohm",
                f"The resistance of {self.name} does not follow from what is given.",
                fix="Give resistance_ohm; or length_m and one of awg, section_mm2; or of a trace length_m and trace_width_mm.",
            )
        return self


class Rail(Fed):
    """A supply voltage that parts share: a name for the point where they join.

    ``also`` names what gives to it besides what it is fed by: boards, or the diodes behind them.
    """

    also: Annotated[tuple[Id, ...], Field(max_length=4)] = ()
