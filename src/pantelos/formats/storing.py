"""From a reader to the store: the one way every format takes, so that all behave alike."""

import hashlib
from bisect import bisect_right
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

import msgspec

from pantelos.errors import FormatError
from pantelos.formats import remarks
from pantelos.formats.clock import share_stamps, timing_of
from pantelos.formats.dialect import Dialect
from pantelos.formats.problems import problems_of
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.record.fingerprint import fingerprint, remember_fingerprint, remembered_fingerprint
from pantelos.record.recording import Recording
from pantelos.record.store import Facts, RecordWriter, StoredColumn, stored_recording
from pantelos.record.timing import Began, Instants, Timing, even, start_of
from pantelos.signal.arrays import AnyArray, FloatArray
from pantelos.signal.sampling.pyramid import Pyramid


class Block(msgspec.Struct, frozen=True, eq=False):
    """Some consecutive rows: number of the first, an array per channel that is not mapped, and the times if there are any."""

    first_row: int
    columns: list[AnyArray]
    times_s: FloatArray | None = None


class Source(msgspec.Struct, frozen=True, eq=False):
    """An opened file: what its channels are, the rows of those that are not mapped, and when they were taken.

    The timing is stated, or told by the times of the rows, or follows from the rate of the dialect.
    """

    columns: tuple[StoredColumn, ...]
    blocks: Iterator[Block]
    metadata: tuple[tuple[str, str], ...] = ()
    time_resolution_s: float = 0.0  # what the printed times leave open
    n_mapped: int | None = None  # rows of the mapped columns
    timing: Callable[[int], Timing] | None = None  # from the number of rows, asked when all have been served
    start_s: float = 0.0  # instant of the first row, where a rate is all there is
    began: Callable[[], Began | None] = lambda: None  # date and time of the first row, asked when all have been served
    n_beyond: Callable[[], dict[str, int]] = dict  # samples beyond the range by channel, asked when all have been served
    told: Callable[[], tuple[Notice, ...]] = lambda: ()  # what was left out or odd, asked when all have been served


class KnownSource(msgspec.Struct, frozen=True, eq=False):
    """What was found out of a file while it was written: its fingerprint, and the pyramids of all its columns."""

    fingerprint: str
    pyramids: list[Pyramid]


def blocks_of(
    rows: Iterator[list[AnyArray]], seconds: Callable[[AnyArray], FloatArray] | None, n_rows: int, progress: Progress
) -> Iterator[Block]:
    """Yield rows of columns as blocks; `seconds` turns the first column into times, where there is one."""
    row = 0
    for columns in rows:
        times = seconds(columns[0]) if seconds is not None else None
        yield Block(row, columns if seconds is None else columns[1:], times)
        row += len(columns[0])
        progress.at(row / max(n_rows, 1))


def _files(path: Path, beside: tuple[Path, ...]) -> tuple[Path, ...]:
    return path.resolve(), *(other.resolve() for other in beside)


def stored_before(path: Path, dialect: Dialect, beside: tuple[Path, ...] = ()) -> Recording | None:
    """Return the recording in a file that was read this way before and has not been touched since, or None."""
    files = _files(path, beside)
    known = remembered_fingerprint(*files)
    return stored_recording(_key(known, dialect), files) if known is not None else None


def stored(
    path: Path,
    dialect: Dialect,
    progress: Progress,
    opened: Callable[[Progress], Source],
    beside: tuple[Path, ...] = (),
    known: KnownSource | None = None,
) -> Recording:
    """Return the recording in a file, mapped; from the store when it was read this way before, else imported.

    `beside` are further files the recording is made of: they count in its fingerprint. What is `known` is not found out again.

    Raises
    ------
    FormatError
        When the dialect cannot be read with, or the file does not hold what it promises.
    FileAccessError
        When the file cannot be read or the store cannot be written; then nothing is left behind.
    """
    files = _files(path, beside)
    for problem in problems_of(dialect):
        raise FormatError(files[0], problem.found, problem.expected, problem.advice)
    before = stored_before(path, dialect, beside)
    if before is not None:
        return before
    if known is not None:
        return _import(files, dialect, opened(progress), lambda: known.fingerprint, progress, known.pyramids)
    from concurrent.futures import ThreadPoolExecutor  # here, for the sake of a quick start

    with ThreadPoolExecutor(1) as pool:
        digest = pool.submit(fingerprint, *files)  # beside the reading, which waits for the disk now and then
        return _import(files, dialect, opened(progress.part(0.0, 0.9)), digest.result, progress.part(0.9, 1.0))


def _import(
    files: tuple[Path, ...],
    dialect: Dialect,
    source: Source,
    digest: Callable[[], str],
    progress: Progress,
    known: Sequence[Pyramid] = (),
) -> Recording:
    path = files[0]
    timed = dialect.time_column is not None and source.timing is None
    writer = RecordWriter(source.columns, files, timed)
    lines: list[tuple[int, int]] = []
    before = _states(files)
    try:
        if source.n_mapped is not None:
            writer.check_space(source.n_mapped)
        for block in source.blocks:
            lines.append((writer.n_samples, block.first_row))
            writer.add(block.columns, block.times_s if timed else None)
        n = source.n_mapped if source.n_mapped is not None else writer.n_samples
        if not n:
            raise FormatError(path, "there are no rows of numbers in it", "at least one", "Check the recording.")
        if source.timing is not None:
            timing = source.timing(n)
        elif timed:
            timing = timing_of(path, writer.times(), source.time_resolution_s, lambda row: _line(lines, row))
        else:
            assert dialect.rate_hz is not None
            timing = even(source.start_s, dialect.rate_hz, n)
        first = source.began()
        began = None if first is None else first.moved(-round(start_of(timing) * 1e9))
        mark = digest()
        coarse = timed and not isinstance(timing, Instants) and share_stamps(writer.times())
        shared = (remarks.shared_stamps(),) if coarse else ()
        changed = (remarks.changing(),) if _states(files) != before else ()
        writer.finish(
            _key(mark, dialect),
            timing,
            mark,
            Facts(source.metadata, began, (*changed, *shared, *source.told()), source.n_beyond()),
            n,
            progress,
            known,
        )
    except BaseException:
        writer.abandon()
        raise
    remember_fingerprint(mark, *files)
    recording = stored_recording(_key(mark, dialect), files)
    if recording is None:
        raise FormatError(path, "the imported recording vanished from the cache", "it to stay", "Import it again.")
    return recording


def _states(files: tuple[Path, ...]) -> list[tuple[int, int]]:
    return [(state.st_size, state.st_mtime_ns) for state in (path.stat() for path in files)]


def _line(lines: list[tuple[int, int]], row: int) -> str:
    """Return the name of a row, from the rows and line numbers that blocks began with."""
    at = bisect_right([first for first, _ in lines], row) - 1
    first, line = lines[at]
    return f"line {line + row - first}"


def _key(digest: str, dialect: Dialect) -> str:
    return hashlib.blake2b(digest.encode() + msgspec.json.encode(dialect), digest_size=20).hexdigest()
