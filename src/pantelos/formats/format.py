"""What every file format offers."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from pantelos.formats.dialect import Dialect, Preview
from pantelos.formats.output import Output
from pantelos.progress import Progress
from pantelos.record.recording import Recording


@dataclass(frozen=True, slots=True)
class Format:
    """A file format: how it is recognised, looked into, read and written."""

    id: str
    title: str
    suffixes: tuple[str, ...]
    recognise: Callable[[bytes], bool]  # from the first 64 bytes of a file
    preview: Callable[[Path, str | None, str | None], Preview]  # path, separator and decimal sign to keep to
    read: Callable[[Path, Dialect, Progress], Recording]
    write: Callable[[Path, Output, Progress], None]  # into an empty folder; the suffix says the kind
    written: tuple[str, ...]  # suffixes it writes
