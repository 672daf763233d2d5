"""Each kind of thing there can be more of is added in one place, from here, and seen wherever it belongs."""

import os
import shutil
import subprocess
import sys
from pathlib import Path
from types import SimpleNamespace

import msgspec
import numpy as np
import pytest

from pantelos.checks import CHECKS
from pantelos.checks.check import Check
from pantelos.desktop.actions.commands import commands
from pantelos.desktop.presenter.completion import offers
from pantelos.formats.dialect import Column, Dialect, Preview
from pantelos.formats.format import Format
from pantelos.formats.registry import FORMATS
from pantelos.formats.storing import Block, Source, stored
from pantelos.formula.derived import Scalar
from pantelos.formula.functions import FUNCTIONS, Function
from pantelos.formula.functions.function import VALUES, Parameter, elementwise
from pantelos.notice import Notice, Severity
from pantelos.panels import PANELS, PanelKind, first_panel, panel_picture
from pantelos.panels.subjects import waveforms
from pantelos.paper.paper import Role
from pantelos.power.wirings import WIRINGS, Element, Socket, Wiring
from pantelos.power.wirings.scheme import two_wire
from pantelos.progress import Progress
from pantelos.reading.kinds import READINGS, single_readings
from pantelos.reading.reading import Group, Measured, ReadingKind
from pantelos.record.store import StoredColumn
from pantelos.sheets.table import Table, TableColumn
from pantelos.tables.kind import TableKind
from pantelos.tables.kinds import KINDS
from pantelos.units import ONE

EXAMPLE = Path(__file__).parent.parent / "docs" / "package-example"


def _half(waves, stretch):
    window = stretch.whole_cycles
    x = waves[0].read(window.first, window.end)
    return Measured(float(np.median(np.abs(x))), window)


HALF = ReadingKind("half_size", "half size", ("x",), "Median of the magnitude.", "median over {cycles}", lambda of: of[0], _half,
                   "half_size(u1)", Group.AMPLITUDE, degree=1)  # fmt: skip
BLEND = Function(
    "blend", "sample by sample", (Parameter("x", VALUES), Parameter("y", VALUES), Parameter("share", VALUES, (ONE,), Scalar(0.5, ONE))),
    "x and y mixed.", "blend(u1, u2, 0.3)", lambda units: units[0], elementwise(lambda x, y, share: x * (1 - share) + y * share),
)  # fmt: skip


class Seen(msgspec.Struct):
    """What the panel shows."""

    value: float
    caption: str = "the peak"


PEAK = PanelKind("peak", "Peak", "The largest value", waveforms,
                 lambda evaluation, panel, progress: Seen(evaluation.drawing.extent(panel.channels[0])[1]),
                 lambda paper, box, seen, span: paper.words(box, seen.caption, Role.INK),
                 concerns=lambda evaluation, panel: iter([Notice(Severity.CAUTION, "peak", "a peak is shown")]))  # fmt: skip
SIZES = TableKind("sizes", "Sizes", "samples per interval", lambda evaluation, places, progress: Table(
    "sizes", "Sizes", "", (TableColumn("interval", "interval"),), tuple((place,) for place in places), ()))  # fmt: skip
LOUD = Check("loud", "Nothing is loud", lambda evaluation: iter(
    [Notice(Severity.CAUTION, "loud", "it is loud", evaluation.record.source.name)]))  # fmt: skip
RING = Wiring("ring", "Ring main", (Socket("u", "voltage", "L1", "voltage"), Socket("i", "current", "L1", "current")),
              (Element("R", "R", "u", "i", "L1"),), True, two_wire(("L", "L1"), ("N", "N")), "ring")  # fmt: skip


def _source(path, dialect):
    values = np.array(path.read_text().split()[1:], dtype=float)
    column = StoredColumn(dialect.columns[0].name, dialect.columns[0].unit)
    return Source((column,), iter([Block(0, [values])]))


def _preview(path, delimiter, decimal):
    dialect = Dialect(columns=(Column("u1", "V"),), rate_hz=10_000.0)
    return Preview(dialect, (), (), (), 0, path.stat().st_size, textual=False, rate_hz=10_000.0)


def _write(path, output, progress):
    Path(path).write_text("LINES\n" + "\n".join(str(x) for x in output.channels[0].read(0, output.n_samples)))


