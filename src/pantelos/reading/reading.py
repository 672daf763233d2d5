"""What a reading is, and what kinds there are to be registered."""

from collections.abc import Callable
from dataclasses import dataclass

from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.cycles import Cycles
from pantelos.signal.window import Window, evaluation_window, samples_between
from pantelos.units import Unit

MIN_COVERAGE = 0.95  # below this share of valid samples a reading is not given (our choice, no standard)
LOW_SIGNAL_SHARE = 1e-3  # of the stated range: ratios and angles of anything smaller are not given


@dataclass(frozen=True, eq=False, slots=True)
class Stretch:
    """Where a reading is taken: an interval in samples, the cycles it is bound to, the orders wanted."""

    start: float
    stop: float
    cycles: Cycles | None
    highest_order: int = 50
    origin_s: float = 0.0  # instant of sample 0

    @property
    def whole_cycles(self) -> Window:
        """The whole cycles of the reference inside, or all samples where there is no reference."""
        return evaluation_window(self.cycles, self.start, self.stop)

    @property
    def samples(self) -> Window:
        """All samples inside."""
        return samples_between(self.start, self.stop)


@dataclass(frozen=True, slots=True)
class Reading:
    """A scalar with everything a review asks for. `value` is in SI; NaN when it is not defined."""

    value: float
    unit: Unit
    window: Window
    method: str
    coverage: float = 1.0
    origin_s: float = 0.0  # instant of sample 0

    def place(self, rate_hz: float) -> str:
        """Return the stretch really used, in words."""
        start, stop = (self.origin_s + edge / rate_hz for edge in (self.window.start, self.window.stop))
        span = f"{start:.6f} s to {stop:.6f} s"
        cycles = f", {self.window.n_cycles} whole cycles" if self.window.n_cycles else ", all samples"
        return span + cycles


@dataclass(frozen=True, slots=True)
class ReadingKind:
    """One entry of the registry: the function name in formulas, how it is titled, computed and explained."""

    name: str
    title: str
    arguments: tuple[str, ...]
    help: str
    method: str
    unit: Callable[[Unit], Unit]  # from the unit of the first argument
    measure: Callable[[list[Waveform], Stretch], tuple[float, Window, float]]  # value, window used, coverage
    per_cycle: Callable[[list[Waveform], Cycles], FloatArray]  # (n_cycles,), SI
    example: str
    own_cycles: bool = False  # bound to the cycles of the channel itself, not of the reference


def take(kind: ReadingKind, waves: list[Waveform], stretch: Stretch) -> Reading:
    """Return one reading; not given (NaN) where too much of the stretch is missing.

    Samples that a formula masks with `where` were left out on purpose and do not count as missing.
    """
    value, window, coverage = kind.measure(waves, stretch)
    masked = any(getattr(wave, "masked", False) for wave in waves)
    if coverage < MIN_COVERAGE and not masked:
        value = float("nan")
    rule = f", {window.rule} rule"
    return Reading(value, kind.unit(waves[0].unit), window, kind.method.replace("{rule}", rule), coverage, stretch.origin_s)
