"""Writes text and packs it on the way."""

from pathlib import Path

from pantelos.formats.output import Output
from pantelos.formats.text.writer import write_text_into
from pantelos.progress import Progress


def write_packed(path: Path, output: Output, progress: Progress) -> None:
    """Write samples as text behind commas, packed as the suffix says."""
    import pyarrow as pa  # here, for the sake of a quick start

    kind = {".gz": "gzip", ".zst": "zstd"}[path.suffix.lower()]
    with pa.OSFile(str(path), "wb") as file, pa.CompressedOutputStream(file, kind) as stream:
        write_text_into(stream, ",", output, progress)
