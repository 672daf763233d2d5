"""Files of arrays: what is read of them once their columns are known."""

from collections.abc import Iterator, Sequence

import numpy as np

from pantelos.formats.dialect import Dialect, time_factor
from pantelos.formats.header import stated_start
from pantelos.formats.storing import Source, blocks_of
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.record.store import StoredColumn
from pantelos.signal.arrays import AnyArray, FloatArray


def array_source(
    dialect: Dialect,
    columns: tuple[StoredColumn, ...],
    rows: Iterator[list[AnyArray]],
    n_rows: int,
    spacing: float,
    metadata: Sequence[tuple[str, str]],
    told: tuple[Notice, ...],
    progress: Progress,
) -> Source:
    """Return the source of a file of arrays.

    Parameters
    ----------
    rows : blocks of the time column, where there is one, and of the columns that are not left where they stand
    spacing : how finely the times can be told apart, in their own unit
    """
    timed = dialect.time_column is not None
    factor = time_factor(dialect) if timed else 0.0

    def seconds(times: AnyArray) -> FloatArray:
        return np.asarray(times, dtype=np.float64) * factor

    read = timed or any(column.place is None for column in columns)
    began = stated_start(metadata)
    return Source(
        columns,
        blocks_of(rows, seconds if timed else None, n_rows, progress) if read else iter(()),
        tuple(metadata),
        factor * spacing,
        n_rows,
        start_s=dialect.start_s,
        began=lambda: began,
        told=lambda: told,
    )
