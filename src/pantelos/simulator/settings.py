"""Everything that can be set on the simulated recorder."""

import msgspec

from pantelos.recorder.signals import Signal
from pantelos.simulator.converter import Flaws, InputSettings


class InstrumentSettings(msgspec.Struct):
    """The state that *RST returns to is that of a new one."""

    inputs: list[InputSettings]
    outputs: list[Signal]
    flaws: Flaws = Flaws()
    loop: bool = False  # the outputs are wired into the inputs
    rate_hz: float = 10_000.0
    points: float = 10_000  # of a shot; 0: until it is stopped
    offset_points: float = 0  # of the first point from the start: negative before it
    gate: bool = False
    gate_input: float = 1
    gate_level: float = 0.0  # V
    source: str = "IMMediate"  # IMMediate, EDGE, EXTernal, BUS
    source_input: int = 1
    level: float = 0.0  # V
    hysteresis: float = 0.0
    slope: str = "POSitive"
    hold_off_s: float = 0.0
    delay_s: float = 0.0
    count: float = 1  # shots; 0: until it is stopped
    alone: bool = False
    alone_after_s: float = 1.0
