"""What the simulated instruments understand: the words of SCPI for each, and those that set the bench itself."""

from __future__ import annotations

from collections.abc import Callable

from briskcell.core.bench.specimen import fault_of
from briskcell.model.errors import FigureError

from .world import World

UNKNOWN = '-113,"Undefined header"'
MANNERS = ("sound", "frozen", "babbling", "twice", "slow")  # how an instrument's line behaves
Cut = Callable[[float], None]


class Talk:
    """One simulated instrument: a meter, a supply or an electronic load.

    ``answer`` gives None where a line is not answered, as SCPI has it: what ends with a question mark is. ``manner`` is how its
    line behaves: a frozen one neither answers nor obeys, a babbling one talks without end, one answers each question twice, a
    slow one sends a letter a second.
    """

    manner = "sound"

    def __init__(self, world: World, kind: str, cut: Cut) -> None:
        self.world, self.kind, self._cut = world, kind, cut
        ask = {"meter": world.meter, "supply": world.supply, "load": world.load}[kind]
        dc = ":DC" if kind == "meter" else ""
        self._asks: dict[str, Callable[[], float | str]] = {
            "*IDN?": lambda: f"Brisk Cell,simulated {kind},1,1",
            f"MEAS:VOLT{dc}?": lambda: ask("V"),
            f"MEAS:CURR{dc}?": lambda: ask("A"),
            "SIM:TIME?": world.passed_s,
            "SIM:CHARGE?": lambda: world.soc,
            "SIM:LOWEST?": lambda: world.lowest_v,
            "SIM:FAULTS?": lambda: ";".join(f"{f.kind},{f.where}" for f in world.faults) or "none",
        }
        if kind == "meter":
            self._asks |= {"MEAS:RES?": lambda: ask("Ω"), "MEAS:TEMP?": world.celsius}
        self._sets: dict[str, Callable[[str], object]] = {
            "SIM:PLACE": world.place,
            "SIM:SPEED": lambda v: world.run_at(_within(v, 0.0, 1e5)),
            "SIM:CHARGE": lambda v: world.turn("soc", _within(v, 0.0, 1.0)),
            "SIM:NOISE": lambda v: world.turn("noise", _within(v, 0.0, 1.0)),
            "SIM:FAULT": self._fault,
            "SIM:SOUND": lambda _: world.set_faults(()),
            "SIM:CUT": lambda v: self._cut(_within(v, 0.0, 60.0)),
            "SIM:MANNER": self._behave,
        }
        if kind == "supply":
            self._sets |= {
                "VOLT": lambda v: world.turn("supply_v", _within(v, 0.0, 60.0)),
                "CURR": lambda v: world.turn("supply_a", _within(v, 0.0, 20.0)),
                "OUTP": lambda v: world.switch("supply", on=v.upper() in ("ON", "1")),
            }
        if kind == "load":
            self._sets |= {
                "CURR": lambda v: world.turn("load_a", _within(v, 0.0, 20.0)),
                "INP:PROT:VOLT": lambda v: world.turn("cut_off_v", _within(v, 0.0, 60.0)),
                "*RST": lambda _: world.reset_load(),
                "INP": lambda v: world.switch("load", on=v.upper() in ("ON", "1")),
            }

    def answer(self, line: str) -> str | None:
        """Answer one line, or do what it says."""
        words = line.strip()
        if self.manner == "frozen" and not words.upper().startswith("SIM:MANNER"):
            return None
        asked = self._asks.get(words.upper())
        if asked is not None:
            found = asked()
            return found if isinstance(found, str) else f"{found:+.6E}"
        head, _, value = words.partition(" ")
        do = self._sets.get(head.upper())
        if do is not None:
            try:
                do(value.strip())
            except (ValueError, FigureError):
                return None  # an instrument that is told nonsense keeps still
            return None
        return UNKNOWN if words.endswith("?") else None

    def _behave(self, value: str) -> None:
        if value.lower() not in MANNERS:
            raise ValueError(value)
        self.manner = value.lower()

    def _fault(self, value: str) -> None:
        kind, _, where = value.partition(",")
        self.world.set_faults((*self.world.faults, fault_of(self.world.answers.plan, kind.strip(), where.strip())))


def _within(text: str, low: float, high: float) -> float:
    value = float(text)
    if not low <= value <= high:
        raise ValueError(text)
    return value
