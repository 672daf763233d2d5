"""The command line: complete without a window, clear messages, exit codes, identical numbers."""

import csv
import json
import subprocess
import sys

import numpy as np
import openpyxl
import pyarrow.parquet as pq
import pytest

from pantelos.cli import main as entry
from pantelos.desktop.actions.commands import commands
from pantelos.study.storage import load_study

NEW = ("--channel", "i1=2 [V]: clamp 100 mV/A, reversed, range 5 V", "--channel", "u1=1: direct",
       "--connection", "load=single-phase: u=u1, i=i1", "--formula", "p1 = u1 * i1", "--formula", "e = integral(p1)",
       "--interval", "steady=0.2..0.4", "--interval", "late=0.6013..0.9 snap")  # fmt: skip


@pytest.fixture
def run(tmp_path, monkeypatch, invoke):
    """Run a command in a folder of its own; return what it printed, expecting success unless told otherwise."""
    monkeypatch.chdir(tmp_path)

    def call(*args, fails=None):
        result = invoke(*args)
        if fails is None:
            assert result.exception is None, result.output + repr(result.exception)
            return result.stdout
        assert fails in str(result.exception) + result.output
        return ""

    return call


@pytest.fixture
def volts_file(tmp_path, sine):
    """Return a recording in volts at the recorder: 230 V direct, 5 A through a clamp of 100 mV/A put on backwards."""
    u, i = sine(230, 50, seconds=1), -0.1 * sine(5, 50, -60, seconds=1)
    path = tmp_path / "rec.csv"
    path.write_text(
        "rate: 10 kHz\nUA [V],IA [V]\n" + "\n".join(f"{a!r},{b!r}" for a, b in zip(u.tolist(), i.tolist(), strict=True))
    )
    return path


def test_a_study_with_everything_is_made_changed_and_asked_without_a_window(run, volts_file, tmp_path):
    assert json.loads(run("inspect", volts_file, "--json"))["dialect"]["columns"][1]["name"] == "IA"
    run("new", "s.pantelos", volts_file, *NEW)
    shown = json.loads(run("show", "s.pantelos", "--json"))
    assert shown["reference"] == "u1"
    assert shown["channels"][1] == {"name": "i1", "column": "IA", "unit": "A", "scaling": "clamp 100 mV/A, reversed, range 5 V"}
    assert shown["intervals"][1]["cycles"] == pytest.approx(15, abs=1e-6)
    assert json.loads(run("value", "s.pantelos", "mean(p1) in steady", "--json"))["value"] == pytest.approx(575, abs=1e-8)
    assert float(run("value", "s.pantelos", "phase(i1, u1)", "--interval", "steady").split()[0]) == pytest.approx(-60, abs=1e-8)
    run("edit", "s.pantelos", "--rename", "p1=power", "--remove-interval", "late", "--interval", "steady=0.1..0.5",
        "--formula", "eta = mean(power) / 1 kW", "--title", "bench 4", "--disconnect", "load.i", "--connect", "load.i=i1")  # fmt: skip
    study = load_study(tmp_path / "s.pantelos")
    assert (study.title, [f.text for f in study.formulas]) == (
        "bench 4",
        ["power = u1 * i1", "e = integral(power)", "eta = mean(power) / 1 kW"],
    )
    run("tables", "s.pantelos", "--to", "t.xlsx", "--to", "t.json", "--to", "t.csv")
    tables = {t["id"]: t for t in json.loads((tmp_path / "t.json").read_text())["tables"]}
    assert set(tables) == {"readings", "power", "resolution", "harmonics", "distortion", "readouts"}
    power = tables["power"]["rows"][0]
    assert (power["P"], power["Q1"], power["phi1"], power["E_returned"]) == pytest.approx((575, 995.9292143522, 60, 0), abs=1e-7)
    sheet = openpyxl.load_workbook(tmp_path / "t.xlsx")["Power and energy"]
    headings = [cell.value for cell in sheet[1]]
    assert sheet.cell(2, headings.index("P [W]") + 1).value == power["P"]  # to the last digit
    about = openpyxl.load_workbook(tmp_path / "t.xlsx")["Method and source"]
    text = "\n".join(str(cell.value) for row in about.iter_rows() for cell in row)
    assert all(
        part in text for part in ("rec.csv", study.record.files[0].fingerprint, "IEEE 1459", "clamp 100 mV/A, reversed", "steady")
    )
    rows = list(csv.reader((tmp_path / "t.csv").read_text().splitlines()))
    at = next(k for k, row in enumerate(rows) if row and row[0] == "interval" and "P [W]" in row)
    assert float(rows[at + 1][rows[at].index("P [W]")]) == power["P"]
    thd = tables["distortion"]["rows"][1]["thd"]
    assert thd == json.loads(run("value", "s.pantelos", "thd(i1)", "--json"))["value"]


