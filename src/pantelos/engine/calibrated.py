"""A recorded channel with the frequency response of its certificate taken off."""

from collections.abc import Sequence
from functools import lru_cache

import numpy as np

from pantelos.formula.derived import Neighboured
from pantelos.record.record import Channel
from pantelos.record.response import Response
from pantelos.signal.arrays import ComplexArray, FloatArray
from pantelos.signal.cycles.correcting import corrected, correcting_taps


class Calibrated(Neighboured):
    """A `Waveform` that reads `channel` behind the filter its response asks for; made in blocks, the last of which are kept."""

    def __init__(
        self, channel: Channel, response: Response, joints: Sequence[int] = (), u_gain: float = 0.0, u_phase: float = 0.0
    ) -> None:
        """Take a response off; `u_gain` and `u_phase` move it so that it is off by as much where it may be off the most."""
        taps = _taps(response, channel.rate_hz, u_gain, u_phase)
        super().__init__(
            lambda first, last: corrected(channel.read, channel.n_samples, channel.rate_hz, taps, first, last, joints),
            channel,
            channel.unit,
            len(taps) // 2,
        )
        self.recorded, self.response, self._joints = channel, response, joints
        self.full_scale = channel.full_scale
        self.reach = len(taps) // 2  # samples either side that count in one

    def moved(self, u_gain: float = 0.0, u_phase: float = 0.0) -> "Calibrated":
        """Return the channel as it would be if the certificate were off: of the gain a share, of the phase rad."""
        return Calibrated(self.recorded, self.response, self._joints, u_gain, u_phase)


@lru_cache(maxsize=64)
def _taps(response: Response, rate_hz: float, u_gain: float, u_phase: float) -> FloatArray:
    def wanted(f_hz: FloatArray) -> ComplexArray:
        gain = 1.0 + (u_gain * response.share_of_u(f_hz, of_phase=False) if u_gain else 0.0)
        turned = np.exp(1j * u_phase * response.share_of_u(f_hz, of_phase=True)) if u_phase else 1.0
        return np.asarray(gain * turned / response.at(f_hz))

    return correcting_taps(wanted, response.frequencies, rate_hz)
