"""How a build is switched: what loses its power at each act, after how long, and whether a card is at risk."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from briskcell.model.parts import Link, Load
from briskcell.model.plan import Plan
from briskcell.model.stores import Bank
from briskcell.model.tree import feeders_of, switches_of

ACTS = ("off", "hold", "empty", "crash")


@dataclass(frozen=True, slots=True, kw_only=True)
class Act:
    """What one act does. ``after_s`` is None where the power never goes; ``loses`` are the ids of the loads that lose it.

    ``opened`` are the switches that are off afterwards, for what is drawn then.
    """

    act: str
    after_s: float | None
    loses: tuple[str, ...]
    at_risk: bool
    opened: frozenset[str]
    why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Way:
    """One way to switch a build off: a switch, a bank's own button, or with no ``element`` a button that starts a script."""

    element: str
    name: str
    soft: bool
    acts: tuple[Act, ...]

    def act(self, name: str) -> Act:
        """One of its acts."""
        return next(a for a in self.acts if a.act == name)


def card_loads(plan: Plan) -> frozenset[str]:
    """Ids of the loads that must be shut down before their power goes.

    Parameters
    ----------
    plan : Plan
        The build.

    Returns
    -------
    frozenset of str
        Where no part is said to write a card, the one that draws most in play is taken for the computer board.
    """
    if plan.shutdown.seconds == 0 or plan.shutdown.soft is False or not plan.loads:
        return frozenset()
    said = frozenset(p.id for p in plan.loads if p.writes_card)
    return said or frozenset({max(plan.loads, key=_play_draw).id})


def _play_draw(load: Load) -> float:
    likely = load.draw.play.likely
    return 25.0 / likely if load.kind == "resistance_ohm" else likely  # of one order at 5 V; only the largest is asked for


def ways_off(plan: Plan, warned: bool | None = None) -> tuple[Way, ...]:
    """Every way that a build is switched off, with what each act does.

    Parameters
    ----------
    plan : Plan
        The build.
    warned : bool, optional
        Whether the warning leaves enough for a clean shutdown when the pack runs empty; None where that is not known.

    Returns
    -------
    tuple of Way
        Switches in the order of the plan, banks, then the script; each with its acts in the order of ``ACTS``. Empty where
        nothing switches it off.
    """
    cards = card_loads(plan)
    soft = plan.shutdown.soft is True or any(k.acts and k.acts.soft for k in plan.links)
    saved = bool(warned) and soft
    out = [_switch(plan, k, cards, saved) for k in plan.links if k.kind == "switch"]
    out += [_bank(plan, b, cards, saved) for b in plan.banks if plan.fed.get(b.id)]
    if plan.shutdown.soft is True:
        out.append(_script(plan, cards, saved))
    return tuple(out)


def _behind(plan: Plan, element: str) -> tuple[str, ...]:
    return tuple(p.id for p in plan.loads if any(f.id == element for f in feeders_of(plan, p)))


