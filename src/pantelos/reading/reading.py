"""What a reading is, and what kinds there are to be registered."""

import math
from collections.abc import Callable, Iterator, Sequence
from enum import StrEnum
from typing import TypeAlias

import msgspec
import numpy as np

from pantelos.notation import from_to
from pantelos.record.waveform import LeftOut, Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.cycles.window import CHANGING, Window, evaluation_window, over_all_samples, samples_between
from pantelos.signal.levels.level_search import Crossings
from pantelos.signal.levels.partition import Partition
from pantelos.signal.levels.piecewise import piece_by_piece
from pantelos.signal.sums.totals import BlockTotals
from pantelos.signal.validity import MIN_COVERAGE, defined_between, too_little
from pantelos.units import Unit, unit

LOW_SIGNAL_SHARE = 1e-3  # of the stated range: ratios and angles of anything smaller are not given


class Stretch(msgspec.Struct, frozen=True, eq=False):
    """Where a reading is taken: an interval in samples, the cycles it is bound to, the orders wanted."""

    start: float
    stop: float
    cycles: Cycles | None
    highest_order: int = 50
    origin_s: float = 0.0  # instant of sample 0
    reference: str = ""  # the channel whose cycles they are
    why_all: str = ""  # why all samples count where there are no cycles
    totals: Callable[[int], BlockTotals] | None = None  # of powers of the first channel, where they are kept
    numbers: tuple[float, ...] = ()  # the settings of the reading, SI
    alternating: bool = False  # what is measured belongs to an alternating connection

    @property
    def whole_cycles(self) -> Window:
        """The whole cycles of the reference inside, or all samples where there is no reference."""
        return evaluation_window(self.cycles, self.start, self.stop)

    @property
    def samples(self) -> Window:
        """All samples inside."""
        return samples_between(self.start, self.stop)


class Reading(msgspec.Struct, frozen=True):
    """A scalar with everything a review asks for. `value` is in SI; NaN when it is not defined."""

    value: float
    unit: Unit
    window: Window
    method: str
    coverage: float = 1.0
    origin_s: float = 0.0  # instant of sample 0
    reference: str = ""  # the channel whose cycles count; "" where all samples do
    why_not: str = ""  # why it is not given
    remarks: tuple[str, ...] = ()  # what a review should know of it
    method_u: float = 0.0  # standard uncertainty of the method itself, SI

    def place(self, rate_hz: float) -> str:
        """Return the stretch really used, in words."""
        start, stop = (self.origin_s + edge / rate_hz for edge in (self.window.start, self.window.stop))
        span = from_to(start, stop, ".6f")
        cycles = f", {self.window.n_cycles} whole cycles of {self.reference}" if self.window.n_cycles else ", all samples"
        return span + cycles


class Group(StrEnum):
    """Where lists of readings put a kind."""

    AMPLITUDE = "amplitude"
    ALTERNATING = "alternating"
    PURITY = "purity of a tone"
    COMPONENT = "component at a frequency"
    POWER = "power and resistance"
    PULSE = "pulse and step"
    TREND = "trend and sum"
    SAMPLES = "samples and time"


class Suits(StrEnum):
    """Of which channels a reading says something."""

    ANYTHING = "anything"
    ELECTRICAL = "voltages and currents"
    HARMONIC = "channels whose harmonics are tabulated"


class Measured(msgspec.Struct, frozen=True):
    """What a measurement came to: value in SI, window used, share of it that is valid, and why there is no value."""

    value: float
    window: Window
    coverage: float = 1.0
    why_not: str = ""
    remarks: tuple[str, ...] = ()
    method_u: float = 0.0  # standard uncertainty of the method itself, SI
    method: str = ""  # how it was taken, where that is not what its kind says


class Setting(msgspec.Struct, frozen=True):
    """A number that a reading is told: the order of a harmonic, the share of a percentile."""

    name: str
    default: float | None = None  # in `unit`; None: it has to be given
    unit: str = "1"
    level: bool = False  # a level of the waveform, in its unit or in % of its swing: told as two numbers, value and 1 for a share


class Divided(msgspec.Struct, frozen=True, eq=False):
    """Waveforms taken in pieces, and what a reading of each may ask besides; what takes work is done when it is asked."""

    waves: list[Waveform]
    partition: Partition
    numbers: tuple[float, ...]  # the settings of the reading, SI
    origin_s: float  # instant of sample 0
    highest_order: int
    cycles: Callable[[], Cycles]  # of the first waveform
    edges: Callable[[int], Crossings]  # of a waveform, through the level told, that of the pieces, or midway from base to top
    reference: Callable[[], Cycles | None]  # whose cycles count


