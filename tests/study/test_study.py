"""The study as a value: scaling, operations, undo, the file, and results that are reused or made anew."""

import json
import math

import jsonschema
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pantelos.checks import run_checks
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import FileAccessError, FormatError, PantelosError, ScalingError, StudyError
from pantelos.record.pieces import Grid
from pantelos.record.scaling import Accuracy, Scaling, parse_scaling
from pantelos.record.transducer import Transducer, TransducerKind
from pantelos.study import operations as op
from pantelos.study.history import History
from pantelos.study.importing import import_recording
from pantelos.study.model import Interval, Study
from pantelos.study.opening import preview, record_of, relinked
from pantelos.study.shown import Panel
from pantelos.study.storage import load_study, save_study, schema
from pantelos.units import unit

SECOND = Grid(0.0, 10_000.0, 10_000)


@pytest.mark.parametrize(
    ("text", "volts", "value", "symbol"),
    [
        ("clamp 100 mV/A, reversed", 0.5, -5.0, "A"), ("divider 100:1", 3.25, 325.0, "V"), ("shunt 0.5 mohm", 0.01, 20.0, "A"),
        ("factor 300 rpm/V", 5.0, 1500 * math.pi / 30, "min⁻¹"), ("factor 20 N*m/V", 3.1, 62.0, "N·m"), ("offset 2 mV", 0.012, 0.010, "V"),
        ("clamp 10 A/V", 0, 0, ""), ("direct", 1.5, 1.5, "V"),
    ],
)  # fmt: skip
def test_scaling_chains_lead_from_volts_to_the_quantity(text, volts, value, symbol):
    if text == "clamp 10 A/V":
        with pytest.raises(ScalingError, match="must be in V per ampere"):
            parse_scaling(text, unit("V"))
        return
    gain, zero, shown = parse_scaling(text, unit("V")).resolve(unit("V"))
    assert gain * volts + zero == pytest.approx(value, rel=1e-12)
    assert shown.symbol == symbol


_FIGURES = st.floats(1e-6, 1e6).map(lambda x: float(f"{x:.4g}"))


@given(st.sampled_from([("clamp", "mV/A"), ("shunt", "mohm"), ("divider", "1"), ("factor", "A/V")]), _FIGURES, st.booleans(),
       st.one_of(st.none(), _FIGURES), st.floats(0, 5).map(lambda x: float(f"{x:.2g}")))  # fmt: skip
def test_a_chain_survives_its_own_text(kind, figure, turned, reach, percent):
    chain = Scaling(Transducer(TransducerKind(kind[0]), figure, kind[1]), turned, 0.0, reach, Accuracy(percent, 0.02))
    again = parse_scaling(chain.text(unit("V")), unit("V"))
    assert again.resolve(unit("V"))[0] == pytest.approx(chain.resolve(unit("V"))[0], rel=1e-4)
    assert (again.reversed, again.recorder_range, again.accuracy) == (turned, reach, chain.accuracy)


@pytest.fixture
def opened(csv_file):
    study, recordings = import_recording(Study(), csv_file, preview(csv_file).dialect)
    record = recordings.record(study.record)
    study = op.add_connection(study, "load", "single-phase")
    study = op.place_channel(op.place_channel(study, "load", "u", "u1"), "load", "i", "i1")
    study = op.set_formula(study, "p1 = u1 * i1")
    study = op.add_interval(study, Interval("steady", 0.2, 0.8), record.grid)
    return op.add_panel(study, Panel("harmonics", ("i1",))), record


def test_a_study_survives_its_file_and_finds_its_record_beside_it(opened, tmp_path):
    study, record = opened
    path = tmp_path / "made.pantelos"
    save_study(study, path)
    assert load_study(path) == study
    content = json.loads(path.read_text())
    assert content["study"]["record"]["files"][0]["path"] == "run.csv"
    jsonschema.validate(content, schema())
    moved = tmp_path / "elsewhere"
    moved.mkdir()
    for name in ("made.pantelos", "run.csv"):
        (tmp_path / name).rename(moved / name)
    assert record_of(load_study(moved / "made.pantelos")).fingerprint == record.fingerprint


