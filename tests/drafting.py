"""Every draft of the form, tried: ``python -m tests.drafting`` prints how many hold as they were wished."""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Iterable

from briskcell.core.assess import assess
from briskcell.library import catalogue
from briskcell.model.errors import FigureError
from briskcell.services.drafts import DraftRequest, draft
from briskcell.services.library import draft_choices

Combination = tuple[str, str, float, float]
COMBINATIONS: list[Combination] = [
    (b.key, s.key, hours, mm)
    for b, s, hours, mm in itertools.product(
        draft_choices()["boards"], draft_choices()["screens"], (3.0, 5.0, 8.0), (18.0, 25.0, 35.0)
    )
]


def drafted(wanted: Iterable[Combination]) -> Counter[str]:
    """How many drafts hold as wished, are the nearest that can be had and say so, fail, or are refused."""
    found: Counter[str] = Counter()
    for board, screen, hours, mm in wanted:
        try:
            plan = draft(DraftRequest(name="Dunlin", board=board, screen=screen, hours=hours, thickness_mm=mm))
        except FigureError:
            found["refused"] += 1
            continue
        a = assess(plan, catalogue().stock())
        asked = (plan.brief.hours, plan.brief.thickness_mm) == (hours, mm) and not plan.note.startswith("As it was wished")
        found["fails" if a.failures else "holds" if asked else "nearest"] += 1
    return found


if __name__ == "__main__":
    print(len(COMBINATIONS), dict(drafted(COMBINATIONS)))
