"""Writes a workbook: samples with a row of names and one of units, and what is known of them on a sheet beside."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np

from pantelos.errors import StudyError
from pantelos.formats.output import Output
from pantelos.notation import count
from pantelos.progress import Progress

MOST_ROWS = 1_048_576 - 2  # of a sheet, below names and units


@contextmanager
def _said_plainly() -> Iterator[None]:
    """Raise what the library wraps, such as that the disk is full, as what it is."""
    from xlsxwriter.exceptions import FileCreateError

    try:
        yield
    except FileCreateError as cause:
        raise cause.args[0] if cause.args and isinstance(cause.args[0], OSError) else OSError(str(cause)) from cause


def write_workbook(path: Path, output: Output, progress: Progress) -> None:
    """Write samples as a sheet.

    Raises
    ------
    StudyError
        When there are more samples than a sheet has rows.
    """
    if output.n_samples > MOST_ROWS:
        raise StudyError(
            f"{path.name}: a sheet holds {count(MOST_ROWS)} samples, these are {count(output.n_samples)}. "
            "Write a shorter interval, at a lower rate, or another kind of file."
        )
    import xlsxwriter  # here, for the sake of a quick start

    with _said_plainly(), xlsxwriter.Workbook(str(path), {"constant_memory": True, "tmpdir": str(path.parent)}) as book:
        sheet = book.add_worksheet("samples")
        sheet.freeze_panes(2, 1)
        sheet.write_row(0, 0, ["t", *(channel.name for channel in output.channels)], book.add_format({"bold": True}))
        sheet.write_row(1, 0, ["s", *(channel.unit for channel in output.channels)])
        for low, high in output.parts(progress):
            columns = [output.times(low, high), *(channel.read(low, high) for channel in output.channels)]
            for row, values in enumerate(np.stack(columns, axis=1).tolist(), start=low + 2):
                for column, value in enumerate(values):
                    if value == value:  # noqa: PLR0124 - a cell that is missing stays empty
                        sheet.write_number(row, column, value)
        about = book.add_worksheet("about")
        for row, (key, value) in enumerate(output.statements):
            about.write_row(row, 0, [key, value])
