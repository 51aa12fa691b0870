"""Two changes of one plan put together, where they touch different things."""

from __future__ import annotations

from typing import Any

Document = dict[str, Any]
Path = tuple[str, ...]
ORDER = "#order"  # of a list of parts
GONE = object()


def merged(base: Document, theirs: Document, mine: Document) -> Document | None:
    """What stands with my change put into it; None where both changed the same field, or one took away what the other changed.

    Lists of parts are put together by the ids of the parts; any other list counts as one field.
    """
    there, here = changes(base, theirs), changes(base, mine)
    if any(_meet(a, b) for a in there for b in here if there[a] != here[b] or a != b):
        return None
    out: Any = theirs
    for path, value in here.items():
        out = _set(out, path, value)
    return out if isinstance(out, dict) else None


def put_over(document: Document, base: Document, mine: Document) -> Document:
    """A document with all that was changed between two others put into it: what I changed holds, whatever stands there."""
    out: Any = document
    for path, value in changes(base, mine).items():
        out = _set(out, path, value)
    return out if isinstance(out, dict) else document


def changes(old: Any, new: Any, path: Path = ()) -> dict[Path, Any]:
    """Each field that differs, by its path, and what it holds now; ``GONE`` where it is no more."""
    if old == new:
        return {}
    if isinstance(old, dict) and isinstance(new, dict):
        out: dict[Path, Any] = {}
        for key in dict.fromkeys([*old, *new]):
            out |= changes(old.get(key, GONE), new.get(key, GONE), (*path, key))
        return out
    if _parts(old) and _parts(new):
        left, right = ({p["id"]: p for p in parts} for parts in (old, new))
        out = changes(left, right, path)
        kept = [i for i in left if i in right]
        if kept != [i for i in right if i in left]:
            out[(*path, ORDER)] = list(right)
        return out
    return {path: new}


def _parts(value: Any) -> bool:
    return isinstance(value, list) and all(isinstance(p, dict) and "id" in p for p in value)


def _meet(one: Path, two: Path) -> bool:
    """The same field, or one within the other."""
    return one[: len(two)] == two or two[: len(one)] == one


def _set(at: Any, path: Path, value: Any) -> Any:
    step, rest = path[0], path[1:]
    if isinstance(at, list):
        if step == ORDER:
            place = {i: k for k, i in enumerate(value)}
            return sorted(at, key=lambda p: place.get(p["id"], len(place)))
        if not rest and value is GONE:
            return [p for p in at if p["id"] != step]
        if not any(p["id"] == step for p in at):
            return [*at, value]
        return [_set(p, rest, value) if p["id"] == step and rest else value if p["id"] == step else p for p in at]
    if not rest:
        return {k: v for k, v in at.items() if k != step} if value is GONE else at | {step: value}
    return at | {step: _set(at[step], rest, value)}