def test_samples_spectra_and_checks_come_out(run, volts_file, tmp_path):
    run("new", "s.pantelos", volts_file, *NEW)
    assert "2000 samples" in run("convert", "s.pantelos", "o.csv", "--channel", "p1", "--interval", "steady")
    run("convert", "s.pantelos", "o.parquet", "--whole")
    table = pq.read_table(tmp_path / "o.parquet")
    assert table.column_names == ["t [s]", "i1 [A]", "u1 [V]", "p1 [W]", "e [J]"] or set(table.column_names) >= {
        "p1 [W]",
        "e [J]",
    }
    rows = [row for row in (tmp_path / "o.csv").read_text().splitlines() if not row.startswith("#")][1:]
    written = [float(row.split(",")[1]) for row in rows]
    assert written == table["p1 [W]"].to_pylist()[2000:4000]
    run("spectrum", "s.pantelos", "u1", "--interval", "steady", "--window", "rectangular", "--to", "f.svg", "--to", "f.csv")
    assert (tmp_path / "f.svg").read_text(encoding="utf-8").count("<svg") == 1  # both are written
    lines = dict(tuple(map(float, row.split(","))) for row in (tmp_path / "f.csv").read_text().splitlines()[1:])
    assert lines[50.0] == pytest.approx(230, abs=1e-9)
    assert "power flows from supply to load" in run("checks", "s.pantelos")
    series = json.loads(run("value", "s.pantelos", "rms(u1) over cycles(u1)", "--json"))
    assert series["values"][3] == pytest.approx(230, rel=1e-5)
    assert "$defs" in json.loads(run("schema"))
    assert {"integral", "thd"} <= {f["name"] for f in json.loads(run("functions", "--json"))}


@pytest.mark.parametrize(
    ("args", "said"),
    [
        (("new", "t.pantelos", "gone.csv"), "gone.csv cannot be read"), (("show", "gone.pantelos"), "gone.pantelos cannot be read"),
        (("edit", "s.pantelos", "--formula", "x = u1 + i1"), 'at "+": V and A'), (("edit", "s.pantelos", "--formula", "p1 = e * 2"), "refers to itself"),
        (("edit", "s.pantelos", "--interval", "x=0.5..7"), "lies outside the record"), (("edit", "s.pantelos", "--interval", "x=now"), "Write start and stop"),
        (("edit", "s.pantelos", "--channel", "u1=9"), "columns 1 to 2"), (("edit", "s.pantelos", "--channel", "i1=2: clamp 5 kg"), "as in clamp 100 mV/A"),
        (("tables", "s.pantelos", "--to", "t.doc"), "choose one of .csv, .xlsx, .json"), (("tables", "s.pantelos", "--table", "x"), "there are readings"),
        (("tables", "s.pantelos", "--to", "no/such/t.csv"), "cannot be written"), (("new", "s.pantelos", "rec.csv"), "exists already"),
        (("value", "s.pantelos", "rms(u1) in braking"), "there are steady, late"), (("convert", "s.pantelos", "o.doc"), "choose one of"),
    ],
)  # fmt: skip
def test_what_cannot_be_done_is_said_and_harms_nothing(run, volts_file, tmp_path, args, said):
    run("new", "s.pantelos", volts_file, *NEW)
    before = (tmp_path / "s.pantelos").read_bytes()
    run(*args, fails=said)
    assert (tmp_path / "s.pantelos").read_bytes() == before


