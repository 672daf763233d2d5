"""The library: the numbers of the window and the command line, as values of Python."""

import json
import re
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import pantelos
from pantelos.demo.small import SMALL_DEMOS, ensure_small_demo
from pantelos.desktop.presenter.reading_columns import ReadingColumn, cells_job
from pantelos.formula.compiled import Kind
from pantelos.progress import Progress
from pantelos.reading.kinds import READINGS
from pantelos.scripting.listing import public
from pantelos.scripting.value import Value
from pantelos.scripting.waveform import Channel, Series
from pantelos.tables.kinds import TABLES

DOCS = Path(__file__).parents[2] / "docs"
RATE = 20_000.0


@pytest.fixture
def run_csv(tmp_path):
    t = np.arange(40_000) / RATE
    columns = [t, 325 * np.sin(2 * np.pi * 50 * t), 5 * np.sin(2 * np.pi * 50 * t - 0.5)]
    path = tmp_path / "run.csv"
    np.savetxt(path, np.column_stack(columns), fmt="%.9g", delimiter=",", header="t [s],u1 [V],i1 [A]", comments="")
    return path


def test_the_documentation_is_true(run_csv, monkeypatch, capsys):
    """Its code runs from top to bottom, and what it says of itself holds."""
    monkeypatch.chdir(run_csv.parent)
    scope = {}
    for block in re.findall(r"```python\n(.*?)```", (DOCS / "library.md").read_text(encoding="utf-8"), re.S):
        exec(block, scope)
    assert "there is no channel or formula" in capsys.readouterr().out
    assert (scope["done"], scope["failed"]) == (1, 0) and scope["rows"][0]["P"] == pytest.approx(
        325 * 2.5 * np.cos(0.5), rel=1e-6
    )
    assert scope["table"].num_rows == 1 and scope["table"].schema.field("P").metadata[b"unit"] == b"W"
    assert Path("i1.svg").read_text(encoding="utf-8").count("<svg") == 1


def test_what_is_public_stays():
    assert (DOCS / "library.txt").read_text(encoding="utf-8") == public()


def test_importing_loads_neither_numpy_nor_a_window():
    code = "import sys, pantelos; print([name for name in ('numpy', 'scipy', 'pyarrow', 'PyQt6') if name in sys.modules])"
    assert subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.strip() == "[]"
    used = "import sys, pantelos; pantelos.from_arrays(u=[1.0, 2.0], rate=1.0).value('mean(u)'); print('PyQt6' in sys.modules)"
    assert subprocess.run([sys.executable, "-c", used], capture_output=True, text=True, check=True).stdout.strip() == "False"


@pytest.mark.parametrize(
    "demo", [demo for demo in SMALL_DEMOS if demo.id in ("ripple", "settling", "inrush")], ids=lambda d: d.id
)
def test_numbers_are_those_of_command_line_and_window(demo, tmp_path, invoke):
    path = ensure_small_demo(demo, tmp_path)
    study = pantelos.open(path)
    told = json.loads(invoke("tables", path, "--json").stdout)
    assert len(told["tables"]) > 1
    for of in told["tables"]:
        assert json.loads(json.dumps(study.table(of["id"]).rows())) == of["rows"], of["id"]
    evaluation = study._evaluation
    signals = [name for name in study if evaluation.names.kind(name) is Kind.SIGNAL]
    kinds = [kind for kind in READINGS if len(kind.arguments) == 1 and not kind.settings][:12]
    cells = cells_job(evaluation, signals, [ReadingColumn(kind.name) for kind in kinds], True)(Progress())
    n = 0
    for (name, column), cell in cells.items():
        if np.isfinite(cell.value):
            value = study.value(f"{column.reading}({name})")
            assert (float(value), value.plus_minus or np.nan) == pytest.approx(
                (cell.value / cell.unit.factor, cell.expanded / cell.unit.factor), rel=0, abs=0, nan_ok=True
            )
            bare = invoke("value", path, f"{column.reading}({name})", "--bare").stdout.split()[0]
            assert float(bare) == float(value)
            n += 1
    assert n > 5


def test_a_study_never_changes(run_csv):
    first = pantelos.read(run_csv)
    second = first.with_formula("p = u1 * i1").with_interval("late", "the last 0.5 s").with_scaling(u1="divider 10:1")
    assert first.formulas == {} and first.intervals == {} and first.active is None
    assert second.intervals["late"].rule == "the last 0.5 s" and second.intervals["late"].start_s == pytest.approx(1.5)
    assert float(second.value("rms(u1)")) == pytest.approx(10 * float(first.value("rms(u1)")), rel=1e-6)
    kept = second.save(run_csv.parent / "bench.pantelos")
    assert pantelos.open(kept.path).value("mean(p)").value == second.value("mean(p)").value
    with pytest.raises(pantelos.PantelosError, match="exists already"):
        pantelos.new(kept.path, run_csv)


