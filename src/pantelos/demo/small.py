"""Small demos, each a question from the bench with a known answer: settling, ripple, changing resistance."""

from collections.abc import Callable
from pathlib import Path

import msgspec

from pantelos.demo import conveyor, incidents, kiln, rail, sieve, week
from pantelos.errors import access_error
from pantelos.folders import cache_directory
from pantelos.progress import Progress
from pantelos.saving import write_whole
from pantelos.signal.arrays import FloatArray
from pantelos.study.importing import import_recording
from pantelos.study.model import Study
from pantelos.study.opening import preview
from pantelos.study.recordings import Recordings
from pantelos.study.storage import save_study

_EDITION = 2  # raised when the generated content changes


class SmallDemo(msgspec.Struct, frozen=True):
    """One question: its recording, and the study that answers it."""

    id: str
    title: str
    help: str
    rate_hz: float
    record: Callable[[], dict[str, FloatArray]]  # what the recorder put down, V
    build: Callable[[Study, Recordings], Study]
    units: dict[str, str] = {}  # of columns that are not in V
    began: str = ""  # date and time


SMALL_DEMOS: tuple[SmallDemo, ...] = (
    SmallDemo(
        "settling",
        "Settling of a vibrating sieve",
        "Frequency over time from a control edge on",
        sieve.RATE_HZ,
        sieve.recorded_volts,
        sieve.build,
    ),
    SmallDemo(
        "ripple",
        "Ripple on a control rail",
        "Tens of millivolts on 48 V, looked at from a load step on",
        rail.RATE_HZ,
        rail.recorded_volts,
        rail.build,
    ),
    SmallDemo(
        "inrush",
        "Inrush of a pottery kiln",
        "Voltage, current and a resistance that changes, read together",
        kiln.RATE_HZ,
        kiln.recorded_volts,
        kiln.build,
    ),
    SmallDemo(
        "conveyor",
        "Run-up of a belt conveyor",
        "Gates, a switched voltage and an encoder that runs up: duty, carrier, dead time, energy both ways",
        conveyor.RATE_HZ,
        conveyor.recorded_volts,
        conveyor.build,
    ),
    SmallDemo(
        "week",
        "A week at the supply of a joinery",
        "Trends of a logger judged as a public low-voltage supply",
        week.RATE_HZ,
        week.recorded_volts,
        week.build,
        week.COLUMNS,
        week.BEGAN,
    ),
    SmallDemo(
        "incidents",
        "Incidents at the supply of a joinery",
        "Two dips, a swell, an interruption and a lasting step, with depth and duration",
        incidents.RATE_HZ,
        incidents.recorded_volts,
        incidents.build,
    ),
)


def small_demo(id_: str) -> SmallDemo:
    """Return the demo of that id."""
    return next(demo for demo in SMALL_DEMOS if demo.id == id_)


def ensure_small_demo(demo: SmallDemo, folder: Path | None = None, progress: Progress | None = None) -> Path:
    """Return the path of a demo's study, written first where it is not there yet.

    Raises
    ------
    FileAccessError
        When the folder cannot be written.
    """
    folder = folder or cache_directory() / f"demo-{demo.id}-{_EDITION}"
    record, study = folder / f"{demo.id}.csv", folder / f"{demo.id}.pantelos"
    if record.exists() and study.exists():
        return study
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as cause:
        raise access_error(folder, "written", cause) from cause
    write_whole(record, _written(demo))
    made, recordings = import_recording(Study(title=demo.title), record, preview(record).dialect, progress or Progress())
    save_study(demo.build(made, recordings), study)
    return study


def _written(demo: SmallDemo) -> bytes:
    """Return the recording as text, each value to seven digits."""
    volts = demo.record()
    rate = f"{demo.rate_hz / 1000:g} kHz" if demo.rate_hz >= 1 else f"{demo.rate_hz:g} Hz"
    began = f"start: {demo.began}\n" if demo.began else ""
    head = f"device: made-up recorder, demo data\ntest: {demo.title}\nsample rate: {rate}\n{began}\n"
    names = ",".join(f"{name} [{demo.units.get(name, 'V')}]" for name in volts)
    row = ",".join(["%.7g"] * len(volts)) + "\n"
    rows = zip(*(values.tolist() for values in volts.values()), strict=True)
    return f"{head}{names}\n{''.join(map(row.__mod__, rows))}".encode()
