"""What a source gives a charge board, by the open standards of its outlet, and what the board asks of it."""

from __future__ import annotations

import math

from briskcell.model.stores import ChargeBoard, Supply

# Volts on any USB outlet that nobody asks for more: USB 2.0, 7.2.1, and USB Type-C 2.0, 4.4; from memory, to be checked.
PLAIN_V = 5.0
DEFAULT_A = 0.5  # that a device may take where nothing is advertised; USB 2.0, 7.2.1.4; from memory, to be checked


def gives_nothing(board: ChargeBoard, supply: Supply) -> bool:
    """Whether a reversible outlet gives nothing at a board: it waits for two resistors of 5.1 kΩ, which the socket has not.

    Parameters
    ----------
    board : ChargeBoard
        The board with its socket.
    supply : Supply
        What is plugged in.

    Returns
    -------
    bool
        USB Type-C 2.0, 4.5.1.2: a source gives volts once it sees Rd; from memory, to be checked.
    """
    return board.socket == "reversible_bare" and supply.outlet == "usb_c"


def given_v(board: ChargeBoard, supply: Supply) -> float:
    """Volts that a source gives a board: more than 5 only where the board asks for them.

    Parameters
    ----------
    board : ChargeBoard
        The board with its socket; where nobody has said what that is, it is taken to ask.
    supply : Supply
        What is plugged in.

    Returns
    -------
    float
        With nothing drawn. [V]
    """
    unasked = supply.gives == "negotiated" and board.socket not in (None, "negotiating")
    return min(supply.voltage_v.likely, PLAIN_V) if unasked else supply.voltage_v.likely


def holds_to_a(board: ChargeBoard, supply: Supply) -> float:
    """The most that a board lets itself take from a source; inf where nothing holds it back.

    Parameters
    ----------
    board : ChargeBoard
        Says how it limits its input.
    supply : Supply
        What is plugged in.

    Returns
    -------
    float
        One that reads what is advertised takes the default where nothing is. [A]
    """
    gives = supply.current_limit_a.likely
    if board.limits_input == "sags":
        return gives
    if board.limits_input == "advertised":
        return gives if supply.gives in ("advertised", "negotiated") else min(gives, DEFAULT_A)
    return board.input_limit_a.likely if board.limits_input == "set" and board.input_limit_a else math.inf


def taken_a(board: ChargeBoard, supply: Supply) -> float:
    """The most that flows from a source into a board: what the source gives, or less where the board holds itself back. [A]

    Parameters
    ----------
    board : ChargeBoard
        Says how it limits its input.
    supply : Supply
        What is plugged in.

    Returns
    -------
    float
        A source that is asked for more is taken to hold its current.
    """
    return min(supply.current_limit_a.likely, holds_to_a(board, supply))
