"""Checks find what they look for and nothing else; numbers explain themselves; figures have known answers."""

import math

import numpy as np
import pytest

from pantelos.checks import concerns, run_checks
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.figures import repeats_of, values_of, xy
from pantelos.engine.instants import accuracy_at, edge_values
from pantelos.errors import StudyError
from pantelos.reading.kinds import reading_kind
from pantelos.signal.levels.levels import Level
from pantelos.study import operations as op
from pantelos.study.model import EventSearch, Interval
from pantelos.study.shown import Look, Panel
from pantelos.tables.building import build_tables
from pantelos.tables.explaining import explain_power, explain_reading, explain_value
from pantelos.units import unit


def checked(evaluation, start_s=None, stop_s=None):
    study = evaluation.study
    if start_s is not None:
        study = op.add_interval(study, Interval("part", start_s, stop_s), evaluation.record.grid)
    return {n.code: n for n in concerns(run_checks(Evaluation(study, evaluation.record)))}


def test_a_clean_measurement_raises_no_check(evaluation_of, sine):
    clean = evaluation_of(10_000.0, "single-phase", "u", u=sine(230, 50, seconds=1), i=sine(5, 50, -30, seconds=1))
    assert checked(clean, 0.2, 0.8) == {}


@pytest.mark.parametrize(
    ("code", "spoil"),
    [
        ("record.offset", lambda u, i: (u, i + 0.4)), ("interval.drift", lambda u, i: (u, i * np.linspace(1, 1.4, len(i)))),
        ("record.steps", lambda u, i: (u, np.round(i))), ("record.clipped", lambda u, i: (np.clip(u, -300, 300), i)),
        ("record.rate", lambda u, i: (u, i + 2 * np.cos(np.pi * np.arange(len(i)) * 0.97))),
        ("record.missing", lambda u, i: (np.where(np.arange(len(u)) == 4321, np.nan, u), i)),
        ("methods.frequency", lambda u, i: (u - 250 * np.sin(2 * np.pi * 150 * np.arange(len(u)) / 1e4), i)),
    ],
)  # fmt: skip
def test_each_check_finds_what_it_looks_for(evaluation_of, sine, code, spoil):
    u, i = spoil(sine(230, 50, seconds=1), sine(5, 50, -30, seconds=1))
    found = checked(evaluation_of(10_000.0, "single-phase", "u", u=u, i=i), 0.2, 0.8)
    assert code in found, list(found)
    assert found[code].detail


def test_cursors_and_phases_that_disagree_are_said(evaluation_of, sine):
    u = sine(230, 50, seconds=1)
    i = sine(5, 50, -30, seconds=1) + sine(2, 250, 40, seconds=1)
    evaluation = evaluation_of(10_000.0, None, "u", u=u, i=i)
    study = op.add_interval(evaluation.study, Interval("part", 0.2, 0.2606), evaluation.record.grid)
    study = op.change_interval(study, "part", rides=("u", "u"))
    assert "methods.cursors" not in checked(Evaluation(study, evaluation.record))  # 1 % off is within reach of an edge
    study = op.move_interval(study, "part", 0.2, 0.2630, evaluation.record.grid)
    study = op.add_panel(study, Panel("xy", ("u", "i"), "whole"))
    study = op.add_interval(study, Interval("whole", 0.0, 1.0), evaluation.record.grid)
    study = op.activate(study, "part")
    found = checked(Evaluation(study, evaluation.record))
    assert "methods.cursors" in found
    assert "trust the spectrum" in found["methods.phase"].detail


def test_a_swapped_wiring_is_mended_by_its_remedies(evaluation_of, sine):
    phases = {f"u{k}": sine(230, 50, a, seconds=0.4) for k, a in ((1, 0), (2, 120), (3, -120))}
    currents = {f"i{k}": sine(5, 50, a - 20, seconds=0.4) * (-1 if k == 2 else 1) for k, a in ((1, 0), (2, 120), (3, -120))}
    evaluation = evaluation_of(10_000.0, "three-phase-4w", "u1", **phases, **currents)
    found = checked(evaluation, 0.1, 0.3)
    assert found["wiring.sign-of-power"].remedy.title == "Reverse i2"
    study = op.reverse_channel(op.swap_phases(evaluation.study, "c"), "i2")
    assert checked(Evaluation(study, evaluation.record), 0.1, 0.3) == {}
    with pytest.raises(StudyError, match="no phases that could be exchanged"):
        op.swap_phases(op.add_connection(study, "d", "dc"), "d")


