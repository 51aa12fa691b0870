"""Rules of the bay: the pack fits, with swelling, wrap and room for its plug."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from briskcell.core.answers import Answers
from briskcell.core.pack.fit import Fit
from briskcell.model.changes import altered, replaced
from briskcell.model.stores import Pack

from .registry import Finding, Fix, rule


@rule("fits-the-bay", station="pack", source="The bay's measures; pouches swell by 8 to 10 % of their thickness")
def fits_the_bay(assessed: Answers) -> Iterator[Finding]:
    """The pack fits the bay."""
    for pack, found in zip(assessed.plan.packs, assessed.fits, strict=False):
        if not found.fits:
            yield Finding("fails", pack.id, f"{pack.name} does not fit its bay. {found.words}", 0.5, partial(_fewer, assessed, pack, found),
                          "A thinner cell, or a larger bay.")  # fmt: skip


def _fewer(assessed: Answers, pack: Pack, found: Fit) -> Fix | None:
    parallel = found.most // pack.series
    if parallel < 1:
        return None
    plan = replaced(assessed.plan, altered(pack, parallel=parallel))
    return Fix(f"{parallel} in parallel instead of {pack.parallel}", "fit.", plan)
