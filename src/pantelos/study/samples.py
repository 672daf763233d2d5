"""Write samples of channels and formulas to a file, with time, names and units."""

from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np

from pantelos.errors import StudyError, access_error
from pantelos.formula.compile import Kind
from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray
from pantelos.signal.integrals import blocks
from pantelos.signal.window import samples_between
from pantelos.study.evaluation import WHOLE_RECORD, Evaluation


def write_samples(
    evaluation: Evaluation,
    path: Path,
    channels: Sequence[str] | None = None,
    interval: str | None = None,
    whole: bool = False,
    progress: Progress | None = None,
) -> int:
    """Write samples in the units the channels are shown in, block by block; return how many.

    Raises
    ------
    StudyError
        When the suffix is of no known kind, or a channel has no samples.
    FileAccessError
        When the file cannot be written; one that was there before is untouched.
    """
    progress = progress or Progress()
    names = list(channels or [name for name in evaluation.types if evaluation.kind(name) is not Kind.SCALAR])
    waves = [evaluation.waveform(name) for name in names]
    span = samples_between(*evaluation.span(WHOLE_RECORD if whole else interval))
    headings = ["t [s]", *(f"{name} [{wave.unit.symbol}]" for name, wave in zip(names, waves, strict=True))]

    def rows(low: int, high: int) -> list[FloatArray]:
        time = np.arange(low, high) / evaluation.record.rate_hz
        return [time, *(wave.read(low, high) / wave.unit.factor for wave in waves)]

    write = _WRITERS.get(path.suffix.lower())
    if write is None:
        raise StudyError(f'{path.name}: samples are not written as "{path.suffix}"; choose one of {", ".join(_WRITERS)}.')
    aside = path.with_name(f".{path.name}.part")
    try:
        write(aside, headings, rows, (span.first, span.end), progress)
        aside.replace(path)
    except OSError as cause:
        raise access_error(path, "written", cause) from cause
    finally:
        aside.unlink(missing_ok=True)
    return span.end - span.first


_Rows = Callable[[int, int], list[FloatArray]]


def _csv(path: Path, headings: list[str], rows: _Rows, span: tuple[int, int], progress: Progress) -> None:
    import pyarrow as pa  # here, for the sake of a quick start
    import pyarrow.csv as pacsv

    schema = pa.schema([(name, pa.float64()) for name in headings])
    with path.open("wb") as file, pacsv.CSVWriter(file, schema, write_options=pacsv.WriteOptions(quoting_style="needed")) as out:
        for low, high in blocks(*span):
            out.write_table(pa.table(rows(low, high), schema=schema))
            progress.at((high - span[0]) / (span[1] - span[0]))


def _parquet(path: Path, headings: list[str], rows: _Rows, span: tuple[int, int], progress: Progress) -> None:
    import pyarrow as pa
    import pyarrow.parquet as pq

    schema = pa.schema([(name, pa.float64()) for name in headings])
    with pq.ParquetWriter(path, schema) as out:
        for low, high in blocks(*span):
            out.write_table(pa.table(rows(low, high), schema=schema))
            progress.at((high - span[0]) / (span[1] - span[0]))


def _npz(path: Path, headings: list[str], rows: _Rows, span: tuple[int, int], progress: Progress) -> None:
    parts = rows(*span)
    with path.open("wb") as file:
        np.savez(file, **dict(zip(headings, parts, strict=True)))  # type: ignore[arg-type]
    progress.at(1.0)


_WRITERS: dict[str, Callable[[Path, list[str], _Rows, tuple[int, int], Progress], None]] = {
    ".csv": _csv, ".parquet": _parquet, ".npz": _npz,
}  # fmt: skip
