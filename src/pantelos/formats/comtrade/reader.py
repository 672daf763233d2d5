"""Reads COMTRADE recordings: ASCII, BINARY, BINARY32, FLOAT32; separate files and .cff; one rate or several.

Source: IEEE C37.111-1991, -1999 and -2013, data file. Analog numbers of binary data are mapped where they stand;
status channels and text are kept in the store. The skew of a channel is taken out when it is read. Time zero is
the trigger.
"""

from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np

from pantelos.errors import FormatError, access_error
from pantelos.formats.binary_preview import FIRST_ROWS, binary_preview, check_columns
from pantelos.formats.clock import timing_of
from pantelos.formats.comtrade.configuration import Analog, Configuration
from pantelos.formats.comtrade.data import MISSING, NUMBER, Opened, data_file, opened
from pantelos.formats.dialect import Column, Dialect, Preview
from pantelos.formats.header import known_unit
from pantelos.formats.storing import Block, Source, stored
from pantelos.progress import Progress
from pantelos.record.recording import Recording
from pantelos.record.store import Place, StoredColumn
from pantelos.record.timing import Segment, Timing, rate_of
from pantelos.signal.arrays import AnyArray
from pantelos.signal.integrals import blocks

_SIDES = {"P": "primary", "S": "secondary"}


def _columns(configuration: Configuration) -> list[Column]:
    """Return a column per analog and status channel, every name once; secondary values scaled to primary ones."""
    named = [(c.name, c.unit, c.ratio if c.side == "S" else 1.0) for c in configuration.analogs]
    found: list[Column] = []
    for name, symbol, ratio in [*named, *((name, "1", 1.0) for name in configuration.states)]:
        taken = {column.name for column in found}
        unique = next(n for k in range(1, len(found) + 2) if (n := name if k == 1 else f"{name}_{k}") not in taken)
        found.append(Column(unique, symbol if known_unit(symbol) else "1", scale=ratio))
    return found


def _states(words: AnyArray, n: int) -> AnyArray:
    """Return status channels from words of 16 bits, shape (n_rows, n)."""
    bits = (words[:, :, None] >> np.arange(16, dtype=np.uint16)) & 1
    return np.asarray(bits.reshape(len(words), -1)[:, :n].astype(np.uint8))


def _timing(found: Opened, n: int, stamps_s: Callable[[], AnyArray]) -> Timing:
    """Return the timing as the configuration states it, or what the stamps give; time zero at the trigger."""
    before = found.configuration.trigger_s
    if not found.configuration.rates:
        resolution = 1e-6 * found.configuration.time_multiplier
        return timing_of(found.path, stamps_s() - before, resolution, lambda row: f"row {row + 1} of the data")
    segments: list[Segment] = []
    start, first = -before, 0
    for k, (rate, last) in enumerate(found.configuration.rates):
        end = n if k + 1 == len(found.configuration.rates) else min(last, n)
        if not 0 < rate < np.inf or last < first:
            raise FormatError(found.path, f"a rate of {rate:g} Hz up to sample {last}", "rising samples and rates above zero",
                              "Check the configuration.")  # fmt: skip
        if end > first:
            segments.append(Segment(start, rate, first, end - first))
            start, first = start + (end - first) / rate, end
    return tuple(segments)


def _first(found: Opened) -> tuple[AnyArray, AnyArray, AnyArray]:
    """Return the first rows: analog numbers, states, stamps in s."""
    stamp_s = 1e-6 * found.configuration.time_multiplier
    n_analog = len(found.configuration.analogs)
    if found.configuration.kind == "ASCII":
        table = next(found.tables(most_bytes=1 << 16), None)
        if table is None:
            raise FormatError(found.path, "the data hold no rows", "rows of numbers as text", "Copy the data file again.")
        return table[:, 2 : 2 + n_analog], table[:, 2 + n_analog :], table[:, 1] * stamp_s
    rows = found.rows()[:FIRST_ROWS]
    return rows["a"], _states(rows["d"], len(found.configuration.states)), rows["t"] * stamp_s


def preview_comtrade(path: Path, delimiter: str | None = None, decimal: str | None = None) -> Preview:
    """Return what a COMTRADE recording holds.

    Raises
    ------
    FormatError
        When configuration or data do not fit the standard or each other.
    FileAccessError
        When a file cannot be read.
    """
    found = opened(path)
    about = found.configuration
    try:
        numbers, states, stamps = _first(found)
    except OSError as cause:
        raise access_error(found.data, "read", cause) from cause
    binary = about.kind != "ASCII"
    n = found.n_rows if binary else max(found.n_text_rows_about, len(numbers))
    timing = _timing(found, n, lambda: np.asarray(stamps))
    rates = sorted({rate for rate, _ in about.rates}, reverse=True)
    reasons = [
        f"IEEE C37.111-{about.year}, {about.kind} data: {len(about.analogs)} analog and {len(about.states)} status channels",
        f"{' and '.join(f'{rate:g}' for rate in rates)} samples per second as stated" if rates
        else f"{rate_of(timing):g} samples per second from the time stamps",
    ]  # fmt: skip
    if n < (1.0 if binary else 0.9) * (found.n_promised or 0):
        about_n = f"{'' if binary else 'about '}{n}"
        reasons.append(f"the configuration promises {found.n_promised} samples, the data hold {about_n}: those are read")
    if about.trigger_s:
        reasons.append(f"time zero is the trigger, {about.trigger_s:g} s behind the first sample")
    reasons += [f'{c.name} is in "{c.unit}", which is not a known unit: read as a plain number'
                for c in about.analogs if c.unit and not known_unit(c.unit)]  # fmt: skip
    reasons += [f"{c.name} holds secondary values: × {c.ratio:g} gives the primary ones"
                for c in about.analogs if c.side == "S" and c.ratio != 1.0]  # fmt: skip
    with np.errstate(all="ignore"):  # numbers of a damaged file may be anything
        first = [numbers[:FIRST_ROWS, k] * c.a + c.b for k, c in enumerate(about.analogs)]
    first += [states[:FIRST_ROWS, k] for k in range(len(about.states))]
    return binary_preview(path, _columns(about), rate_of(timing), first, n, reasons, _metadata(about))