def _switch(plan: Plan, switch: Link, cards: frozenset[str], saved: bool) -> Way:
    behind, how, off = _behind(plan, switch.id), switch.acts, frozenset({switch.id})
    needs = plan.shutdown.seconds
    held = bool(cards & set(behind))
    runs_dry = Act(
        act="empty",
        after_s=0.0,
        loses=behind,
        at_risk=held and not saved,
        opened=off if switch.latching else frozenset(),
        why="it opens with its volts, and stays off until it is pressed"
        if switch.latching
        else "it stays on: what still draws goes on emptying the pack, and all starts again by itself on the charger",
    )
    if how is None:
        thrown = _thrown(plan, behind, off, held)
        return Way(element=switch.id, name=switch.name, soft=False, acts=(*thrown[:2], runs_dry, thrown[2]))
    asked = (needs if how.cuts_after_s is None else how.cuts_after_s) if how.soft else 0.0
    hard = [s for s in (how.cuts_after_s if how.soft else 0.0, how.held_s) if s is not None]
    pressed = Act(
        act="off",
        after_s=asked,
        loses=behind,
        at_risk=held and asked < needs,
        opened=off,
        why="it cuts at once"
        if not how.soft
        else f"it asks the board, which takes {needs:.0f} s, and cuts "
        + ("when the board lets go" if how.cuts_after_s is None else f"{asked:.0f} s later"),
    )
    hold = Act(
        act="hold",
        after_s=how.held_s,
        loses=behind if how.held_s is not None else (),
        at_risk=held and how.held_s is not None,
        opened=off if how.held_s is not None else frozenset(),
        why="it cuts whatever the board does" if how.held_s is not None else "holding it does nothing more",
    )
    hung = Act(
        act="crash",
        after_s=min(hard, default=None),
        loses=behind if hard else (),
        at_risk=held and bool(hard),
        opened=off if hard else frozenset(),
        why="a hung board is cut whatever it writes" if hard else "it waits for a board that no longer answers",
    )
    return Way(element=switch.id, name=switch.name, soft=how.soft, acts=(pressed, hold, runs_dry, hung))


def _thrown(plan: Plan, behind: tuple[str, ...], off: frozenset[str], held: bool) -> list[Act]:
    """A plain switch: thrown, thrown and left, and thrown on a board that hangs."""
    script = plan.shutdown.soft is True
    return [
        Act(
            act=a,
            after_s=0.0,
            loses=behind,
            at_risk=held and (a == "crash" or not script),
            opened=off,
            why="a hung board is cut whatever it writes"
            if a == "crash" and held
            else "thrown after the script has halted the board"
            if script and held
            else "it cuts at once",
        )
        for a in ("off", "hold", "crash")
    ]


def _bank(plan: Plan, bank: Bank, cards: frozenset[str], saved: bool) -> Way:
    behind = _behind(plan, bank.id)
    held, script = bool(cards & set(behind)), plan.shutdown.soft is True

    def pressed(act: str) -> Act:
        return Act(
            act=act,
            after_s=0.0,
            loses=behind,
            at_risk=held and (act == "crash" or not script),
            opened=switches_of(plan),
            why="its button cuts at once; some banks want it pressed twice",
        )

    dry = Act(
        act="empty",
        after_s=0.0,
        loses=behind,
        at_risk=held and not saved,
        opened=switches_of(plan),
        why="a bank gives no warning but its own lamps, and ends at once",
    )
    return Way(
        element=bank.id,
        name=f"{bank.name}, its own button",
        soft=False,
        acts=(pressed("off"), pressed("hold"), dry, pressed("crash")),
    )


def _script(plan: Plan, cards: frozenset[str], saved: bool) -> Way:
    on: frozenset[str] = frozenset()
    dry = Act(
        act="empty",
        after_s=0.0,
        loses=tuple(p.id for p in plan.loads),
        at_risk=bool(cards),
        opened=on,
        why="the warning comes too late for it, or there is none",
    )

    def act(name: str, why: str) -> Act:
        return Act(act=name, after_s=None, loses=(), at_risk=False, opened=on, why=why)

    acts = (
        act("off", f"the board halts after {plan.shutdown.seconds:.0f} s, and all parts keep their volts"),
        act("hold", "no more than a press, unless the board cuts itself off"),
        act("empty", "the warning starts it in time") if saved else dry,
        act("crash", "a hung board reads no button"),
    )
    return Way(element="", name="Button that starts a script", soft=True, acts=acts)


def softest(ways: tuple[Way, ...]) -> Iterator[Way]:
    """The ways that shut the board down before its power goes.

    Parameters
    ----------
    ways : tuple of Way
        All of a build.

    Yields
    ------
    Way
        Those that ask it, and wait as long as it takes.
    """
    return (w for w in ways if w.soft and not w.act("off").at_risk)
