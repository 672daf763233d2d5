"""The frequency response of a chain as a certificate states it: gain and phase over frequency, each with its own uncertainty.

What is read is the true quantity times this response, so it is taken off by dividing by it. Gains are what is read over what is
there, one plus the ratio error of IEC 61869-1; a phase is positive where what is read leads, as the phase displacement there is.

The text form is a part of a scaling chain, its rows separated by semicolons:
`response 50 Hz 0.9987 ±0.0005 -0.12 ±0.02 deg; 2.5 kHz 0.982 ±0.002 -1.8 ±0.1 deg`.
"""

import math
import re
from functools import cached_property

import msgspec
import numpy as np

from pantelos.amounts import NUMBER
from pantelos.errors import ScalingError
from pantelos.signal.arrays import ComplexArray, FloatArray
from pantelos.units import unit

RADIANS = {"deg": math.radians(1), "°": math.radians(1), "min": math.radians(1 / 60), "rad": 1.0, "mrad": 1e-3, "crad": 1e-2}
MOST_ROWS = 500
_U = rf"(?:\s*±\s*({NUMBER}))?"
_ROW = re.compile(rf"({NUMBER})\s*(?P<hz>[kM]?Hz)\s+({NUMBER}){_U}(?:\s+({NUMBER}){_U}\s*(?P<angle>deg|°|min|mrad|crad|rad))?$")
_FORM = "a row is written as 50 Hz 0.9987 ±0.0005 -0.12 ±0.02 deg"


class ResponseRow(msgspec.Struct, frozen=True):
    """Gain and phase at one frequency; U are expanded uncertainties (k = 2), 0 where none is stated."""

    f_hz: float
    gain: float
    phase: float = 0.0  # rad, positive where what is read leads
    U_gain: float = 0.0  # of the gain, absolute
    U_phase: float = 0.0  # rad

    @property
    def text(self) -> str:
        """The row as it is written."""
        u_gain = f" ±{self.U_gain:.6g}" if self.U_gain else ""
        u_phase = f" ±{math.degrees(self.U_phase):.6g}" if self.U_phase else ""
        phase = f" {math.degrees(self.phase):.12g}{u_phase} deg" if self.phase or self.U_phase else ""
        return f"{self.f_hz:.12g} Hz {self.gain:.12g}{u_gain}{phase}"


