"""The data file beside the configuration of a COMTRADE recording."""

from pathlib import Path


def data_file(path: Path) -> Path | None:
    """Return the data file beside a configuration, or None."""
    return next((other for suffix in (".dat", ".DAT", ".Dat") if (other := path.with_suffix(suffix)).exists()), None)


def files_beside(path: Path) -> tuple[Path, ...]:
    """Return the files that a recording is made of beside the one it is opened by."""
    data = data_file(path) if path.suffix.lower() != ".cff" else None
    return (data,) if data is not None else ()