Measure: TypeAlias = Callable[[list[Waveform], Stretch], Measured]
# From value, noise per sample of each argument (rms, SI), waveforms, stretch and window used to the standard uncertainty that
# noise causes.
NoiseRule: TypeAlias = Callable[[float, Sequence[float], list[Waveform], Stretch, Window], float]
# From value, standard uncertainty of one sample by its rounding, on how many steps the samples rest, waveforms and stretch to
# what rounding does: it is the same error in every sample that rests on the same step.
RoundingRule: TypeAlias = Callable[[float, float, float, list[Waveform], Stretch], float]


def where_defined(waves: Sequence[Waveform], stretch: Stretch) -> Stretch:
    """Return the stretch without the ends of the record at which one of the waveforms is not defined."""
    n = waves[0].n_samples
    start, stop = stretch.start, stretch.stop
    for wave in waves:
        if wave.masked:
            start, stop = defined_between(wave.read, start, stop, n)
    same = (start, stop) == (stretch.start, stretch.stop)
    return stretch if same else msgspec.structs.replace(stretch, start=start, stop=stop)


def no_noise(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return 0: noise does not reach this reading to first order."""
    return 0.0


def averaged(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return the noise of a mean over independent samples, σ / sqrt(N)."""
    return sigmas[0] / math.sqrt(max(window.stop - window.start, 1.0))


def rounded_mean(value: float, sigma: float, rested_on: float, waves: list[Waveform], stretch: Stretch) -> float:
    """Return the rounding of a mean: that of one sample where all rest on one step, less the more steps there are."""
    return sigma / math.sqrt(rested_on)


class ReadingKind(msgspec.Struct, frozen=True):
    """One entry of the registry: the function name in formulas, how it is titled, computed and explained."""

    name: str
    title: str
    arguments: tuple[str, ...]
    help: str
    method: str
    unit: Callable[[Sequence[Unit]], Unit]  # from the units of its channels
    measure: Measure
    example: str
    group: Group
    source: str = "textbook definition"  # the standard that defines it
    own_cycles: bool = False  # bound to the cycles of the channel itself, not of the reference
    per_piece: Callable[[Divided], FloatArray] | None = None  # (n_pieces,), SI; None: piece by piece
    piece_u: Callable[[FloatArray, Divided], FloatArray] | None = None  # standard uncertainty of the method, from the values
    settings: tuple[Setting, ...] = ()
    degree: int | None = None  # grows with the waveform to this power; None where only trying tells
    shift: float | None = None  # moves by this much of a shift of the waveform; None where only trying tells
    timed: bool = False  # depends on the time base
    noise: NoiseRule | None = no_noise  # None: only trying tells
    rounding: RoundingRule | None = None  # None: as noise, and as a shift of all samples that rest on one step
    of_a_line: bool = False  # the size of one order: a constant part of the limits of error may lie there
    lift: NoiseRule | None = None  # what noise adds to it on the average, signed; None: nothing
    delayed: bool = False  # moves with a delay of the channel
    usual: bool = False  # stands in every table of readings
    suits: Suits = Suits.ANYTHING
    tabled: bool = True  # False: tables have a column of their own for it
    alike: bool = False  # its channels have to measure the same
    formula: str = ""  # how it is computed, in a line

    @property
    def kept_as(self) -> str:
        """What results of it are kept under."""
        return self.name

    @property
    def cycle_bound(self) -> bool:
        """Whether it is taken over whole cycles, and so says little of a stretch whose frequency changes."""
        return "{cycles}" in self.method or self.group is Group.ALTERNATING

    @property
    def bound_to_reference(self) -> bool:
        """Whether it needs cycles of a reference."""
        return self.group is Group.ALTERNATING and not self.own_cycles

    @property
    def defaults(self) -> tuple[float, ...]:
        """The settings where none are told, SI; NaN for one that is left out or has to be given."""
        found = list[float]()
        for one in self.settings:
            found.append(one.default * unit(one.unit).factor if one.default is not None and one.unit else math.nan)
            found += [0.0] if one.level else []
        return tuple(found)

    def typed(self, channels: Sequence[str], interval: str | None) -> str:
        """Return the call as it is typed, over an interval or, for None, over the whole record."""
        place = "" if interval is None else f' in "{interval}"'
        return f"{self.name}({', '.join(channels)}){place}"

    def over(self, divided: Divided) -> FloatArray:
        """Return one value per piece, (n_pieces,), SI; NaN where it is not defined. Pieces that lack samples have no value."""
        if self.per_piece is not None:
            found = self.per_piece(divided)
        else:
            found = piece_by_piece(lambda a, b: self.measure(divided.waves, self._piece(divided, a, b)).value, divided.partition)
        return np.where(divided.partition.whole, found, np.nan)

    def why_not(self, divided: Divided) -> str:
        """Return why the first piece has no value."""
        for k in np.flatnonzero(divided.partition.whole).tolist():
            start, stop = float(divided.partition.starts[k]), float(divided.partition.stops[k])
            return self.measure(divided.waves, self._piece(divided, start, stop)).why_not or "it is not defined for these pieces"
        return "there is no whole piece"

    def _piece(self, divided: Divided, start: float, stop: float) -> Stretch:
        """Return a piece as a stretch: what is bound to the fundamental takes the cycles inside, all else the whole of it."""
        rate, n = divided.partition.rate_hz, divided.partition.n_samples
        whole = divided.reference() if self.group is Group.ALTERNATING else None
        if self.group is not Group.ALTERNATING and not divided.partition.on_samples:
            whole = Cycles(np.array([start, stop]), np.ones(1, dtype=bool), rate, n)
        return Stretch(start, stop, whole, divided.highest_order, divided.origin_s, numbers=divided.numbers)


def take(kind: ReadingKind, waves: list[Waveform], stretch: Stretch) -> Reading:
    """Return one reading; not given (NaN, with the reason) where too much of the stretch is missing.

    Samples that a formula masks with `where` were left out on purpose and do not count as missing. Ends of the record that a
    waveform leaves out are cropped: whole cycles are taken of what there is.
    """
    left_out = max(wave.masked for wave in waves)
    if left_out is LeftOut.ENDS and kind.group is not Group.SAMPLES:
        stretch = where_defined(waves, stretch)
    found = kind.measure(waves, stretch)
    value, why_not, window = found.value, found.why_not, found.window
    masked = left_out is LeftOut.SAMPLES
    if found.coverage < MIN_COVERAGE and not masked and kind.group is not Group.SAMPLES:
        value = math.nan
        why_not = too_little(found.coverage)
    if not math.isfinite(value) and not why_not:
        why_not = "it is not defined for this waveform here"
    return Reading(
        value,
        kind.unit([wave.unit for wave in waves]),
        window,
        found.method or method_text(kind, window, stretch),
        found.coverage,
        stretch.origin_s,
        stretch.reference if window.n_cycles else "",
        "" if math.isfinite(value) else why_not,
        (*found.remarks, *_remarks(kind, found, masked, stretch)),
        found.method_u,
    )


def method_text(kind: ReadingKind, window: Window, stretch: Stretch) -> str:
    """Return how a reading was taken: over which cycles, or over all samples and why."""
    if window.n_cycles:
        over = f"the whole cycles of {stretch.reference or 'the reference'} inside the interval"
    else:
        over = "all samples of the interval" + (f" ({stretch.why_all})" if stretch.why_all else " (less than one cycle)")
    return kind.method.replace("{cycles}", over).replace("{rule}", f", {window.rule} rule")


def general_method(kind: ReadingKind) -> str:
    """Return how a kind of reading is taken, whatever the interval."""
    return kind.method.replace("{cycles}", "the whole cycles of the reference, or all samples where there is none").replace(
        "{rule}", ""
    )


def _remarks(kind: ReadingKind, found: Measured, masked: bool, stretch: Stretch) -> Iterator[str]:
    """Say what a review should know: missing samples, cycles that were not seen, a frequency that changes."""
    window = found.window
    bound = "{cycles}" in kind.method and (stretch.cycles is not None or stretch.alternating)
    if (
        bound and not window.n_cycles and not stretch.whole_cycles.n_cycles
    ):  # a series goes by its own steps where there are cycles
        yield over_all_samples(stretch.why_all, stretch.reference)
    if found.coverage < 1 and not masked and kind.group is not Group.SAMPLES:
        yield f"{100 * (1 - found.coverage):.3g} % of the samples are missing and left out"
    if window.n_continued and "{cycles}" in kind.method:
        yield f"{window.n_continued} of {window.n_cycles} cycles were not seen: the last period goes on"
    if window.n_gaps:
        yield "the reference pauses inside: only its cycles are counted, the pause is part of the mean"
    if window.change > CHANGING and kind.cycle_bound:
        yield f"the frequency changes by {100 * window.change:.0f} % inside: one value over unlike cycles; see it per cycle"
