"""Formulas in a study: what is computed anew, what a series is exported as, and the same numbers in every way of asking."""

import json
import math

import h5py
import numpy as np
import pyarrow.parquet as pq
import pytest

from pantelos.desktop.presenter.derive import answer
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.results import ResultCache
from pantelos.errors import FormulaError, PantelosError, StudyError
from pantelos.record.record import Channel
from pantelos.study import operations as op
from pantelos.study.model import EventSearch


@pytest.fixture
def study(invoke, csv_file, tmp_path):
    """Return the path of a study with a series, u 230 V and i 5 A at 60 degrees, 1 s."""
    path = tmp_path / "run.pantelos"
    formulas = ("U = rms(u1) over cycles(u1)", "P = active(u1, i1) over blocks(100 ms)", "p1 = u1 * i1")
    given = [part for text in formulas for part in ("--formula", text)]
    assert invoke("new", path, csv_file, "--interval", "a=0.1..0.5", *given).exit_code == 0
    return path


@pytest.mark.parametrize(
    ("text", "exact"),
    [
        ("active(u1, i1)", 575.0), ("reactive(u1, i1)", 575 * math.sqrt(3)), ("apparent(u1, i1)", 1150.0), ("power_factor(u1, i1)", 0.5),
        ("resistance(u1, i1)", 23.0), ("percentile(u1, 100)", 325.269), ("received(p1) in a", None), ("mean(U) - 230 V", 0.0),
        ("max(lowpass(u1, 1 kHz))", 325.269), ("count(P) in \"whole record\"", 10), ("mean(P) to kW", 0.575), ("phase(i1, u1)", -60.0),
    ],
)  # fmt: skip
def test_the_line_and_the_command_give_the_same_number(invoke, study, text, exact):
    from pantelos.study.opening import record_of
    from pantelos.study.storage import load_study

    printed = invoke("value", study, text).stdout.split()
    opened = load_study(study)
    evaluation = Evaluation(opened, record_of(opened))
    found = evaluation.value(text)
    assert float(printed[0]) == found.value / found.unit.factor
    assert answer(evaluation, text)
    if exact is not None:
        assert float(printed[0]) == pytest.approx(exact, rel=1e-4, abs=1e-6)


def test_a_series_is_told_piece_by_piece_with_start_and_end(invoke, study, tmp_path):
    told = json.loads(invoke("value", study, "P", "--json").stdout)
    assert told["values"] == pytest.approx([575.0] * 10, rel=1e-9)
    assert told["start_s"] == pytest.approx(np.arange(10) * 0.1) and told["stop_s"] == pytest.approx(np.arange(1, 11) * 0.1)
    assert any("block" in line for line in told["how"])
    files = [tmp_path / f"series{suffix}" for suffix in (".csv", ".h5", ".parquet", ".json")]
    wanted = [part for file in files for part in ("--to", file)]
    assert invoke("tables", study, "--table", "series", "--interval", "whole record", *wanted).exit_code == 0
    with h5py.File(files[1]) as file:
        named = np.array([name.decode() for name in file["series/series"][:]])
        assert file["series/value"][named == "P"] == pytest.approx(575.0)
        assert (file["series/stop"][:] - file["series/start"][:])[named == "P"] == pytest.approx(0.1)
        assert file["series/start"].attrs["unit"] == "s" and "cycles(u1)" in file["series"].attrs["method"]
    table = pq.read_table(files[2])
    assert table.column_names == ["series", "number", "start", "stop", "value", "unit", "interval"]
    assert table.schema.metadata[b"program"].startswith(b"Pantelos")
    assert files[0].read_text(encoding="utf-8").count("\nP,") == 10
    assert invoke("tables", study, "--to", tmp_path / "all.parquet").exit_code != 0  # one table a file


def test_changing_one_formula_computes_only_what_rests_on_it(evaluation_of, sine, monkeypatch):
    """Counted by the samples that are read of the recorded channels."""
    evaluation = evaluation_of(10_000.0, u=sine(230, 50, seconds=1), i=sine(5, 50, seconds=1))
    study = evaluation.study
    for text in ("p = u * i", "P = mean(p)", "e = area(p)", "U = rms(u)", "twice = 2 * U"):
        study = op.set_formula(study, text)
    results, read = ResultCache(), []
    plain = Channel.read
    monkeypatch.setattr(Channel, "read", lambda self, a, b: read.append(self.name) or plain(self, a, b))

    def ask(of):
        made = Evaluation(of, evaluation.record, results)
        read.clear()
        for name in ("P", "e", "U", "twice"):
            made.samples.resolve(name)
        return set(read)

    assert ask(study) >= {"u", "i"}
    assert ask(study) == set()
    assert ask(op.set_formula(study, "P = mean(p) * 1")) >= {"u", "i"}
    assert ask(op.set_formula(study, "twice = 3 * U")) == set()  # U is there already
    assert ask(op.set_formula(study, "U = max(u)")) == {"u"}


def test_a_formula_follows_the_events_it_is_taken_between(evaluation_of, sine):
    evaluation = evaluation_of(10_000.0, u=sine(230, 50, seconds=1), x=np.linspace(0, 1, 10_000))
    study = op.set_search(evaluation.study, EventSearch("ups", "u"))
    study = op.set_formula(study, "m = mean(x) over between(ups)")
    first = Evaluation(study, evaluation.record)
    assert len(first.samples.resolve("m").values) == pytest.approx(49, abs=1)
    renamed = op.rename_search(study, "ups", "rises")
    assert 'between("rises")' in renamed.formulas[0].expression
    assert len(Evaluation(renamed, evaluation.record, first.results).samples.resolve("m").values) == pytest.approx(49, abs=1)
    with pytest.raises(StudyError, match="are used by m"):
        op.remove_search(study, "ups")
    sparse = op.set_search(study, EventSearch("ups", "u", hold_off_s=0.1))
    assert len(Evaluation(sparse, evaluation.record, first.results).samples.resolve("m").values) < 12


def test_long_and_deep_formulas_are_accepted_or_refused_in_a_sentence(evaluation_of):
    evaluation = evaluation_of(10.0, u=np.arange(10.0))
    long = " + ".join(["u"] * 1500)
    assert len(long) > 4000
    assert evaluation.value(long).read(0, 10) == pytest.approx(1500 * np.arange(10.0))
    for text in (
        "u" + " + u" * 3000,
        "(" * 10_000 + "u",
        "lowpass(" * 200 + "u",
        "u^" + "9" * 500,
        "[" * 5000,
        '"' * 99,
        "u over " * 50,
    ):
        with pytest.raises(PantelosError) as caught:
            evaluation.value(text)
        assert isinstance(caught.value, FormulaError) and len(str(caught.value)) < 1000
