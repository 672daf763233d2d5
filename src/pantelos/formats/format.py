"""What every file format offers; its reader and writer are loaded when they are used."""

from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, Any

from pantelos.progress import Progress

if TYPE_CHECKING:
    from pantelos.formats.dialect import Dialect, Preview
    from pantelos.formats.output import Output
    from pantelos.record.recording import Recording


@dataclass(frozen=True, slots=True)
class Format:
    """A file format: how it is recognised, looked into, read and written.

    Its package `home` holds the modules `reader` and `writer`, with functions called preview_, read_ and write_ and its `name`.
    """

    id: str
    title: str
    suffixes: tuple[str, ...]
    recognise: Callable[[bytes], bool]  # from the first 64 bytes of a file
    home: str
    name: str
    written: tuple[str, ...]  # suffixes it writes

    def _function(self, module: str, verb: str) -> Any:
        return getattr(import_module(f"pantelos.formats.{self.home}.{module}"), f"{verb}_{self.name}")

    def preview(self, path: Path, delimiter: str | None = None, decimal: str | None = None) -> "Preview":
        """Return what is understood of a file; a given separator or decimal sign is kept to."""
        found: Preview = self._function("reader", "preview")(path, delimiter, decimal)
        return found

    def read(self, path: Path, dialect: "Dialect", progress: Progress) -> "Recording":
        """Return the recording in a file, read with a dialect of one time base."""
        found: Recording = self._function("reader", "read")(path, dialect, progress)
        return found

    def write(self, path: Path, output: "Output", progress: Progress) -> None:
        """Write samples into an empty folder; the suffix says the kind."""
        self._function("writer", "write")(path, output, progress)
