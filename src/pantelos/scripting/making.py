"""Where studies come from: a file of a study, recordings, arrays."""

import hashlib
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from pantelos.changes.options import Around, changed
from pantelos.changes.reading import read_as
from pantelos.errors import StudyError
from pantelos.record.record import Record, record_of_arrays
from pantelos.record.recording import RawChannel
from pantelos.scripting.study import Study
from pantelos.signal.arrays import FloatArray
from pantelos.signal.sampling.pyramid import Pyramid, build_pyramid
from pantelos.study import model
from pantelos.study import operations as op
from pantelos.study.importing import import_files, set_usually
from pantelos.study.model import ChannelSetup, RecordSource
from pantelos.study.opening import recordings_of
from pantelos.study.parts import files_meant
from pantelos.study.recordings import Recordings
from pantelos.study.storage import load_study
from pantelos.units import unit

_Arrays = Mapping[str, Any]


def open_study(path: str | Path) -> Study:
    """Return the study in a file, its record opened."""
    study = load_study(Path(path))
    if study.record is None:
        raise StudyError(f"{path} has no record. Make one with pantelos.new(STUDY, RECORDING).")
    return Study(study, recordings_of(study), Path(path))


def read_recordings(
    paths: Sequence[str | Path],
    rate: str | None = None,
    delimiter: str | None = None,
    decimal: str | None = None,
    columns: Sequence[str] = (),
    changes: Mapping[str, Any] | None = None,
) -> Study:
    """Return a new study of recordings, read with corrections, and with changes made."""
    meant = files_meant([Path(path) for path in paths])
    files = set_usually([read_as(path, delimiter, decimal, rate, columns) for path in meant])
    study, recordings = import_files(model.Study(), Recordings(), files)
    return Study(changed(study, changes or {}, Around(recordings)), recordings)


class _InMemory(Recordings):
    """The record of arrays: there is one, and no file."""

    def __init__(self, record: Record) -> None:
        super().__init__()
        self._record = record

    def record(self, source: RecordSource | None) -> Record:
        """Return it."""
        return self._record


def _pyramid(x: FloatArray) -> Pyramid:
    return build_pyramid(lambda start, stop: x[start:stop], len(x))


def of_arrays(rate: str | float, units: Mapping[str, str], arrays: _Arrays) -> Study:
    """Return a study of arrays in memory, of one length, with a sample rate and the unit of each."""
    if not arrays:
        raise StudyError("A record needs an array: pantelos.from_arrays(u1=…, rate='20 kHz').")
    rate_hz = op.rate_from(rate) if isinstance(rate, str) else float(rate)
    digest, raws, setups = hashlib.blake2b(f"{rate_hz!r}".encode(), digest_size=32), [], []
    sizes = {len(np.atleast_1d(array)) for array in arrays.values()}
    if len(sizes) > 1:
        raise StudyError(f"The arrays have different lengths: {', '.join(map(str, sorted(sizes)))}.")
    study = model.Study(title="arrays")
    for name, array in arrays.items():
        x = np.array(array, dtype=np.float64, order="C")  # a copy: the study never changes under one's hands
        if x.ndim != 1 or len(x) < 2:
            raise StudyError(f"{name} is no row of samples: its shape is {x.shape}.")
        symbol = units.get(name, "1")
        digest.update(f"{name}\0{symbol}\0".encode() + x.tobytes())
        x.flags.writeable = False
        raws.append(RawChannel(op.checked_name(study, name), x, unit(symbol), _pyramid(x)))
        setups.append(ChannelSetup(name, name, symbol))
    record = record_of_arrays(tuple(raws), rate_hz, Path("arrays"), digest.hexdigest())
    return Study(model.Study(title="arrays", channels=tuple(setups)), _InMemory(record))
