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
        return f"{self.field}: {self.message} {self.fix}".strip()


MOST_PROBLEMS = 50  # that one document is told of at once


class PlanError(ValueError):
    """A document that is no plan; ``problems`` name each field, value and fix."""

    def __init__(self, problems: Iterable[Problem]) -> None:
        self.problems = tuple(problems)
        super().__init__("; ".join(map(str, self.problems)))

    @classmethod
    def single(cls, field: str, value: object, message: str, *, fix: str = "") -> PlanError:
        return cls([Problem(field=field or "plan", value=_short(value), message=message, fix=fix)])

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
                message, fix = _words(item["type"], item.get("ctx", {}))
            problems.append(Problem(field=path or "plan", value=_short(item.get("input")), message=message, fix=fix))
        return cls(problems[:MOST_PROBLEMS])


def _short(value: object) -> str:
    text = value if isinstance(value, str) else repr(value)
    text = "".join(c if c.isprintable() else "·" for c in text[:100])
    return text if len(text) <= 80 else text[:77] + "…"


# The validator's sorts of complaint in the words of the bench: what is wrong, and the fix. Figures in braces are its limits.
NUMBER, WHOLE, TEXT, LIST = (
    ("This is not a number.", "Give a number, or a figure such as “850 mA”."),
    ("This is not a whole number.", "Give a number like 2."),
    ("This is no text.", "Put it in quotes."),
    ("This is no list.", "Give a list in square brackets."),
)
WORDS: dict[str, tuple[str, str]] = {
    "string_too_long": ("This is longer than {max_length} characters.", "Shorten it."),
    "string_too_short": ("Nothing was typed.", "Type a name."),
    "string_type": TEXT,
    "string_sub_type": TEXT,
    "string_unicode": ("This is no text that can be written.", "Type it again."),
    "string_not_ascii": ("This has letters that have no place here.", "Use plain letters."),
    "string_pattern_mismatch": ("An id has small letters, digits, - and _, and begins with a letter.", "Name it like w-screen."),
    "int_type": WHOLE,
    "int_parsing": WHOLE,
    "int_parsing_size": WHOLE,
    "int_from_float": WHOLE,
    "float_type": NUMBER,
    "float_parsing": NUMBER,
    "finite_number": ("This is not a finite number.", "Give a number."),
    "bool_type": ("This is neither yes nor no.", "Give true or false."),
    "bool_parsing": ("This is neither yes nor no.", "Give true or false."),
    "greater_than": ("This is not above {gt}.", "Give a larger number."),
    "greater_than_equal": ("This is below {ge}.", "Give {ge} or more."),
    "less_than": ("This is not below {lt}.", "Give a smaller number."),
    "less_than_equal": ("This is above {le}.", "Give {le} or less."),
    "missing": ("This field is missing.", "Add it."),
    "extra_forbidden": ("A plan has no field of this name.", "Remove it, or check its spelling."),
    "union_tag_invalid": ("This kind is not known: it is one of {expected_tags}.", "Use one of them."),
    "union_tag_not_found": ("This does not say its kind.", "Add the field kind."),
    "literal_error": ("This is none of {expected}.", "Use one of them."),
    "enum": ("This is none of {expected}.", "Use one of them."),
    "tuple_type": LIST,
    "list_type": LIST,
    "set_type": LIST,
    "iterable_type": LIST,
    "iteration_error": LIST,
    "too_long": ("This list has more than {max_length} entries.", "Shorten it."),
    "too_short": ("This list has fewer than {min_length} entries.", "Add to it."),
    "dict_type": ("This is no object with named fields.", "Give one in curly brackets."),
    "model_type": ("This is no object with named fields.", "Give one in curly brackets."),
    "model_attributes_type": ("This is no object with named fields.", "Give one in curly brackets."),
    "mapping_type": ("This is no object with named fields.", "Give one in curly brackets."),
    "none_required": ("This must be left empty.", "Remove it."),
    "invalid_key": ("The name of a field is no text.", "Put it in quotes."),
    "recursion_loop": ("The document refers to itself.", "Start from an exported plan."),
    "json_invalid": ("This is not JSON.", "Send a plan exported as JSON."),
    "json_type": ("This is not JSON.", "Send a plan exported as JSON."),
}
OTHER = ("This is not what belongs here.", "Compare it with the schema that `brisk-cell schema` prints.")


def _words(kind: str, limits: dict[str, object]) -> tuple[str, str]:
    message, fix = WORDS.get(kind, OTHER)
    shown = {k: f"{v:g}" if isinstance(v, float) else v for k, v in limits.items()}
    return message.format_map(shown), fix.format_map(shown)