def test_a_changed_record_is_noticed_and_only_accepted_on_request(opened, csv_file):
    study, _ = opened
    csv_file.write_text(csv_file.read_text().rsplit("\n", 2)[0] + "\n")
    with pytest.raises(FormatError, match="has changed since the study was made"):
        record_of(study)
    accepted, recordings = relinked(study, csv_file)
    record = recordings.record(accepted.record)
    assert record.n_samples == 9_999
    assert record_of(accepted).fingerprint == accepted.record.files[0].fingerprint != study.record.files[0].fingerprint


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda text: text.replace('"version": 3', '"version": 7'), "of version 7; expected version 3 or older"),
        (lambda text: text[: len(text) // 2], "cannot be read as JSON"), (lambda text: '{"a": 1}', "this is not a study"),
        (lambda text: text.replace('"single-phase"', "12"), "the study is damaged"), (lambda text: "", "cannot be read as JSON"),
    ],
)  # fmt: skip
def test_newer_and_damaged_files_are_refused_and_left_alone(opened, tmp_path, change, said):
    path = tmp_path / "made.pantelos"
    save_study(opened[0], path)
    path.write_text(change(path.read_text()))
    before = path.read_bytes()
    with pytest.raises(FormatError, match=said):
        load_study(path)
    assert path.read_bytes() == before


def test_a_full_disk_leaves_the_old_study_as_it_was(opened, tmp_path, monkeypatch):
    path = tmp_path / "made.pantelos"
    save_study(opened[0], path)
    before = path.read_bytes()

    def full(handle):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("os.fsync", full)
    with pytest.raises(FileAccessError, match=r"cannot be written: no space left on device\. Free some space"):
        save_study(Study(), path)
    assert path.read_bytes() == before
    assert [f.name for f in tmp_path.iterdir() if "made" in f.name] == ["made.pantelos"]


def test_a_connection_of_another_kind_keeps_what_fits(opened):
    study = op.change_wiring(opened[0], "load", "three-phase-4w")
    before = opened[0].connection("load").sockets
    assert study.connection("load").sockets == {"u1": before["u"], "i1": before["i"]}
    assert op.change_wiring(study, "load", "single-phase").connection("load").sockets == before
    assert op.change_wiring(study, "load", "three-phase-3w").connection("load").sockets == {
        "i1": before["i"]
    }  # no voltage between lines


def test_undo_returns_to_the_very_value_and_a_new_step_forgets_the_redone(opened):
    study, record = opened
    history = History(study)
    steps = [
        lambda s: op.scale_channel(s, "i1", "shunt 10 mohm") if unit(s.channel("i1").recorder_unit).like(unit("V")) else op.reverse_channel(s, "i1"),
        lambda s: op.add_interval(s, Interval("b", 0.1, 0.2), record.grid), lambda s: op.rename_interval(s, "b", "c"),
        lambda s: op.move_interval(s, "c", 0.1, 0.3, record.grid), lambda s: op.rename_channel(s, "u1", "uL"),
        lambda s: op.show_with(s, "p1", s.lanes[0].channels), lambda s: op.show_alone(s, "i1", 0), lambda s: op.hide_channel(s, "i1"),
        lambda s: op.fix_scale(s, 0, (-1.0, 1.0)), lambda s: op.resize_lane(s, 0, 2.0), lambda s: op.change_panel(s, 0, None),
        lambda s: op.change_wiring(s, "load", "dc"), lambda s: op.take_channel_out(s, "load", "i"), lambda s: op.remove_connection(s, "load"),
        lambda s: op.remove_formula(s, "p1"), lambda s: op.remove_interval(s, "c"), lambda s: op.activate(s, "steady"),
    ]  # fmt: skip
    seen = [history.present]
    for step in steps:
        history.take(step(history.present), "step")
        if history.present != seen[-1]:
            seen.append(history.present)
    for expected in seen[-2::-1]:
        history.undo()
        assert history.present == expected
    for expected in seen[1:]:
        history.redo()
        assert history.present == expected
    history.undo()
    history.take(study, "other")
    assert history.redo_step is None


