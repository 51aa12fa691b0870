"""The one reader of what comes from outside: its bounds are held at the byte, and told in a sentence."""

from __future__ import annotations

import io

import pytest
from hypothesis import given
from hypothesis import strategies as st

from briskcell.bounded import PIECE, Bounded, LineTooLongError, TooMuchError, TooSlowError


@pytest.mark.parametrize("size", [0, 1, 999, 1000, PIECE + 7])
def test_as_many_bytes_as_may_come_and_one_more_ends_it(size: int) -> None:
    body = bytes(size)
    assert Bounded(io.BytesIO(body).read, most=size).whole() == body
    with pytest.raises(TooMuchError, match=f"more than {size:,} bytes"):
        Bounded(io.BytesIO(body + b"x").read, most=size).whole()


def test_what_is_too_much_is_never_asked_for() -> None:
    asked: list[int] = []

    def endless(most: int) -> bytes:
        asked.append(most)
        return bytes(most)

    with pytest.raises(TooMuchError):
        Bounded(endless, most=100_000).whole()
    assert sum(asked) <= 100_001, "one byte past the bound tells; no more is taken"


@given(
    st.lists(st.text(st.characters(exclude_characters="\r\n", codec="utf-8"), max_size=12), max_size=30),
    st.sampled_from(["\n", "\r\n", "\r"]),
    st.sampled_from(["utf-8", "utf-16", "cp1252"]),
    st.integers(1, 9),
)
def test_lines_of_any_encoding_and_end_come_whole_however_they_are_cut(lines: list[str], end: str, encoding: str, cut: int) -> None:
    text = "".join(line + end for line in lines)
    body = text.encode(encoding, "ignore")
    expected = body.decode(encoding)
    raw = io.BytesIO(body)
    read = list(Bounded(lambda most: raw.read(min(most, cut)), most=10_000, longest_line=40).text_lines(encoding))
    assert "".join(read) == expected
    assert all(line.count("\n") + line.count("\r") <= 2 for line in read)


def test_a_line_may_be_as_long_as_it_may_and_no_longer() -> None:
    def lines(length: int) -> list[str]:
        return list(Bounded(io.BytesIO(b"a\n" + b"b" * length + b"\n").read, most=10**6, longest_line=20).text_lines("utf-8"))

    assert lines(20) == ["a\n", "b" * 20 + "\n"]
    with pytest.raises(LineTooLongError, match="more than 20 characters"):
        lines(21)
    reader = Bounded(io.BytesIO(b"c" * 20 + b";behind").read, most=99, longest_line=20)
    assert (reader.line(b";"), reader.behind) == (b"c" * 20, b"behind")
    with pytest.raises(LineTooLongError):
        Bounded(io.BytesIO(b"c" * 21).read, most=99, longest_line=20).line(b";")


def test_an_answer_that_trickles_ends_with_its_time() -> None:
    now = [100.0]

    def trickles(_most: int) -> bytes:
        now[0] += 0.25
        return b"7"

    with pytest.raises(TooSlowError, match="within 1 s"):
        Bounded(trickles, most=99, seconds=1.0, clock=lambda: now[0]).line()
    assert now[0] == pytest.approx(101.25), "after the first letter past its time, not after them all"
