"""The order to build in, as it is worked through: joints made, and taken apart with what depends on them."""

from __future__ import annotations

from briskcell.core.wiring.order import LAST, Joint, build_order, needed_by
from briskcell.model.changes import remade
from briskcell.model.errors import FigureError
from briskcell.model.plan import Plan
from briskcell.services.edits.values import Edit


def made(plan: Plan, order: tuple[Joint, ...]) -> frozenset[str]:
    """The joints that are made: those that are marked, the plan still has, and stand on joints that are made."""
    marked, out = set(plan.joined), set[str]()
    for joint in order:
        if joint.key in marked and set(joint.after) <= out:
            out.add(joint.key)
    return frozenset(out)


def next_joint(plan: Plan, order: tuple[Joint, ...]) -> Joint | None:
    """The first joint that is not made; None where all are."""
    have = made(plan, order)
    return next((j for j in order if j.key not in have), None)


def toggle(plan: Plan, key: str) -> Edit:
    """Mark a joint as made, or take it apart with all that depends on it.

    Raises
    ------
    FigureError
        If the build has no such joint, or something has to be joined before it.
    """
    order = build_order(plan)
    have = made(plan, order)
    joint = next((j for j in order if j.key == key), None)
    if joint is None:
        raise FigureError("joint", "The build has no such joint any more.", fix="Reload the page.")
    name = "The last joint" if key == LAST else plan.by_id[joint.part].name
    if key in have:
        gone = needed_by(order, key) & have
        also = f", and {len(gone) - 1} that depend on it" if len(gone) > 1 else ""
        return Edit(remade(plan, {"joined": tuple(k for k in plan.joined if k in have - gone)}), f"{name} taken apart{also}")
    first = next((k for k in joint.after if k not in have), None)
    if first is not None:
        raise FigureError("joint", f"{plan.by_id[first].name} has to be joined first.", fix="Go by the order.")
    return Edit(remade(plan, {"joined": (*(k for k in plan.joined if k in have), key)}), f"{name} joined")
