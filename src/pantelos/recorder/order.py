"""What is to be recorded: channels, rate, length, and the condition that starts it. A value, and as people write it."""

import math
import re
from typing import Literal, TypeAlias

import msgspec

from pantelos.amounts import amount
from pantelos.errors import StudyError, clipped
from pantelos.formula.syntax import NAME
from pantelos.notation import counted, minus, prefix_for, sized, with_unit
from pantelos.record.scaling import Scaling
from pantelos.study.chains import read_chain
from pantelos.units import unit

Starting: TypeAlias = Literal["now", "edge", "digital", "command"]
Direction: TypeAlias = Literal["rises", "falls", "passes"]
_EDGE = re.compile(r"^(?P<channel>\w+)\s+(?P<direction>rises|falls|passes)\s+through\s+(?P<level>.+)$")
_MOST_HEADROOM = 1000.0
_PARTS = {"hysteresis": "hysteresis", "hold-off": "hold_off_s", "delay": "delay_s", "else after": "alone_after_s"}


class WantedChannel(msgspec.Struct, frozen=True):
    """One input that is recorded."""

    name: str
    input: int  # from 1 on
    range_v: float | None = None  # None: measured before the start, for the best use of the converter
    coupling: str = "DC"
    differential: bool = True
    scaling: Scaling = Scaling()

    def at_input(self, value: float) -> float:
        """Return the volts at the input for a value of the quantity, SI."""
        gain, zero, _ = self.scaling.resolve(unit("V"))
        return (value - zero) / gain

    @property
    def turned(self) -> bool:
        """Whether the quantity rises where the volts fall."""
        return self.scaling.resolve(unit("V"))[0] < 0


class Start(msgspec.Struct, frozen=True):
    """What starts a shot; levels in SI units of the quantity."""

    on: Starting = "now"
    channel: str = ""
    direction: Direction = "rises"
    level: float = 0.0
    hysteresis: float = 0.0
    hold_off_s: float = 0.0
    delay_s: float = 0.0
    alone_after_s: float | None = None  # a shot begins without an edge after so long

    def text(self, symbol: str = "") -> str:
        """Return it as it is written."""
        match self.on:
            case "edge":
                said = f"{self.channel} {self.direction} through {_said(self.level, symbol)}"
                said += f", hysteresis {_said(self.hysteresis, symbol)}" if self.hysteresis else ""
            case "digital":
                said = "digital input"
            case _:
                said = self.on
        for label, seconds in (("hold-off", self.hold_off_s), ("delay", self.delay_s), ("else after", self.alone_after_s)):
            said += f", {label} {_said(seconds, 's')}" if seconds else ""
        return said


class Gate(msgspec.Struct, frozen=True):
    """Recording goes on while a channel is at or above a level, SI."""

    channel: str
    level: float


class Order(msgspec.Struct, frozen=True):
    """All of it."""

    channels: tuple[WantedChannel, ...]
    rate_hz: float = 10_000.0
    n_samples: int = 10_000  # of a shot; 0: until it is stopped
    n_before: int = 0  # of them, before the start
    start: Start = Start()
    gate: Gate | None = None
    n_shots: int = 1  # 0: until it is stopped
    headroom: float = 2.0  # of ranges that are measured: how many times what is seen before the start they hold

    def channel(self, name: str) -> WantedChannel:
        """Return the channel of that name.

        Raises
        ------
        StudyError
            When it is not recorded.
        """
        for one in self.channels:
            if one.name == name:
                return one
        raise StudyError(f'"{clipped(name)}" is not recorded; recorded are {", ".join(c.name for c in self.channels)}.')

    def check(self) -> None:
        """Refuse an order that cannot be.

        Raises
        ------
        StudyError
            Naming the first thing that cannot be.
        """
        if not self.channels:
            raise StudyError("No channel is to be recorded. Switch one on.")
        for what, seen in (("name", [one.name for one in self.channels]), ("input", [str(one.input) for one in self.channels])):
            twice = next((one for one in seen if seen.count(one) > 1), None)
            if twice is not None:
                raise StudyError(f"Two channels have the {what} {twice}. Each needs its own.")
        if not (math.isfinite(self.rate_hz) and self.rate_hz > 0):
            raise StudyError(f"{self.rate_hz:g} is no rate. Write one such as 50 kHz.")
        if self.n_samples and not 0 <= self.n_before < self.n_samples:
            raise StudyError(f"{self.n_before} of {self.n_samples} samples cannot lie before the start. Ask for fewer.")
        if not 1 <= self.headroom <= _MOST_HEADROOM:
            raise StudyError(
                f"Headroom of {self.headroom:g} cannot be. Write 1 to {_MOST_HEADROOM:g}: times what is seen at rest."
            )
        if self.start.on == "edge":
            self.channel(self.start.channel)
        if self.gate is not None:
            self.channel(self.gate.channel)
        if self.start.on != "now" and not self.n_samples:
            raise StudyError("A shot that waits for its start needs a length. State samples or a time.")

    def sentence(self) -> str:
        """Return it as a sentence: `6 inputs, 5000 samples at 50 kHz, 20 ms before u1 rises through 100 V, 10 times`."""
        start = self.start
        symbol = self.channel(start.channel).scaling.resolve(unit("V"))[2].symbol if start.channel else ""
        length = counted(self.n_samples, "sample") if self.n_samples else "until it is stopped"
        parts = [counted(len(self.channels), "input"), f"{length} at {_said(self.rate_hz, 'Hz')}"]
        before = f"{_said(self.n_before / self.rate_hz, 's')} before " if self.n_before else "from "
        parts.append(f"{before}{start.text(symbol)}")
        if self.gate is not None:
            symbol = self.channel(self.gate.channel).scaling.resolve(unit("V"))[2].symbol
            parts.append(f"while {self.gate.channel} is above {_said(self.gate.level, symbol)}")
        parts += [counted(self.n_shots, "time") if self.n_shots else "again and again"] if self.n_shots != 1 else []
        return ", ".join(parts)

    def consequences(self) -> tuple[tuple[str, str], ...]:
        """Return what follows from it: length, resolution of a spectrum, memory."""
        row = 2 * len(self.channels)
        per_second = f"{sized(self.rate_hz * row)} per second"
        if not self.n_samples:
            return ("length", "until it is stopped"), ("on the disk", per_second)
        length = self.n_samples / self.rate_hz
        shots = f"{self.n_shots} shots" if self.n_shots else "shots until it is stopped"
        found = [
            ("length", with_unit(length, unit("s"), 4)),
            ("before the start", with_unit(self.n_before / self.rate_hz, unit("s"), 4)),
            ("Δf of a spectrum", with_unit(1 / length, unit("Hz"), 4)),
            ("on the disk", sized(self.n_samples * row * max(self.n_shots, 1))),
        ]
        return (*found, ("repeated", shots)) if self.n_shots != 1 else tuple(found)


