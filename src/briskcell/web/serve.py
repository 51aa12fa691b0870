"""Serves the application on the loopback address."""

from __future__ import annotations

import gc
import signal
import socket
import sys
from pathlib import Path
from typing import IO

import click
import segno

from briskcell.services import folder
from briskcell.services.faults import DatabaseFault, StoreError, why

from .app import create_app
from .doors import server_of
from .log import log_to
from .shop import EXTENSION


def serve(data: Path, port: int, held: IO[str], *, demo: bool, lan: bool = False) -> None:
    """Serve until stopped; prints the address, and takes a free port where the wanted one is taken.

    ``held`` is the lock of the folder. With ``lan`` paired devices of the local network are answered too.

    Raises
    ------
    StoreError
        If the folder cannot be used.
    """
    log_to(data / folder.LOG)
    own = own_address() if lan else ""
    app = create_app(data, extra_hosts=(own,) if own else ())
    shop = app.extensions[EXTENSION]
    try:
        if demo:
            shop.builds.load_demo()
        click.echo("Readying the engine; the very first start compiles it, which takes some seconds.")
        shop.builds.warm()
        shop.searches.go_on_with_interrupted()
        # What is loaded by now stays: the collector need not look through it at every edit.
        gc.collect()
        gc.freeze()
        listener = listen(port, "0.0.0.0" if own else "127.0.0.1")
        taken = listener.getsockname()[1]
        app.config["LAN"] = f"http://{own}:{taken}/" if own else ""
        if port not in (0, taken):
            click.echo(f"Port {port} is taken by another program; {taken} is used instead.")
        server = server_of(app, sockets=[listener])
        address = f"http://127.0.0.1:{taken}/"
        folder.note_address(held, address)
        click.echo(f"Brisk Cell is at {address}  (Ctrl+C stops it; builds are kept in {data})")
        if lan:
            _tell_lan(app.config["LAN"], shop.devices.code())
        # A polite end of the process is handled as Ctrl+C is: the server stops and the file is let go.
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        server.run()
    except DatabaseFault as error:
        raise StoreError(why(error)) from error
    finally:
        shop.close()


def _tell_lan(address: str, code: str) -> None:
    """Say how a phone gets in."""
    if not address:
        click.echo("This computer is on no network: no other device can reach it.")
        return
    segno.make(f"{address}pair", error="m").terminal(compact=True)
    click.echo(f"From a phone on this network: {address}  Code {code[:3]} {code[3:]}, for ten minutes; later ones under Devices.")
    click.echo("That line is not encrypted: whoever else is on the network can listen.")


def own_address() -> str:
    """This computer's address on the local network, empty where it has none. Nothing is sent for it."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        try:
            probe.connect(("192.0.2.1", 9))  # an address of documentation: no packet leaves
            return str(probe.getsockname()[0])
        except OSError:
            return ""


def listen(wanted: int, host: str = "127.0.0.1") -> socket.socket:
    """A bound socket, of this computer alone as a rule, on the wanted port or a free one."""
    for port in (wanted, 0):
        listener = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((host, port))
        except OSError:
            listener.close()
            continue
        return listener
    raise click.ClickException("No port of 127.0.0.1 is free. End a program that serves, and start again.")
