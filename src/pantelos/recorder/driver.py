"""A recorder as its client sees it: identity, inputs, settings as they were taken, shots, rows. docs/recorder-protocol.md."""

import struct
from collections.abc import Callable, Sequence

import msgspec
import numpy as np

from pantelos.errors import clipped
from pantelos.formats.recorded.layout import RecordedShot
from pantelos.recorder.link import Link, LinkLost, RecorderBusy, RecorderError
from pantelos.recorder.order import Order, WantedChannel
from pantelos.recorder.signals import SHAPES, Signal
from pantelos.recorder.waiting import Nonsense, Waiting, as_amount, as_count
from pantelos.signal.arrays import AnyArray

_HEAD = struct.Struct("<QQQIIHH")
_RUNNING, _WAITING = 1, 2
_SWEEPING, _REGISTER = 8, 0xFFFF  # of the conditions of operation
_SLOPES = {"rises": "POSitive", "falls": "NEGative", "passes": "EITHer"}
_OTHER = {"rises": "falls", "falls": "rises", "passes": "passes"}
_FIELDS_OF_SHOT = 4
_NEAR = 1e-6
_MOST_INPUTS, _MOST_ERRORS, _MOST_V, _MOST_HZ = 1024, 64, 1e6, 1e12  # that are believed
_FINEST = 2.0**32  # steps of a range
_FIRST = 3  # times as long as any other answer the first one may take: it may have to wake up
_MEASURED_S = 30.0  # that measuring a range may take


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
    measured: frozenset[str] = frozenset()  # channels whose range was measured before


class RowsRead(msgspec.Struct, frozen=True, eq=False):
    """Rows that came."""

    first: int
    so_far: int  # rows the recorder has kept
    lost: int  # rows lost before the first of these
    values: AnyArray  # (n, n_channels), int16
    running: bool
    waiting: bool


class AnotherRecorder(RecorderError):
    """Not the one that it was."""


