"""Words for whoever is new: the tour, what each station decides and in which order, and the builders' own words."""

from __future__ import annotations

from dataclasses import dataclass

from flask import Blueprint, render_template

from briskcell.core.rules import RULES
from briskcell.drawing.stations import TITLES
from briskcell.exports.registry import FORMATS

bp = Blueprint("help", __name__, url_prefix="/help")
TOUR_COOKIE = "tour"

TOUR = (
    "A build is one handheld: its pack, boards, wires and parts, on one map from the socket to the last lamp.",
    "The stations at the left are the order a builder works in; each shows its one number, and whether it holds.",
    "Drag the charge or press Rest, Play, Peak: the map shows what flows then; every number opens to show how it came about.",
    "Under the map stands what is wrong first, with a change that mends it; undo goes all the way back.",
    "Press / to find or add anything, ? for the keys; demo builds are made up, to be taken apart.",
)


@dataclass(frozen=True, slots=True)
class StationHelp:
    """What a station decides, and the order to decide it in."""

    decides: str
    order: tuple[str, ...]


HELP: dict[str, StationHelp] = {
    "brief": StationHelp(
        "What the console must do. Everything else is held against it.",
        (
            "Hours of play and hours on the charger: they size the pack.",
            "How thick the case may be, how warm the room is, and whether it is played while it charges.",
            "What you do not care about stays empty, and is not judged.",
        ),
    ),
    "draw": StationHelp(
        "What each part takes at rest, in play and at its peak.",
        (
            "Put in every part, the small ones too; a class of the library stands in until you have measured.",
            "Say how the time is spent: rest, play, peak, and which games.",
            "Measure the parts with the largest share first; what is guessed is marked.",
        ),
    ),
    "rails": StationHelp(
        "Which boards make which volts, and whether each can give what is asked at the worst moment.",
        (
            "See what every part accepts, then how few supply voltages serve them all.",
            "Choose boards with a quarter to spare at the peak, near the end of the pack: that is where they give least.",
            "A part short of its volts is helped by a thicker wire, a shorter path or a rail of its own.",
        ),
    ),
    "pack": StationHelp(
        "Which cells, how many, and what ends play.",
        (
            "Series sets the volts, parallel the hours and what each cell has to give.",
            "Look at what ends play: if a board stops first, more cells do not help.",
            "Then what a peak resets, where the warning belongs, how it is switched off, and whether it fits the bay.",
        ),
    ),
    "charge": StationHelp(
        "How the pack is filled, how long it takes, and what the console does meanwhile.",
        (
            "The board must be made for the cells: their number in series, their chemistry, their end volts.",
            "Choose whether the console is fed first (power path), cut out, or hangs on the cell: the last two have their price.",
            "See it on the charger in the map, from each supply you may meet.",
        ),
    ),
    "day": StationHelp(
        "Whether it lasts the days it is meant for, and when it has to be plugged in.",
        (
            "Lay out a day as it will be: started, played, put away, plugged in; drag the ends, or type it.",
            "See where it stops, and what of it is missed; then plug in earlier, play less, or go back to the pack.",
            "Ask for the latest moment to plug in, and the weakest supply that would do: a minute later it does not last.",
        ),
    ),
    "wiring": StationHelp(
        "Every wire, fuse and contact: what it drops, what it warms to, what a short does, and in which order they are joined.",
        (
            "Type how long each wire really is; the finder then gives the thinnest that does.",
            "Put a fuse right at the pack, and see that it opens before a wire behind it suffers.",
            "Join from the far ends to the pack: nothing is live before the last joint.",
        ),
    ),
    "heat": StationHelp(
        "Where the watts end as heat, and what gets too warm first: hand, cells or a board.",
        (
            "Look at each use, charging while playing too: cells may be used to 60 °C and charged to 45 °C.",
            "Vents low and high cool more than a thin shell; where it is held, it gives off nothing.",
            "Take what is free first; the list ranks the rest by degrees for the money.",
        ),
    ),
    "room": StationHelp(
        "Where every part lies in the case, what meets, and what makes the case as thick as it is.",
        (
            "Check the sizes: measure with the plugs in, and the cells as they swell.",
            "Lay everything, then move by hand what you know better; cells keep away from warm boards, antennas and bare chips.",
            "The list of millimetres says which connector, part or edge to give up first.",
        ),
    ),
    "bench": StationHelp(
        "Whether a console that was made is as it was planned, proven one safe step after another.",
        (
            "Begin a unit; a second one starts unproven, whatever the first one read.",
            "Take the steps as they come: nothing is live until pads, joints and shorts are proven.",
            "Touch the probes together first: what the leads have is taken off. Joints are judged by millivolts under load.",
            "Where a reading is off, look at the causes in their order; pass it only for a reason, which is kept.",
            "Add a meter or a load, or put the build on the simulated bench, and let it read; a discharge gives the capacity.",
            "Practice hides a fault in this very build: find it with as few readings as you can, before anything is joined.",
        ),
    ),
    "log": StationHelp(
        "What happened to a console that was made, and what that says about its plan and the next pack.",
        (
            "Time a run from full, or take in a meter's log as CSV: what its columns are is recognised, shown and corrected.",
            "A complaint is a measurement too: say when it fails, and the weak points are ranked, with the one reading that tells.",
            "Every run narrows the forecast, for this pack and for any other. What cannot be believed is left out, with why.",
            "Beside the state of the map, choose the console: every page answers as it was measured. Take it into the plan here.",
        ),
    ),
}

