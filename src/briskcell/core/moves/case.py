"""Ways to let the warmth out of a case."""

from __future__ import annotations

from collections.abc import Iterator

from briskcell.core.answers import Answers
from briskcell.model.changes import altered, remade
from briskcell.model.plan import Plan
from briskcell.model.tree import free_id, maker_of

from .fix import Fix

LARGER = (1.15, 1.3)  # times its length and width: what is printed can be printed larger, and the hand still holds it


def cooler(assessed: Answers) -> Iterator[Fix]:
    """Vents, then vents and a fan; the fan is a part that draws.

    Parameters
    ----------
    assessed : Answers
        The build.

    Yields
    ------
    Fix
        Plans with a cooler case.
    """
    plan = assessed.plan
    for vents, fan, words in ((True, False, "Vents"), (True, True, "Vents and a fan")):
        case = plan.case.model_copy(update={"vents": vents, "fan": fan})
        if case != plan.case and not (plan.case.fan and not fan):
            changed = remade(plan, {"case": case})
            changed = _with_fan(assessed, changed) if fan and not plan.case.fan else changed
            yield Fix(words, f"bring the case to {assessed.of(changed).heat.skin_c:.0f} °C in play.", changed)
    for share in LARGER:
        size = {n: max(round(getattr(plan.case, n) * share), 1) for n in ("length_mm", "width_mm")}
        wide = remade(plan, {"case": plan.case.model_copy(update=size | {"vents": True})})
        words = f"A vented case of {size['length_mm']} × {size['width_mm']} mm"
        yield Fix(words, f"comes to {assessed.of(wide).heat.skin_c:.0f} °C in play.", wide)


def _with_fan(assessed: Answers, plan: Plan) -> Plan:
    """The plan with the smallest fan of the library on a rail that it accepts, where there is one."""
    if any("fan" in p.part_class for p in plan.loads):
        return plan
    for fan in (p for p in assessed.stock.loads if p.part_class.startswith("fan")):
        for rail in plan.rails:
            board = maker_of(plan, rail)
            if board is not None and fan.window.low_v < board.output_v.likely <= fan.window.high_v:
                return remade(plan, {"loads": (*plan.loads, altered(fan, id=free_id(plan, "fan"), fed_by=rail.id))})
    return plan