class Response(msgspec.Struct, frozen=True, dict=True):
    """Rows of rising frequency. Between them a monotone cubic (F. N. Fritsch and R. E. Carlson 1980) over the logarithm of f."""

    rows: tuple[ResponseRow, ...]

    @property
    def band_hz(self) -> tuple[float, float]:
        """The frequencies between which it is stated."""
        return self.rows[0].f_hz, self.rows[-1].f_hz

    @property
    def frequencies(self) -> FloatArray:
        """The frequencies of the rows, (n_rows,), Hz."""
        return np.array([row.f_hz for row in self.rows])

    @cached_property
    def u_gain(self) -> float:
        """The largest standard uncertainty of a gain in the band, as a share of it; 0 where none is stated."""
        return self._largest_u(of_phase=False)

    @cached_property
    def u_phase(self) -> float:
        """The largest standard uncertainty of a phase in the band, rad; 0 where none is stated."""
        return self._largest_u(of_phase=True)

    def _largest_u(self, of_phase: bool) -> float:
        within = np.concatenate([self.frequencies, 0.5 * (self.frequencies[1:] + self.frequencies[:-1])])
        return float(self._u_at(within, of_phase).max())

    def _u_at(self, f_hz: FloatArray, of_phase: bool) -> FloatArray:
        """Return standard uncertainties at frequencies (n,): those of the rows, and what two ways to join them differ by."""
        rows = np.array([row.U_phase / 2 if of_phase else row.U_gain / row.gain / 2 for row in self.rows])
        if not rows.any():
            return np.zeros(len(f_hz))
        values = [row.phase if of_phase else row.gain for row in self.rows]
        held = np.clip(f_hz, *self.band_hz)
        along, at = self._along(self.frequencies), self._along(held)
        joined = self._between(list(self.frequencies), values, held) - np.interp(at, along, values)
        return np.asarray(np.hypot(np.interp(at, along, rows), joined if of_phase else joined / np.interp(at, along, values)))

    def at(self, f_hz: FloatArray) -> ComplexArray:
        """Return what is read over what is there, (n,), at frequencies (n,) from 0 on, Hz.

        Outside of its band the gain of the nearest row holds and the phase goes to nothing: towards 0 Hz, where a mean has none,
        and within an octave above the last row.
        """
        gain, phase, last = [row.gain for row in self.rows], [row.phase for row in self.rows], self.rows[-1].f_hz
        f, phases = list(self.frequencies), list(phase)
        if f[0] > 0:
            f, gain, phases = [0.0, *f], [gain[0], *gain], [0.0, *phases]
        held = np.minimum(f_hz, last)
        above = np.clip(f_hz / last - 1.0, 0.0, 1.0) if last > 0 else np.zeros(len(f_hz))
        fading = 0.5 * (1.0 + np.cos(math.pi * above))
        return np.asarray(self._between(f, gain, held) * np.exp(1j * fading * self._between(f, phases, held)))

    def share_of_u(self, f_hz: FloatArray, of_phase: bool) -> FloatArray:
        """Return the uncertainty at frequencies (n,) as a share of the largest; outside of the band as at its nearest end."""
        return self._u_at(f_hz, of_phase) / (self.u_phase if of_phase else self.u_gain)

    def _along(self, f_hz: FloatArray) -> FloatArray:
        first = next((row.f_hz for row in self.rows if row.f_hz > 0), 1.0)
        return np.asarray(np.log1p(f_hz / first))

    def _between(self, f: list[float], values: list[float], at_hz: FloatArray) -> FloatArray:
        if len(set(values)) == 1:
            return np.full(len(at_hz), values[0])
        from scipy.interpolate import PchipInterpolator  # half a second to load

        with np.errstate(over="ignore", divide="ignore"):  # values that differ by next to nothing
            return np.asarray(PchipInterpolator(self._along(np.array(f)), values)(self._along(at_hz)))

    @property
    def text(self) -> str:
        """The response as it is written in a chain."""
        return "response " + "; ".join(row.text for row in self.rows)

    @property
    def brief(self) -> str:
        """The response in a few words."""
        low, high = (f"{f:g} Hz" if f < 1e3 else f"{f / 1e3:g} kHz" for f in self.band_hz)
        return f"response at {low}" if len(self.rows) == 1 else f"response {low} to {high}, {len(self.rows)} rows"


def parse_response(text: str) -> Response:
    """Return the response written as rows separated by semicolons; see the module for the form.

    Raises
    ------
    ScalingError
        When a row is not understood, or what it says cannot be.
    """
    rows = [_row(part.strip()) for part in text.split(";") if part.strip()]
    if not rows:
        raise ScalingError(f"The response has no rows: {_FORM}.")
    found = Response(tuple(sorted(rows, key=lambda row: row.f_hz)))
    check_response(found)
    return found


def check_response(response: Response) -> None:
    """Refuse a response that no chain can have.

    Raises
    ------
    ScalingError
        Which says the row.
    """
    rows = response.rows
    if not 1 <= len(rows) <= MOST_ROWS:
        raise ScalingError(f"A response has 1 to {MOST_ROWS} rows, not {len(rows)}.")
    before = -1.0
    for row in rows:
        if not all(math.isfinite(x) for x in (row.f_hz, row.gain, row.phase, row.U_gain, row.U_phase)):
            raise ScalingError("A row of the response holds a figure that is too large.")
        if row.f_hz <= before:
            raise ScalingError(f"The response has {row.f_hz:g} Hz twice, or its rows do not rise.")
        if not row.gain > 0 or not 0 <= row.U_gain < row.gain or row.U_phase < 0 or row.f_hz < 0:
            raise ScalingError(f"The response at {row.f_hz:g} Hz: a gain is above 0 and above its own uncertainty.")
        if abs(row.phase) > math.pi or (row.f_hz == 0 and row.phase):
            raise ScalingError(f"The response at {row.f_hz:g} Hz: a phase lies within half a turn, and at 0 Hz there is none.")
        before = row.f_hz


def _row(part: str) -> ResponseRow:
    match = _ROW.match(part.replace("\N{MINUS SIGN}", "-").replace("+/-", "±"))
    if match is None:
        raise ScalingError(f'"{part}" is not a row of a response: {_FORM}.')
    f, gain, u_gain, phase, u_phase = (float(match[k]) if match[k] else 0.0 for k in (1, 3, 4, 5, 6))
    turn = RADIANS[match["angle"]] if match["angle"] else 1.0
    return ResponseRow(f * unit(match["hz"]).factor, gain, phase * turn, u_gain, u_phase * turn)
