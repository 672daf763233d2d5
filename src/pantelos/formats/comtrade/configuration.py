"""The configuration of a COMTRADE recording: channels, rates, kind of data.

Source: IEEE C37.111-1991, -1999 and -2013 (IEC 60255-24), configuration file.
"""

import math
from datetime import UTC, datetime
from pathlib import Path

import msgspec

from pantelos.errors import FormatError
from pantelos.record.timing import Began

_FIRST_EDITION = 1991
KINDS = ("ASCII", "BINARY", "BINARY32", "FLOAT32")


class Analog(msgspec.Struct, frozen=True):
    """An analog channel: value = a * number + b, in `unit`."""

    name: str
    phase: str
    unit: str
    a: float
    b: float
    skew_us: float
    ratio: float  # primary over secondary of the transducer
    side: str  # "P" when the values are primary ones, "S" secondary, "" not stated


class Configuration(msgspec.Struct, frozen=True):
    """What a recording holds and how its data are laid out."""

    station: str
    device: str
    year: int
    analogs: tuple[Analog, ...]
    states: tuple[str, ...]
    frequency_hz: float | None
    rates: tuple[tuple[float, int], ...]  # rate in Hz and the last sample it holds for; empty: the stamps tell
    start: str
    trigger: str
    kind: str
    time_multiplier: float

    @property
    def trigger_s(self) -> float:
        """How long after the first sample the trigger was; 0 where the file does not say."""
        start, trigger = self.instant(self.start), self.instant(self.trigger)
        return max(trigger.since_ns(start) / 1e9, 0.0) if start is not None and trigger is not None else 0.0

    def instant(self, text: str) -> Began | None:
        """Return a date and time of the configuration, or None where it is no date."""
        date, _, clock = text.partition(",")
        whole, _, part = clock.strip().partition(".")
        order = "%m/%d/%y" if self.year == _FIRST_EDITION else "%d/%m/%Y"
        try:
            stamp = datetime.strptime(f"{date.strip()} {whole}", f"{order} %H:%M:%S").replace(tzinfo=UTC)
            return Began(int(stamp.timestamp()) * 10**9 + int(f"{part or '0':0<9.9}"))
        except ValueError:
            return None


class _Lines:
    """Reads the configuration line by line and says which line does not fit."""

    def __init__(self, path: Path, text: str) -> None:
        self._path, self._lines, self._at = path, text.splitlines(), 0

    def cells(self, what: str, at_least: int) -> list[str]:
        """Return the cells of the next line."""
        if self._at >= len(self._lines):
            raise FormatError(self._path, f"the configuration ends at line {self._at}", what, "Copy the file again.")
        found = [cell.strip() for cell in self._lines[self._at].split(",")]
        self._at += 1
        if len(found) < at_least:
            raise self.misfit(what)
        return found

    def optional(self) -> str:
        """Return the next line, or nothing at the end."""
        self._at += 1
        return self._lines[self._at - 1].strip() if self._at <= len(self._lines) else ""

    def number(self, cell: str, what: str) -> float:
        """Return a number of the line read last."""
        try:
            found = float(cell)
        except ValueError as cause:
            raise self.misfit(what) from cause
        if not math.isfinite(found):
            raise self.misfit(what)
        return found

    def misfit(self, what: str) -> FormatError:
        """Return the error that names the line read last."""
        shown = self._lines[self._at - 1][:60]
        return FormatError(self._path, f'line {self._at} of the configuration holds "{shown}"', what, "Check the configuration.")


def parse_configuration(path: Path, text: str) -> Configuration:
    """Return the configuration in a text.

    Raises
    ------
    FormatError
        Naming the line that does not fit.
    """
    lines = _Lines(path, text)
    station, device, *rest = lines.cells("station and device", 2)
    year = int(rest[0]) if rest and rest[0].isdigit() else _FIRST_EDITION
    counts = lines.cells("numbers of channels such as 8,6A,2D", 3)
    n_analog, n_states = (_count(lines, cell, letter) for cell, letter in ((counts[1], "A"), (counts[2], "D")))
    analogs = tuple(_analog(lines) for _ in range(n_analog))
    states = tuple(lines.cells("a status channel", 2)[1] or f"state{k + 1}" for k in range(n_states))
    frequency = lines.cells("the line frequency", 1)[0]
    n_rates = int(lines.number(lines.cells("the number of sampling rates", 1)[0], "a whole number of rates"))
    rates = []
    for _ in range(max(n_rates, 1)):
        rate, last = lines.cells("a rate and its last sample", 2)[:2]
        rates.append((lines.number(rate, "a rate in Hz"), int(lines.number(last, "the number of the last sample"))))
    start, trigger = (",".join(lines.cells("a date and time", 2)[:2]) for _ in range(2))
    kind = lines.cells("the kind of data", 1)[0].upper()
    if kind not in KINDS:
        raise lines.misfit(f"one of {', '.join(KINDS)}")
    multiplier = lines.optional()
    return Configuration(
        station,
        device,
        year,
        analogs,
        states,
        lines.number(frequency, "a frequency") if frequency else None,
        tuple(rates) if n_rates and rates[0][0] > 0 else (),
        start,
        trigger,
        kind,
        lines.number(multiplier, "a time multiplier") if multiplier and year > _FIRST_EDITION else 1.0,
    )


def _count(lines: _Lines, cell: str, letter: str) -> int:
    if not cell.upper().endswith(letter) or not cell[:-1].strip().isdigit() or int(cell[:-1]) > 100_000:
        raise lines.misfit(f"a number of channels followed by {letter}")
    return int(cell[:-1])


def _analog(lines: _Lines) -> Analog:
    what = "an analog channel: number, name, phase, circuit, unit, a, b, skew, minimum, maximum"
    cells = lines.cells(what, 8)
    a, b = lines.number(cells[5], what), lines.number(cells[6], what)
    skew = lines.number(cells[7] or "0", what)
    side = cells[12].upper()[:1] if len(cells) > 12 else ""
    primary, secondary = (lines.number(cell or "1", what) for cell in (cells[10:12] if len(cells) > 12 else ("1", "1")))
    ratio = primary / secondary if primary > 0 and secondary > 0 else 1.0
    return Analog(cells[1] or f"analog{cells[0]}", cells[2], cells[4], a, b, skew, ratio, side)
