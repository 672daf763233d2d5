"""What a kind of connection is: sockets, and linear maps from what is measured to what is meant.

Reconstruction acts on samples (or phasors, which is the same linear map), never on rms values.
"""

from collections.abc import Collection, Mapping

import msgspec
import numpy as np

from pantelos.errors import StudyError
from pantelos.power.quantities import EffectiveRule
from pantelos.power.wirings.scheme import Scheme
from pantelos.signal.arrays import AnyArray, FloatArray
from pantelos.units import Unit, unit

Row = Mapping[str, float]  # socket -> coefficient


class Socket(msgspec.Struct, frozen=True):
    """A place in the connection that takes one channel."""

    name: str
    quantity: str  # "voltage" or "current"; of a shaft "torque" or "speed"
    conductor: str  # "L1", "L2", "L3", "N", "DC", "shaft": carries the hue
    title: str
    required: bool = True

    @property
    def unit(self) -> Unit:
        """What the channel in it has to measure."""
        return unit({"voltage": "V", "current": "A", "torque": "N*m", "speed": "rad/s"}[self.quantity])


class Element(msgspec.Struct, frozen=True):
    """One voltage and one current whose product is a power."""

    name: str
    title: str
    voltage: str
    current: str
    conductor: str


class Closing(msgspec.Struct, frozen=True):
    """Channels whose sum should be nothing: what is left of it is told."""

    title: str
    row: Row
    says: str  # what it means where it does not close
    sockets: tuple[str, ...] = ()  # it is held against the largest of these; all of the row where empty


class Wiring(msgspec.Struct, frozen=True):
    """A kind of connection. Element k pairs one voltage with one current socket."""

    id: str
    title: str
    sockets: tuple[Socket, ...]
    elements: tuple[Element, ...]  # their voltages and currents are sockets or `virtual`
    alternating: bool
    scheme: Scheme
    stem: str  # what a connection of this kind is called at first
    line_voltages: tuple[Row, ...] = ()  # u12, u23, u31
    line_currents: tuple[Row, ...] = ()  # i1, i2, i3
    neutral: Row | None = None
    wires: int = 2
    effective: EffectiveRule | None = None  # of the total; None: the one element is the total
    virtual: Mapping[str, Row] = {}  # voltages or currents that are no sockets, made of those that are
    closings: tuple[Closing, ...] = ()
    electrical: bool = True  # False: voltages and currents are torque and speed, and only their product is told
    by_name: bool = True  # whether names of channels alone suggest it
    place: int = 100  # in lists: small ones first

    @property
    def names(self) -> tuple[str, ...]:
        """The sockets, and what is made of them, in the order of `extended`."""
        return (*(socket.name for socket in self.sockets), *self.virtual)

    def tells(self, quantity: str) -> bool:
        """Return whether a power quantity means something here: of a shaft only its power and energy do."""
        return self.electrical or quantity in ("P", "E_received", "E_returned")

    def behind(self, name: str) -> tuple[str, ...]:
        """Return the sockets that a voltage or current of an element is made of."""
        return tuple(self.virtual[name]) if name in self.virtual else (name,)

    def extended(self, x: AnyArray) -> AnyArray:
        """Return samples or phasors (n_sockets, ...) of the sockets, and what is made of them; NaN what is made of nothing."""
        if not self.virtual:
            return x
        return np.concatenate([x, np.tensordot(self.matrix(tuple(self.virtual.values())), x, axes=1)])

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
        if self.has_voltages_alone(used):
            return self._of_voltages()
        sockets = tuple(s for s in self.sockets if s.required or s.name in used)
        there = {socket.name for socket in sockets}
        closings = tuple(closing for closing in self.closings if there.issuperset(closing.row))
        return msgspec.structs.replace(self, sockets=sockets, closings=closings)

    def has_voltages_alone(self, used: Collection[str]) -> bool:
        """Return whether every voltage is placed and no current is: a supply that is looked at, not a load."""
        voltages = {socket.name for socket in self.sockets if socket.quantity == "voltage"}
        return self.alternating and bool(voltages) and set(used) == voltages < {socket.name for socket in self.sockets}

    @property
    def has_currents(self) -> bool:
        """Whether currents are measured, so that there are powers."""
        return all(self.virtual.values())

    def _of_voltages(self) -> "Wiring":
        """Return the connection without its currents: they are made of nothing, and nothing is told of them."""
        kept = tuple(socket for socket in self.sockets if socket.quantity == "voltage")
        virtual = dict(self.virtual) | {socket.name: {} for socket in self.sockets if socket not in kept and socket.required}
        there = {socket.name for socket in kept}
        return msgspec.structs.replace(
            self,
            sockets=kept,
            virtual=virtual,
            line_currents=tuple({} for _ in self.line_currents),
            neutral=None,
            closings=tuple(closing for closing in self.closings if there.issuperset(closing.row)),
        )

    def matrix(self, rows: tuple[Row, ...]) -> FloatArray:
        """Return the map from the sockets, in order, to `rows`, shape (n_rows, n_sockets); NaN where a row is made of nothing."""
        return np.array([[row.get(socket.name, 0.0) if row else np.nan for socket in self.sockets] for row in rows])

    def derived(self, rows: tuple[Row, ...], x: AnyArray) -> AnyArray:
        """Return `rows` made of the socket channels `x` (..., n_sockets, n); samples or phasors."""
        return np.asarray(np.einsum("rs,...sn->...rn", self.matrix(rows), x))
