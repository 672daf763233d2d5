"""Text wherever it stands: in a file, packed (gzip, Zstandard, bzip2, xz, or alone in a ZIP), or as a sheet of a workbook.

A workbook is read as the text that its sheet with the most cells makes, a row a line, numbers in full and dates after ISO 8601.
"""

import atexit
import datetime as dt
import lzma
import os
import struct
import tempfile
import threading
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path, PurePosixPath
from typing import IO, Any, NamedTuple

from pantelos.errors import FormatError, access_error
from pantelos.formats.kinds import ZIPPED, zipped_name

TEXT_SUFFIXES = (".csv", ".tsv", ".txt", ".asc", ".dat", ".prn", ".log")
_STREAMED = {b"\x1f\x8b": "gzip", b"\x28\xb5\x2f\xfd": "zstd", b"BZh": "bz2"}
_XZ = b"\xfd7zXZ\x00"
_OLD_WORKBOOK = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"
_OF_WORKBOOKS = (
    "[Content_Types].xml",
    "_rels/",
    "docProps/",
    "xl/",
    "customXml/",
    "mimetypeapplication/vnd.oasis.opendocument.s",
)
_UNPACKED_AT_ONCE = 1 << 22
_MOST_UNPACKED = 1 << 40  # bytes


def is_packed(head: bytes) -> bool:
    """Return whether a file that begins so is packed text, as far as its first bytes tell."""
    zipped = zipped_name(head)
    in_zip = zipped is not None and PurePosixPath(zipped).suffix.lower() in TEXT_SUFFIXES
    return in_zip or head.startswith((*_STREAMED, _XZ))


def is_workbook(head: bytes) -> bool:
    """Return whether a file that begins so is a workbook."""
    return head.startswith(_OLD_WORKBOOK) or (
        head.startswith(ZIPPED) and any(head[30:].startswith(x.encode()) for x in _OF_WORKBOOKS)
    )


class _Copy(NamedTuple):
    """The text in a file as a temporary file that has no name and goes with the process, and the sheets of a workbook."""

    key: tuple[str, int, int]  # path, size, time of the last change in ns
    file: IO[bytes]
    sheets: tuple[str, ...] = ()  # the one that is read first


class _Copies:
    """Keeps the copy made last: a preview, what it tells and the reading need the same one, one after the other."""

    def __init__(self) -> None:
        self._last: _Copy | None = None
        self._making = threading.Lock()
        atexit.register(self._drop)

    def _drop(self) -> None:
        if self._last is not None:
            self._last.file.close()
        self._last = None

    def opened(self, path: Path) -> tuple[IO[bytes], tuple[str, ...]] | None:
        """Return the text in a packed file or a workbook, opened anew, and its sheets; None for text that stands there itself."""
        with path.open("rb") as file:
            head = file.read(512)
            if not is_workbook(head) and not is_packed(head) and zipped_name(head) is None:
                return None
            file.seek(0)
            state = os.fstat(file.fileno())
            key = str(path.resolve()), state.st_size, state.st_mtime_ns
            with self._making:
                if self._last is None or self._last.key != key:
                    self._drop()
                    self._last = _made(path, file, head, key)
                return Path(f"/proc/self/fd/{self._last.file.fileno()}").open("rb"), self._last.sheets


def _made(path: Path, file: IO[bytes], head: bytes, key: tuple[str, int, int]) -> _Copy:
    copy = tempfile.TemporaryFile()  # noqa: SIM115 - it stays open
    try:
        sheets = _write_sheet(path, copy) if is_workbook(head) else _unpack(path, file, head, copy)
        copy.flush()
    except BaseException:
        copy.close()
        raise
    return _Copy(key, copy, sheets)


_copies = _Copies()


@contextmanager
def opened_bytes(path: Path) -> Iterator[IO[bytes]]:
    """Open the text in a file, as bytes from its beginning on; what is packed or a sheet by way of a copy, made once.

    Raises
    ------
    FormatError
        When it is damaged, or holds no text, or several.
    """
    within = _copies.opened(path)
    with path.open("rb") if within is None else within[0] as file:
        yield file


