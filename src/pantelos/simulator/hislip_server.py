"""The instrument by HiSLIP: a synchronous and an asynchronous connection for each client. Source: IVI-6.1, revision 1.1."""

import contextlib
import socket
import socketserver
import struct
import threading
from typing import NamedTuple

from pantelos.simulator.answers import response
from pantelos.simulator.core import Dropped
from pantelos.simulator.instrument import Instrument

_HEAD = struct.Struct(">2sBBIQ")  # prologue, type, control code, parameter, length of the payload
_VERSION = 0x0100
_VENDOR = 0x5054  # two letters of our own
_LARGEST = 1 << 24  # bytes of a message that is taken
_PIECE = 1 << 20

(INITIALIZE, INITIALIZE_RESPONSE, FATAL_ERROR, ERROR, ASYNC_LOCK, ASYNC_LOCK_RESPONSE, DATA, DATA_END,
 DEVICE_CLEAR_COMPLETE, DEVICE_CLEAR_ACKNOWLEDGE, ASYNC_REMOTE_LOCAL,
 ASYNC_REMOTE_LOCAL_RESPONSE, TRIGGER) = range(13)  # fmt: skip
(ASYNC_MAXIMUM_SIZE, ASYNC_MAXIMUM_SIZE_RESPONSE, ASYNC_INITIALIZE, ASYNC_INITIALIZE_RESPONSE, ASYNC_DEVICE_CLEAR,
 ASYNC_SERVICE_REQUEST, ASYNC_STATUS_QUERY, ASYNC_STATUS_RESPONSE, ASYNC_DEVICE_CLEAR_ACKNOWLEDGE, ASYNC_LOCK_INFO,
 ASYNC_LOCK_INFO_RESPONSE) = range(15, 26)  # fmt: skip
_UNRECOGNIZED_TYPE, _BAD_HEADER = 1, 1


class _Message(NamedTuple):
    """One message of the protocol."""

    type: int
    control: int
    parameter: int
    payload: bytes


class HislipServer(socketserver.ThreadingTCPServer):
    """Serves one instrument to as many clients as come."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, address: tuple[str, int], instrument: Instrument) -> None:
        super().__init__(address, _Connection)
        self.instrument = instrument
        self._last, self._lock = 0, threading.Lock()
        self._cleared: dict[int, threading.Event] = {}  # by session: its device was told to forget what goes on

    def new_session(self) -> tuple[int, threading.Event]:
        """Return a number for one more client, and what a clear of its device sets."""
        with self._lock:
            self._last = self._last % 0xFFFF + 1
            self._cleared[self._last] = threading.Event()
            return self._last, self._cleared[self._last]

    def cleared(self, session: int) -> threading.Event:
        """Return what a clear of the device sets, for the other connection of a client."""
        with self._lock:
            return self._cleared.get(session, threading.Event())

    def end_session(self, session: int) -> None:
        """Forget a client."""
        with self._lock:
            self._cleared.pop(session, None)


class _Connection(socketserver.BaseRequestHandler):
    server: HislipServer
    request: socket.socket

    def handle(self) -> None:
        """Serve one of the two connections of a client: its first message says which."""
        self.request.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        with contextlib.suppress(OSError, EOFError):
            first = self._receive()
            if first.type == INITIALIZE:
                session, self._cleared = self.server.new_session()
                self._send(INITIALIZE_RESPONSE, 0, (_VERSION << 16) | session)
                try:
                    self._synchronous()
                finally:
                    self.server.end_session(session)
            elif first.type == ASYNC_INITIALIZE:
                self._send(ASYNC_INITIALIZE_RESPONSE, 0, _VENDOR)
                cleared = self.server.cleared(first.parameter)
                try:
                    self._asynchronous(cleared)
                finally:
                    cleared.set()  # the client is gone
            else:
                self._send(FATAL_ERROR, _BAD_HEADER, 0, b"a connection begins with Initialize or AsyncInitialize")

    def _synchronous(self) -> None:
        message = b""
        while True:
            got = self._receive()
            if got.type in (DATA, DATA_END):
                message += got.payload
                if got.type == DATA_END:
                    self._answer(message.decode("latin-1").strip("\r\n"), got.parameter)
                    message = b""
            elif got.type == TRIGGER:
                self.server.instrument.handle("*TRG")
            elif got.type == DEVICE_CLEAR_COMPLETE:
                message = b""
                self._cleared.clear()
                self._send(DEVICE_CLEAR_ACKNOWLEDGE, 0, 0)
            else:
                self._send(ERROR, _UNRECOGNIZED_TYPE, 0, b"unrecognized message type")

    def _answer(self, message: str, parameter: int) -> None:
        try:
            answer = response(self.server.instrument.handle(message, self._cleared.is_set))
        except Dropped as dropped:
            self.request.sendall(_HEAD.pack(b"HS", DATA_END, 0, parameter, 2 * len(dropped.content)) + dropped.content)
            raise EOFError from dropped
        for at in range(0, len(answer), _PIECE):
            last = at + _PIECE >= len(answer)
            self._send(DATA_END if last else DATA, 0, parameter, answer[at : at + _PIECE])

    def _asynchronous(self, cleared: threading.Event) -> None:
        while True:
            got = self._receive()
            if got.type == ASYNC_MAXIMUM_SIZE:
                self._send(ASYNC_MAXIMUM_SIZE_RESPONSE, 0, 0, struct.pack(">Q", _LARGEST))
            elif got.type == ASYNC_LOCK:
                self._send(ASYNC_LOCK_RESPONSE, 1, 0)
            elif got.type == ASYNC_LOCK_INFO:
                self._send(ASYNC_LOCK_INFO_RESPONSE, 0, 0)
            elif got.type == ASYNC_STATUS_QUERY:
                self._send(ASYNC_STATUS_RESPONSE, self.server.instrument.status_byte(), 0)
            elif got.type == ASYNC_DEVICE_CLEAR:
                cleared.set()
                self._send(ASYNC_DEVICE_CLEAR_ACKNOWLEDGE, 0, 0)
            elif got.type == ASYNC_REMOTE_LOCAL:
                self._send(ASYNC_REMOTE_LOCAL_RESPONSE, 0, 0)
            else:
                self._send(ERROR, _UNRECOGNIZED_TYPE, 0, b"unrecognized message type")

    def _receive(self) -> _Message:
        prologue, type_, control, parameter, length = _HEAD.unpack(self._exactly(_HEAD.size))
        if prologue != b"HS" or length > _LARGEST:
            self._send(FATAL_ERROR, _BAD_HEADER, 0, b"poorly formed message header")
            raise EOFError
        return _Message(type_, control, parameter, self._exactly(length))

    def _exactly(self, n: int) -> bytes:
        parts = []
        while n:
            part = self.request.recv(min(n, _PIECE))
            if not part:
                raise EOFError
            parts.append(part)
            n -= len(part)
        return b"".join(parts)

    def _send(self, type_: int, control: int, parameter: int, payload: bytes = b"") -> None:
        self.request.sendall(_HEAD.pack(b"HS", type_, control, parameter, len(payload)) + payload)
