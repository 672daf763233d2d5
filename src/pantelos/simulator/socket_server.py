"""The instrument at a TCP socket: messages end in a newline."""

import contextlib
import os
import select
import socket
import socketserver
import struct

from pantelos.simulator.answers import response
from pantelos.simulator.core import Dropped
from pantelos.simulator.instrument import Instrument

_LONGEST = 1 << 24  # bytes of a message
_OUT = 1 << 20


class SocketServer(socketserver.ThreadingTCPServer):
    """Serves one instrument to as many clients as come."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, address: tuple[str, int], instrument: Instrument) -> None:
        super().__init__(address, _Connection)
        self.instrument = instrument


class _Connection(socketserver.StreamRequestHandler):
    server: SocketServer

    def handle(self) -> None:
        """Answer message after message until the client goes."""
        self.connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self.connection.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, _OUT)
        with contextlib.suppress(OSError):
            while line := self.rfile.readline(_LONGEST):
                try:
                    answer = response(self.server.instrument.handle(line.decode("latin-1").strip("\r\n"), self._gone))
                except Dropped as dropped:
                    self.wfile.write(dropped.content)
                    # Reset, not ended in order: a client that waits learns of it at once.
                    self.connection.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, struct.pack("ii", 1, 0))
                    os.close(self.connection.detach())
                    return
                if answer:
                    self.wfile.write(answer)

    def _gone(self) -> bool:
        """Return whether the client has ended the connection."""
        ready, _, _ = select.select([self.connection], [], [], 0)
        try:
            return bool(ready) and not self.connection.recv(1, socket.MSG_PEEK)
        except OSError:
            return True
