"""Settings of a spectrum as they are typed and said: `5 Hz`, `200 ms`, `bandwidth 10 Hz`, `0 Hz to 2.5 kHz`, `50 %`."""

import math

from msgspec.structs import replace

from pantelos.amounts import amount, figure
from pantelos.errors import StudyError, clipped
from pantelos.notation import duration, number, with_unit
from pantelos.study.shown import Spectral
from pantelos.units import unit

_HERTZ, _SECOND = unit("Hz"), unit("s")
_MOST_FADING = 1e6


def quantity(text: str, like: str, example: str) -> float:
    """Return a number with a unit such as `5 Hz` or `200 ms`, SI.

    Raises
    ------
    StudyError
        When it is none, or of another kind.
    """
    refused = f"is not understood; write a number and a unit, such as {example}."
    if math.isfinite(figure(text)):
        raise StudyError(f'"{clipped(text)}" {refused}')
    return amount(text, like, refused)


def resolution_from(text: str) -> tuple[str, float] | None:
    """Return a resolution: of the lines (`5 Hz`), as the length of a block (`200 ms`), or as a bandwidth (`bandwidth 10 Hz`)."""
    plain = text.strip()
    if plain in ("", "finest"):
        return None
    word, _, rest = plain.partition(" ")
    if word in ("bandwidth", "spacing", "length"):
        by, plain = word, rest
    else:
        by = "spacing" if plain.lower().endswith("hz") else "length"
    value = quantity(plain, "s" if by == "length" else "Hz", "5 Hz, 200 ms or bandwidth 10 Hz")
    if not 0 < value < math.inf:
        raise StudyError(f'"{clipped(text)}" is no resolution; it must be above zero.')
    return by, value


def resolution_text(settings: Spectral) -> str:
    """Return a resolution as it is typed; `finest` where none is asked for."""
    if settings.resolution is None:
        return "finest"
    by, value = settings.resolution
    said = duration(value) if by == "length" else with_unit(value, _HERTZ, 4)
    return f"bandwidth {said}" if by == "bandwidth" else said


def span_from(text: str) -> tuple[float, float] | None:
    """Return the frequencies shown, of `0 Hz to 2.5 kHz`; None of nothing."""
    if not text.strip():
        return None
    low, to, high = text.partition(" to ")
    if not to:
        raise StudyError(f'"{clipped(text)}" is not understood; write two frequencies, such as 0 Hz to 2.5 kHz.')
    refused = "is not understood; write a number and a unit, such as 2.5 kHz."
    ends = amount(low, "Hz", refused), quantity(high, "Hz", "2.5 kHz")
    if not 0 <= ends[0] < ends[1] < math.inf:
        raise StudyError(f'"{clipped(text)}" is no range of frequencies: it must rise from 0 Hz or above.')
    return ends


def span_text(span_hz: tuple[float, float] | None) -> str:
    """Return a range of frequencies as it is typed; nothing for None."""
    return "" if span_hz is None else " to ".join(f"{f:.10g} Hz" if f < 1000 else f"{f / 1000:.10g} kHz" for f in span_hz)


def stretch_from(text: str) -> tuple[float, float]:
    """Return a stretch of time, of `1.2 s to 1.4 s`."""
    start, to, stop = text.partition(" to ")
    if not to:
        raise StudyError(f'"{clipped(text)}" is not understood; write two times, such as 1.2 s to 1.4 s.')
    ends = amount(start, "s", "is not understood; write a number and a unit, such as 1.2 s."), quantity(stop, "s", "1.4 s")
    if not ends[0] < ends[1]:
        raise StudyError(f'"{clipped(text)}" is no stretch: it must end after it begins.')
    return ends


def overlap_from(text: str) -> float | None:
    """Return an overlap of `50 %`; None of nothing, which is what suits the window."""
    if not text.strip(" %"):
        return None
    share = amount(text, "%", "is no overlap; write a share of a block, such as 50 %.")
    if not 0 <= share <= 0.95:
        raise StudyError(f'"{clipped(text)}" is no overlap; expected 0 to 95 %.')
    return share


def overlap_text(overlap: float | None) -> str:
    """Return an overlap as it is typed."""
    return "" if overlap is None else f"{100 * overlap:.4g} %"


def fundamental_from(text: str) -> float | None:
    """Return a fundamental of `50 Hz`; None of nothing, which is that of the channel."""
    if not text.strip():
        return None
    value = quantity(text, "Hz", "50 Hz")
    if not 0 < value < math.inf:
        raise StudyError(f'"{clipped(text)}" is no fundamental; it must be above zero.')
    return value


def fading_from(text: str) -> float:
    """Return after how many blocks the past has faded to 1/e."""
    blocks = figure(text.strip().removesuffix("blocks"))
    if math.isnan(blocks):
        raise StudyError(f'"{clipped(text)}" is no number of blocks; write one such as 8.')
    if not 1 <= blocks <= _MOST_FADING:
        raise StudyError(f'"{clipped(text)}" is no number of blocks; expected 1 or more.')
    return blocks


def check_spectral(settings: Spectral) -> None:
    """Check settings read from a file by the same rules.

    Raises
    ------
    StudyError
        Naming what cannot be.
    """
    if settings.resolution is not None and not 0 < settings.resolution[1] < math.inf:
        raise StudyError(f"{settings.resolution[1]} is no resolution of a spectrum.")
    for low, high in (ends for ends in (settings.span_hz,) if ends is not None):
        if not 0 <= low < high < math.inf:
            raise StudyError(f"{low} to {high} is no range of frequencies.")
    if settings.edges_hz is not None and not all(0 <= f < math.inf for f in settings.edges_hz):
        raise StudyError(f"{settings.edges_hz} are no frequencies.")
    if settings.cursor is not None and not all(math.isfinite(value) for value in settings.cursor):
        raise StudyError(f"{settings.cursor} is no place in a spectrogram.")
    if settings.overlap is not None and not 0 <= settings.overlap <= 0.95:
        raise StudyError(f"{settings.overlap} is no overlap; expected 0 to 0.95.")
    if settings.fundamental_hz is not None and not 0 < settings.fundamental_hz < math.inf:
        raise StudyError(f"{settings.fundamental_hz} is no fundamental.")
    if not 1 <= settings.fading <= _MOST_FADING:
        raise StudyError(f"{settings.fading} is no number of blocks.")
    if not 0 <= settings.peaks <= 200:
        raise StudyError(f"{settings.peaks} is no number of peaks; expected 0 to 200.")


def with_resolution(settings: Spectral, text: str) -> Spectral:
    """Return settings with a resolution as typed."""
    return replace(settings, resolution=resolution_from(text))


def fading_text(settings: Spectral) -> str:
    """Return the fading as it is typed."""
    return f"{number(settings.fading, 3)} blocks"
