"""What a document, a form or a file is told when it makes no sense."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from pydantic import ValidationError


class FigureError(ValueError):
    """A figure that makes no sense: the field, what is wrong with its value, and the fix."""

    def __init__(self, field: str, message: str, *, fix: str = "") -> None:
        self.field, self.message, self.fix = field, message, fix
        super().__init__(f"{message} {fix}".strip())


@dataclass(frozen=True, slots=True, kw_only=True)
class Problem:
    """One thing wrong in a document: where, with which value, why, and what to do."""

    field: str
    value: str
    message: str
    fix: str

    def __str__(self) -> str:
        return f"{self.field or 'plan'}: {self.message} {self.fix}".strip()


class PlanError(ValueError):
    """A document that is no plan; ``problems`` name each field, value and fix."""

    def __init__(self, problems: Iterable[Problem]) -> None:
        self.problems = tuple(problems)
        super().__init__("; ".join(map(str, self.problems)))

    @classmethod
    def single(cls, field: str, value: object, message: str, *, fix: str = "") -> PlanError:
        return cls([Problem(field=field, value=_short(value), message=message, fix=fix)])

    @classmethod
    def from_validation(cls, error: ValidationError, prefix: str = "") -> PlanError:
        """The same problems in the words of the bench instead of the validator's."""
        problems = []
        for item in error.errors(include_url=False):
            cause = item.get("ctx", {}).get("error")
            path = "/".join([*filter(None, [prefix]), *(str(p) for p in item["loc"])])
            if isinstance(cause, FigureError):
                message, fix = cause.message, cause.fix
                if cause.field and not path.endswith(cause.field):
                    path = f"{path}/{cause.field}".strip("/")
            else:
                message, fix = _words(item["type"], item["msg"], item.get("ctx", {}))
            problems.append(Problem(field=path, value=_short(item.get("input")), message=message, fix=fix))
        return cls(problems)


def _short(value: object) -> str:
    text = value if isinstance(value, str) else repr(value)
    return text if len(text) <= 80 else text[:77] + "…"


def _words(kind: str, message: str, limits: dict[str, object]) -> tuple[str, str]:
    known = {
        "string_too_long": (f"This is longer than {limits.get('max_length')} characters.", "Shorten it."),
        "string_too_short": ("Nothing was typed.", "Type a name."),
        "int_parsing": ("This is not a whole number.", "Type a number like 2."),
        "float_parsing": ("This is not a number.", "Type a number."),
        "float_type": ("This is not a number.", "Give a number."),
        "missing": ("This field is missing.", "Add it."),
        "extra_forbidden": ("A plan has no field of this name.", "Remove it, or check its spelling."),
        "union_tag_invalid": ("This kind is not known.", "Use one of the kinds the schema lists."),
    }
    return known.get(kind, (message.rstrip(".") + ".", "Compare it with the schema that `brisk-cell schema` prints."))
