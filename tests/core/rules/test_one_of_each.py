"""Two packs put together as one: what is filled at one port, by the rule that finds them."""

from __future__ import annotations

from briskcell.core.assess import assess
from briskcell.library import catalogue
from briskcell.model.changes import altered, remade
from briskcell.services.demo import sanderling


def test_two_packs_of_like_cells_are_offered_as_one_and_unlike_ones_are_not() -> None:
    plan, stock = sanderling(), catalogue().stock()
    second = altered(plan.packs[0], id="second", name="Second pack", parallel=1)
    charger = altered(plan.chargers[0], id="charger-2", name="Second charger", charges="second", supply="usb-2")
    supply = altered(plan.supplies[0], id="usb-2", name="Second supply")
    sound = next(p for p in plan.loads if "amplifier" in p.name)
    moved = tuple(altered(p, fed_by="second") if p is sound else p for p in plan.loads)
    two = remade(
        plan,
        {
            "packs": (*plan.packs, second),
            "chargers": (*plan.chargers, charger),
            "supplies": (*plan.supplies, supply),
            "loads": moved,
            "days": (),
        },
    )
    finding = next(f for f in assess(two, stock).findings if f.rule == "one-of-each")
    (fix,) = finding.search()
    one = fix.plan
    assert [(p.id, p.parallel) for p in one.packs] == [("pack", plan.packs[0].parallel + 1)]
    assert [c.id for c in one.chargers] == ["charger"]
    assert [s.id for s in one.supplies] == ["usb"]
    assert next(p for p in one.loads if p.id == sound.id).fed_by == "pack"
    assert not [f for f in assess(one, stock).findings if f.rule == "one-of-each"]
    unlike = altered(second, cell=catalogue().find("cell-18650-e35").part)
    other = next(f for f in assess(remade(two, {"packs": (plan.packs[0], unlike)}), stock).findings if f.rule == "one-of-each")
    assert list(other.search()) == []
