"""What a reading of a whole console says of several figures at once, which no one of them can hold alone."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from .figure import Document, Words


class Term(Document):
    """How much one doubt counts in a reading: its name from build to build, its weight, and how far it may be off by itself."""

    doubt: Annotated[str, Field(max_length=200)]
    weight: Annotated[float, Field(ge=-20, le=20)]
    off: Annotated[float, Field(ge=0, le=5)]


class Evidence(Document):
    """A reading of a whole console that the plan's figures explain already.

    The logarithms of the factors that figures are still off by, each times its weight, add up to nothing, give or take ``off``: one
    standard deviation. ``words`` say which console, what and when.
    """

    words: Words
    off: Annotated[float, Field(ge=1e-4, le=5)]
    terms: Annotated[tuple[Term, ...], Field(min_length=1, max_length=300)]
