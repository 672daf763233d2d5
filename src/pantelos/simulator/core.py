"""What the commands of the simulated recorder work on: settings, scene, recording, status."""

from collections.abc import Callable, Sequence
from contextvars import ContextVar

from pantelos.recorder.signals import Signal
from pantelos.scpi.message import MessageError
from pantelos.scpi.status import Status
from pantelos.simulator.acquisition import Acquisition, AcquisitionOrder
from pantelos.simulator.converter import Flaws, InputSettings
from pantelos.simulator.faults import Faults
from pantelos.simulator.feed import Feed, LoopFeed, SceneFeed
from pantelos.simulator.scenes import Scene
from pantelos.simulator.settings import InstrumentSettings
from pantelos.simulator.trigger import Edge

SWEEPING, WAITING, OVERRUN = 8, 32, 512  # bits of the two groups of conditions


# Whether the client that a message came from no longer waits for its answer; asked where one takes long.
GIVEN_UP: ContextVar[Callable[[], bool]] = ContextVar("GIVEN_UP", default=lambda: False)


class Dropped(Exception):
    """The connection is to be lost now, behind some bytes."""

    def __init__(self, content: bytes) -> None:
        super().__init__(len(content))
        self.content = content


class Raw(bytes):
    """Bytes to be sent as they are, without an end of message: a fault was ordered."""


class Core:
    """One recorder."""

    def __init__(self, scene: Scene, n_inputs: int, flaws: Flaws) -> None:
        self.scene, self._n, self._flaws = scene, n_inputs, flaws
        self.status, self.faults = Status(), Faults()
        self.acquisition: Acquisition | None = None
        self.n_recordings = 0  # begun since it is on
        self.settings = self._usual()

    def _usual(self) -> InstrumentSettings:
        inputs = [InputSettings(on=k < len(self.scene.channels)) for k in range(self._n)]
        return InstrumentSettings(inputs, [Signal() for _ in range(self._n)], self._flaws)

    def reset(self) -> None:
        """Return to the state of *RST."""
        self.stop()
        self.acquisition = None
        self.settings = self._usual()

    def input(self, number: int) -> int:
        """Return the place of an input or output of that number, from 1 on."""
        if not 1 <= number <= self._n:
            raise MessageError(-114, "Header suffix out of range")
        return number - 1

    def name(self, at: int) -> str:
        """Return what an input sees."""
        if self.settings.loop:
            return f"out{at + 1}"
        return self.scene.channels[at] if at < len(self.scene.channels) else f"in{at + 1}"

    def refuse_while_recording(self) -> None:
        """Refuse a setting while a recording is going on."""
        if self.acquisition is not None and self.acquisition.running:
            raise MessageError(-221, "Settings conflict; a recording is going on")

    def feed(self, inputs: Sequence[InputSettings], most_rows: int | None = None) -> Callable[[], Feed]:
        """Return what makes the feed of the settings as they are now; making it may take seconds."""
        of, scene = self.settings, self.scene
        rate, flaws, outputs, loop = of.rate_hz, of.flaws, list(of.outputs), of.loop
        seen = list(inputs)
        return lambda: LoopFeed(outputs, rate, seen, flaws) if loop else SceneFeed(scene, rate, seen, flaws, most_rows)

    def begin(self) -> None:
        """Start a recording.

        Raises
        ------
        MessageError
            When the settings do not go together, or one is going on.
        """
        self.refuse_while_recording()
        of = self.settings
        if not any(one.on for one in of.inputs):
            raise MessageError(-221, "Settings conflict; no input is on")
        if of.points and -of.offset_points >= of.points:
            raise MessageError(-221, "Settings conflict; the start lies behind the last point")
        edge, gate, rate = None, None, of.rate_hz
        if of.source == "EDGE":
            at = of.source_input
            self._refuse_beyond(at, of.level, "level")
            edge = Edge(self._column(at), self._numbers(at, of.level), self._numbers(at, of.hysteresis), of.slope)
        if of.gate:
            at = round(of.gate_input)
            self._refuse_beyond(at, of.gate_level, "level of the gate")
            gate = (self._column(at), self._numbers(at, of.gate_level))
        order = AcquisitionOrder(
            rate, sum(one.on for one in of.inputs), round(of.points), -round(of.offset_points), round(of.count), of.source, edge,
            round(of.hold_off_s * rate), round(of.delay_s * rate), round(of.alone_after_s * rate) if of.alone else None, gate,
            max(round(rate), 1), of.flaws.memory,
        )  # fmt: skip
        self.status.operation.set(SWEEPING, True)
        self.status.questionable.set(OVERRUN, False)
        self.n_recordings += 1
        self.acquisition = Acquisition(self.feed(of.inputs), order, self._ended, self._lost)
        self.acquisition.start()

    def stop(self) -> None:
        """Stop what is going on."""
        if self.acquisition is not None:
            self.acquisition.stop()

    def _column(self, number: int) -> int:
        """Return which of the recorded columns an input is."""
        if not self.settings.inputs[number - 1].on:
            raise MessageError(-221, f"Settings conflict; input {number} is off")
        return sum(one.on for one in self.settings.inputs[: number - 1])

    def _refuse_beyond(self, number: int, volts: float, what: str) -> None:
        range_v = self.settings.inputs[number - 1].range_v
        if abs(volts) > range_v:
            raise MessageError(-221, f"Settings conflict; the {what} lies beyond the range of {range_v:g} V of input {number}")

    def _numbers(self, number: int, volts: float) -> float:
        return volts / self.settings.inputs[number - 1].step_v

    def _ended(self) -> None:
        self.status.operation.set(SWEEPING | WAITING, False)

    def _lost(self) -> None:
        self.status.questionable.set(OVERRUN, True)
        self.status.fail(-363, "Input buffer overrun; rows are lost")
