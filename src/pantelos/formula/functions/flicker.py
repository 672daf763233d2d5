"""The instantaneous flicker sensation of a voltage, as a curve."""

import numpy as np

from pantelos.errors import StudyError
from pantelos.formula.derived import Scalar
from pantelos.formula.functions.function import NUMBERS, SIGNALS, Function, GivenArguments, Parameter
from pantelos.reading.flicker import seen_between, why_no_flicker
from pantelos.record.waveform import LeftOut, Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.units import ONE, Unit, unit

_LONGEST_S = 7200.0  # of a record: what is seen is held as a whole


class FlickerCurve:
    """P_inst of a voltage, a waveform: straight between its 200 values in a second.

    Not given while the filters settle: at the beginning, and behind missing samples.
    """

    masked = LeftOut.ENDS
    full_scale = None

    def __init__(self, wave: Waveform, given: GivenArguments) -> None:
        self.unit: Unit = given.unit
        self.n_samples, self.rate_hz = wave.n_samples, wave.rate_hz
        cycles, lamp_v = given.asked.cycles(wave, given.names[0]), given.number(1)
        why_not = why_no_flicker(cycles, wave.rate_hz, lamp_v)
        if wave.n_samples > _LONGEST_S * wave.rate_hz:
            why_not = f"the record is longer than {_LONGEST_S:g} s: take flicker({given.names[0]}) over blocks(10 min)"
        if why_not:
            raise StudyError(f"instantaneous_flicker is not given: {why_not}.")
        found = seen_between(wave, cycles, 0, wave.n_samples, lamp_v)
        seen, missing = found.flicker, np.isnan(found.half.rms[0])
        self._at = seen.first + seen.step * np.arange(seen.values.shape[1])
        stops = np.concatenate(([0.0], found.half.stops[missing]))  # from each on, the filters settle anew
        starts = np.concatenate(([0.0], found.half.starts[missing]))
        last = np.searchsorted(starts, self._at, side="right") - 1
        self._values = np.where(self._at < stops[last] + seen.settled, np.nan, seen.values[0])

    def read(self, start: int, stop: int) -> FloatArray:
        """Return samples start to stop, shape (stop - start,); NaN before the filters have settled."""
        at = np.arange(max(start, 0), min(stop, self.n_samples))
        return np.interp(at, self._at, self._values, right=np.nan)


INSTANTANEOUS_FLICKER = Function(
    "instantaneous_flicker",
    "flicker",
    (Parameter("u", SIGNALS, (unit("V"),)), Parameter("lamp", NUMBERS, (unit("V"),), Scalar(230.0, unit("V")))),
    "Instantaneous flicker sensation of a voltage: 1 is just seen by half of the people; for lamps of 230 V or 120 V. "
    "The filters settle in the first 60 s.",
    "instantaneous_flicker(u1)",
    lambda units: ONE,
    lambda given: FlickerCurve(given.values[0], given),
    source="IEC 61000-4-15",
    place=64,
    placed=True,
)
