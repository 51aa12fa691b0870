"""The plan as JSON, and its schema."""

from __future__ import annotations

import json
from typing import Any, BinaryIO

from briskcell.model.errors import PlanError
from briskcell.model.plan import Plan, plan_of

MOST_BYTES = 2_000_000
MOST_DIGITS = 300


def read_plan(stream: BinaryIO) -> Plan:
    """A plan from a stream of JSON.

    Raises
    ------
    PlanError
        If it is too large, not JSON, or no plan; each problem names field, value and fix.
    """
    raw = stream.read(MOST_BYTES + 1)
    if len(raw) > MOST_BYTES:
        raise PlanError.single(
            "", f"{len(raw)} bytes", f"The file is larger than {MOST_BYTES // 1_000_000} MB.", fix="Send a plan, not an archive."
        )
    try:
        text = raw.decode("utf-8-sig")
        # Python reads Infinity and NaN where JSON has none; they are turned away by name.
        document = json.loads(text, parse_constant=_refuse, parse_int=_whole)
        json.dumps(document, ensure_ascii=False).encode()  # half of a letter's code, alone, is no text
    except UnicodeEncodeError as error:
        raise PlanError.single(
            "", error.object[error.start : error.end], "A text holds half a letter.", fix="Type it again."
        ) from error
    except UnicodeDecodeError as error:
        raise PlanError.single("", raw[:40], "The file is not text in UTF-8.", fix="Send a plan exported as JSON.") from error
    except json.JSONDecodeError as error:
        near = text[max(error.pos - 15, 0) : error.pos + 15]
        where = f"line {error.lineno}, column {error.colno}"
        raise PlanError.single(
            "", near, f"The file is not JSON: it breaks at {where}.", fix="Send a plan exported as JSON."
        ) from error
    except RecursionError as error:
        raise PlanError.single("", raw[:40], "The document nests too deep.", fix="Start from an exported plan.") from error
    return plan_of(document)


def _refuse(name: str) -> Any:
    raise PlanError.single("", name, f"{name} is not a figure.", fix="Give a finite number.")


def _whole(digits: str) -> int:
    if len(digits) > MOST_DIGITS:
        raise PlanError.single("", digits[:40], f"A number has {len(digits)} digits.", fix="Give a number of the field's own size.")
    return int(digits)


def document_of(plan: Plan) -> dict[str, Any]:
    """The plan as plain values, every field present: what is stored and exported."""
    return plan.model_dump(mode="json")


def write_plan(plan: Plan) -> bytes:
    """The plan as JSON, two spaces a level, with a final newline; reading it gives the same plan."""
    return (json.dumps(document_of(plan), ensure_ascii=False, indent=2) + "\n").encode()


def schema() -> dict[str, Any]:
    """The JSON Schema of a plan."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Brisk Cell plan",
    } | Plan.model_json_schema()
