"""What differs between two plans, in words."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel

from briskcell.model.figure import GRADES, Figure
from briskcell.model.parts import Part
from briskcell.model.plan import Plan
from briskcell.model.units import Unit, unit_of_field

from .values import label, shown


def differences(old: Plan, new: Plan) -> list[tuple[str, str, str]]:
    """What differs between two plans: (where, old, new), in words."""
    out: list[tuple[str, str, str]] = []

    def walk(path: list[str], a: Any, b: Any, unit: Unit | None) -> None:
        if a == b:
            return
        if path[-1:] == ["terminals"] and [t.key for t in a] != [t.key for t in b]:
            out.append((label(new, "/".join(path)), f"{len(a) or 'the usual'}", f"{len(b) or 'the usual'}"))
            return
        name = label(new if len(path) > 1 and path[1] in new.by_id else old, "/".join(path))
        if isinstance(a, tuple) and isinstance(b, tuple) and (a or b) and isinstance((a or b)[0], Part):
            ids = list(dict.fromkeys([p.id for p in a] + [p.id for p in b]))
            left, right = {p.id: p for p in a}, {p.id: p for p in b}
            for i in ids:
                if i in left and i in right:
                    walk([*path, i], left[i], right[i], None)
                else:
                    there = left.get(i) or right[i]
                    out.append((there.name, "in the build" if i in left else "–", "in the build" if i in right else "removed"))
        elif isinstance(a, tuple) and isinstance(b, tuple) and (a or b) and isinstance((a or b)[0], BaseModel):
            for k in range(max(len(a), len(b))):
                if k < len(a) and k < len(b):
                    walk([*path, str(k)], a[k], b[k], None)
                else:
                    out.append((f"{name} {k + 1}", "there" if k < len(a) else "–", "there" if k < len(b) else "removed"))
        elif isinstance(a, Figure) and isinstance(b, Figure):
            if shown(a, unit) != shown(b, unit):
                out.append((name, shown(a, unit), shown(b, unit)))
            elif (a.low, a.high) != (b.low, b.high):
                was, now = (f"{shown(f.low, unit)} to {shown(f.high, unit)}" for f in (a, b))
                out.append((f"{name}, its range", was, now))
            else:
                out.append((f"{name}, how it is known", GRADES[a.grade], GRADES[b.grade]))
        elif isinstance(a, BaseModel) and isinstance(b, BaseModel) and type(a) is type(b):
            for field in type(a).model_fields:
                walk([*path, field], getattr(a, field), getattr(b, field), unit_of_field(type(a), field))
        elif isinstance(a, (BaseModel, tuple)) or isinstance(b, (BaseModel, tuple)):
            out.append((name, "one table", "another table"))
        else:
            out.append((name, shown(a, unit), shown(b, unit)))

    walk([], old, new, None)
    return out