def test_a_connection_with_an_empty_socket_names_it(run, volts_file):
    run("new", "s.pantelos", volts_file, "--connection", "m=three-phase-3w: u13=UA, i1=IA")
    run("tables", "s.pantelos", "--table", "power", fails="no channel in u23, i2")


def test_messages_go_to_standard_error_with_exit_code_one_and_no_traceback(tmp_path):
    done = subprocess.run(
        [sys.executable, "-m", "pantelos", "show", "gone.pantelos"], cwd=tmp_path, capture_output=True, text=True, check=False
    )
    assert (done.returncode, done.stdout) == (1, "")
    assert done.stderr == "gone.pantelos cannot be read: no such file or directory. Check the name and the folder.\n"
    wrong = subprocess.run([sys.executable, "-m", "pantelos", "shwo"], cwd=tmp_path, capture_output=True, text=True, check=False)
    assert wrong.returncode == 2


def test_the_window_is_not_loaded_by_other_commands(tmp_path):
    """Nor is anything else that a command does not use: it starts at once."""
    heavy = (
        "{'PyQt6', 'scipy', 'numba', 'pyarrow', 'h5py', 'pint', 'rich', 'xlsxwriter', 'pantelos.tables.building', 'platformdirs'}"
    )
    code = f"import sys; import pantelos.formula.compile; from pantelos.cli.main import command; [command(n) for n in ('show', 'value')]; sys.exit(str({heavy} & set(sys.modules)))"
    done = subprocess.run([sys.executable, "-c", code], cwd=tmp_path, check=False, capture_output=True, text=True)
    assert done.stderr.strip() == "set()"


def test_every_action_of_the_window_has_help_and_a_shortcut_of_its_own():
    table = commands()
    shortcuts = [command.shortcut for command in table if command.shortcut]
    assert len({command.id for command in table}) == len(table)
    assert len(set(shortcuts)) == len(shortcuts)
    assert all(command.help for command in table)
    assert entry.main


def test_events_accuracy_and_intervals_by_rule_without_a_window(run, volts_file, tmp_path):
    run("new", "s.pantelos", volts_file, *NEW)
    run("edit", "s.pantelos", "--channel", "u1=1: accuracy 0.1 %", "--channel",
        "i1=2 [V]: clamp 100 mV/A, reversed, accuracy 0.2 %, delay 1 us", "--events", "ups = u1 rises through 0 V", "--time-base", 50,
        "--columns", "rms crest", "--note", "steady=second run", "--panel", "xy u1 i1 in steady", "--panel", "repeats u1 at ups",
        "--panel", "events ups", "--panel", "edges", "--panel", "readout p1 mean", "--active", "steady", "--fill", "every 5 cycles")  # fmt: skip
    study = load_study(tmp_path / "s.pantelos")
    assert [panel.kind for panel in study.panels] == ["xy", "repeats", "events", "edges", "readout"]
    assert (study.columns.readings, study.record.time_base_ppm, study.interval("steady").note) == (
        ("rms", "crest"),
        50,
        "second run",
    )
    assert [i.name for i in study.intervals][-1] == "cycles 2"
    found = json.loads(run("events", "s.pantelos", "ups", "--json"))
    assert (len(found["time_s"]), found["time_s"][1]) == (49, pytest.approx(0.04, abs=1e-6))
    assert run("events", "s.pantelos", "i1 is beyond 6 sigma") == ""
    said = run("explain", "s.pantelos", "mean(p1) in steady")
    assert "= 575.0 W ± 1.5 W (k = 2)" in said
    assert "gain of i1, rectangular" in said
    budget = json.loads(run("explain", "s.pantelos", "frequency(u1)", "--interval", "steady", "--json"))["budget"]
    assert budget[0][0] == "time base"
    for wrong, why in ((("explain", "s.pantelos", "u1 + u1"), "is no reading of channels"), (("events", "s.pantelos", "u1 rises"), "what to look for"),
                       (("edit", "s.pantelos", "--columns", "rms nose"), "no reading of one channel"), (("demo", "--which", "moon"), "no demo"),
                       (("edit", "s.pantelos", "--panel", "xy u1 nose"), "no channel"), (("edit", "s.pantelos", "--time-base", "-5"), "no accuracy of a clock")):  # fmt: skip
        run(*wrong, fails=why)
    run("edit", "s.pantelos", "--remove-events", "ups")
    assert [panel.kind for panel in load_study(tmp_path / "s.pantelos").panels] == ["xy", "edges", "readout"]


