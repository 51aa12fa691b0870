"""Rules of the bay: the pack fits, with swelling, wrap and room for its plug."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.moves.packs import as_many_as_fit

from ..registry import Finding, rule


@rule(
    "fits-the-bay",
    station="pack",
    wish="thickness_mm",
    shown=("pack/bay",),
    source="The bay's measures; pouches swell by 8 to 10 % of their thickness",
)
def fits_the_bay(assessed: Answers) -> Iterator[Finding]:
    """The pack fits the bay."""
    for pack, found in zip(assessed.plan.packs, assessed.fits, strict=False):
        if not found.fits:
            yield Finding(
                "fails",
                pack.id,
                f"{pack.name} does not fit its bay. {found.words}",
                0.5,
                partial(as_many_as_fit, assessed, pack),
                "A thinner cell, or a larger bay.",
            )
