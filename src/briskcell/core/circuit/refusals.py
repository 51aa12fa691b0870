"""What cannot be joined: plus on minus, an output into another, a conductor that leads nowhere."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from briskcell.core.circuit.circuit import IN_THE_WAY, Circuit, End
from briskcell.model.parts import Converter, Link, Load
from briskcell.model.stores import Trickle

GIVES = ("out", "rail")  # roles of terminals that current comes from


@dataclass(frozen=True, slots=True)
class Refusal:
    """One thing that cannot be: of which kind, the part that is to be changed, and a sentence."""

    kind: Literal["poles", "sources", "nowhere"]
    element: str
    words: str


def refusals(circuit: Circuit) -> tuple[Refusal, ...]:
    """Every net of a circuit that nobody should solder, and every part that leads nowhere.

    Parameters
    ----------
    circuit : Circuit
        The circuit of a build.

    Returns
    -------
    tuple of Refusal
        Shorts first. Two sources that a rail names as its own are another rule's matter.
    """
    also = {at for rail in circuit.plan.rails for at in (*rail.also, rail.fed_by) if rail.also}
    shorts = [r for net in circuit.nets for r in _of_net(circuit, net, also)]
    return (*shorts, *_nowhere(circuit))


def _of_net(circuit: Circuit, net: frozenset[End], also: set[str]) -> Iterator[Refusal]:
    """What is wrong with one net; ``also`` are the sources that rails name as theirs."""
    ends = sorted(net, key=lambda e: (e.place, e.terminal))
    terminals = {e: circuit.by_id[e.place].of(e.terminal) for e in ends}
    plus = [e for e in ends if terminals[e].polarity == "+"]
    minus = [e for e in ends if terminals[e].polarity == "-"]
    if plus and minus:
        words = f"{circuit.words(plus[0])} and {circuit.words(minus[0])} are joined: plus on minus."
        yield Refusal("poles", _odd_one(circuit, plus, minus), words)
        return
    giving = [e for e in plus if terminals[e].role in GIVES and not isinstance(circuit.by_id[e.place].part, Trickle)]
    apart = {e.place for e in giving} - also
    if len(apart) > 1:
        first, second = [e for e in giving if e.place in apart][:2]
        words = f"{circuit.words(first)} and {circuit.words(second)} are joined: each would push into the other."
        yield Refusal("sources", _part(circuit, second), words)


def _odd_one(circuit: Circuit, plus: list[End], minus: list[End]) -> str:
    """The part whose terminal is not as its kind usually has it, as far as can be told: the side that has fewer ends."""
    fewer = plus if len(plus) < len(minus) else minus
    return _part(circuit, fewer[0])


def _part(circuit: Circuit, end: End) -> str:
    part = circuit.by_id[end.place].part
    return part.id if part is not None else ""


def _nowhere(circuit: Circuit) -> Iterator[Refusal]:
    """Wires, switches, fuses and regulators that nothing hangs on."""
    plan = circuit.plan
    charged = {b.fed_by for b in plan.chargers}
    ends = {load.return_by for load in plan.loads} | {at for rail in plan.rails for at in rail.also}
    for part in (*plan.links, *plan.converters):
        if part.id in charged or part.id in ends or plan.fed.get(part.id) or part.half_of is not None:
            continue
        if isinstance(part, Link) and (part.kind == "outlet" or part.kind not in (*IN_THE_WAY, "wire", "return")):
            continue
        yield Refusal("nowhere", part.id, f"{part.name} leads nowhere: nothing is joined behind it.")
    for rail in plan.rails:
        board = plan.by_id[rail.fed_by]
        if not plan.fed.get(rail.id) and isinstance(board, Converter) and board.half_of is None and not _feeds(circuit, board):
            yield Refusal("nowhere", board.id, f"{board.name} makes {rail.name}, and nothing hangs on that.")


def _feeds(circuit: Circuit, board: Converter) -> bool:
    """Whether anything that draws hangs on a board, straight or by a rail or link."""
    left = [board.id]
    while left:
        for child in circuit.plan.fed.get(left.pop(), ()):
            if isinstance(child, Load | Converter):
                return True
            left.append(child.id)
    return False
