"""Bytes from outside, read through one reader: how many at most, how long a line, and how long all of it may take.

What stands in a file, comes over a line or lies in an archive is somebody else's until it was read to its end within bounds.
"""

from __future__ import annotations

import io
import time
from collections.abc import Callable, Iterator
from typing import Any

PIECE = 65_536  # bytes asked for at once

Source = Callable[[int], bytes]  # gives up to so many bytes, none at the end
Clock = Callable[[], float]


class BoundsError(ValueError):
    """What came is out of bounds; the words say which, and are the end of a sentence that names what was read."""


class TooMuchError(BoundsError):
    """More bytes came than may."""


class LineTooLongError(BoundsError):
    """A line is longer than any may be."""


class TooSlowError(BoundsError):
    """It did not come to its end in time."""


class Bounded:
    """A reader of bytes that ends in a sentence where they leave their bounds.

    Parameters
    ----------
    source : callable
        Gives up to so many bytes at a time; nothing at the end. Where there is a deadline it has to come back by itself in time.
    most : int
        Bytes that may come in all.
    longest_line : int, optional
        Characters that a line may have; unless said otherwise, as many as there may be bytes.
    seconds : float, optional
        That all of it may take, from the first question on; None where it lies there already. [s]
    clock : callable
        Seconds of a clock that never leaps. [s]

    Examples
    --------
    >>> import io
    >>> Bounded(io.BytesIO(b"3.7\\nmore").read, most=10).line()
    b'3.7'
    >>> Bounded(io.BytesIO(b"abc").read, most=2).whole()
    Traceback (most recent call last):
    briskcell.bounded.TooMuchError: has more than 2 bytes
    """

    def __init__(
        self,
        source: Source,
        *,
        most: int,
        longest_line: int | None = None,
        seconds: float | None = None,
        clock: Clock = time.monotonic,
    ) -> None:
        self._source, self._most = source, most
        self._longest = most if longest_line is None else longest_line
        self._seconds, self._clock = seconds, clock
        self._came = 0
        self.behind = b""  # what came behind the line that was read

    def pieces(self) -> Iterator[bytes]:
        """What comes, as it comes.

        Raises
        ------
        BoundsError
            As soon as there is too much of it, or it takes too long.
        """
        began = self._clock()
        while piece := self._source(min(PIECE, self._most - self._came + 1)):
            self._came += len(piece)
            if self._came > self._most:
                raise TooMuchError(f"has more than {self._most:,} bytes")
            if self._seconds is not None and self._clock() - began > self._seconds:
                raise TooSlowError(f"did not come to its end within {self._seconds:g} s")
            yield piece

    def whole(self) -> bytes:
        """All of it."""
        return b"".join(self.pieces())

    def line(self, ends_with: bytes = b"\n") -> bytes:
        """The first line, without its end; what stands ``behind`` it came with it. Empty where nothing came.

        Raises
        ------
        BoundsError
            As soon as it is too long.
        """
        read = b""
        for piece in self.pieces():
            read += piece
            found, end, behind = read.partition(ends_with)
            self._short(len(found))
            if end:
                self.behind = behind
                return found
        return read

    def text_lines(self, encoding: str) -> Iterator[str]:
        """Its lines as text, each with its end. Letters that make no sense are replaced.

        Raises
        ------
        BoundsError
            As soon as one is too long.
        """
        text = io.TextIOWrapper(io.BufferedReader(_Raw(self.pieces())), encoding, errors="replace", newline="")
        while line := text.readline(self._longest + 1):
            self._short(len(line.rstrip("\r\n")))
            yield line

    def _short(self, length: int) -> None:
        if length > self._longest:
            raise LineTooLongError(f"has a line of more than {self._longest:,} characters")


class _Raw(io.RawIOBase):
    """Pieces as a file that the standard library reads text from."""

    def __init__(self, pieces: Iterator[bytes]) -> None:
        self._pieces, self._left = pieces, memoryview(b"")

    def readable(self) -> bool:
        return True

    def readinto(self, into: Any) -> int:
        if not self._left:
            self._left = memoryview(next(self._pieces, b""))
        room = memoryview(into).cast("B")
        count = min(len(room), len(self._left))
        room[:count] = self._left[:count]
        self._left = self._left[count:]
        return count