LINES = Format("lines", "Lines", (".lines",), lambda head: head.startswith(b"LINES"), SimpleNamespace(
    preview_lines=_preview, write_lines=_write,
    read_lines=lambda path, dialect, progress: stored(path, dialect, progress, lambda progress: _source(path, dialect)),
), "lines", (".lines",))  # fmt: skip


@pytest.fixture
def study(invoke, csv_file, tmp_path):
    path = tmp_path / "run.pantelos"
    assert invoke("new", path, csv_file, "--interval", "a=0.1..0.5").exit_code == 0
    return path


def test_a_format(invoke, tmp_path, sine):
    file, made = tmp_path / "run.lines", tmp_path / "lines.pantelos"
    file.write_text("LINES\n" + "\n".join(map(str, sine(230, 50))))
    with FORMATS.with_entry(LINES):
        assert invoke("new", made, file).exit_code == 0
        assert float(invoke("value", made, "rms(u1)").stdout.split()[0]) == pytest.approx(230, rel=1e-6)
        assert ".lines" in invoke("convert", "--help").stdout


def test_a_reading(invoke, study, evaluation_of):
    with READINGS.with_entry(HALF):
        assert "half_size(x)" in invoke("functions").stdout
        assert float(invoke("value", study, "half_size(u1)").stdout.split()[0]) == pytest.approx(230, rel=1e-3)
        assert 'half_size(u1) in "a"' in invoke("explain", study, "half_size(u1)").stdout
        assert invoke("value", study, "half_size(u1) over cycles(u1)").stdout.count("\n") > 40
        assert HALF in single_readings()  # what the columns and readouts of the window offer
        assert "half_size(" in [one.text for one in offers(evaluation_of(10.0, u=np.zeros(9)), "half", 4)]


def test_a_function_of_three_arguments(invoke, study, evaluation_of):
    u, v = np.arange(9.0), np.ones(9)
    with FUNCTIONS.with_entry(BLEND):
        assert "blend(x, y, share)" in invoke("functions").stdout
        evaluation = evaluation_of(10.0, u=u, u2=v)
        assert np.allclose(evaluation.value("blend(u, u2, 0.25)").read(0, 9), 0.75 * u + 0.25 * v)
        assert np.allclose(evaluation.value("blend(u, 1 V)").read(0, 9), 0.5 * u + 0.5)
        assert evaluation.value("blend(1 V, 3 V)").value == 2.0
        assert "blend(" in [one.text for one in offers(evaluation, "u + ble", 7)]
        assert "takes 2 to 3 arguments, here are 1" in str(invoke("value", study, "blend(u1)").exception)
        assert "share of blend is in 1, this is in V" in str(invoke("value", study, "blend(u1, u1, u1)").exception)
    assert 'no function "blend"' in str(invoke("value", study, "blend(u1, u1)").exception)


def test_a_panel(invoke, study, evaluation_of):
    with PANELS.with_entry(PEAK):
        assert "panel.peak" in {command.id for command in commands()}  # what the menu and Find action offer
        assert invoke("edit", study, "--panel", "peak u1").exit_code == 0
        evaluation = evaluation_of(10.0, u=np.arange(9.0))
        assert panel_picture(evaluation, first_panel(evaluation, "peak"), Progress()).value == 8.0
        assert "a peak is shown" in invoke("checks", study).stdout
    assert "is not a panel. Write one of spectrum" in str(invoke("edit", study, "--panel", "peak u1").exception)


def test_a_table_and_a_check(invoke, study):
    with KINDS.with_entry(SIZES), CHECKS.with_entry(LOUD):
        assert "sizes" in invoke("tables", "--help").stdout
        assert "Sizes" in invoke("tables", study, "--table", "sizes").stdout
        assert "it is loud" in invoke("checks", study).stdout


def test_a_wiring(invoke, study):
    with WIRINGS.with_entry(RING):
        assert "ring: Ring main; sockets u, i" in invoke("kinds").stdout
        assert invoke("edit", study, "--connection", "r=ring: u=u1, i=i1").exit_code == 0
        assert "Ring main" in invoke("tables", study, "--table", "power", "--json").stdout
        assert float(invoke("value", study, "mean(u1 * i1)").stdout.split()[0]) == pytest.approx(575, rel=1e-3)


def _with_package(folder, *arguments):
    """Run the program with a folder of installed packages."""
    environment = os.environ | {"PYTHONPATH": str(folder), "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(
        [sys.executable, "-m", "pantelos", *map(str, arguments)], env=environment, capture_output=True, text=True, check=False
    )
    return done.stdout + done.stderr