class Recorder:
    """A recorder at the other end of a link."""

    def __init__(self, address: str, timeout_s: float = 3.0, waiting: Waiting | None = None) -> None:
        """Connect, and see who is there.

        Raises
        ------
        RecorderError
            When nobody is, or something that is no recorder.
        """
        self._waiting = waiting or Waiting()
        self._waiting.go_on()
        self._timeout_s, self._says_room = timeout_s, True
        self._link = Link(address, timeout_s)
        self._number = self._n_columns = 0  # of the recording
        self.own = False  # whether what it records was begun here; another client's is left alone
        self.identity = ""
        try:
            self.identity = self._asked("*IDN?", _FIRST * timeout_s)
            n = self._count("INP:COUN?", 1, _MOST_INPUTS)
            self.inputs = tuple(self._input(k) for k in range(1, n + 1))
        except LinkLost as cause:
            self._link.close()
            if self.identity:
                known = clipped(self.identity)
                raise RecorderError(
                    f"{known} at {address} is no recorder that this program knows: it names no inputs. {cause}"
                ) from cause
            raise RecorderError(
                f"No recorder answers at {clipped(address)}. {cause} Check the address, and that the recorder is on."
            ) from cause
        except RecorderError:
            self._link.close()
            raise
        self._link.write("*CLS")

    # asking

    def _asked(self, message: str, within_s: float | None = None) -> str:
        """Return an answer that is waited for as long as somebody wants it."""
        self._waiting.go_on()
        if self._link.torn:
            self.again()
        return self._link.query(message, within_s, self._waiting.go_on)

    def _amount(self, message: str, low: float, high: float, within_s: float | None = None) -> float:
        return as_amount(self._asked(message, within_s), message, low, high)

    def _count(self, message: str, low: int = 0, high: int = 1 << 62) -> int:
        return as_count(self._asked(message), message, low, high)

    def _input(self, k: int) -> RecorderInput:
        asked = f"INP{k}:NAME?;:SENS{k}:VOLT:RANG:CAT?"
        name, *ranges = self._asked(asked).replace(";", ",").split(",")
        return RecorderInput(k, name.strip('"'), tuple(as_amount(text, asked, 1 / _MOST_V, _MOST_V) for text in ranges))

    def close(self) -> None:
        """End the connection; a recording goes on in the recorder."""
        self._link.close()

    def again(self, go_on: Callable[[], None] | None = None, patience: int = _FIRST) -> None:
        """Connect again after the link was lost; `go_on` is asked meanwhile, and raises where nobody waits any longer.

        Its first answer may take `patience` times as long as any other.

        Raises
        ------
        RecorderError
            When nobody answers, or another one.
        """
        address = self._link.address
        self._link.close()
        self._link = Link(address, self._timeout_s)
        found = self._link.query("*IDN?", patience * self._timeout_s, go_on or self._waiting.go_on)
        if found != self.identity:
            raise AnotherRecorder(f"Another recorder answers at {address} now: {found}. Before it was {self.identity}.")

    def errors(self) -> tuple[str, ...]:
        """Return what stands in its queue of errors, which is emptied; no more than any queue holds."""
        found: list[str] = []
        while not (text := self._link.query("SYST:ERR?")).startswith(("0,", "+0,")):
            if len(found) >= _MOST_ERRORS:
                return (*found, "and so on: its queue of errors does not end")
            found.append(text.partition(",")[2].strip('"') or text)
        return tuple(found)

    def room(self) -> int | None:
        """Return how many rows it keeps until they are fetched, with the inputs that are on; None where it does not say."""
        if self._says_room:
            try:
                return self._count("FETC:ROOM?", 1)
            except LinkLost:  # it does not know the question, and so it does not answer; its errors say that it was asked
                self._says_room = False
                self.again()
                self.errors()
        return None

    # setting

    def measured(self, order: Order) -> Order:
        """Return the order with ranges measured where none is stated, that hold so many times what was seen as it says.

        Raises
        ------
        RecorderError
            When the recorder refuses.
        """
        self._refuse_while_recording()
        wanted = [one for one in order.channels if one.range_v is None]
        if not wanted:
            return order
        self._link.write(f"SWE:TINT {1 / order.rate_hz:.12G}")
        ranges = {}
        for at, one in enumerate(wanted, start=1):
            self._waiting.say(f"Measuring ranges: {one.name}, {at} of {len(wanted)}")
            self._set_input(one)
            of = f"SENS{one.input}:VOLT:RANG"
            self._link.write(f"{of}:AUTO ONCE")
            seen = self._amount(f"{of}?", 1 / _MOST_V, _MOST_V, _MEASURED_S)
            roomy = min(order.headroom * seen, max(self.inputs[one.input - 1].ranges_v, default=_MOST_V))
            self._link.write(f"{of} {roomy:.9G}")
            ranges[one.input] = self._amount(f"{of}?", 1 / _MOST_V, _MOST_V)
        self._refuse("a range")
        channels = (msgspec.structs.replace(one, range_v=ranges.get(one.input, one.range_v)) for one in order.channels)
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
        measured = frozenset(one.name for one in order.channels if one.range_v is None)
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
        rate = 1 / self._amount("SWE:TINT?", 1 / _MOST_HZ, _MOST_HZ)
        rate = float(f"{rate:.15G}")  # a rate is set as a time from sample to sample; what rounding leaves of it is no rate
        remarks, channels, steps = [], [], []
        if abs(rate / order.rate_hz - 1) > _NEAR:
            remarks.append(f"{rate:g} samples per second instead of {order.rate_hz:g}: the nearest it has")
        for one in sorted(order.channels, key=lambda c: c.input):
            range_v = self._amount(f"SENS{one.input}:VOLT:RANG?", 1 / _MOST_V, _MOST_V)
            step_v = self._amount(f"SENS{one.input}:VOLT:STEP?", range_v / _FINEST, range_v)
            if one.range_v is not None and abs(range_v / one.range_v - 1) > _NEAR:
                remarks.append(f"{one.name}: range {range_v:g} V instead of {one.range_v:g} V, the nearest it has")
            channels.append(msgspec.structs.replace(one, range_v=range_v))
            steps.append(step_v)
        as_taken = msgspec.structs.replace(order, channels=tuple(channels), rate_hz=rate)
        return Taken(as_taken, tuple(steps), tuple(remarks), measured)

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
        if self._count("STAT:OPER:COND?", 0, _REGISTER) & _SWEEPING:
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

    def start(self, n_columns: int) -> None:
        """Begin a recording of so many inputs.

        Raises
        ------
        RecorderError
            When the recorder refuses.
        """
        self._waiting.go_on()
        self._n_columns, self.own = n_columns, False
        before = self._count("FETC:NUMB?")
        self._link.write("INIT")
        try:
            self._refuse("to begin")
        except RecorderError:  # the queue of errors is one for all clients: it may have begun all the same
            self.own = self._count("FETC:NUMB?") != before
            raise
        self.own = True
        self._number = self._count("FETC:NUMB?")

    def trigger(self) -> None:
        """Start a shot by command."""
        self._link.write("*TRG")

    def stop(self) -> None:
        """End; what was kept can still be fetched."""
        self._link.write("ABOR")

    def missed(self) -> int:
        """Return how many starts came while a shot or its hold-off was going on."""
        return as_count(self._link.query("TRIG:MISS?"), "TRIG:MISS?")

    def shots(self, first: int) -> tuple[RecordedShot, ...]:
        """Return the shots from number `first` on.

        Raises
        ------
        LinkLost
            When the answer makes no sense.
        """
        asked = f"FETC:SHOT? {first}"
        n, *fields = self._link.query(asked).split(",")
        if len(fields) != _FIELDS_OF_SHOT * as_count(n, asked):
            raise Nonsense(f"{self._link.address} lists its shots in a way that makes no sense.")
        groups: Sequence[list[str]] = [fields[k : k + _FIELDS_OF_SHOT] for k in range(0, len(fields), _FIELDS_OF_SHOT)]
        return tuple(RecordedShot(as_count(a, asked), as_count(b, asked), as_amount(c, asked), d == "1") for a, b, c, d in groups)

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
            raise Nonsense(f"{self._link.address} sends a block without a head.")
        begin, so_far, lost, number, n, n_columns, flags = _HEAD.unpack_from(content)
        if number != self._number:
            self.own = False
            raise RecorderError(f"{self._link.address} was begun anew in between, by another client. Record again.")
        if n_columns != self._n_columns:
            said = f"{n_columns} columns where {self._n_columns} inputs were ordered"
            raise RecorderError(f"{self._link.address} sends {said}: what they are is not known. Record again.")
        if len(content) != _HEAD.size + 2 * n * n_columns or begin < first or n > most:
            raise Nonsense(f"{self._link.address} sends a block of another length than its head says.")
        values = np.frombuffer(content, "<i2", offset=_HEAD.size).reshape(n, n_columns)
        return RowsRead(begin, so_far, lost, values, bool(flags & _RUNNING), bool(flags & _WAITING))
