"""A file format: the word LINES, then a number in a line each, volts at 10 kHz."""

import sys

import numpy as np

from pantelos.formats.dialect import Column, Dialect, Preview
from pantelos.formats.format import Format
from pantelos.formats.storing import Block, Source, stored
from pantelos.record.store import StoredColumn


def preview_lines(path, delimiter, decimal):
    """Return what is understood of a file."""
    dialect = Dialect(columns=(Column("u1", "V"),), rate_hz=10_000.0)
    return Preview(dialect, (), (), (), 0, path.stat().st_size, textual=False, rate_hz=10_000.0)


def read_lines(path, dialect, progress):
    """Return the recording in a file."""
    return stored(path, dialect, progress, lambda progress: _source(path, dialect))


def _source(path, dialect):
    values = np.array(path.read_text().split()[1:], dtype=float)
    return Source((StoredColumn(dialect.columns[0].name, dialect.columns[0].unit),), iter([Block(0, [values])]))


LINES = Format("lines", "Lines", (".lines",), lambda head: head.startswith(b"LINES"), sys.modules[__name__], "lines", ())
