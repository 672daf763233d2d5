"""Reads COMTRADE recordings: ASCII, BINARY, BINARY32, FLOAT32; separate files and .cff; one rate or several.

Source: IEEE C37.111-1991, -1999 and -2013, data file. Analog numbers of binary data are mapped where they stand;
status channels and text are kept in the store. The skew of a channel is taken out when it is read. Time zero is
the trigger.
"""

from collections.abc import Callable, Iterator
from pathlib import Path

import msgspec
import numpy as np

from pantelos.errors import FormatError, access_error
from pantelos.formats import remarks
from pantelos.formats.bases import Timed
from pantelos.formats.beside import Rate
from pantelos.formats.binary_preview import FIRST_ROWS, binary_preview, check_columns
from pantelos.formats.comtrade.companions import files_beside
from pantelos.formats.comtrade.configuration import Analog, Configuration
from pantelos.formats.comtrade.data import MISSING, NUMBER, Opened, opened
from pantelos.formats.comtrade.timing import doubts, timing_in
from pantelos.formats.dialect import Column, Dialect, Preview, Side
from pantelos.formats.heading_names import known_unit, unique
from pantelos.formats.storing import Block, Source, stored
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.record.recording import Recording
from pantelos.record.store import StoredColumn, StoredPlace
from pantelos.record.timing import Timing, rate_of
from pantelos.signal.arrays import AnyArray
from pantelos.signal.sums.integrals import blocks

_SIDES = {"P": "primary", "S": "secondary"}


def _columns(configuration: Configuration) -> list[Column]:
    """Return a column per analog and status channel, every name once; secondary values scaled to primary ones."""
    found: list[Column] = []
    taken: set[str] = set()
    for analog in configuration.analogs:
        symbol = analog.unit if known_unit(analog.unit) else "1"
        scale = analog.ratio if analog.side == "S" else 1.0
        side = Side.PRIMARY if analog.side else Side.UNSTATED
        found.append(Column(unique(analog.name, taken), symbol, scale=scale, side=side, ratio=analog.ratio))
        taken.add(found[-1].name)
    for name in configuration.states:
        found.append(Column(unique(name, taken)))
        taken.add(found[-1].name)
    return found


def _states(words: AnyArray, n: int) -> AnyArray:
    """Return status channels from words of 16 bits, shape (n_rows, n)."""
    bits = (words[:, :, None] >> np.arange(16, dtype=np.uint16)) & 1
    return np.asarray(bits.reshape(len(words), -1)[:, :n].astype(np.uint8))


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
    timing = timing_in(found, n, lambda: np.asarray(stamps))
    rates = sorted({rate for rate, _ in about.rates}, reverse=True)
    reasons = [
        f"IEEE C37.111-{about.year}, {about.kind} data: {len(about.analogs)} analog and {len(about.states)} status channels",
        f"{' and '.join(f'{rate:g}' for rate in rates)} samples per second as stated"
        if rates
        else f"{rate_of(timing):g} samples per second from the time stamps",
    ]
    if about.trigger_s:
        reasons.append(f"time zero is the trigger, {about.trigger_s:g} s behind the first sample")
    with np.errstate(all="ignore"):  # numbers of a damaged file may be anything
        first = [numbers[:FIRST_ROWS, k] * c.a + c.b for k, c in enumerate(about.analogs)]
    first += [states[:FIRST_ROWS, k] for k in range(len(about.states))]
    rate = Rate(rate_of(timing), "the time stamps")
    arrays = [Timed(column, n, "", rate) for column in _columns(about)]
    seen = binary_preview(path, arrays, first, reasons, _metadata(about), _told(found, n, exact=binary))
    return msgspec.structs.replace(seen, reasons=tuple(reasons))


def _told(found: Opened, n: int, exact: bool = True) -> tuple[Notice, ...]:
    """Return what is to be said: samples that are not there, units that are not known, and which side values are on."""
    about = found.configuration
    told = [remarks.cut_off(found.n_promised, n)] if found.n_promised and n < (1.0 if exact else 0.9) * found.n_promised else []
    told += [remarks.unknown_unit(c.name, c.unit) for c in about.analogs if c.unit and not known_unit(c.unit)]
    for side, words in _SIDES.items():
        for ratio in sorted({c.ratio for c in about.analogs if c.side == side}):
            told.append(remarks.sides([c.name for c in about.analogs if (c.side, c.ratio) == (side, ratio)], words, ratio))
    return tuple(told)


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
    return stored(path, dialect, progress, lambda part: _source(path, dialect, part), files_beside(path))


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
    place = StoredPlace(0 if found.data == found.path else 1, found.offset + 8 + k * number.itemsize, found.row.itemsize)
    return StoredColumn(stated.name, stated.unit, number.str, scale, zero, MISSING.get(kind), skew, place)


def _binary_source(
    found: Opened, dialect: Dialect, progress: Progress, stored_as: Callable[[Column, int], StoredColumn]
) -> Source:
    about, rows = found.configuration, found.rows()
    n, n_analog = len(rows), len(about.analogs)
    states = [k - n_analog for k, _ in dialect.channels if k >= n_analog]

    def served() -> Iterator[Block]:
        for low, high in blocks(0, n):
            bits = _states(rows[low:high]["d"], len(about.states))
            yield Block(low, [bits[:, k] for k in states])
            progress.at(high / n)

    columns = tuple(
        stored_as(stated, k) if k < n_analog else StoredColumn(stated.name, stated.unit, "uint8")
        for k, stated in dialect.channels
    )

    def stamps() -> AnyArray:
        return np.asarray(found.stamps() * (1e-6 * about.time_multiplier))

    def timing(n: int) -> Timing:
        return timing_in(found, n, stamps)

    def told() -> tuple[Notice, ...]:
        return (*_told(found, n), *doubts(found, n, stamps()))

    return Source(
        columns,
        served() if states else iter(()),
        tuple(_metadata(about)),
        n_mapped=n,
        timing=timing,
        began=lambda: about.instant(about.start),
        told=told,
    )


def _text_source(found: Opened, dialect: Dialect, progress: Progress, stored_as: Callable[[Column, int], StoredColumn]) -> Source:
    about, n_analog = found.configuration, len(found.configuration.analogs)
    stamps: list[AnyArray] = [np.zeros(0)]
    n_rows = 0

    def served() -> Iterator[Block]:
        nonlocal n_rows
        for table in found.tables(progress=progress):
            analog = table[:, 2 : 2 + n_analog]
            analog[analog == MISSING["ASCII"]] = np.nan
            stamps.append(table[:, 1] * (1e-6 * about.time_multiplier))
            yield Block(n_rows, [table[:, 2 + k] if k < n_analog else table[:, 2 + k] == 1 for k, _ in dialect.channels])
            n_rows += len(table)

    columns = tuple(
        stored_as(stated, k) if k < n_analog else StoredColumn(stated.name, stated.unit, "uint8")
        for k, stated in dialect.channels
    )

    def timing(n: int) -> Timing:
        return timing_in(found, n, lambda: np.concatenate(stamps))

    def told() -> tuple[Notice, ...]:
        return (*_told(found, n_rows), *doubts(found, n_rows, np.concatenate(stamps)))

    return Source(columns, served(), tuple(_metadata(about)), timing=timing, began=lambda: about.instant(about.start), told=told)
