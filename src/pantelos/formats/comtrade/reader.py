"""Reads the data of a COMTRADE recording: ASCII, BINARY, BINARY32, FLOAT32; separate files and .cff.

Source: IEEE C37.111-1991, -1999 and -2013, data file. Departures: recordings with several sampling rates are
refused; skew between channels is stated in the metadata and not yet taken out.
"""

import io
import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from pantelos.errors import FormatError, access_error
from pantelos.formats.binary_preview import SHOWN_ROWS, binary_preview
from pantelos.formats.comtrade.configuration import Configuration, parse_configuration
from pantelos.formats.dialect import Column, Dialect, Preview
from pantelos.formats.format import Format
from pantelos.formats.header import known_unit
from pantelos.formats.storing import Block, Source, stored
from pantelos.progress import Progress
from pantelos.record.record import Record
from pantelos.record.store import StoredColumn
from pantelos.signal.arrays import AnyArray
from pantelos.signal.integrals import blocks

_NUMBER = {"BINARY": "<i2", "BINARY32": "<i4", "FLOAT32": "<f4"}
_MISSING = {"BINARY": -(2**15), "BINARY32": -(2**31)}
_SECTION = re.compile(rb"^--- file type:\s*([A-Z]+)[^\r\n]*---\s*?\r?\n", re.MULTILINE | re.IGNORECASE)


@dataclass(frozen=True, eq=False, slots=True)
class _Opened:
    """Configuration and rows: analog numbers (n, n_analog), states (n, n_states), stamps in s (n,)."""

    configuration: Configuration
    numbers: AnyArray
    states: AnyArray
    stamps_s: AnyArray
    n_promised: int


def _open(path: Path) -> _Opened:
    try:
        text, data = _parts(path)
    except OSError as cause:
        raise access_error(path, "read", cause) from cause
    configuration = parse_configuration(path, text)
    if len({rate for rate, _ in configuration.rates}) > 1:
        raise FormatError(path, f"the recording has {len(configuration.rates)} sampling rates", "one rate throughout",
                          "Export the stretch of one rate.")  # fmt: skip
    rows = _ascii(path, configuration, data) if configuration.kind == "ASCII" else _binary(path, configuration, data)
    promised = configuration.rates[-1][1] if configuration.rates else len(rows[0])
    return _Opened(configuration, *rows, promised)


def _parts(path: Path) -> tuple[str, bytes]:
    """Return the configuration as text and the data as bytes, from one file or from two."""
    content = path.read_bytes()
    sections = list(_SECTION.finditer(content))
    if sections and content.lstrip().startswith(b"--- file type"):
        found = {}
        for at, section in enumerate(sections):
            end = sections[at + 1].start() if at + 1 < len(sections) else len(content)
            found[section[1].upper()] = content[section.end() : end]
            if section[1].upper() == b"DAT":  # binary data may hold anything, also what looks like a section
                found[b"DAT"] = content[section.end() :]
                break
        if b"CFG" not in found or b"DAT" not in found:
            raise FormatError(path, "a section is missing", "the sections CFG and DAT", "Copy the file again.")
        return found[b"CFG"].decode("utf-8", errors="replace"), found[b"DAT"]
    data = _data_file(path)
    if data is None:
        raise FormatError(path, "the data file is not beside it", f"{path.stem}.dat in the same folder", "Put both together.")
    return content.decode("utf-8", errors="replace"), data.read_bytes()


def _data_file(path: Path) -> Path | None:
    """Return the data file beside a configuration, or None."""
    return next((other for suffix in (".dat", ".DAT", ".Dat") if (other := path.with_suffix(suffix)).exists()), None)


