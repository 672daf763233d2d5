"""From a reader to the store: the one way every format takes, so that all behave alike."""

import hashlib
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import msgspec

from pantelos.errors import FormatError
from pantelos.formats.clock import Clock
from pantelos.formats.detection import problems_of
from pantelos.formats.dialect import Dialect
from pantelos.record.fingerprint import fingerprint, remember_fingerprint, remembered_fingerprint
from pantelos.record.record import Record
from pantelos.record.store import RecordWriter, StoredColumn, stored_record
from pantelos.signal.arrays import AnyArray, FloatArray


@dataclass(frozen=True, eq=False, slots=True)
class Block:
    """Some consecutive rows: number of the first, an array per channel in its own type, and the times if there are any."""

    first_row: int
    columns: list[AnyArray]
    times_s: FloatArray | None = None


@dataclass(frozen=True, eq=False, slots=True)
class Source:
    """An opened file: what its channels are, and its rows block by block."""

    columns: tuple[StoredColumn, ...]
    blocks: Iterator[Block]
    metadata: tuple[tuple[str, str], ...] = ()
    time_resolution_s: float = 0.0  # what the printed times leave open


def stored(path: Path, dialect: Dialect, opened: Callable[[], Source], beside: tuple[Path, ...] = ()) -> Record:
    """Return the record of a file, mapped; from the store when it was read this way before, else imported.

    `beside` are further files the record is made of: they count in its fingerprint.

    Raises
    ------
    FormatError
        When the dialect cannot be read with, or the file does not hold what it promises.
    FileAccessError
        When the file cannot be read or the store cannot be written; then nothing is left behind.
    """
    path = path.resolve()
    for problem in problems_of(dialect):
        raise FormatError(path, problem.found, problem.expected, problem.advice)
    files = (path, *beside)
    known = remembered_fingerprint(*files)
    if known is not None and (record := stored_record(_key(known, dialect), path)) is not None:
        return record
    with ThreadPoolExecutor(1) as pool:
        digest = pool.submit(fingerprint, *files)  # beside the reading, which waits for the disk now and then
        return _import(files, dialect, opened(), digest.result)


def _import(files: tuple[Path, ...], dialect: Dialect, source: Source, digest: Callable[[], str]) -> Record:
    path = files[0]
    writer, clock = RecordWriter(source.columns), Clock(path)
    try:
        for block in source.blocks:
            if block.times_s is not None:
                clock.add(block.times_s, block.first_row)
            writer.add(block.columns)
        if not writer.n_samples:
            raise FormatError(path, "there are no rows of numbers in it", "at least one", "Check the recording.")
        rate_hz = dialect.rate_hz if dialect.time_column is None else clock.rate_hz(source.time_resolution_s)
        assert rate_hz is not None
        mark = digest()
        writer.finish(_key(mark, dialect), rate_hz, mark, source.metadata)
    except BaseException:
        writer.abandon()
        raise
    remember_fingerprint(mark, *files)
    record = stored_record(_key(mark, dialect), path)
    if record is None:
        raise FormatError(path, "the imported record vanished from the cache", "it to stay", "Import it again.")
    return record


def _key(digest: str, dialect: Dialect) -> str:
    return hashlib.blake2b(digest.encode() + msgspec.json.encode(dialect), digest_size=20).hexdigest()
