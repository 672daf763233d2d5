"""A recorder as its client sees it: identity, inputs, settings as they were taken, shots, rows. docs/recorder-protocol.md."""

import struct
from collections.abc import Sequence

import msgspec
import numpy as np

from pantelos.errors import clipped
from pantelos.formats.recorded.layout import RecordedShot
from pantelos.recorder.link import Link, LinkLost, RecorderBusy, RecorderError
from pantelos.recorder.order import Order, WantedChannel
from pantelos.recorder.signals import SHAPES, Signal
from pantelos.signal.arrays import AnyArray

_HEAD = struct.Struct("<QQQIIHH")
_RUNNING, _WAITING = 1, 2
_SWEEPING = 8  # of the conditions of operation
_SLOPES = {"rises": "POSitive", "falls": "NEGative", "passes": "EITHer"}
_OTHER = {"rises": "falls", "falls": "rises", "passes": "passes"}
_FIELDS_OF_SHOT = 4
_NEAR = 1e-6


class RecorderInput(msgspec.Struct, frozen=True):
    """One input of a recorder."""

    number: int
    name: str
    ranges_v: tuple[float, ...]


class Taken(msgspec.Struct, frozen=True):
    """An order as the recorder took it: what it has nearest, and what differs from what was asked for."""

    order: Order
    steps_v: tuple[float, ...]
    remarks: tuple[str, ...]


class RowsRead(msgspec.Struct, frozen=True, eq=False):
    """Rows that came."""

    first: int
    so_far: int  # rows the recorder has kept
    lost: int  # rows lost before the first of these
    values: AnyArray  # (n, n_channels), int16
    running: bool
    waiting: bool