def _metadata(found: Configuration) -> list[tuple[str, str]]:
    metadata = [("station", found.station), ("device", found.device), ("start", found.start), ("trigger", found.trigger)]
    if found.frequency_hz:
        metadata.append(("line frequency", f"{found.frequency_hz:g} Hz"))
    metadata += [(f"{c.name} values", _SIDES[c.side]) for c in found.analogs if c.side in _SIDES]
    return metadata + [(f"{c.name} skew", f"{c.skew_us:g} us") for c in found.analogs if c.skew_us]


def read_comtrade(path: Path, dialect: Dialect, progress: Progress) -> Recording:
    """Return the recording; missing samples are NaN.

    Raises
    ------
    FormatError
        When configuration or data do not fit the standard or each other.
    FileAccessError
        When a file cannot be read or the store cannot be written.
    """
    data = data_file(path)
    beside = (data,) if data is not None and path.suffix.lower() != ".cff" else ()
    return stored(path, dialect, progress, lambda part: _source(path, dialect, part), beside)


def _source(path: Path, dialect: Dialect, progress: Progress) -> Source:
    found = opened(path)
    about = found.configuration
    check_columns(path, len(about.analogs) + len(about.states), dialect)
    made = _text_source if about.kind == "ASCII" else _binary_source
    return made(found, dialect, progress, lambda stated, k: _stored(found, about.analogs[k], stated, k))


def _stored(found: Opened, analog: Analog, stated: Column, k: int) -> StoredColumn:
    kind = found.configuration.kind
    scale, zero, skew = analog.a * stated.scale, analog.b * stated.scale, analog.skew_us * 1e-6
    if kind == "ASCII":
        return StoredColumn(stated.name, stated.unit, "float64", scale, zero, skew_s=skew)
    number = np.dtype(NUMBER[kind])
    place = Place(0 if found.data == found.path else 1, found.offset + 8 + k * number.itemsize, found.row.itemsize)
    return StoredColumn(stated.name, stated.unit, number.str, scale, zero, MISSING.get(kind), skew, place)


def _binary_source(
    found: Opened, dialect: Dialect, progress: Progress, stored_as: Callable[[Column, int], StoredColumn]
) -> Source:
    about, rows = found.configuration, found.rows()
    n, n_analog = len(rows), len(about.analogs)
    states = [k - n_analog for k, _ in dialect.channels if k >= n_analog]

    def served() -> Iterator[Block]:
        for low, high in blocks(0, n):
            bits = _states(rows["d"][low:high], len(about.states))
            yield Block(low, [bits[:, k] for k in states])
            progress.at(high / n)

    columns = tuple(stored_as(stated, k) if k < n_analog else StoredColumn(stated.name, stated.unit, "uint8")
                    for k, stated in dialect.channels)  # fmt: skip

    def timing(n: int) -> Timing:
        return _timing(found, n, lambda: np.asarray(rows["t"] * (1e-6 * about.time_multiplier)))

    return Source(columns, served() if states else iter(()), tuple(_metadata(about)), n_mapped=n, timing=timing,
                  began_ns=lambda: about.instant_ns(about.start))  # fmt: skip


def _text_source(found: Opened, dialect: Dialect, progress: Progress, stored_as: Callable[[Column, int], StoredColumn]) -> Source:
    about, n_analog = found.configuration, len(found.configuration.analogs)
    stamps: list[AnyArray] = [np.zeros(0)]

    def served() -> Iterator[Block]:
        row = 0
        for table in found.tables(progress=progress):
            analog = table[:, 2 : 2 + n_analog]
            analog[analog == MISSING["ASCII"]] = np.nan
            stamps.append(table[:, 1] * (1e-6 * about.time_multiplier))
            yield Block(row, [table[:, 2 + k] if k < n_analog else table[:, 2 + k] == 1 for k, _ in dialect.channels])
            row += len(table)

    columns = tuple(stored_as(stated, k) if k < n_analog else StoredColumn(stated.name, stated.unit, "uint8")
                    for k, stated in dialect.channels)  # fmt: skip
    return Source(columns, served(), tuple(_metadata(about)), timing=lambda n: _timing(found, n, lambda: np.concatenate(stamps)),
                  began_ns=lambda: about.instant_ns(about.start))  # fmt: skip
