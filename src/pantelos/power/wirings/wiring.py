"""What a kind of connection is: sockets, and linear maps from what is measured to what is meant.

Reconstruction acts on samples (or phasors, which is the same linear map), never on rms values.
"""

from collections.abc import Callable, Collection, Mapping

import msgspec
import numpy as np

from pantelos.errors import StudyError
from pantelos.power.quantities import Effective
from pantelos.power.wirings.scheme import Scheme
from pantelos.signal.arrays import AnyArray, FloatArray

Row = Mapping[str, float]  # socket -> coefficient


class Socket(msgspec.Struct, frozen=True):
    """A place in the connection that takes one channel."""

    name: str
    quantity: str  # "voltage" or "current"
    conductor: str  # "L1", "L2", "L3", "N", "DC": carries the hue
    title: str
    required: bool = True


class Element(msgspec.Struct, frozen=True):
    """One voltage and one current whose product is a power."""

    name: str
    title: str
    voltage: str
    current: str
    conductor: str


# From the rms of the element voltages, line voltages, line currents and the neutral current to U_e and I_e.
EffectiveRule = Callable[[list[float], list[float], list[float], float], Effective]


class Wiring(msgspec.Struct, frozen=True):
    """A kind of connection. Element k pairs one voltage with one current socket."""

    id: str
    title: str
    sockets: tuple[Socket, ...]
    elements: tuple[Element, ...]
    alternating: bool
    scheme: Scheme
    stem: str  # what a connection of this kind is called at first
    line_voltages: tuple[Row, ...] = ()  # u12, u23, u31
    line_currents: tuple[Row, ...] = ()  # i1, i2, i3
    neutral: Row | None = None
    wires: int = 2
    effective: EffectiveRule | None = None  # of the total; None: the one element is the total
    place: int = 100  # in lists: small ones first

    @property
    def three_phase(self) -> bool:
        """Whether effective three-phase quantities apply."""
        return bool(self.line_voltages)

    def socket(self, name: str) -> Socket:
        """Return the socket of that name."""
        for socket in self.sockets:
            if socket.name == name:
                return socket
        names = ", ".join(socket.name for socket in self.sockets)
        raise StudyError(f'{self.title} has no socket "{name}". Its sockets are {names}.')

    def with_sockets(self, used: Collection[str]) -> "Wiring":
        """Return the connection as wired: without those optional sockets that carry no channel."""
        return msgspec.structs.replace(self, sockets=tuple(s for s in self.sockets if s.required or s.name in used))

    def matrix(self, rows: tuple[Row, ...]) -> FloatArray:
        """Return the map from the sockets, in order, to `rows`; shape (n_rows, n_sockets)."""
        return np.array([[row.get(socket.name, 0.0) for socket in self.sockets] for row in rows])

    def derived(self, rows: tuple[Row, ...], x: AnyArray) -> AnyArray:
        """Return `rows` made of the socket channels `x` (..., n_sockets, n); samples or phasors."""
        return np.asarray(np.einsum("rs,...sn->...rn", self.matrix(rows), x))