GLOSSARY: tuple[tuple[str, str], ...] = (
    ("1S, 2S; 1P, 2P", "Cells one after the other (their volts add) and side by side (their hours add): 2S2P is four cells."),
    ("Ah, mAh", "How much charge a cell holds: 3.5 Ah is 3,500 mAh. Only at the same volts do they compare; else compare Wh."),
    ("Balancing", "Cells in series are charged as one; what evens them out keeps the fullest from being overcharged."),
    ("Boost, buck", "A board that makes more volts from fewer, and one that makes fewer from more."),
    ("C-rate", "Amperes by the cell's capacity: half C empties or fills it in two hours."),
    ("Cut-off", "The volts at which the pack is empty: by its cells, its protection board, or a board that drops out sooner."),
    ("Cut-out jack", "A charge socket whose contact opens while a plug is in it, and so takes the console off the cells."),
    ("Float, end volts", "Where a charger stops rising and only holds: 4.20 V for most lithium cells, 3.65 V for LFP."),
    ("Half of a board", "What comes on a board besides: a charger beside the boost, a second rail. It goes where the board goes."),
    ("Headroom, spare", "What a part could still give above what it is asked. Least: at the worst moment. Now: at the one shown."),
    ("LCO pouch, LiPo", "Flat lithium cells in a foil bag; the round ones are mostly NMC or NCA in a steel can."),
    ("LFP", "Lithium iron phosphate: 3.2 V, patient and safe, needs a charger of its own."),
    ("Lock-out", "The input volts below which a board switches off; at a peak the sag alone can reach it."),
    ("Peak", "The most a part takes for a moment. All at once is the worst case; by chance is how resets are counted."),
    ("Power path", "A charge board that feeds the console from the socket first, and the cells with what is left."),
    ("Protection board", "Cuts the pack off when it is too empty, too full, or gives too much; not a charger, not a switch."),
    ("Quiescent current", "What a board takes for itself while on, and what it sips while off."),
    ("Ripple, inrush", "The wobble on the volts a board makes; the rush that fills a part's capacitors as it is switched on."),
    ("Sag", "How far the volts fall under load: through the cells' own resistance, the wires, and every contact."),
    ("Soft shutdown", "The board is told to write its card and stop before its power goes."),
    ("Star, chain", "How grounds meet: each on its own strand at the board, or from part to part, sharing their drops."),
    ("State of charge", "How full the pack is, in hundredths. Volts tell it badly in the middle, better near the ends."),
    ("Terminal", "Where one solders or plugs to a part: a pad, hole, pin, socket, spring or lead, by what is printed beside it."),
    ("Wh", "Energy: volts times Ah. It is what hours of play are paid from, and what a carrier asks for."),
    ("Window", "The volts a part accepts, at its own terminals; and those that destroy it."),
    ("How it is known", "Guessed, typical of its class, printed by a maker, measured by you: a figure says which it is."),
)


@bp.get("")
def help_page() -> str:
    """Every station's help, the tour and the glossary on one page."""
    checks = {name: [r for r in RULES.values() if r.station == name] for name in HELP}
    return render_template("help.html", checks=checks, formats=FORMATS, titles=TITLES, help=HELP, glossary=GLOSSARY, tour=TOUR)
