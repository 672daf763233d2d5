"""The registry of readings: a file here, or a row in one, adds to formulas, tables, ledger, command line and help."""

from pantelos.reading.reading import ReadingKind
from pantelos.registry import Registry, modules_of


def _rows() -> list[ReadingKind]:
    """Return the rows of the modules here: those of small `PLACE` first."""
    holding = [module for module in modules_of(__name__) if hasattr(module, "ROWS")]
    return [row for module in sorted(holding, key=lambda module: getattr(module, "PLACE", 100)) for row in module.ROWS]


READINGS = Registry("reading", lambda kind: kind.name, _rows(), "readings", ReadingKind)


def reading_kind(name: str) -> ReadingKind | None:
    """Return the kind of reading of that name, or None."""
    return READINGS.get(name)


def single_readings() -> tuple[ReadingKind, ...]:
    """Return the readings that take one channel and need to be told nothing else: what a column beside the lanes can show."""
    return tuple(kind for kind in READINGS if len(kind.arguments) == 1 and all(one.default is not None for one in kind.settings))
