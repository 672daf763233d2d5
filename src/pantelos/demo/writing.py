"""Write the demo to a folder: the recording as a CSV file, and the ready study beside it."""

import io
from pathlib import Path

from pantelos.demo import lift
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import access_error
from pantelos.folders import cache_directory
from pantelos.progress import Progress
from pantelos.saving import write_whole
from pantelos.signal.levels.levels import Level
from pantelos.study import operations as op
from pantelos.study.importing import import_recording
from pantelos.study.model import EventSearch, Interval, Slope, Study
from pantelos.study.opening import preview
from pantelos.study.shown import Panel
from pantelos.study.storage import load_study, save_study

RECORD_NAME = "goods-lift.csv"
STUDY_NAME = "goods-lift.pantelos"
_EDITION = 7  # raised when the generated content changes

_INTERVALS = (
    ("idle", 0.5, 1.5),
    ("inrush", 2.0, 2.5),
    ("steady lift", 6.0, 8.0),
    ("mains dip", 9.0, 9.2),
    ("hold", 12.5, 13.5),
    ("lowering, energy returned", 16.0, 20.0),
)
_ACCEPTED = ("idle", "steady lift", "lowering, energy returned")  # what an acceptance is about
_FORMULAS = (
    "p1 = u1 * i1",
    "p2 = u2 * i2",
    "p3 = u3 * i3",
    "p = p1 + p2 + p3",
    "e = integral(p)",
    "U1 = rms(u1) over cycles(u1)",
    "p_mech = M * n",
    'eta = mean(p_mech) in "steady lift" / mean(p) in "steady lift"',
)


def demo_folder() -> Path:
    """Return where the demo is kept unless another place is asked for."""
    return cache_directory() / f"demo-{_EDITION}"


def ensure_demo(folder: Path | None = None, progress: Progress | None = None) -> Path:
    """Return the path of the demo study, written first where it is not there yet."""
    folder = folder or demo_folder()
    study = folder / STUDY_NAME
    if not (study.exists() and (folder / RECORD_NAME).exists()):
        write_demo(folder, progress)
    return study


def write_demo(folder: Path, progress: Progress | None = None) -> Path:
    """Write recording and study; return the path of the study.

    Raises
    ------
    FileAccessError
        When the folder cannot be written.
    """
    progress = progress or Progress()
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as cause:
        raise access_error(folder, "written", cause) from cause
    write_whole(folder / RECORD_NAME, _written_record(progress.part(0.0, 0.6)))
    progress.at(0.7)
    path = folder / STUDY_NAME
    save_study(build_study(folder / RECORD_NAME, progress.part(0.7, 1.0)), path)
    load_study(path)
    return path


def _written_record(progress: Progress) -> bytes:
    import pyarrow as pa  # here, for the sake of a quick start: the demo is written once
    import pyarrow.csv as pacsv

    volts = lift.recorded_volts()
    progress.at(0.5)
    file = io.BytesIO()
    head = (
        "device: made-up recorder, demo data\n"
        "test: goods lift drive, acceptance run 3\n"
        f"sample rate: {lift.RATE_HZ / 1000:g} kHz\n"
        f"range: {lift.RANGE_V:g} V\n\n"
    )
    file.write(head.encode())
    names = ",".join(f"{channel.name} [V]" for channel in lift.RECORDED)
    file.write(f"{names}\n".encode())
    pacsv.write_csv(pa.table(volts), file, pacsv.WriteOptions(include_header=False))
    progress.at(1.0)
    return file.getvalue()


def build_study(record_path: Path, progress: Progress | None = None) -> Study:
    """Return the ready study of the demo recording: scaling, wiring, intervals, formulas, lanes, panels."""
    study = Study(title="goods lift, acceptance 3")
    study, recordings = import_recording(study, record_path, preview(record_path).dialect, progress)
    record = recordings.record(study.record)
    for channel in lift.RECORDED:
        study = op.scale_channel(study, channel.name, channel.scaling)
    study = op.add_connection(study, "mains", "three-phase-4w")
    for socket in ("u1", "u2", "u3", "i1", "i2", "i3"):
        study = op.place_channel(study, "mains", socket, socket)
    study = op.add_connection(study, "dc link", "dc")
    study = op.place_channel(study, "dc link", "u", "u_dc")
    study = op.place_channel(study, "dc link", "i", "i_dc")
    for connection, kind, sockets in (
        ("machine", "three-phase-3w", {"u13": "uUW", "i1": "iU", "u23": "uVW", "i2": "iV"}),
        ("shaft", "shaft", {"M": "M", "n": "n"}),
    ):
        study = op.add_connection(study, connection, kind)
        for socket, sits in sockets.items():
            study = op.place_channel(study, connection, socket, sits)
    study = op.set_chain(study, op.chain_from(study, "mains > rectifier > dc link > inverter > machine > motor > shaft"))
    for text in _FORMULAS:
        study = op.set_formula(study, text)
    for name, start, stop in _INTERVALS:
        study = op.add_interval(study, Interval(name, start, stop), record.grid)
    study = op.set_search(study, EventSearch("dips", "U1", slope=Slope.FALLING, level=Level(207.0), hysteresis=Level(4.6)))
    evaluation = Evaluation(study, record)
    for name in (name for name, _, _ in _INTERVALS if name != "mains dip"):  # the dip is where it is, 10 cycles long
        snapped = evaluation.places.snapped(study.interval(name))
        study = op.move_interval(study, name, snapped.start_s, snapped.stop_s, record.grid)
    return _arranged(op.activate(study, "steady lift"))


def _arranged(study: Study) -> Study:
    """Return the study with the lanes, panels and report of the demo."""
    shown = (("u1", "u2", "u3"), ("i1", "i2", "i3"), ("p",), ("e",), ("u_dc",), ("n",))
    study = op.arrange_lanes(study, shown)
    for at, weight in enumerate((1.3, 1.3, 1.1, 0.8, 0.75, 0.75)):
        study = op.resize_lane(study, at, weight)
    study = op.add_panel(study, Panel("spectrum", ("i1",)))
    study = op.add_panel(study, Panel("harmonics", ("i1",)))
    study = op.add_panel(study, Panel("phasors", ("mains",)))
    return op.set_report(study, intervals=_ACCEPTED)
