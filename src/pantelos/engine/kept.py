"""Results kept on the disk from one run to the next, in the cache folder: cycles, and totals per block. All can be made again.

A name holds a digest of all that a result depends on, the version of the program among it.
"""

import contextlib
import hashlib
import io
import os
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from pantelos import __version__
from pantelos.folders import cache_directory
from pantelos.formats.registry import files_beside
from pantelos.record.fingerprint import remembered_fingerprint
from pantelos.signal.arrays import AnyArray, FloatArray
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.sums.totals import BlockTotals

WORTH_KEEPING = 1 << 18  # samples: what is taken of fewer is taken again as quickly
CYCLES_WORTH_KEEPING = 1 << 12  # cycles take longer to find than to read, of all but the shortest records
_KEPT_BYTES, _KEPT_FILES = 256 << 20, 1000
_FORM = 3  # raised when a kept result changes its form, or the way to it changes


def kept_cycles(identity: str, n_samples: int) -> Cycles | None:
    """Return the cycles found in an earlier run, or None."""
    found = _load("cycles", identity, n_samples)
    if found is None:
        return None
    try:
        rate, placed, onset, by_edges = found["numbers"].tolist()
        parts = found["crossings"], found["whole"], rate, n_samples, found.get("continued"), str(found["why_not"])
        return Cycles(*parts, bool(by_edges), placed, onset, found.get("seams"))
    except (KeyError, ValueError):
        return None


def untouched(sources: Sequence[tuple[Path, str]]) -> bool:
    """Return whether the files of a record are what was read of them: results of anything else must not outlive this run."""
    there = [path for path, _ in sources if path.exists()]
    return all(remembered_fingerprint(path, *files_beside(path)) for path in there)


def keep_cycles(identity: str, cycles: Cycles, sources: Sequence[tuple[Path, str]]) -> None:
    """Keep cycles for later runs, where they took long to find."""
    in_files = any(path.exists() for path, _ in sources)
    if cycles.n_samples < (CYCLES_WORTH_KEEPING if in_files else WORTH_KEEPING) or not untouched(sources):
        return
    numbers = np.array([cycles.rate_hz, cycles.placed_within, cycles.onset_within, float(cycles.by_edges)])
    arrays: dict[str, AnyArray] = {
        "crossings": cycles.crossings,
        "whole": cycles.whole,
        "numbers": numbers,
        "why_not": np.array(cycles.why_not),
    }
    marks = {"continued": cycles.continued, "seams": cycles.seams}
    arrays |= {name: marked for name, marked in marks.items() if marked is not None}
    _save("cycles", identity, cycles.n_samples, arrays)


def totals_of(identity: str, power: int, n_samples: int, sources: Sequence[tuple[Path, str]] = ()) -> BlockTotals:
    """Return the totals per block of a power of a waveform, as far as an earlier run made them; new ones are kept."""
    what = f"totals-{power}"
    found = _load(what, identity, n_samples)

    def keep(known: FloatArray) -> None:
        if untouched(sources):
            _save(what, identity, n_samples, {"known": known})

    return BlockTotals(n_samples, found.get("known") if found is not None else None, keep)


def _path(what: str, identity: str, n_samples: int) -> Path:
    digest = hashlib.blake2b(f"{_FORM} {__version__} {what} {identity} {n_samples}".encode(), digest_size=16).hexdigest()
    return cache_directory() / "results" / f"{digest}.npz"


def _load(what: str, identity: str, n_samples: int) -> dict[str, AnyArray] | None:
    path = _path(what, identity, n_samples)
    try:
        with np.load(path, allow_pickle=False) as found:
            arrays = {name: found[name] for name in found.files}
        os.utime(path)  # most recently used stays longest
    except (OSError, ValueError, EOFError, KeyError):
        return None
    return arrays


def _save(what: str, identity: str, n_samples: int, arrays: dict[str, AnyArray]) -> None:
    """Keep a result; failing to is no harm."""
    path = _path(what, identity, n_samples)
    content = io.BytesIO()
    np.savez(content, **arrays)  # type: ignore[arg-type]
    with contextlib.suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        import tempfile  # here, for the sake of a quick start

        handle, made = tempfile.mkstemp(prefix="making-", dir=path.parent)
        with os.fdopen(handle, "wb") as file:
            file.write(content.getvalue())
        Path(made).replace(path)
        _forget_oldest(path.parent)


def _forget_oldest(folder: Path) -> None:
    held = 0
    for at, path in enumerate(sorted(folder.iterdir(), key=lambda path: path.stat().st_mtime, reverse=True)):
        held += path.stat().st_size
        if held > _KEPT_BYTES or at >= _KEPT_FILES:
            path.unlink(missing_ok=True)
