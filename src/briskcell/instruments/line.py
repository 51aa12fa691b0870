"""The line to an instrument: a TCP socket, or a serial port where there is one. Every wait on it has an end."""

from __future__ import annotations

import re
import select
import socket
import time
from contextlib import suppress
from threading import Lock
from typing import Any, Protocol

from briskcell.bounded import Bounded, BoundsError, TooSlowError
from briskcell.model.errors import FigureError

from .description import Description
from .instrument import Instrument, InstrumentError, LineCutError

SOCKET = re.compile(r"TCPIP\d*::(?P<host>[A-Za-z0-9.\-]{1,100})::(?P<port>\d{1,5})::SOCKET")
SERIAL = re.compile(r"ASRL(?P<device>[A-Za-z0-9/._\-]{1,60})::INSTR")
OPENS_S = 2.0  # that a line may take to be there
WRITES_S = 0.5  # that a line of some dozen letters may take to leave
LONGEST_ANSWER = 400  # bytes
MOST_STRAY = 4_096  # bytes that are passed over before the first question


def address_of(text: str) -> str:
    """An address as resource names of test gear write it; ``host:port`` and a serial device are put into that form.

    Raises
    ------
    FigureError
        If it is neither.
    """
    typed = text.strip()
    if short := re.fullmatch(r"([A-Za-z0-9.\-]{1,100}):(\d{1,5})", typed):
        typed = f"TCPIP::{short[1]}::{short[2]}::SOCKET"
    elif re.fullmatch(r"/dev/[A-Za-z0-9/._\-]{1,50}|COM\d{1,3}", typed):
        typed = f"ASRL{typed}::INSTR"
    found = SOCKET.fullmatch(typed)
    if (found and 0 < int(found["port"]) < 65_536) or SERIAL.fullmatch(typed):
        return typed
    raise FigureError(
        "address", f"“{text.strip()[:60]}” is no address of an instrument.", fix="Give 192.168.1.20:5025, or /dev/ttyUSB0."
    )


class Wire(Protocol):
    """What carries bytes. It raises ``OSError`` where the other end is gone."""

    def read(self, most: int, seconds: float) -> bytes:
        """Some bytes; none where nothing came in time."""
        ...

    def write(self, body: bytes) -> None:
        """Send them, or fail in time."""
        ...

    def close(self) -> None:
        """Let it go."""
        ...


class TcpWire:
    """A socket. What is written goes at once: else a question after an order waits some 40 ms until that is acknowledged."""

    def __init__(self, host: str, port: int, seconds: float) -> None:
        self._socket = socket.create_connection((host, port), timeout=seconds)
        self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._socket.settimeout(WRITES_S)

    def read(self, most: int, seconds: float) -> bytes:
        ready = select.poll()
        ready.register(self._socket, select.POLLIN)
        if not ready.poll(max(seconds, 0.0) * 1000.0):
            return b""
        if not (came := self._socket.recv(most)):
            raise ConnectionError("the other end closed")
        return came

    def write(self, body: bytes) -> None:
        self._socket.sendall(body)

    def close(self) -> None:
        with suppress(OSError):
            self._socket.close()


class SerialWire:
    """A serial port."""

    def __init__(self, device: str, baud: int) -> None:
        import serial  # asked for where there is one

        self._port: Any = serial.serial_for_url(device, baudrate=baud, timeout=0.0, write_timeout=WRITES_S)

    def read(self, most: int, seconds: float) -> bytes:
        self._port.timeout = max(seconds, 0.0)
        first = bytes(self._port.read(1))
        return first + bytes(self._port.read(min(self._port.in_waiting, most - 1))) if first else b""

    def write(self, body: bytes) -> None:
        self._port.write(body)

    def close(self) -> None:
        with suppress(Exception):
            self._port.close()


class LinePort:
    """Lines over a wire. One thread asks at a time; an order that is written takes no turn behind a question that waits.

    Parameters
    ----------
    wire : Wire
        What carries the bytes.
    address : str
        Where it leads, for the words.
    ends_with : str
        Ends a line, both ways.
    seconds : float
        That a whole answer may take. [s]
    """

    def __init__(self, wire: Wire, address: str, ends_with: str, seconds: float) -> None:
        self._wire, self._address, self._ends, self._seconds = wire, address, ends_with.encode("ascii"), seconds
        self._asks, self._writes = Lock(), Lock()
        self._last: bytes | None = None  # what was answered last; None before the first question

    def query(self, line: str) -> str:
        with self._asks:
            self._nothing_stray()
            self.write(line)
            until = time.monotonic() + self._seconds
            reader = Bounded(
                lambda most: self._some(most, until), most=2 * LONGEST_ANSWER, longest_line=LONGEST_ANSWER, seconds=self._seconds
            )
            try:
                answer = reader.line(self._ends)
            except TooSlowError as error:
                raise LineCutError(cut(self._address)) from error
            except BoundsError as error:
                raise InstrumentError(f"What {self._address} answers {error}. Is that the right line?") from error
            self._last = answer
            self._no_more_than(reader.behind)
            return answer.decode("ascii", "replace")

    def write(self, line: str) -> None:
        with self._writes:
            try:
                self._wire.write(line.encode("ascii", "replace") + self._ends)
            except OSError as error:
                raise LineCutError(cut(self._address)) from error

    def close(self) -> None:
        self._wire.close()

    def _some(self, most: int, until: float) -> bytes:
        try:
            came = self._wire.read(most, until - time.monotonic())
        except (OSError, ValueError) as error:  # a socket that was closed meanwhile has no number any more
            raise LineCutError(cut(self._address)) from error
        if not came:
            raise TooSlowError("nothing came in time")
        return came

    def _nothing_stray(self) -> None:
        """What came unasked belongs to no question. Before the first one it may be a greeting."""
        came = b""
        with suppress(TooSlowError):
            while len(came) <= MOST_STRAY:
                came += self._some(MOST_STRAY, time.monotonic())
        if self._last is not None or len(came) > MOST_STRAY:
            self._no_more_than(came)

    def _no_more_than(self, came: bytes) -> None:
        """The last answer said again does no harm. Anything else: answers and questions no longer fit."""
        if any(line != self._last for line in came.split(self._ends) if line):
            raise InstrumentError(babbles(self._address))


def cut(address: str) -> str:
    """What is said where nothing comes over a line."""
    return f"Nothing comes from {address}. Is the instrument on, its line plugged in, and its remote control allowed?"


def babbles(address: str) -> str:
    """What is said where more comes than was asked for."""
    return f"{address} says more than it is asked, so no answer can be told from another. End its own logging or echo."


def open_instrument(address: str, description: Description, seconds: float = OPENS_S) -> Instrument:
    """An instrument at an address.

    Parameters
    ----------
    address : str
        As ``address_of`` gives it.
    description : Description
        How it is talked to.
    seconds : float
        That the line may take to be there. [s]

    Raises
    ------
    LineCutError
        If it cannot be reached.
    """
    try:
        found = SOCKET.fullmatch(address)
        if found:
            wire: Wire = TcpWire(found["host"], int(found["port"]), seconds)
        else:
            serial = SERIAL.fullmatch(address)
            wire = SerialWire(serial["device"] if serial else address, description.baud)
    except (OSError, ValueError) as error:
        raise LineCutError(cut(address)) from error
    return Instrument(LinePort(wire, address, description.ends_with, description.timeout_s), description)