_IN_THE_WINDOW = """
import sys
from PyQt6.QtWidgets import QApplication, QMenu
from pantelos.desktop.presenter.completion import offers
from pantelos.engine.evaluation import Evaluation
from pantelos.study.opening import record_of
from pantelos.study.storage import load_study
from pathlib import Path
app = QApplication([])
from pantelos.desktop.main_window import MainWindow
from pantelos.desktop.theme import LIGHT
window = MainWindow(LIGHT)
print([action.text() for menu in window.findChildren(QMenu) for action in menu.actions() if action.text() == "Ring main"][:1])
study = load_study(Path(sys.argv[1]))
print([one.text for one in offers(Evaluation(study, record_of(study)), "half", 4)])
"""


def test_a_package_of_others_is_seen_everywhere_and_one_that_fails_stops_nothing(tmp_path, study, sine):
    room = tmp_path / "site"
    shutil.copytree(EXAMPLE, tmp_path / "source")  # building leaves files behind
    install = [
        sys.executable,
        "-m",
        "pip",
        "install",
        "--quiet",
        "--no-deps",
        "--no-build-isolation",
        "--no-index",
        "--target",
        room,
    ]
    subprocess.run([*map(str, install), str(tmp_path / "source")], check=True, capture_output=True)
    assert "half_size(x)" in _with_package(room, "functions") and "ring: Ring main" in _with_package(room, "kinds")
    assert float(_with_package(room, "value", study, "half_size(u1)").split()[0]) == pytest.approx(230, rel=1e-3)
    file, made = tmp_path / "run.lines", tmp_path / "lines.pantelos"
    file.write_text("LINES\n" + "\n".join(map(str, sine(230, 50))))
    assert "1 channel" in _with_package(room, "new", made, file)
    assert float(_with_package(room, "value", made, "rms(u1)").split()[0]) == pytest.approx(230, rel=1e-6)
    assert "Supply of the pump bench" in _with_package(room, "limits", "pump-bench")
    assert "packages" not in _with_package(room, "checks", study, "--json")
    environment = os.environ | {"PYTHONPATH": str(room), "QT_QPA_PLATFORM": "offscreen"}
    shown = subprocess.run(
        [sys.executable, "-c", _IN_THE_WINDOW, str(study)], env=environment, capture_output=True, text=True, check=True
    )
    assert shown.stdout.splitlines()[-2:] == ["['Ring main']", "['half_size(']"]
    # What is kept of its readings is of its code as it is: another median gives another number, though the record is long.
    long = tmp_path / "long.lines"
    long.write_text("LINES\n" + "\n".join(map(str, sine(230, 50, seconds=8.0))))
    _with_package(room, "new", tmp_path / "long.pantelos", long)
    shown = ("explain", tmp_path / "long.pantelos", "half_size(u1)")
    before = _with_package(room, *shown)
    own = room / "laboratory" / "readings.py"
    own.write_text(own.read_text().replace("np.median(", "2 * np.median("))
    after = _with_package(room, *shown)
    sizes = [float(said.split("=")[1].split()[0]) for said in (before, after)]
    assert sizes[1] == pytest.approx(2 * sizes[0], rel=1e-6)
    own.write_text(own.read_text().replace("2 * np.median(", "np.median("))
    # A name that is taken, what is none, one that cannot be loaded.
    bad = room / "bad-1.0.dist-info"
    bad.mkdir()
    (bad / "METADATA").write_text("Metadata-Version: 2.1\nName: bad\nVersion: 1.0\n")
    (bad / "entry_points.txt").write_text(
        "[pantelos.readings]\nrms = bad:TAKEN\nnone = bad:NONE\nlost = nowhere:X\n[pantelos.limit_sets]\nown = bad:NONE\n"
    )
    (room / "bad.py").write_text(
        "from pantelos.reading.kinds import READINGS\nTAKEN, NONE = READINGS['rms'], 3\n"  # one that asks while it is asked for
    )
    said = _with_package(room, "checks", study)
    for words in ('brings rms, which is left out: there is a reading "rms" already', "brings none, which is left out: reading is expected",
                  "brings lost, which is left out: nowhere:X fails with ModuleNotFoundError", "brings own, which is left out: 3 is neither"):  # fmt: skip
        assert words in said
    assert "half_size(x)" in _with_package(room, "functions")