def test_a_small_demo_without_a_display_writes_its_tables(run, tmp_path):
    printed = run("demo", "--which", "inrush", "--to", tmp_path / "kiln", "--no-window")
    assert (tmp_path / "kiln" / "inrush-tables.csv").exists() or "inrush-tables" in printed
    assert "picture" not in printed


def test_what_is_kept_is_shown_bounded_and_cleared(invoke, own_cache, tmp_path, monkeypatch):
    monkeypatch.setenv("PANTELOS_SETTINGS", str(tmp_path / "settings"))
    t = np.arange(1 << 17) / 10_000.0
    (tmp_path / "r.csv").write_text(
        "t [s],u [V]\n" + "\n".join(f"{a:.4f},{b:.4f}" for a, b in zip(t, 300 * np.sin(314.2 * t), strict=True))
    )
    assert invoke("new", tmp_path / "s.pantelos", tmp_path / "r.csv").exit_code == 0
    invoke("tables", tmp_path / "s.pantelos", "--table", "accuracy")
    held = json.loads(invoke("cache", "--json").stdout)
    assert held["bytes"]["results"] > 0 and held["bytes"]["records"] > 100_000 and held["results_most_bytes"] == 512 << 20
    assert "of 64 MB" in invoke("cache", "--most", 64).stdout
    cleared = json.loads(invoke("cache", "--clear", "all", "--json").stdout)["bytes"]
    assert cleared == {"results": 0, "records": 0}
    assert "choose results, records or all" in str(invoke("cache", "--clear", "everything").exception)
    assert float(invoke("value", tmp_path / "s.pantelos", "rms(u)").stdout.split()[0]) == pytest.approx(300 / 2**0.5, rel=1e-4)


def test_a_report_says_with_what_it_was_measured_and_verdicts_that_are_not_there_end_with_an_error(invoke, csv_file, tmp_path):
    study = tmp_path / "s.pantelos"
    invoke("new", study, csv_file, "--connection", "m=single-phase: u=u1, i=i1")
    said = ("--equipment", "clamp; serial CL-7; due 2027-01-01", "--fact", "customer = joinery")
    assert invoke("report", study, "--sheet", "title", "--to", tmp_path / "r.html", "--keep", *said).exit_code == 0
    page = (tmp_path / "r.html").read_text()
    assert all(text in page for text in ("CL-7", "2027-01-01", "joinery", "BLAKE2b-256"))
    assert [one.serial for one in load_study(study).report.equipment] == ["CL-7"]
    for declared, why in (
        ("u_din = 230 V", 'did you mean "U_din"'), ("limits = ieee519-current-69kv", "There are no verdicts"), ("limits = en50160lv", 'did you mean "en50160-lv"'),
    ):  # fmt: skip
        done = invoke("quality", study, "--declare", "U_din = 230 V", "--declare", declared)
        assert done.exit_code == 1 and why in str(done.exception), done
    turned = invoke("quality", study, "--declare", "U_din = 230 V", "--declare", "limits = en50160-lv", "--turns").stdout
    assert "more values for a verdict" in turned
