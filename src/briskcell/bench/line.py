"""The line to an instrument, over PyVISA with its Python back end: a TCP socket, or a serial port where there is one."""

from __future__ import annotations

import re
import socket
from contextlib import suppress
from functools import cache
from typing import Any

from briskcell.model.errors import FigureError

from .description import Description
from .instrument import Instrument, LineCutError

SOCKET = re.compile(r"TCPIP\d*::(?P<host>[A-Za-z0-9.\-]{1,100})::(?P<port>\d{1,5})::SOCKET")
SERIAL = re.compile(r"ASRL[A-Za-z0-9/._\-]{1,60}::INSTR")


def address_of(text: str) -> str:
    """An address as PyVISA writes it; ``host:port`` and a serial device are put into its form.

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


class VisaPort:
    """A line over PyVISA."""

    def __init__(self, resource: Any, address: str) -> None:
        self._resource, self._address = resource, address

    def query(self, line: str) -> str:
        try:
            return str(self._resource.query(line))
        except Exception as error:
            raise LineCutError(cut(self._address)) from error

    def write(self, line: str) -> None:
        try:
            self._resource.write(line)
        except Exception as error:
            raise LineCutError(cut(self._address)) from error

    def close(self) -> None:
        with suppress(Exception):
            self._resource.close()


def cut(address: str) -> str:
    """What is said where nothing comes over a line."""
    return f"Nothing comes from {address}. Is the instrument on, its line plugged in, and its remote control allowed?"


def open_instrument(address: str, description: Description) -> Instrument:
    """An instrument at an address.

    Raises
    ------
    LineCutError
        If it cannot be reached.
    """
    try:
        resource: Any = _manager().open_resource(
            address, read_termination=description.ends_with, write_termination=description.ends_with, open_timeout=2000
        )
        resource.timeout = description.timeout_s * 1000
        if SOCKET.fullmatch(address):
            _at_once(resource)
    except Exception as error:  # each back end has its own: what they say is one and the same to a builder
        raise LineCutError(cut(address)) from error
    return Instrument(VisaPort(resource, address), description)


def _at_once(resource: Any) -> None:
    """Send what is written at once: else a question after an order waits some 40 ms until the order is acknowledged.

    The attribute that is meant for this can be read in PyVISA-py 0.8, but not set.
    """
    line = resource.visalib.sessions[resource.session].interface
    line.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)


@cache
def _manager() -> Any:
    import pyvisa  # takes a while to load, and is asked for where there are instruments

    return pyvisa.ResourceManager("@py")
