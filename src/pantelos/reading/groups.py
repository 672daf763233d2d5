"""Readings of groups of spectral lines: one group of an order, and distortion of them.

Source: IEC 61000-4-7 clause 5. Windows of the cycles of about 200 ms, of 10 where that is longer, one after the other from the
start of the stretch; each group is the root of its mean square over the windows.
"""

import math
from collections.abc import Callable

import msgspec
import numpy as np

from pantelos.reading.alternating import NO_CYCLE
from pantelos.reading.amplitude import low_level
from pantelos.reading.reading import Measure, Measured, Stretch
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.cycles.coherent import cycles_per_window, windows_of
from pantelos.signal.cycles.window import Window
from pantelos.signal.harmonics.distortion import total_harmonic_distortion
from pantelos.signal.harmonics.groups import Groups, grouped
from pantelos.signal.harmonics.window_lines import window_lines

_FEWEST = 4  # cycles of a window that leave lines between its orders
_STANDARD = {10: 50.0, 12: 60.0}  # cycles of a window, at these mains
_NEAR = 0.15  # of the frequency of the mains
_HIGHEST = 180
_MISSING = "samples are missing, or the sample rate does not reach this order"

Pick = Callable[[Groups], FloatArray]


class _Found(msgspec.Struct, frozen=True, eq=False):
    """Rms of groups, column h for order h, or why there are none, and what a review should know."""

    rms: FloatArray | None
    window: Window  # where they are taken from
    why_not: str = ""
    remarks: tuple[str, ...] = ()


def distortion_of_groups(pick: Pick) -> Measure:
    """Return THD of groups."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        found = _rms_of_groups(waves[0], stretch, pick, stretch.highest_order)
        if found.rms is None:
            return Measured(math.nan, found.window, why_not=found.why_not)
        if not found.rms[1] > low_level(waves[0]):
            why_not = "the fundamental is below 0.1 % of the range, or samples are missing"
            return Measured(math.nan, found.window, why_not=why_not)
        return Measured(float(total_harmonic_distortion(found.rms)), found.window, remarks=found.remarks)

    return measure


def one_group(pick: Pick, lowest: int) -> Measure:
    """Return the group of an order, the first setting; `lowest` is the first order that has one."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        asked = stretch.numbers[0]
        if not (lowest <= asked <= _HIGHEST and asked == round(asked)):
            why_not = f"orders are whole numbers from {lowest} to {_HIGHEST}"
            return Measured(math.nan, stretch.whole_cycles, why_not=why_not)
        found = _rms_of_groups(waves[0], stretch, pick, round(asked))
        if found.rms is None:
            return Measured(math.nan, found.window, why_not=found.why_not)
        value = float(found.rms[round(asked)])
        why_not = "" if math.isfinite(value) else _MISSING
        return Measured(value, found.window, why_not=why_not, remarks=found.remarks)

    return measure


def _rms_of_groups(wave: Waveform, stretch: Stretch, pick: Pick, highest: int) -> _Found:
    window, cycles = stretch.whole_cycles, stretch.cycles
    if cycles is None or not window.n_cycles:
        return _Found(None, window, stretch.why_all or NO_CYCLE)
    parts = windows_of(cycles_per_window(window.frequency_hz), window, cycles)
    n_cycles = parts[0].n_cycles if parts else 0
    if n_cycles < _FEWEST:
        return _Found(None, window, f"groups of lines need windows of {_FEWEST} cycles or more")
    served = window_lines(wave.read, wave.n_samples, parts, cycles, highest + 1)
    squares = [pick(grouped(lines.mean_squares(), n_cycles, highest)) ** 2 for lines in served]
    rms = np.sqrt(np.concatenate(squares).mean(axis=0))
    said = []
    mains = _STANDARD.get(n_cycles, math.nan)
    if not abs(window.frequency_hz - mains) <= _NEAR * mains:
        said.append(f"windows of {n_cycles} cycles of {window.frequency_hz:.4g} Hz; the standard has 10 of 50 Hz and 12 of 60 Hz")
    left_over = window.n_cycles - n_cycles * len(parts)
    if left_over:
        said.append(f"{left_over} of {window.n_cycles} cycles fill no window of {n_cycles} and are left out")
    used = msgspec.structs.replace(window, start=parts[0].start, stop=parts[-1].stop, n_cycles=n_cycles * len(parts))
    return _Found(rms, used, remarks=tuple(said))
