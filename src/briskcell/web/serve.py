"""Serves the application on the loopback address."""

from __future__ import annotations

import gc
import signal
import socket
import sys
from pathlib import Path
from typing import IO

import click

from briskcell.services import folder
from briskcell.services.workshop import DatabaseFault, StoreError, why

from .app import EXTENSION, create_app
from .doors import server_of
from .log import log_to


def serve(data: Path, port: int, *, demo: bool) -> None:
    """Serve until stopped; prints the address, and takes a free port where the wanted one is taken.

    Raises
    ------
    StoreError
        If the folder cannot be used, or another process uses it.
    """
    folder.prepare(data)
    with folder.lock(data) as held:
        log_to(data / folder.LOG)
        _serve(data, port, held, demo=demo)


def _serve(data: Path, port: int, held: IO[str], *, demo: bool) -> None:
    app = create_app(data)
    shop = app.extensions[EXTENSION]
    try:
        if demo:
            shop.load_demo()
        click.echo("Readying the engine; the very first start compiles it, which takes some seconds.")
        shop.warm()
        # What is loaded by now stays: the collector need not look through it at every edit.
        gc.collect()
        gc.freeze()
        listener = listen(port)
        taken = listener.getsockname()[1]
        if port not in (0, taken):
            click.echo(f"Port {port} is taken by another program; {taken} is used instead.")
        server = server_of(app, sockets=[listener])
        address = f"http://127.0.0.1:{taken}/"
        folder.note_address(held, address)
        click.echo(f"Brisk Cell is at {address}  (Ctrl+C stops it; builds are kept in {data})")
        # A polite end of the process is handled as Ctrl+C is: the server stops and the file is let go.
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        server.run()
    except DatabaseFault as error:
        raise StoreError(why(error)) from error
    finally:
        shop.close()


def listen(wanted: int) -> socket.socket:
    """A bound socket of 127.0.0.1, on the wanted port or a free one."""
    for port in (wanted, 0):
        listener = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind(("127.0.0.1", port))
        except OSError:
            listener.close()
            continue
        return listener
    raise click.ClickException("No port of 127.0.0.1 is free. End a program that serves, and start again.")