def start_from(text: str, order: Order) -> Start:
    """Return the start condition a text such as `u1 rises through 10 V, hold-off 20 ms, else after 2 s` states.

    Raises
    ------
    StudyError
        When it cannot be read, with what may stand there.
    """
    first, *parts = (part.strip() for part in text.split(","))
    if first in ("now", "command"):
        start = Start("now" if first == "now" else "command")
    elif first == "digital input":
        start = Start("digital")
    else:
        found = _EDGE.match(first)
        if found is None:
            raise StudyError(
                f'"{clipped(first)}" is no start. Write: now, digital input, command, or as in "u1 rises through 10 V".'
            )
        symbol = _symbol(order, found["channel"])
        direction: Direction = (
            "rises" if found["direction"] == "rises" else "falls" if found["direction"] == "falls" else "passes"
        )
        start = Start("edge", found["channel"], direction, amount(found["level"], symbol))
    for part in parts:
        label = next((one for one in _PARTS if part.startswith(one)), None)
        if label is None:
            raise StudyError(f'"{clipped(part)}" says nothing of a start. Known are {", ".join(_PARTS)}.')
        symbol = _symbol(order, start.channel) if label == "hysteresis" else "s"
        stated = part.removeprefix(label).strip()
        if stated.endswith(" samples") and stated.removesuffix(" samples").strip().isdigit() and symbol == "s":
            stated = f"{int(stated.removesuffix(' samples')) / order.rate_hz!r} s"
        start = msgspec.structs.replace(start, **{_PARTS[label]: amount(stated, symbol)})
    return start


def gate_from(text: str, order: Order) -> Gate:
    """Return the gate a text such as `u1 above 10 V` states.

    Raises
    ------
    StudyError
        When it cannot be read.
    """
    name, above, level = text.partition(" above ")
    if not above:
        raise StudyError(f'"{clipped(text)}" is no gate. Write it as in "u1 above 10 V".')
    return Gate(name.strip(), amount(level, _symbol(order, name.strip())))


def channel_from(text: str) -> WantedChannel:
    """Return the channel a text such as `u1=1: divider 100, range 5 V, AC, single-ended` states.

    Without a range the recorder measures one. What else stands behind the colon is the scaling chain.

    Raises
    ------
    StudyError
        When it cannot be read.
    """
    head, _, chain = text.partition(":")
    name, _, number = (part.strip() for part in head.partition("="))
    if not number.isdigit() or not name:
        raise StudyError(f'"{clipped(text)}" is no channel. Write name and input, as in "u1=1: divider 100, range 5 V".')
    if not NAME.match(name):
        raise StudyError(f'"{clipped(name)}" cannot be used in formulas. Use letters, digits and _, beginning with a letter.')
    made, kept = WantedChannel(name, int(number)), []
    for part in (one.strip() for one in chain.split(",") if one.strip()):
        if part in ("AC", "DC"):
            made = msgspec.structs.replace(made, coupling=part)
        elif part in ("single-ended", "differential"):
            made = msgspec.structs.replace(made, differential=part == "differential")
        else:
            kept.append(part)
    scaling = read_chain(", ".join(kept), unit("V")) if kept else Scaling()
    return msgspec.structs.replace(made, scaling=scaling, range_v=scaling.recorder_range)


def _symbol(order: Order, channel: str) -> str:
    return order.channel(channel).scaling.resolve(unit("V"))[2].symbol


def _said(value: float | None, symbol: str) -> str:
    scale, prefixed = prefix_for(abs(value or 0.0), unit(symbol or "1"))
    return minus(f"{(value or 0.0) / scale:.6g} {prefixed}".rstrip())
