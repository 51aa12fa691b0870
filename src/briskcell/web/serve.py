"""Serves the application on the loopback address."""

from __future__ import annotations

import gc
import signal
import socket
import sys
from pathlib import Path

import click
from waitress.server import create_server

from .app import EXTENSION, create_app
from .log import log_to


def serve(data: Path, port: int, *, demo: bool) -> None:
    """Serve until stopped; prints the address, and takes a free port where the wanted one is taken."""
    data.mkdir(parents=True, exist_ok=True)
    log_to(data)
    app = create_app(data)
    if demo:
        app.extensions[EXTENSION].load_demo()
    click.echo("Readying the engine; the very first start compiles it, which takes some seconds.")
    app.extensions[EXTENSION].warm()
    # What is loaded by now stays: the collector need not look through it at every edit.
    gc.collect()
    gc.freeze()
    listener = _listen(port)
    server = create_server(app, sockets=[listener], threads=4, ident="brisk-cell")
    click.echo(f"Brisk Cell is at http://127.0.0.1:{listener.getsockname()[1]}/  (Ctrl+C stops it; builds are kept in {data})")
    # A polite end of the process is handled as Ctrl+C is: the server stops and the file is let go.
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    try:
        server.run()
    finally:
        app.extensions[EXTENSION].store.close()


def _listen(wanted: int) -> socket.socket:
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
    raise click.ClickException("No port of 127.0.0.1 is free.")