def sheets_of(path: Path) -> tuple[str, ...]:
    """Return the names of the sheets of a workbook, that which is read first; none of other files."""
    within = _copies.opened(path)
    if within is None:
        return ()
    within[0].close()
    return within[1]


def _unpack(path: Path, file: IO[bytes], head: bytes, copy: IO[bytes]) -> tuple[str, ...]:
    """Write what a packed file holds; it has no sheets."""
    import pyarrow as pa

    try:
        with _stream(path, file, head) as stream:
            while part := stream.read(_UNPACKED_AT_ONCE):
                copy.write(part)
                if copy.tell() > _MOST_UNPACKED:
                    raise FormatError(path, "it unpacks to more than a terabyte", "a recording", "Unpack it by hand.")
    except (
        pa.ArrowException,
        lzma.LZMAError,
        zipfile.BadZipFile,
        zlib.error,
        struct.error,
        EOFError,
        RuntimeError,
        ValueError,
    ) as cause:
        raise FormatError(path, "it cannot be unpacked", "a whole file without a password", "Copy or pack it again.") from cause
    except OSError as cause:
        if cause.errno is None:  # what the library says of damaged data
            raise FormatError(path, "it cannot be unpacked", "a whole file", "Copy or pack it again.") from cause
        raise access_error(path, "read", cause) from cause
    return ()


def _stream(path: Path, file: IO[bytes], head: bytes) -> Any:
    if head.startswith(_XZ):
        return lzma.open(file)
    if head.startswith(ZIPPED):
        archive = zipfile.ZipFile(file)
        texts = [
            one for one in archive.infolist() if not one.is_dir() and PurePosixPath(one.filename).suffix.lower() in TEXT_SUFFIXES
        ]
        if len(texts) != 1:
            held = ", ".join(one.filename for one in archive.infolist()[:5]) or "nothing"
            what = "holds several texts" if texts else "holds no text"
            raise FormatError(path, f"the archive {what}: {held}", "one text", "Unpack it, and choose the file itself.")
        return archive.open(texts[0])
    import pyarrow as pa

    return pa.CompressedInputStream(file, next(kind for magic, kind in _STREAMED.items() if head.startswith(magic)))


def _write_sheet(path: Path, copy: IO[bytes]) -> tuple[str, ...]:
    """Write the sheet with the most cells as text, cells apart by tabs; return the names of all that hold any, this one first."""
    from python_calamine import CalamineError, CalamineWorkbook

    try:
        with CalamineWorkbook.from_path(str(path)) as book:
            sheets = [sheet for name in book.sheet_names if (sheet := book.get_sheet_by_name(name)).height]
            sheets.sort(key=lambda sheet: -sheet.height * sheet.width)
            for row in sheets[0].iter_rows() if sheets else ():
                copy.write(("\t".join(map(_cell, row)) + "\n").encode())
            return tuple(sheet.name for sheet in sheets)
    except (CalamineError, ValueError, OSError) as cause:
        if isinstance(cause, OSError) and cause.errno is not None:
            raise access_error(path, "read", cause) from cause
        advice = "Open it in a spreadsheet and save it again, without a password."
        raise FormatError(path, "the workbook cannot be read", "a whole one", advice) from cause


def _cell(value: object) -> str:
    """Return a cell as text."""
    if isinstance(value, bool):
        return str(int(value))
    if isinstance(value, float):
        return str(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value)
    if isinstance(value, dt.datetime):
        return value.isoformat(" ")
    if isinstance(value, dt.timedelta):
        seconds = value.total_seconds()
        return f"{int(seconds // 3600)}:{int(seconds // 60) % 60:02d}:{seconds % 60:09.6f}"
    if isinstance(value, dt.date | dt.time):
        return value.isoformat()
    return " ".join(str(value).split())