class Recorder:
    """A recorder at the other end of a link."""

    def __init__(self, address: str, timeout_s: float = 3.0) -> None:
        """Connect, and see who is there.

        Raises
        ------
        RecorderError
            When nobody is, or something that is no recorder.
        """
        self._link = Link(address, timeout_s)
        self._number = 0  # of the recording
        try:
            self.identity = self._link.query("*IDN?")
            n = self._link.query("INP:COUN?")
            self.inputs = tuple(self._input(k) for k in range(1, int(n) + 1))
        except (ValueError, LinkLost) as cause:
            known = clipped(getattr(self, "identity", ""))
            self._link.close()
            if known:
                raise RecorderError(f"{known} at {address} is no recorder that this program knows: it has no inputs.") from cause
            raise RecorderError(
                f"No recorder answers at {clipped(address)}. {cause} Check the address, and that the recorder is on."
            ) from cause
        self._link.write("*CLS")

    def _input(self, k: int) -> RecorderInput:
        name, *ranges = self._link.query(f"INP{k}:NAME?;:SENS{k}:VOLT:RANG:CAT?").replace(";", ",").split(",")
        return RecorderInput(k, name.strip('"'), tuple(float(text) for text in ranges))

    def close(self) -> None:
        """End the connection; a recording goes on in the recorder."""
        self._link.close()

    def again(self) -> None:
        """Connect again after the link was lost.

        Raises
        ------
        RecorderError
            When nobody answers, or another one.
        """
        address = self._link.address
        self._link.close()
        self._link = Link(address)
        found = self._link.query("*IDN?")
        if found != self.identity:
            raise RecorderError(f"Another recorder answers at {address} now: {found}. Before it was {self.identity}.")

    def errors(self) -> tuple[str, ...]:
        """Return what stands in its queue of errors, which is emptied."""
        found = []
        while not (text := self._link.query("SYST:ERR?")).startswith(("0,", "+0,")):
            found.append(text.partition(",")[2].strip('"') or text)
        return tuple(found)

    def measured(self, order: Order) -> Order:
        """Return the order with ranges measured where none is stated.

        Raises
        ------
        RecorderError
            When the recorder refuses.
        """
        self._refuse_while_recording()
        channels = []
        self._link.write(f"SWE:TINT {1 / order.rate_hz:.12G}")
        for one in order.channels:
            if one.range_v is None:
                self._set_input(one)
                self._link.write(f"SENS{one.input}:VOLT:RANG:AUTO ONCE")
                one = msgspec.structs.replace(one, range_v=float(self._link.query(f"SENS{one.input}:VOLT:RANG?")))  # noqa: PLW2901
            channels.append(one)
        self._refuse("a range")
        return msgspec.structs.replace(order, channels=tuple(channels))

    def take(self, order: Order) -> Taken:
        """Set everything, and return what was taken.

        Raises
        ------
        RecorderError
            When the recorder refuses a setting.
        StudyError
            When the order cannot be.
        """
        order.check()
        self._refuse_while_recording()
        order = self.measured(order)
        on = {one.input for one in order.channels}
        for known in self.inputs:
            self._link.write(f"INP{known.number} {int(known.number in on)}")
        for one in order.channels:
            self._set_input(one)
        self._refuse("an input")
        self._link.write(f"SWE:TINT {1 / order.rate_hz:.12G};POIN {order.n_samples};OFFS:POIN {-order.n_before}")
        self._refuse("rate or length")
        self._set_start(order)
        rate = 1 / float(self._link.query("SWE:TINT?"))
        remarks, channels, steps = [], [], []
        if abs(rate / order.rate_hz - 1) > _NEAR:
            remarks.append(f"{rate:g} samples per second instead of {order.rate_hz:g}: the nearest it has")
        for one in sorted(order.channels, key=lambda c: c.input):
            range_v, step_v = map(float, self._link.query(f"SENS{one.input}:VOLT:RANG?;:SENS{one.input}:VOLT:STEP?").split(";"))
            if one.range_v is not None and abs(range_v / one.range_v - 1) > _NEAR:
                remarks.append(f"{one.name}: range {range_v:g} V instead of {one.range_v:g} V, the nearest it has")
            channels.append(msgspec.structs.replace(one, range_v=range_v))
            steps.append(step_v)
        return Taken(msgspec.structs.replace(order, channels=tuple(channels), rate_hz=rate), tuple(steps), tuple(remarks))

    def _set_input(self, one: WantedChannel) -> None:
        k = one.input
        if not any(known.number == k for known in self.inputs):
            raise RecorderError(f"{one.name} asks for input {k}; {self.identity} has {len(self.inputs)}.")
        self._link.write(f"INP{k} 1;:INP{k}:COUP {one.coupling};:INP{k}:TYPE {'BAL' if one.differential else 'UNB'}")
        if one.range_v is not None:
            self._link.write(f"SENS{k}:VOLT:RANG {one.range_v:.9G}")

    def _set_start(self, order: Order) -> None:
        start = order.start
        if start.on == "edge":
            of = order.channel(start.channel)
            gain = abs(of.at_input(1.0) - of.at_input(0.0))
            slope = _SLOPES[_OTHER[start.direction] if of.turned else start.direction]
            self._link.write(
                f"TRIG:SOUR INT{of.input};LEV {of.at_input(start.level):.9G};SLOP {slope};HYST {start.hysteresis * gain:.9G}"
            )
        else:
            self._link.write(f"TRIG:SOUR {'EXT' if start.on == 'digital' else 'BUS' if start.on == 'command' else 'IMM'}")
        self._link.write(f"TRIG:HOLD {start.hold_off_s:.9G};DEL {start.delay_s:.9G};COUN {order.n_shots}")
        self._refuse("the start condition")
        alone = start.alone_after_s
        self._link.write(f"TRIG:ATR {int(alone is not None)}" + (f";ATR:TIME {alone:.9G}" if alone is not None else ""))
        gate = order.gate
        self._link.write(f"SWE:GATE {int(gate is not None)}")
        if gate is not None:
            of = order.channel(gate.channel)
            self._link.write(f"SWE:GATE:INP {of.input};LEV {of.at_input(gate.level):.9G}")
        self._refuse("the gate")

    def _refuse(self, what: str) -> None:
        errors = tuple(dict.fromkeys(self.errors()))
        if errors:
            raise RecorderError(f"The recorder refuses {what}: {'; '.join(errors)}. Change that setting.")

    def _refuse_while_recording(self) -> None:
        if int(self._link.query("STAT:OPER:COND?")) & _SWEEPING:
            raise RecorderBusy(f"{self.identity} is recording already, for another client or one that went. Stop that first.")

    def give(self, signals: Sequence[Signal], loop: bool) -> None:
        """Set the outputs, in the order of their numbers; `loop`: they are wired into the inputs of the same number.

        Raises
        ------
        RecorderError
            When the recorder refuses, or has no outputs.
        """
        self._refuse_while_recording()
        self._link.write(f"ROUT:LOOP {int(loop)}")
        for k, one in enumerate(signals, start=1):
            self._link.write(
                f"OUTP{k} {int(one.on)};:SOUR{k}:FUNC {SHAPES[one.shape]};FREQ {one.frequency_hz:.12G};VOLT {one.amplitude:.9G};"
                f"VOLT:OFFS {one.offset:.9G};:SOUR{k}:PHAS {one.phase_deg:.9G};PULS:DCYC {100 * one.duty:.9G};"
                f":SOUR{k}:NOIS {one.noise:.9G};SWE {','.join(f'{x:.9G}' for x in one.sweep)}"
            )
            tones = (f"{tone.frequency_hz:.12G},{tone.amplitude:.9G},{tone.phase_deg:.9G}" for tone in one.tones)
            self._link.write(f"SOUR{k}:TON {','.join(tones)}")
            if one.played:
                played = ",".join(f"{x:.7G}" for x in one.played)
                self._link.write(f"SOUR{k}:USER:RATE {one.played_rate_hz:.12G};:SOUR{k}:USER {played}")
        self._refuse("a signal")

    def start(self) -> None:
        """Begin.

        Raises
        ------
        RecorderError
            When the recorder refuses.
        """
        self._link.write("INIT")
        self._refuse("to begin")
        self._number = int(self._link.query("FETC:NUMB?"))

    def trigger(self) -> None:
        """Start a shot by command."""
        self._link.write("*TRG")

    def stop(self) -> None:
        """End; what was kept can still be fetched."""
        self._link.write("ABOR")

    def missed(self) -> int:
        """Return how many starts came while a shot or its hold-off was going on."""
        return int(self._link.query("TRIG:MISS?"))

    def shots(self, first: int) -> tuple[RecordedShot, ...]:
        """Return the shots from number `first` on.

        Raises
        ------
        LinkLost
            When the answer makes no sense.
        """
        fields = self._link.query(f"FETC:SHOT? {first}").split(",")[1:]
        try:
            groups: Sequence[list[str]] = [fields[k : k + _FIELDS_OF_SHOT] for k in range(0, len(fields), _FIELDS_OF_SHOT)]
            return tuple(RecordedShot(int(a), int(b), float(c), d == "1") for a, b, c, d in groups)
        except ValueError as cause:
            raise LinkLost(f"{self._link.address} lists its shots in a way that makes no sense.") from cause

    def rows(self, first: int, most: int) -> RowsRead:
        """Return rows from `first` on, at most so many; asking says that those before have arrived.

        Raises
        ------
        RecorderError
            When they are of another recording.
        LinkLost
            When what comes is not what was asked for.
        """
        content = self._link.block(f"FETC:BLOC? {first},{most}")
        if len(content) < _HEAD.size:
            raise LinkLost(f"{self._link.address} sends a block without a head.")
        begin, so_far, lost, number, n, n_columns, flags = _HEAD.unpack_from(content)
        if number != self._number:
            raise RecorderError(f"{self._link.address} was begun anew in between, by another client. Record again.")
        if len(content) != _HEAD.size + 2 * n * n_columns or begin < first or n > most:
            raise LinkLost(f"{self._link.address} sends a block of another length than its head says.")
        values = np.frombuffer(content, "<i2", offset=_HEAD.size).reshape(n, n_columns)
        return RowsRead(begin, so_far, lost, values, bool(flags & _RUNNING), bool(flags & _WAITING))
