"""What the lines of a spectrum are shown as: rms, peak, power, densities, decibels."""

import math

import numpy as np

from pantelos.signal.arrays import FloatArray
from pantelos.signal.spectra.spectrum import Spectrum

DENSITIES = ("density", "power density")
POWERS = ("power", "power density")


def in_scale(rms: FloatArray, spectrum: Spectrum, scale: str) -> FloatArray:
    """Return rms lines (n_lines,) of a spectrum as "rms", "peak", "power", "density" or "power density".

    Tones are read from the first three, noise from the densities: G = A² / resolution bandwidth. A line at 0 Hz or half an even
    rate has the same peak as rms.
    """
    match scale:
        case "peak":
            found = rms * math.sqrt(2)
            found[0] /= math.sqrt(2)
            if spectrum.n_samples % 2 == 0:
                found[-1] /= math.sqrt(2)
            return np.asarray(found)
        case "power":
            return np.asarray(rms**2)
        case "density":
            return np.asarray(rms / math.sqrt(spectrum.resolution_hz))
        case "power density":
            return np.asarray(rms**2 / spectrum.resolution_hz)
    return rms


def in_decibels(values: FloatArray, scale: str, reference_rms: float = 1.0) -> FloatArray:
    """Return values of a scale (any shape) in dB against an rms, -inf for nothing; peaks are held against that of its sine."""
    factor = 10.0 if scale in POWERS else 20.0
    reference = reference_rms**2 if scale in POWERS else reference_rms * (math.sqrt(2) if scale == "peak" else 1.0)
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray(factor * np.log10(values / reference))


def symbol_of(unit: str, scale: str, decibels: str) -> str:
    """Return the unit of a scale, as axes and tables write it."""
    plain = {"rms": unit, "peak": f"{unit} peak", "power": f"{unit}²", "density": f"{unit}/√Hz", "power density": f"{unit}²/Hz"}[
        scale
    ]
    per_hertz = "/Hz" if scale in DENSITIES else ""
    match decibels:
        case "dB" if unit == "V" and scale == "rms":
            return "dBV"
        case "dB":
            return f"dB re 1 {plain}"
        case "dBc" | "dBFS":
            return decibels + per_hertz
    return plain
