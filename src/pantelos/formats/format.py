"""What every file format offers; its reader and writer are loaded when they are used."""

from collections.abc import Callable
from importlib import import_module
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any

import msgspec

from pantelos.formats.storing import stored_before
from pantelos.progress import Progress

if TYPE_CHECKING:
    from pantelos.formats.dialect import Dialect, Preview
    from pantelos.formats.output import Output
    from pantelos.record.recording import Recording


class Format(msgspec.Struct, frozen=True):
    """A file format: how it is recognised, looked into, read and written.

    Its package `home` holds the modules `reader` and `writer`, with functions called preview_, read_ and write_ and its `name`;
    a format from elsewhere gives an object with these functions.
    """

    id: str
    title: str
    suffixes: tuple[str, ...]
    recognise: Callable[[bytes], bool]  # from the first 512 bytes of a file
    home: Any
    name: str
    written: tuple[str, ...] = ()  # suffixes it writes
    beside: Callable[[Path], tuple[Path, ...]] = lambda path: ()  # further files a recording is made of
    further_in: Callable[[IO[bytes]], bool] = lambda file: False  # whether what is recognised stands behind something else
    place: int = 50  # which is asked first whether it knows a file: small ones

    def _function(self, module: str, verb: str) -> Any:
        known = import_module(f"pantelos.formats.{self.home}.{module}") if isinstance(self.home, str) else self.home
        return getattr(known, f"{verb}_{self.name}")

    def preview(self, path: Path, delimiter: str | None = None, decimal: str | None = None) -> "Preview":
        """Return what is understood of a file; a given separator or decimal sign is kept to."""
        found: Preview = self._function("reader", "preview")(path, delimiter, decimal)
        return found

    def claimed_by(self, path: Path) -> bool:
        """Return whether a file is called like one of this format."""
        return path.suffix.lower() in self.suffixes

    def read(self, path: Path, dialect: "Dialect", progress: Progress) -> "Recording":
        """Return the recording in a file, read with a dialect of one time base: from the store where it was before."""
        known = stored_before(path, dialect, self.beside(path))
        if known is not None:  # without the reader, which takes its time to load
            return known
        found: Recording = self._function("reader", "read")(path, dialect, progress)
        return found

    def write(self, path: Path, output: "Output", progress: Progress) -> None:
        """Write samples into an empty folder; the suffix says the kind."""
        self._function("writer", "write")(path, output, progress)
