"""The simulated bench over sockets: a meter, a supply and an electronic load, each on a port of its own, on loopback alone."""

from __future__ import annotations

import socket
import socketserver
import time
from contextlib import suppress
from threading import Event, Lock, Thread

from .talk import Talk
from .world import World

KINDS = ("meter", "supply", "load")
LONGEST = 400  # characters of a line
BABBLES_S = 0.002  # between two words of an instrument that babbles
A_LETTER_S = 1.0  # of one that sends a letter a second
HOST = "127.0.0.1"


class _Server(socketserver.ThreadingTCPServer):
    daemon_threads = True
    allow_reuse_address = True
    talk: Talk
    bench: SimulatedBench


class _Handler(socketserver.StreamRequestHandler):
    disable_nagle_algorithm = True
    server: _Server

    def handle(self) -> None:
        bench = self.server.bench
        if not bench.holds(self.connection):
            return
        talk, over = self.server.talk, Event()
        Thread(target=self._babble, args=(over,), daemon=True, name="bench-sim babbles").start()
        try:
            while line := self.rfile.readline(LONGEST):
                answer = talk.answer(line.decode("ascii", "replace"))
                if answer is not None:
                    self._say(answer.encode("ascii", "replace") + b"\n", talk.manner)
        except OSError:
            pass  # the line was cut
        finally:
            over.set()
            bench.lets_go(self.connection)

    def _say(self, answer: bytes, manner: str) -> None:
        if manner == "slow":
            for k in range(len(answer)):
                time.sleep(A_LETTER_S)
                self.wfile.write(answer[k : k + 1])
        else:
            self.wfile.write(answer * (2 if manner == "twice" else 1))

    def _babble(self, over: Event) -> None:
        """Talk without being asked, while the manner is such."""
        with suppress(OSError):
            while not over.wait(BABBLES_S if self.server.talk.manner == "babbling" else 0.05):
                if self.server.talk.manner == "babbling":
                    self.wfile.write(b"+3.141593E+00\n")


class SimulatedBench:
    """Serves a world until it is closed.

    Parameters
    ----------
    world : World
        What lies on the bench.
    port : int
        Of the meter; supply and load follow. 0 takes free ones.

    Raises
    ------
    OSError
        If a port is taken.
    """

    def __init__(self, world: World, port: int = 0) -> None:
        self.world, self._open, self._lock = world, set[socket.socket](), Lock()
        self._cut_until = 0.0
        self._servers: list[_Server] = []
        self.ports: dict[str, int] = {}
        try:
            for k, kind in enumerate(KINDS):
                server = _Server((HOST, port + k if port else 0), _Handler)
                server.talk, server.bench = Talk(world, kind, self.cut), self
                self._servers.append(server)
                self.ports[kind] = int(server.server_address[1])
        except OSError:
            self.close()
            raise

    def start(self) -> None:
        """Begin to serve, in threads that end with the program."""
        for server in self._servers:
            Thread(target=server.serve_forever, kwargs={"poll_interval": 0.1}, daemon=True, name="bench-sim").start()
        self._started = True

    _started = False

    def address(self, kind: str) -> str:
        """Where an instrument is reached."""
        return f"TCPIP::{HOST}::{self.ports[kind]}::SOCKET"

    def holds(self, connection: socket.socket) -> bool:
        """Note a connection; none is taken while the line is cut."""
        with self._lock:
            if time.monotonic() < self._cut_until:
                return False
            self._open.add(connection)
            return True

    def lets_go(self, connection: socket.socket) -> None:
        """Forget a connection."""
        with self._lock:
            self._open.discard(connection)

    def behave(self, kind: str, manner: str) -> None:
        """Let an instrument's line behave as one of ``MANNERS`` from now on."""
        next(s.talk for s, k in zip(self._servers, KINDS, strict=True) if k == kind).answer(f"SIM:MANNER {manner}")

    def cut(self, seconds: float) -> None:
        """Cut every line, and take no new one for so long."""
        with self._lock:
            self._cut_until = time.monotonic() + seconds
            for connection in self._open:
                with suppress(OSError):
                    connection.shutdown(socket.SHUT_RDWR)

    def close(self) -> None:
        """End it."""
        self.cut(0.0)
        for server in self._servers:
            if self._started:
                server.shutdown()
            server.server_close()
