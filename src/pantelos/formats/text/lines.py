"""Where the lines of a text end, and the text as bytes with one byte per sign of a number and LF at the end of lines."""

import io
import re
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

from pantelos.folders import cache_directory
from pantelos.formats.text.inside import opened_bytes

LOOKED_AT = 1 << 16
_PART = 1 << 22
_END = re.compile(r"\r\n|\n|\r")


def lines_of(text: str) -> list[str]:
    """Return the lines of a text; only line feeds and carriage returns end one."""
    lines = _END.split(text)
    if lines and not lines[-1]:
        lines.pop()
    return lines


def ends_in_returns(head: bytes) -> bool:
    """Return whether the lines of a text that begins so end in carriage returns alone."""
    return b"\r" in head and b"\n" not in head


@contextmanager
def opened_text(path: Path, encoding: str) -> Iterator[IO[bytes]]:
    """Open a text; UTF-16, and lines that end in returns alone, by way of a copy in UTF-8 with line feeds."""
    wide = encoding.startswith("utf-16")
    with opened_bytes(path) as file:
        returns = ends_in_returns(file.read(LOOKED_AT).replace(b"\0", b"") if wide else file.read(LOOKED_AT))
        file.seek(0)
        if not wide and not returns:
            yield file
            return
        cache_directory().mkdir(parents=True, exist_ok=True)
        text = io.TextIOWrapper(file, encoding=encoding, errors="replace", newline="")
        with tempfile.TemporaryFile() as copy:
            while part := text.read(_PART):
                part = part.replace("\ufeff", "")
                plain = part.replace("\r", "\n") if returns else part
                copy.write(plain.encode(encoding if not wide else "utf-8", errors="replace"))
            copy.seek(0)
            yield copy