@pytest.mark.parametrize(
    ("operation", "said"),
    [
        (lambda s: op.add_interval(s, Interval("x", 0.5, 1.5), SECOND), r'"x", 0.5 to 1.5 s, lies outside the record, which runs from 0 to 1 s'),
        (lambda s: op.add_interval(s, Interval("x", 0.5, 0.5), SECOND), "not after its start"),
        (lambda s: op.add_interval(s, Interval("steady", 0.1, 0.2), SECOND), 'already an interval "steady"'),
        (lambda s: op.place_channel(s, "load", "u7", "u1"), "its sockets are u, i|Its sockets are u, i"),
        (lambda s: op.place_channel(s, "mains", "u", "u1"), 'no connection "mains"; there are load'),
        (lambda s: op.add_connection(s, "x", "star"), "there are dc, single-phase"),
        (lambda s: op.scale_channel(s, "u1", "klamp 5"), "not a part of a scaling chain"),
        (lambda s: op.rename_channel(s, "u1", "i1"), "is taken"), (lambda s: op.scale_channel(s, "u9", ""), 'no recorded channel "u9"'),
    ],
)  # fmt: skip
def test_operations_that_do_not_fit_say_why(opened, operation, said):
    with pytest.raises(PantelosError, match=said):
        operation(opened[0])


def test_results_are_reused_until_something_they_rest_on_changes(opened):
    study, record = opened
    first = Evaluation(study, record)
    names = {name: first.names.identity(name) for name in ("u1", "i1", "p1")}
    turned = Evaluation(op.reverse_channel(study, "i1"), record, first.results)
    assert turned.names.identity("u1") == names["u1"]
    assert turned.names.identity("i1") != names["i1"]
    assert turned.names.identity("p1") != names["p1"]
    load = study.connections[0]
    assert first.power(load, "steady") is Evaluation(op.hide_channel(study, "u1"), record, first.results).power(load, "steady")
    assert turned.power(load, "steady").total.P == pytest.approx(-first.power(load, "steady").total.P)
    with_reading = Evaluation(op.set_formula(study, "d = u1 - mean(u1)"), record)
    moved = Evaluation(op.move_interval(with_reading.study, "steady", 0.1, 0.2, SECOND), record)
    assert with_reading.names.identity("d") != moved.names.identity("d")
    assert with_reading.names.identity("p1") == moved.names.identity("p1")


def test_snapping_gives_whole_cycles_and_the_header_says_so(opened):
    study, record = opened
    evaluation = Evaluation(study, record)
    snapped = evaluation.places.snapped(Interval("x", 0.203, 0.5069))
    assert (snapped.start_s, snapped.stop_s) == pytest.approx((0.2, 0.5), abs=1e-7)
    tiny = evaluation.places.snapped(Interval("x", 0.2031, 0.2032))
    assert tiny.length_s == pytest.approx(0.02, abs=1e-7)


def test_checks_find_clipping_reversed_currents_phase_order_and_missing_channels(evaluation_of, sine):
    angles = {"1": 0, "2": 120, "3": -120}
    u = {f"u{k}": sine(230, 50, a) for k, a in angles.items()}
    i = {f"i{k}": sine(5, 50, a) * (-1 if k == "2" else 1) for k, a in angles.items()}
    u["u1"] = np.clip(u["u1"], -300, 300)
    evaluation = evaluation_of(10_000.0, "three-phase-4w", **u, **i)
    found = {notice.code: notice for notice in run_checks(evaluation)}
    assert found["wiring.phase-order"].text == "c: phase order is L1 L3 L2"
    assert found["wiring.sign-of-power"].text == "i2 looks reversed"
    assert found["record.clipped"].channel == "u1"
    unplugged = Evaluation(op.take_channel_out(evaluation.study, "c", "i3"), evaluation.record)
    assert "no channel in i3" in {n.code: n for n in run_checks(unplugged)}["wiring.incomplete"].detail
    ranged = op.scale_channel(evaluation.study, "i1", "range 500 A")
    assert any("i1 uses 1.4 % of its range" in n.text for n in run_checks(Evaluation(ranged, evaluation.record)))
    with pytest.raises(StudyError, match="no channel in i3"):
        unplugged.power(unplugged.study.connections[0], None)
