"""From a recording to a study: channels with their transducers, shots as intervals."""

from pathlib import Path

import msgspec

from pantelos.progress import Progress
from pantelos.recorder.order import Order
from pantelos.study import operations as op
from pantelos.study.importing import import_recording
from pantelos.study.model import Study
from pantelos.study.opening import preview
from pantelos.study.recordings import Recordings
from pantelos.study.usual import with_usual_accuracy


def study_of(path: Path, order: Order, step_v: tuple[float, ...], progress: Progress | None = None) -> tuple[Study, Recordings]:
    """Return the study of a recording that was made to an order."""
    study, recordings = import_recording(Study(), path, preview(path).dialect, progress)
    for one, step in zip(order.channels, step_v, strict=True):
        stated = one.scaling.accuracy
        if stated is not None and not stated.resolution:
            stated = msgspec.structs.replace(stated, resolution=step)
        scaling = msgspec.structs.replace(one.scaling, recorder_range=one.range_v, accuracy=stated)
        study = op.change_channel(study, one.name, scaling=scaling)
    return with_usual_accuracy(study), recordings


def recording_beside(study: Path) -> Path:
    """Return a name beside a study for its recording that is not taken."""
    path, n = study.with_suffix(".recording"), 2
    while path.exists():
        path, n = study.with_name(f"{study.stem}-{n}.recording"), n + 1
    return path
