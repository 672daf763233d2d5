"""A simulated recorder at a port of its own for each test."""

import socket

import pytest

from pantelos.simulator.converter import Flaws
from pantelos.simulator.instrument import Instrument
from pantelos.simulator.scenes import SCENES
from pantelos.simulator.serving import Serving


@pytest.fixture
def serving():
    with Serving(Instrument(SCENES["mains"], 8, Flaws(noise_v=0.0))) as serving:
        yield serving


class RawClient:
    """A client that knows nothing of this program: a socket, lines, and blocks as IEEE 488.2 has them."""

    def __init__(self, port):
        self._socket = socket.create_connection(("127.0.0.1", port))
        self._file = self._socket.makefile("rb")

    def write(self, text):
        self._socket.sendall(text.encode() + b"\n")

    def ask(self, text):
        self.write(text)
        return self._file.readline().decode().strip()

    def block(self, text):
        self.write(text)
        assert self._file.read(1) == b"#"
        length = int(self._file.read(int(self._file.read(1))))
        content = self._file.read(length)
        assert self._file.read(1) == b"\n"
        return content

    def close(self):
        self._file.close()
        self._socket.close()


@pytest.fixture
def raw(serving):
    client = RawClient(serving.port)
    yield client
    client.close()


@pytest.fixture
def one_more(serving):
    """Return what makes one more client."""
    made = []

    def make():
        made.append(RawClient(serving.port))
        return made[-1]

    yield make
    for client in made:
        client.close()
