"""Every pack of the library that fits a build."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.answers import Answers
from briskcell.core.pack.fit import label_energy_wh, largest_that_fits
from briskcell.core.search.candidates import Candidate, candidates, same_charge
from briskcell.library import catalogue
from briskcell.model.plan import Bay
from briskcell.model.stores import Cell, Pack
from briskcell.services.aside import kept

from .bay import bay_of_case


@dataclass(frozen=True, slots=True, kw_only=True)
class FittingPacks:
    """Packs in the place of the one that ends play, longest runtime first; in a bay guessed from the case where none is given."""

    replaced: Pack
    packs: tuple[Candidate, ...]
    bay_is_guessed: bool


@kept
def fitting_packs(assessed: Answers) -> FittingPacks | None:
    """All packs of the library's cells that fit; None where no pack is to be replaced."""
    plan = assessed.plan
    pack = plan.stores[assessed.pack_index or 0] if plan.stores else None
    if not isinstance(pack, Pack):
        return None
    found = candidates(plan, pack, (c.part for c in catalogue().of_kind("cells")), plan.bay or bay_of_case(plan))
    return FittingPacks(replaced=pack, packs=found, bay_is_guessed=plan.bay is None)


def largest_pack(pack: Pack, bay: Bay) -> tuple[Cell, int, float] | None:
    """The cell class and number in parallel that hold the most in a bay, of classes whose capacity somebody vouches for; and the
    watt-hours of their labels."""
    cells = (c.part for c in catalogue().of_kind("cells"))
    found = largest_that_fits(tuple(c for c in cells if same_charge(c, pack.cell) and c.label_ah.grade != "guessed"), bay)
    if found is None or found[1] < pack.series:
        return None
    parallel = found[1] // pack.series
    return found[0], parallel, parallel * pack.series * label_energy_wh(found[0])