def test_a_value_carries_all_that_belongs_to_it(run_csv):
    study = pantelos.read(run_csv).with_scaling(u1="direct, accuracy 0.2 % + 10 mV").with_interval("steady", "0.5 .. 1.5")
    value = study.value("rms(u1)")
    assert isinstance(value, Value) and float(value) == pytest.approx(325 / 2**0.5, rel=1e-6)
    assert value.plus_minus == pytest.approx(0.002 * 230, rel=0.3) and value.place == "steady" and value.remarks == ()
    assert "IEC" in value.explain() and "±" in str(value) and f"{value:.1f}" == "229.8"
    assert value.to_pint().units == "volt"
    assert study.value("rms(u1)", "whole record").place == "whole record"
    assert study.value("rms(i1)").plus_minus is None and "i1" in study.value("rms(i1)").remarks[0]


@given(samples=st.lists(st.floats(-1e6, 1e6), min_size=20, max_size=200), first=st.integers(0, 19), n=st.integers(0, 200))
@settings(max_examples=40, deadline=None)
def test_arrays_come_back_as_they_are(samples, first, n):
    x = np.array(samples)
    study = pantelos.from_arrays(x=x, rate=1000.0, units={"x": "V"})
    channel = study["x"]
    assert isinstance(channel, Channel) and len(channel) == len(x)
    x[:] = 0.0  # what was given is the user's again
    x = np.array(samples)
    part = channel[first / 1000 : (first + n) / 1000]
    assert part[2::3].times == pytest.approx(part.times[2::3]) and part[2:].unit == "V"
    assert (part * part).unit is None and np.isnan((part * part).times).all()  # no unit and no times that are not its own
    assert np.array_equal(part, x[first : first + n]) and part.times == pytest.approx(np.arange(first, first + len(part)) / 1000)
    assert np.array_equal(np.concatenate([np.asarray(block) for block in channel.blocks(7)]), x)
    assert float(study.value("mean(x)", "whole record")) == pytest.approx(x.mean(), rel=1e-9, abs=1e-9)


def test_tables_series_and_figures(run_csv):
    import pyarrow as pa

    study = pantelos.read(run_csv).with_connection("load", "single-phase", u="u1", i="i1")
    table = study.table("power")
    assert set(study.table_ids) == set(TABLES.names) and table["P"] == [pytest.approx(325 * 2.5 * np.cos(0.5), rel=1e-6)]
    assert pa.table(table).column("P").to_pylist() == table["P"]  # by the Arrow PyCapsule interface
    assert table.units["P"] == "W" and "<table>" in table._repr_html_() and table.method
    series = study.series("rms(u1) over cycles(u1)")
    assert isinstance(series, Series) and np.asarray(series) == pytest.approx(325 / 2**0.5, rel=1e-4)
    assert len(series.starts) == len(series) == len(series.stops)
    assert study.figure("spectrum i1 flat-top")._repr_svg_().startswith("<svg")
    assert [event.time_s for event in study.events("u1 rises through 100 V")][:2] == pytest.approx([0.000995, 0.020995], abs=1e-5)
    assert any(finding.severity == "fine" for finding in study.checks())
    assert (
        study.write(run_csv.parent / "samples.parquet").exists() and study.report(run_csv.parent / "r.html").stat().st_size > 1000
    )


@pytest.mark.parametrize(
    ("wrong", "said"),
    [
        (lambda s: s.value("mean(nothing)"), "there is no channel or formula"),
        (lambda s: s.value("u1"), "no single value"),
        (lambda s: s.value("1 / (mean(u1) - mean(u1))"), "divided by zero"),
        (lambda s: s.series("rms(u1)"), "no series"),
        (lambda s: s["nothing"], "no recorded channel"),
        (lambda s: s["u1"][3], "stretches of time"),
        (lambda s: s.table("nothing"), "nothing"),
        (lambda s: s.edited(nothing=1), "There is no change"),
        (lambda s: s.figure("nothing u1"), "is not a panel"),
        (lambda s: s.figure("spectrum u1").save("x.bmp"), "as SVG"),
        (lambda s: s.with_connection("c", "single-phase", u="u1", i="i1").explain("P of L9 of c"), "has no L9"),
        (lambda s: pantelos.open("/nowhere/at/all"), "cannot be read"),
        (lambda s: pantelos.from_arrays(rate=1.0, a=[1.0, 2.0], b=[1.0, 2.0, 3.0]), "different lengths"),
        (lambda s: pantelos.from_arrays(rate=1.0, a=np.zeros((3, 3))), "no row of samples"),
        (lambda s: pantelos.from_arrays(rate=1.0, a=[1.0, 2.0]).save("x.pantelos"), "is in no file"),
    ],
)
def test_what_cannot_be_is_one_sentence(run_csv, wrong, said):
    with pytest.raises(pantelos.PantelosError, match=said):
        wrong(pantelos.read(run_csv))
