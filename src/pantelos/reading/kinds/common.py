"""Units and words that several kinds of reading share."""

from collections.abc import Sequence

from pantelos.signal.cycles.coherent import USUAL_WINDOWS
from pantelos.units import Unit, unit


def same(of: Sequence[Unit]) -> Unit:
    """Return the unit of a reading of quantities in some units."""
    return of[0]


def plain(of: Sequence[Unit]) -> Unit:
    """Return the unit of a reading of quantities in some units."""
    return unit("1")


def percent(of: Sequence[Unit]) -> Unit:
    """Return the unit of a reading of quantities in some units."""
    return unit("%")


def seconds(of: Sequence[Unit]) -> Unit:
    """Return the unit of a reading of quantities in some units."""
    return unit("s")


def watts(of: Sequence[Unit]) -> Unit:
    """Return the unit of a reading of quantities in some units."""
    return of[0] * of[1]


def ohms(of: Sequence[Unit]) -> Unit:
    """Return the unit of a reading of quantities in some units."""
    return of[0] / of[1]


def energy(of: Sequence[Unit]) -> Unit:
    """Return the unit of a reading of quantities in some units."""
    return of[0] * unit("s")


def decibel(of: Sequence[Unit]) -> Unit:
    """Return the unit of a reading of quantities in some units."""
    return unit("dB")


def hertz(of: Sequence[Unit]) -> Unit:
    """Return the unit of a reading of quantities in some units."""
    return unit("Hz")


CYCLES = "mean over {cycles}{rule}"
ALL = "all samples of the interval"
HALF = "crossings of the middle between base and top, hysteresis 5 % of the amplitude or 3 times the noise, whole periods"
PHASORS = "fundamental phasors over whole cycles"
ORDERS = f"harmonic components over {USUAL_WINDOWS}, root of mean squares"
GROUPS = f"groups of lines of {USUAL_WINDOWS}, root of mean squares"
SPECTRUM = "lines of the spectrum over whole cycles on samples, else over all samples with a Blackman-Harris window"
IEEE1241 = "IEEE 1241, IEEE 1057"
SIGNED = "trapezoids, split where they cross zero; the sign is that of every instant"
IEC430, IEEE1459, IEC62053, ISO3534 = (
    "IEC 61000-4-30 clause 5.7",
    "IEEE 1459 clause 3.1",
    "IEC 62053 (signs)",
    "ISO 3534-1 (terms)",
)
IEC103 = "IEC 60050-103"
IEC407 = "IEC 61000-4-7 clause 5.5"
IEEE181 = "IEEE 181, IEC 60469"
