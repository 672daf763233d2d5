"""Where the data of a COMTRADE recording stand, and their rows: in a file of their own or in a section of one file."""

import re
from collections.abc import Iterator
from pathlib import Path

import msgspec
import numpy as np

from pantelos.errors import FormatError, access_error
from pantelos.formats.comtrade.companions import data_file
from pantelos.formats.comtrade.configuration import Configuration, parse_configuration
from pantelos.progress import Progress
from pantelos.record.file_numbers import FileNumbers, OpenFile
from pantelos.signal.arrays import AnyArray

NUMBER = {"BINARY": "<i2", "BINARY32": "<i4", "FLOAT32": "<f4"}
MISSING = {"BINARY": -(2**15), "BINARY32": -(2**31), "ASCII": 99999}
_SECTION = re.compile(rb"^--- file type:\s*([A-Z]+)[^\r\n]*---\s*?\r?\n", re.MULTILINE | re.IGNORECASE)
_LONGEST_CONFIGURATION = 64 << 20
_PIECE = 16 << 20


class Opened(msgspec.Struct, frozen=True):
    """A recording: its configuration, and the file and bytes its data stand in."""

    path: Path
    configuration: Configuration
    data: Path
    offset: int
    length: int

    @property
    def row(self) -> np.dtype[np.void]:
        """The layout of a row of binary data."""
        found = self.configuration
        words = -(-len(found.states) // 16)
        number = (NUMBER[found.kind], (len(found.analogs),))
        return np.dtype([("n", "<u4"), ("t", "<u4"), ("a", *number), ("d", "<u2", (words,))])

    @property
    def n_rows(self) -> int:
        """Rows of binary data that are there."""
        return self.length // self.row.itemsize

    @property
    def n_text_rows_about(self) -> int:
        """Rows of text data, as far as the length of the first ones tells."""
        with self.data.open("rb") as file:
            file.seek(self.offset)
            head = file.read(min(self.length, 1 << 16))
        return round(self.length * head.count(b"\n") / max(len(head), 1))

    @property
    def n_promised(self) -> int | None:
        """Rows the configuration speaks of, or None."""
        return self.configuration.rates[-1][1] if self.configuration.rates else None

    def rows(self) -> FileNumbers:
        """Return all rows of binary data, read when asked for.

        Raises
        ------
        FormatError
            When there is none.
        """
        if not self.n_rows:
            raise FormatError(
                self.path, f"the data hold {self.length} bytes", f"rows of {self.row.itemsize} bytes", "Copy the data file again."
            )
        return FileNumbers(OpenFile(self.data), self.row, self.n_rows, self.offset)

    def stamps(self) -> AnyArray:
        """Return the time stamps of binary data, shape (n_rows,), in units of the multiplier."""
        return np.asarray(FileNumbers(OpenFile(self.data), "<u4", self.n_rows, self.offset + 4, self.row.itemsize))

    def tables(self, progress: Progress | None = None, most_bytes: int | None = None) -> Iterator[AnyArray]:
        """Yield rows of text data piece by piece as numbers, shape (n_rows, 2 + channels), missing ones NaN.

        Raises
        ------
        FormatError
            When a row does not fit the configuration.
        """
        wanted = 2 + len(self.configuration.analogs) + len(self.configuration.states)
        done = False
        with self.data.open("rb") as file:
            file.seek(self.offset)
            left, rest = self.length, b""
            while left > 0 and not done:
                piece = file.read(min(most_bytes or _PIECE, left))
                left -= len(piece) if piece else left
                done = most_bytes is not None
                cut = len(piece) if left <= 0 else piece.rfind(b"\n") + 1
                table = self._parsed(rest + piece[:cut], wanted)
                rest = piece[cut:]
                if len(table):
                    yield table
                if progress is not None:
                    progress.at(1.0 - left / max(self.length, 1))

    def _parsed(self, text: bytes, wanted: int) -> AnyArray:
        import pyarrow as pa
        import pyarrow.csv as pacsv

        text = text.replace(b"\x1a", b"").strip()
        if not text:
            return np.zeros((0, wanted))
        names = [str(k) for k in range(wanted)]
        try:
            table = pacsv.read_csv(
                pa.BufferReader(text),
                pacsv.ReadOptions(column_names=names),
                convert_options=pacsv.ConvertOptions(column_types=dict.fromkeys(names, pa.float64()), null_values=["", "nan"]),
            )
        except pa.ArrowInvalid as cause:
            first = text.split(b"\n", 1)[0]
            n_found = first.count(b",") + 1
            if n_found != wanted:
                raise FormatError(
                    self.path,
                    f"the data have {n_found} columns",
                    f"{wanted} as configured",
                    "Check that both files belong together.",
                ) from cause
            raise FormatError(
                self.path,
                "rows of the data differ in length or hold no numbers",
                f"{wanted} numbers in each",
                "Mend or delete the rows that differ.",
            ) from cause
        return np.stack([column.to_numpy(zero_copy_only=False) for column in table.columns], axis=1)


def opened(path: Path) -> Opened:
    """Return the configuration of a recording and where its data stand.

    Raises
    ------
    FormatError
        When a part is missing, or the configuration does not fit the standard.
    FileAccessError
        When a file cannot be read.
    """
    try:
        with path.open("rb") as file:
            content = file.read(_LONGEST_CONFIGURATION)
        sections = list(_SECTION.finditer(content))
        if sections and content.lstrip().startswith(b"--- file type"):
            return _in_one_file(path, content, sections)
        data = data_file(path)
        if data is None:
            raise FormatError(path, "the data file is not beside it", f"{path.stem}.dat in the same folder", "Put both together.")
        return Opened(path, parse_configuration(path, _text(content)), data, 0, data.stat().st_size)
    except OSError as cause:
        raise access_error(path, "read", cause) from cause


def _in_one_file(path: Path, content: bytes, sections: list[re.Match[bytes]]) -> Opened:
    found: dict[bytes, bytes] = {}
    for at, section in enumerate(sections):
        end = sections[at + 1].start() if at + 1 < len(sections) else len(content)
        name = section[1].upper()
        if name == b"DAT" and b"CFG" in found:  # binary data may hold anything, also what looks like a section
            configuration = parse_configuration(path, _text(found[b"CFG"]))
            return Opened(path, configuration, path, section.end(), path.stat().st_size - section.end())
        found[name] = content[section.end() : end]
    raise FormatError(path, "a section is missing", "the sections CFG and DAT", "Copy the file again.")


def _text(content: bytes) -> str:
    try:
        return content.decode("utf-8-sig")
    except UnicodeDecodeError:
        return content.decode("latin-1")