def test_a_number_says_formula_place_method_standard_and_accuracy(evaluation_of, sine):
    evaluation = evaluation_of(10_000.0, "single-phase", "u", u=sine(230, 50), i=sine(5, 50, -60))
    study = op.set_formula(
        op.scale_channel(op.scale_channel(evaluation.study, "u", "accuracy 0.1 %"), "i", "accuracy 0.2 %"), "p = u * i"
    )
    study = op.set_formula(op.add_interval(study, Interval("all", 0.0, 0.2), evaluation.record.grid), 'e = area(p) in "all"')
    evaluation = Evaluation(study, evaluation.record)
    said = explain_reading(evaluation, reading_kind("mean"), ["p"])
    facts = dict(said.facts)
    assert said.value == "575.0 W ± 1.5 W* (k = 2)"
    assert facts["± is"].startswith("without phase error of u, i *")
    assert said.range == "between 573.5 W and 576.5 W"
    assert (facts["formula"], facts["after"]) == ("p = u * i", "IEC 60050-103")
    assert "10 whole cycles" in facts["taken over"]
    assert [line.share for line in said.budget] == ["80.0 %", "20.0 %"]
    assert evaluation.value(said.formula).value == pytest.approx(575)
    power = explain_power(evaluation, study.connections[0], "L", "phi1", None)
    assert power.value == "60.000000 °"  # gains do not reach an angle
    assert power.range == "accuracy not stated: the phase error of u, i is not stated"
    assert explain_power(evaluation, study.connections[0], "L", "P", None).value == said.value
    assert explain_power(evaluation, study.connections[0], "L", "E_received", None) is None
    assert explain_value(evaluation, "e").value == "115.00 J ± 0.30 J* (k = 2)"
    rows = edge_values(evaluation, ["u", "p", "e"], 0.005, 0.015)
    assert [row.name for row in rows] == ["u", "p"]
    assert rows[0].difference == pytest.approx(-2 * 230 * math.sqrt(2))
    assert accuracy_at(evaluation, "u", 0.005) == pytest.approx(2 * 230 * math.sqrt(2) * 0.001 / math.sqrt(3), rel=1e-6)


def test_tables_of_comparison_accuracy_and_events(evaluation_of, sine):
    u = sine(230, 50, seconds=1)
    u[5000:] *= 0.5
    evaluation = evaluation_of(10_000.0, None, "u", u=u)
    study = op.scale_channel(evaluation.study, "u", "accuracy 0.1 %")
    for name, start in (("first", 0.1), ("second", 0.6)):
        study = op.add_interval(study, Interval(name, start, start + 0.2), evaluation.record.grid)
    study = op.set_search(op.activate(study, "first"), EventSearch("dips", "u", level=Level(200.0)))
    tables = {t.id: t for t in build_tables(Evaluation(study, evaluation.record), ["comparison", "accuracy", "events"]).tables}
    compared = tables["comparison"]
    rms = next(row for row in compared.rows if row[1] == "rms")
    found = dict(zip([c.key for c in compared.columns], rms, strict=True))
    assert (found["first"], found["second"], found["diff:second"], found["ratio:second"]) == pytest.approx((230, 115, -115, 0.5))
    row = next(r for r in tables["accuracy"].rows if r[0] == "first" and r[2] == "rms")
    assert row[3:6] == pytest.approx((230, 230 * 0.001 / math.sqrt(3) * 2, 2))
    assert row[-2:] == ("gain of u", None)
    assert len(tables["events"].rows) == 10  # only those in the intervals, and only where 200 V is reached
    with pytest.raises(StudyError, match="needs two intervals"):
        build_tables(Evaluation(op.remove_interval(study, "first"), evaluation.record), ["comparison"])


def test_figures_have_known_answers(evaluation_of, sine):
    evaluation = evaluation_of(
        10_000.0, None, "a", a=sine(1, 50, 170, seconds=1), b=sine(2, 150, 20, seconds=1), c=sine(2, 50, 120, seconds=1)
    )
    assert xy(evaluation, "a", "b", None).ratio == (3, 1)
    found = xy(evaluation, "a", "c", None)
    assert (found.phase_ellipse_deg, found.phase_spectrum_deg) == pytest.approx((-50, -50), abs=1e-6)
    assert found.density.sum() == 10_000
    assert values_of(evaluation, "a", None, codes=False).sigma == pytest.approx(1.0, rel=1e-6)
    with pytest.raises(StudyError, match="no codes"):
        values_of(evaluation, "a", None, codes=True)
    with pytest.raises(StudyError, match="repeats need two"):
        repeats_of(evaluation, "a", EventSearch("e", "a", level=Level(9.0)), None)
    laid = repeats_of(evaluation, "a", EventSearch("e", "a", level=Level(0.0)), (0.002, 0.018))
    assert np.nanmax(laid.high - laid.low) < 1e-3


def test_texts_of_looks_and_times():
    volt = unit("V")
    for text, factor, offset in (("x 10 + 5 V", 10, 5), ("x2", 2, 0), ("- 500 mV", 1, -0.5), ("", 1, 0)):
        found = op.look_from(text, volt, Look(mean_removed=True))
        assert (found.factor, found.offset, found.mean_removed) == (factor, offset, True)
    for text in ("x 0", "+ 3 A", "much"):
        with pytest.raises(StudyError, match="no factor and offset"):
            op.look_from(text, volt, Look())
    assert op.time_from("20 ms") == pytest.approx(0.02)
    for text in ("", "soon", "3 V"):
        with pytest.raises(StudyError, match="no time"):
            op.time_from(text)


def test_a_channel_without_a_unit_is_asked_for_one_in_words_that_fit(evaluation_of, sine):
    evaluation = evaluation_of(10_000.0, x=sine(230, 50), y=sine(5, 50))
    study = op.add_connection(evaluation.study, "c", "single-phase")
    for socket, name in (("u", "x"), ("i", "y")):
        study = op.place_channel(study, "c", socket, name)
    said = [n.detail for n in run_checks(Evaluation(study, evaluation.record)) if n.code == "wiring.incomplete"]
    assert said == ['Connection "c": x in socket u has no unit. State what the recorder read, such as V or mV.']