def _binary(path: Path, configuration: Configuration, data: bytes) -> tuple[AnyArray, AnyArray, AnyArray]:
    n_analog, n_words = len(configuration.analogs), -(-len(configuration.states) // 16)
    row = np.dtype([("n", "<u4"), ("t", "<u4"), ("a", _NUMBER[configuration.kind], (n_analog,)), ("d", "<u2", (n_words,))])
    n_rows = len(data) // row.itemsize
    if not n_rows:
        raise FormatError(path, f"the data hold {len(data)} bytes", f"rows of {row.itemsize} bytes", "Copy the data file again.")
    rows = np.frombuffer(data, dtype=row, count=n_rows)
    bits = (rows["d"][:, :, None] >> np.arange(16, dtype=np.uint16)) & 1
    states = bits.reshape(n_rows, -1)[:, : len(configuration.states)].astype(np.uint8)
    return rows["a"], states, rows["t"] * 1e-6 * configuration.time_multiplier


def _ascii(path: Path, configuration: Configuration, data: bytes) -> tuple[AnyArray, AnyArray, AnyArray]:
    n_analog, n_states = len(configuration.analogs), len(configuration.states)
    wanted = 2 + n_analog + n_states
    text = data.replace(b"\x1a", b"").strip()
    try:
        table = np.genfromtxt(io.BytesIO(text), delimiter=",", dtype=np.float64, ndmin=2)
    except ValueError as cause:
        raise FormatError(path, "the rows of the data differ in length", f"{wanted} columns in each",
                          "Mend or delete the rows that differ.") from cause  # fmt: skip
    if table.size == 0 or table.shape[1] != wanted:
        raise FormatError(path, f"the data have {table.shape[1] if table.size else 0} columns", f"{wanted} as configured",
                          "Check that both files belong together.")  # fmt: skip
    return (
        table[:, 2 : 2 + n_analog],
        np.nan_to_num(table[:, 2 + n_analog :]).astype(np.uint8),
        table[:, 1] * 1e-6 * configuration.time_multiplier,
    )


def _columns(configuration: Configuration) -> list[Column]:
    """Return a column per analog and status channel, every name once."""
    found: list[Column] = []
    for name, symbol in [(c.name, c.unit) for c in configuration.analogs] + [(name, "1") for name in configuration.states]:
        taken = {column.name for column in found}
        unique = next(n for k in range(1, len(found) + 2) if (n := name if k == 1 else f"{name}_{k}") not in taken)
        found.append(Column(unique, symbol if known_unit(symbol) else "1"))
    return found


def _rate(path: Path, opened: _Opened) -> float:
    """Return the stated rate, or what the stamps give."""
    stated = opened.configuration.rate_hz
    if stated:
        return stated
    span = float(opened.stamps_s[-1] - opened.stamps_s[0])
    if not span > 0:
        raise FormatError(path, "neither a rate nor rising time stamps are stated", "one of them", "Check the configuration.")
    return (len(opened.stamps_s) - 1) / span


def preview_comtrade(path: Path, delimiter: str | None = None, decimal: str | None = None) -> Preview:
    """Return what a COMTRADE recording holds.

    Raises
    ------
    FormatError
        When configuration or data do not fit the standard or each other.
    FileAccessError
        When a file cannot be read.
    """
    opened = _open(path)
    found, n = opened.configuration, len(opened.numbers)
    rate = _rate(path, opened)
    reasons = [
        f"IEEE C37.111-{found.year}, {found.kind} data: {len(found.analogs)} analog and {len(found.states)} status channels",
        f"{rate:g} samples per second " + ("as stated" if found.rate_hz else "from the time stamps"),
    ]
    if n < opened.n_promised:
        reasons.append(f"the configuration promises {opened.n_promised} samples, the data hold {n}: those are read")
    strange = [channel for channel in found.analogs if channel.unit and not known_unit(channel.unit)]
    reasons += [f'{c.name} is in "{c.unit}", which is not a known unit: read as a plain number' for c in strange]
    first = [opened.numbers[:SHOWN_ROWS, k] * c.a + c.b for k, c in enumerate(found.analogs)]
    first += [opened.states[:SHOWN_ROWS, k] for k in range(len(found.states))]
    return binary_preview(path, _columns(found), rate, first, n, reasons, _metadata(found))


def _metadata(found: Configuration) -> list[tuple[str, str]]:
    metadata = [("station", found.station), ("device", found.device), ("start", found.start), ("trigger", found.trigger)]
    if found.frequency_hz:
        metadata.append(("line frequency", f"{found.frequency_hz:g} Hz"))
    sides = {"P": "primary", "S": "secondary"}
    metadata += [(f"{c.name} values", sides[c.side]) for c in found.analogs if c.side in sides]
    return metadata + [(f"{c.name} skew", f"{c.skew_us:g} us") for c in found.analogs if c.skew_us]


def read_comtrade(path: Path, dialect: Dialect, progress: Progress) -> Record:
    """Return the record in a COMTRADE recording; missing samples are NaN.

    Raises
    ------
    FormatError
        When configuration or data do not fit the standard or each other.
    FileAccessError
        When a file cannot be read or the store cannot be written.
    """
    data = _data_file(path)
    return stored(path, dialect, lambda: _source(path, dialect, progress), (data,) if data is not None else ())


def _source(path: Path, dialect: Dialect, progress: Progress) -> Source:
    opened = _open(path)
    found = opened.configuration
    n, n_analog = len(opened.numbers), len(found.analogs)
    if len(dialect.columns) != n_analog + len(found.states):
        raise FormatError(path, f"{n_analog + len(found.states)} channels", f"{len(dialect.columns)} as in the study",
                          "Relink the right recording.")  # fmt: skip
    code = _MISSING.get(found.kind)
    gaps = (opened.numbers == code).any(axis=0) if code is not None else np.zeros(n_analog, dtype=bool)

    def numbers(k: int, low: int, high: int) -> AnyArray:
        if k >= n_analog:
            return np.asarray(opened.states[low:high, k - n_analog])
        values = opened.numbers[low:high, k]
        return np.where(values == code, np.nan, values) if gaps[k] else np.asarray(values)

    def served() -> Iterator[Block]:
        for low, high in blocks(0, n):
            yield Block(low, [numbers(k, low, high) for k, _ in dialect.channels])
            progress.at(high / n)

    def column(k: int, stated: Column) -> StoredColumn:
        if k >= n_analog:
            return StoredColumn(stated.name, stated.unit, "uint8")
        own = "float64" if gaps[k] else opened.numbers.dtype.newbyteorder("=").name
        return StoredColumn(stated.name, stated.unit, own, found.analogs[k].a, found.analogs[k].b)

    return Source(tuple(column(k, stated) for k, stated in dialect.channels), served(), tuple(_metadata(found)))


FORMAT = Format(
    id="comtrade",
    title="COMTRADE",
    suffixes=(".cfg", ".cff"),
    recognise=lambda head: head.lstrip().lower().startswith(b"--- file type"),
    preview=preview_comtrade,
    read=read_comtrade,
)
