"""What the stages of the ladder share: the build, and its boards and loads in the order in which current reaches them."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.answers import Answers
from briskcell.core.circuit.terminals import MINUS
from briskcell.model.parts import Converter, Fed, Link, Load, Part, Rail
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.model.tree import board_of, feeders_of, source_of


@dataclass(frozen=True, slots=True)
class Console:
    """A build on the bench; ``loads`` from the smallest up, each after what feeds it."""

    a: Answers
    boards: tuple[Converter, ...]
    loads: tuple[Load, ...]

    @property
    def plan(self) -> Plan:
        return self.a.plan

    def at(self, part: Part, key: str) -> str:
        """A terminal of a part, by what is printed there: where a probe goes."""
        return self.a.circuit.words(self.a.circuit.end(part, key))

    def ends(self, link: Link) -> tuple[str, str]:
        """Where the probes go for a link from end to end: of a wire out and back both strands, with their far ends together."""
        strands = [c for c in self.a.circuit.conductors if c.link is link]
        if len(strands) > 1:
            return self.a.circuit.words(strands[0].a), f"{self.a.circuit.words(strands[1].b)}, its far ends held together"
        if strands:
            return self.a.circuit.words(strands[0].a), self.a.circuit.words(strands[0].b)
        return self.at(link, "a"), self.at(link, "b")

    def out(self, part: Part) -> tuple[str, str]:
        """Both poles of a part's output."""
        return self.at(part, "out"), self.at(part, MINUS)

    def fed_at(self, part: Part) -> str:
        """Where a part is fed, by what is printed there."""
        return self.a.circuit.words(self.a.circuit.fed(part))


def console_of(a: Answers) -> Console:
    """A build, its parts in their order.

    Parameters
    ----------
    a : Answers
        The build.

    Returns
    -------
    Console
        What no store feeds is left out.
    """
    plan = a.plan
    boards = sorted((c for c in plan.converters if source_of(plan, c) in plan.stores), key=lambda c: len(list(feeders_of(plan, c))))
    loads = sorted((p for p in plan.loads if source_of(plan, p) in plan.stores), key=lambda p: (p.draw.play.likely, p.id))
    loads.sort(key=lambda p: len([x for x in feeders_of(plan, p) if isinstance(x, Load)]))
    return Console(a, tuple(boards), tuple(loads))


def above(plan: Plan, part: Fed) -> str:
    """The board that feeds a part, or its store.

    Parameters
    ----------
    plan : Plan
        The build.
    part : Fed
        One of it.

    Returns
    -------
    str
        Its id.
    """
    return next((p.id for p in feeders_of(plan, part) if isinstance(p, Converter)), source_of(plan, part).id)


def way(plan: Plan, part: Fed) -> tuple[str, ...]:
    """What has to be proven before a part is fed: its own pads, and joints, shorts and pads on its way up to the store.

    Parameters
    ----------
    plan : Plan
        The build.
    part : Fed
        One of it.

    Returns
    -------
    tuple of str
        Keys of steps, each once.
    """
    own = () if isinstance(part, Converter) and part.built_in else (f"pads:{board_of(part)}",)
    out = list(own)
    for p in feeders_of(plan, part):
        if isinstance(p, Link) and p.kind != "outlet" and p.half_of is None:
            out.append(f"joint:{p.id}")
        elif isinstance(p, Converter):
            out += [f"short:{p.id}", f"idle:{p.id}"]
        elif isinstance(p, Load):
            out.append(f"load:{p.id}")
        elif not isinstance(p, Rail | Link):
            out += [f"pads:{p.id}", f"short:{p.id}", f"polarity:{p.id}"]
            out += [f"cells:{p.id}"] if isinstance(p, Pack) and p.series > 1 else []
    return tuple(dict.fromkeys(out))
