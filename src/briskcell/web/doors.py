"""The server's doors: how much it reads, how long it waits, how many connections one address may hold."""

from __future__ import annotations

from typing import Any

from waitress.channel import HTTPChannel
from waitress.server import create_server

from .app import MOST_BODY

# A body is refused where it is read, before it is kept; a connection that sends nothing is closed before long.
LIMITS = {
    "max_request_body_size": MOST_BODY,
    "max_request_header_size": 32_768,
    "connection_limit": 400,
    "channel_timeout": 15,
    "cleanup_interval": 5,
    "threads": 12,
    "ident": "brisk-cell",
}
MOST_OF_ONE = 64  # connections that one address may hold without asking for anything


class Door(HTTPChannel):  # type: ignore[misc]  # waitress has no types
    """A connection. Where its address holds too many, the one that was silent for longest is closed for it."""

    def __init__(self, server: Any, sock: Any, addr: Any, adj: Any, map: Any = None) -> None:
        silent = [c for c in server.active_channels.values() if c.addr[0] == addr[0] and not c.requests]
        if len(silent) >= MOST_OF_ONE:
            min(silent, key=lambda c: c.last_activity).handle_close()
        super().__init__(server, sock, addr, adj, map=map)


def server_of(app: Any, **where: Any) -> Any:
    """The server of an application, on ``sockets`` or on ``host`` and ``port``, not yet running."""
    server = create_server(app, **where, **LIMITS)
    server.channel_class = Door
    return server
