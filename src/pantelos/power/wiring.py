"""The kinds of connection, each a set of sockets and linear maps from what is measured to what is meant.

Reconstruction acts on samples (or phasors, which is the same linear map), never on rms values.
"""

from collections.abc import Collection, Mapping

import msgspec
import numpy as np

from pantelos.errors import StudyError
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


class Wiring(msgspec.Struct, frozen=True):
    """A kind of connection. Element k pairs one voltage with one current socket."""

    id: str
    title: str
    sockets: tuple[Socket, ...]
    elements: tuple[Element, ...]
    alternating: bool
    line_voltages: tuple[Row, ...] = ()  # u12, u23, u31
    line_currents: tuple[Row, ...] = ()  # i1, i2, i3
    neutral: Row | None = None
    wires: int = 2

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


def _phases(prefix: str, quantity: str, title: str) -> tuple[Socket, ...]:
    return tuple(Socket(f"{prefix}{k}", quantity, f"L{k}", f"{title} L{k}") for k in (1, 2, 3))


_DC = Wiring(
    "dc",
    "DC",
    (Socket("u", "voltage", "DC", "voltage"), Socket("i", "current", "DC", "current")),
    (Element("DC", "DC", "u", "i", "DC"),),
    alternating=False,
)
_SINGLE = Wiring(
    "single-phase",
    "Single-phase",
    (Socket("u", "voltage", "L1", "voltage L to N"), Socket("i", "current", "L1", "current L")),
    (Element("L", "L", "u", "i", "L1"),),
    alternating=True,
)
_FOUR_WIRE = Wiring(
    "three-phase-4w",
    "Three-phase, four-wire",
    (
        *_phases("u", "voltage", "voltage to N,"),
        *_phases("i", "current", "current"),
        Socket("iN", "current", "N", "current N, arrow from the load", required=False),
    ),
    tuple(Element(f"L{k}", f"L{k}", f"u{k}", f"i{k}", f"L{k}") for k in (1, 2, 3)),
    alternating=True,
    line_voltages=({"u1": 1, "u2": -1}, {"u2": 1, "u3": -1}, {"u3": 1, "u1": -1}),
    line_currents=({"i1": 1}, {"i2": 1}, {"i3": 1}),
    neutral={"i1": 1, "i2": 1, "i3": 1},
    wires=4,
)
_THREE_WIRE = Wiring(
    "three-phase-3w",
    "Three-phase, three-wire, two wattmeters",
    (
        Socket("u13", "voltage", "L1", "voltage L1 to L3"),
        Socket("i1", "current", "L1", "current L1"),
        Socket("u23", "voltage", "L2", "voltage L2 to L3"),
        Socket("i2", "current", "L2", "current L2"),
    ),
    (Element("W1", "element 1 (u13, i1)", "u13", "i1", "L1"), Element("W2", "element 2 (u23, i2)", "u23", "i2", "L2")),
    alternating=True,
    line_voltages=({"u13": 1, "u23": -1}, {"u23": 1}, {"u13": -1}),
    line_currents=({"i1": 1}, {"i2": 1}, {"i1": -1, "i2": -1}),
    wires=3,
)

WIRINGS: tuple[Wiring, ...] = (_DC, _SINGLE, _FOUR_WIRE, _THREE_WIRE)


def wiring(id_: str) -> Wiring:
    """Return the kind of connection with that id.

    Raises
    ------
    StudyError
        When there is none.
    """
    for kind in WIRINGS:
        if kind.id == id_:
            return kind
    names = ", ".join(kind.id for kind in WIRINGS)
    raise StudyError(f'"{id_}" is not a kind of connection. Choose one of {names}.')
