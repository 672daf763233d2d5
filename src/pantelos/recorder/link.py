"""The link to a recorder: messages and blocks over VISA, by PyVISA and its backend in pure Python; errors as one sentence."""

import contextlib
import re
import socket
import time
from collections.abc import Callable
from typing import Any, cast

from pantelos.errors import PantelosError, clipped
from pantelos.scpi.response import block_head

_HOST = re.compile(r"^(?P<host>[\w.\-]+)(?::(?P<port>\d+))?$")
USUAL_PORT = 5025  # of SCPI over a socket
_THIS = "127.0.0.1"
_CHUNK = 1 << 20
_LOOKED_FOR_S = 0.3
_LONGEST = 1 << 28  # bytes of a block that is believed
_SLICE_S = 0.5  # of a wait for an answer, after which one may have had enough


class RecorderError(PantelosError):
    """A recorder cannot be reached, or does not do what it should."""


class RecorderBusy(RecorderError):
    """A recording is going on, for another client or one that went."""


class LinkLost(RecorderError):
    """The connection is gone, or what comes over it makes no sense any more: it has to be made again."""


def resource_name(address: str) -> str:
    """Return the VISA address of what people type: a host with or without a port, a VISA address, or nothing for this computer.

    Raises
    ------
    RecorderError
        When it is neither.
    """
    text = address.strip() or _THIS
    if "::" in text:
        return text
    found = _HOST.match(text)
    if found is None:
        raise RecorderError(f'"{clipped(text)}" is no address. Write host:port, or as in TCPIP0::192.168.1.20::hislip0::INSTR.')
    return f"TCPIP0::{found['host']}::{found['port'] or USUAL_PORT}::SOCKET"


def found_addresses() -> list[str]:
    """Return where a recorder may be: what VISA lists, and this computer where something listens at the usual port."""
    import pyvisa  # as below

    found = []
    with contextlib.suppress(OSError), socket.create_connection((_THIS, USUAL_PORT), _LOOKED_FOR_S):
        found.append(resource_name(""))
    with contextlib.suppress(Exception):  # the backend lets through what buses that are not there raise
        found += [name for name in pyvisa.ResourceManager("@py").list_resources("?*") if not name.startswith("ASRL")]
    return list(dict.fromkeys(found))


class Link:
    """One connection."""

    def __init__(self, address: str, timeout_s: float = 3.0) -> None:
        """Connect.

        Raises
        ------
        RecorderError
            When nobody is there, or the address is none.
        """
        import pyvisa  # a third of a second to load

        self.address, self._timeout_s = address, timeout_s
        self.torn = False  # an answer that nobody waited for may still come: the connection is of no more use
        name = resource_name(address)
        try:
            manager = pyvisa.ResourceManager("@py")
            self._of = cast(Any, manager.open_resource(name, open_timeout=round(1000 * timeout_s)))
            self._of.timeout = round(1000 * timeout_s)
            self._of.write_termination = "\n"
            self._of.read_termination = "\n"
        except Exception as cause:  # the backend lets through what sockets, parsers and its own sessions raise
            raise RecorderError(
                f"Nobody answers at {clipped(address)}: {_reason(cause)}. Check the address, and that the recorder is on."
            ) from cause

    def write(self, message: str) -> None:
        """Send a message.

        Raises
        ------
        LinkLost
            When it cannot be sent.
        """
        with self._watched("sending"):
            self._of.write(message)

    def query(self, message: str, within_s: float | None = None, go_on: Callable[[], None] = lambda: None) -> str:
        """Return the answer to a message.

        `go_on` is asked again and again meanwhile, and raises where nobody waits any longer.

        Raises
        ------
        LinkLost
            When none comes in time, or it is no text.
        """
        until = time.monotonic() + (within_s or self._timeout_s)
        self.torn = True
        with self._watched("waiting for an answer"):
            self._of.write(message)
            self._of.timeout = round(1000 * min(_SLICE_S, within_s or self._timeout_s))
            while True:
                try:
                    answer = str(self._of.read()).strip()
                except Exception as cause:  # as above
                    if not _late(cause) or time.monotonic() >= until:
                        raise
                    go_on()
                else:
                    break
            self._of.timeout = round(1000 * self._timeout_s)
        self.torn = False
        return answer

    def block(self, message: str) -> bytes:
        """Return the content of the block of definite length that answers a message.

        Raises
        ------
        LinkLost
            When something else comes, or less than it promises.
        """
        with self._watched("waiting for a block"):
            self._of.write(message)
            self._of.read_termination = None
            try:
                try:
                    digits = block_head(self._read(2))
                    length = int(self._read(digits))
                except ValueError as cause:
                    raise LinkLost(f"{self.address} sends what is no block of data.") from cause
                if length > _LONGEST:
                    raise LinkLost(f"{self.address} promises a block of {length} bytes, more than any it has.")
                content = self._read(length)
                if self._read(1) != b"\n":
                    raise LinkLost(f"{self.address} sends a block whose length is wrong.")
                return content
            finally:
                with contextlib.suppress(Exception):  # the session may be gone
                    self._of.read_termination = "\n"

    def _read(self, n: int) -> bytes:
        found = self._of.read_bytes(n, chunk_size=_CHUNK, break_on_termchar=False) if n else b""
        if len(found) != n:
            raise LinkLost(f"{self.address} stopped within a block.")
        return bytes(found)

    @contextlib.contextmanager
    def _watched(self, doing: str) -> Any:
        try:
            yield
        except PantelosError:
            raise
        except Exception as cause:  # as above
            raise LinkLost(f"The connection to {clipped(self.address)} was lost while {doing}: {_reason(cause)}.") from cause

    def close(self) -> None:
        """End the connection."""
        with contextlib.suppress(Exception):  # it may be gone already
            self._of.close()


def _reason(cause: BaseException) -> str:
    """Return what went wrong in few words."""
    text = " ".join(str(cause).split())
    if _late(cause):
        return "no answer in time"
    if isinstance(cause, ConnectionRefusedError) or "refused" in text:
        return "the connection is refused"
    return clipped(text) or type(cause).__name__


def _late(cause: BaseException) -> bool:
    return "TMO" in str(cause) or isinstance(cause, TimeoutError)
