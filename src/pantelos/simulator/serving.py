"""The simulated recorder at its addresses."""

import threading
from types import TracebackType

from pantelos.simulator.hislip_server import HislipServer
from pantelos.simulator.instrument import Instrument
from pantelos.simulator.socket_server import SocketServer

LOOPBACK = "127.0.0.1"


class Serving:
    """Serves an instrument at a socket and by HiSLIP, until it is closed; a port of 0 takes any that is free."""

    def __init__(self, instrument: Instrument, host: str = LOOPBACK, port: int = 0, hislip_port: int = 0) -> None:
        self._instrument = instrument
        self._servers = (SocketServer((host, port), instrument), HislipServer((host, hislip_port), instrument))
        for server in self._servers:
            threading.Thread(target=server.serve_forever, kwargs={"poll_interval": 0.1}, daemon=True).start()
        self.host = host
        self.port, self.hislip_port = (server.server_address[1] for server in self._servers)

    @property
    def addresses(self) -> tuple[str, str]:
        """The two addresses, as VISA writes them."""
        return f"TCPIP0::{self.host}::{self.port}::SOCKET", f"TCPIP0::{self.host}::hislip0,{self.hislip_port}::INSTR"

    def close(self) -> None:
        """End."""
        self._instrument.close()
        for server in self._servers:
            server.shutdown()
            server.server_close()

    def __enter__(self) -> "Serving":
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        self.close()
