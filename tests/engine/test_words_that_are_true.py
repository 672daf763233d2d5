"""Checks on records in which nothing is wrong say nothing; each classical mistake is told; what fails takes nothing with it."""

import json

import numpy as np
import pytest

from pantelos.checks import run_checks
from pantelos.checks.registry import concerns, together
from pantelos.engine.trends import on_ticks
from pantelos.notice import Notice, Severity
from pantelos.study import operations as op
from pantelos.study.model import Interval
from pantelos.tables.building import build_tables
from pantelos.units import unit

T = np.arange(20_000) / 10_000.0
ORDER, BACK = (0, -120, 120), (0, 120, -120)


def wave(rms, angle, hz=50.0):
    return np.sqrt(2) * rms * np.sin(2 * np.pi * hz * T + np.radians(angle))


def three(order, current=5.0, lag=20.0, turned=(), swapped=False):
    """Return voltages and currents of three phases."""
    u = {f"u{k}": wave(230, a) for k, a in zip((1, 2, 3), order, strict=True)}
    i = {f"i{k}": wave(current, a - lag) * (-1 if k in turned else 1) for k, a in zip((1, 2, 3), order, strict=True)}
    if swapped:
        i["i1"], i["i2"] = i["i2"], i["i1"]
    return u | i


def noise(rms, seed):
    return rms * np.random.default_rng(seed).normal(size=len(T))


RIGHT = {
    "a machine that turns backwards": ("three-phase-4w", three(BACK)),
    "one that gives power back": ("three-phase-4w", three(ORDER, lag=200)),
    "one that stands idle": ("three-phase-4w", three(ORDER) | {f"i{k}": noise(1e-3, k) for k in (1, 2, 3)}),
    "voltages alone": ("three-phase-4w", {k: v for k, v in three(ORDER).items() if k[0] == "u"}),
    "burst firing": ("single-phase", {"u": wave(230, 0), "i": wave(20, 0) * (np.floor(T * 50) % 5 < 2)}),
    "noise alone": (None, {"u": noise(1.0, 5)}),
    "a dip": ("single-phase", {"u": wave(230, 0) * np.where((T > 0.8) & (T < 1.0), 0.4, 1), "i": wave(5, 0)}),
}


@pytest.mark.parametrize("what", RIGHT)
def test_a_right_record_is_silent(evaluation_of, what):
    connection, channels = RIGHT[what]
    evaluation = evaluation_of(10_000.0, connection, "u1" if "u1" in channels else "u", **channels)
    assert concerns(run_checks(evaluation)) == ()


def test_a_marked_dip_is_a_fact_and_a_slow_drift_a_fault(evaluation_of):
    for size, code in ((np.where((T > 0.8) & (T < 1.2), 0.4, 1.0), "interval.step"), (1 - 0.2 * T, "interval.drift")):
        evaluation = evaluation_of(10_000.0, "single-phase", "u", u=wave(230, 0) * size, i=wave(5, 0))
        study = op.activate(op.add_interval(evaluation.study, Interval("marked", 0.72, 1.02), evaluation.record.grid), "marked")
        found = [
            n for n in run_checks(evaluation.on(study)) if n.code.startswith("interval.") and n.severity is not Severity.FINE
        ]
        assert [n.code for n in found] == [code] and found[0].severity.asks == (code == "interval.drift")


MISTAKEN = {
    "one current turned": (three(ORDER, turned=(2,)), "wiring.sign-of-power"),
    "two currents exchanged": (three(ORDER, swapped=True), "wiring.mistaken"),
    "a divider forgotten": (three(ORDER) | {"u2": wave(2.3, -120)}, "wiring.scale"),
    "sampled too slowly": (three(ORDER) | {"i1": wave(5, -20) + wave(2, 0, 4930.0)}, "record.rate"),
}


@pytest.mark.parametrize("what", MISTAKEN)
def test_each_mistake_is_told(evaluation_of, what):
    channels, code = MISTAKEN[what]
    found = concerns(run_checks(evaluation_of(10_000.0, "three-phase-4w", "u1", **channels)))
    assert code in {notice.code for notice in found}, found


def test_what_comes_out_is_not_more_than_what_goes_in(evaluation_of):
    evaluation = evaluation_of(10_000.0, "single-phase", "u", u=wave(230, 0), i=wave(5, 0), u2=wave(230, 0), i2=wave(5.5, 0))
    study = op.add_connection(evaluation.study, "d", "single-phase")
    for socket, channel in (("u", "u2"), ("i", "i2")):
        study = op.place_channel(study, "d", socket, channel)
    found = concerns(run_checks(evaluation.on(op.set_chain(study, op.chain_from(study, "c > d")))))
    assert [n.text for n in found if n.code == "chain.efficiency"] == ["c to d: efficiency 110.0 % in whole record"]
    assert not concerns(run_checks(evaluation.on(op.set_chain(study, op.chain_from(study, "d > c")))))


def test_one_formula_that_fails_leaves_the_others_whole(evaluation_of):
    evaluation = evaluation_of(10_000.0, "single-phase", "u", u=wave(230, 0), i=wave(5, 0))
    study = evaluation.study
    for text in ("pulsed = rms(u) over pulses(u, 500 V)", "good = rms(u) over cycles(u)", "U = rms(u)", "bad = max(pulsed)"):
        study = op.set_formula(study, text)
    evaluation = evaluation.on(study)
    made = build_tables(evaluation)
    tables = {table.id: table for table in made.tables}
    assert {row[1] for row in tables["readings"].rows} == {"u", "i", "good"}
    assert {row[0] for row in tables["series"].rows} == {"good"} and {row[0] for row in tables["readouts"].rows} == {"U"}
    assert {title for title, _ in made.provenance.not_given} >= {"formula pulsed", "formula bad"}
    assert {n.channel for n in run_checks(evaluation) if n.code == "formula.broken"} == {"pulsed", "bad"}


def test_one_cause_is_one_line():
    same = [Notice(Severity.CAUTION, "record.rate", f"u{k} may be sampled too slowly", f"{k} %", f"u{k}") for k in (1, 2, 3)]
    other = Notice(Severity.CAUTION, "record.offset", "u1 has an offset of 3 V", "", "u1")
    joined, alone = together([*same, other])
    assert (joined.channel, joined.also) == (
        "u1",
        ("u2", "u3"),
    ) and joined.text == "u1 may be sampled too slowly; likewise u2, u3"
    assert alone == other and together([same[0], other]) == (same[0], other)


def test_no_value_is_no_number(evaluation_of, tmp_path, invoke):
    record = tmp_path / "a.csv"
    np.savetxt(record, np.stack([T, wave(230, 0)], axis=1), delimiter=",", header="t [s],u [V]", comments="", fmt="%.8g")
    assert invoke("new", tmp_path / "a.pantelos", record).exit_code == 0
    found = invoke("value", tmp_path / "a.pantelos", "flicker(u)")
    assert found.exit_code == 1 and "flicker needs 60 s" in str(found.exception) and "nan" not in found.output
    found = invoke("value", tmp_path / "a.pantelos", "flicker(u)", "--json")
    assert json.loads(found.stdout)["value"] is None
    assert unit("kvarh").factor == 3.6e6


def test_a_speed_named_n_is_no_count_and_arrays_may_not_be_written_to(tmp_path, invoke):
    import h5py

    t = np.arange(150 * 500) / 500.0
    with h5py.File(tmp_path / "a.h5", "w") as file:
        file["t"] = t
        for name, values, symbol in (("u", 325 * np.sin(2 * np.pi * 50 * t), "V"), ("n", 1500 + t % 7, "min-1")):
            file.create_dataset(name, data=values).attrs["unit"] = symbol
    assert invoke("new", tmp_path / "a.pantelos", tmp_path / "a.h5").stdout.startswith(f"{tmp_path / 'a.pantelos'}: 2 channels")
    np.savez(tmp_path / "b.npz", t=t, u=t % 3, n=t % 7)
    assert "left out: n" in invoke("new", tmp_path / "b.pantelos", tmp_path / "b.npz").stdout
    np.save(tmp_path / "c.npy", 325 * np.sin(2 * np.pi * 50 * np.arange(300_000) / 2000))
    assert invoke("new", tmp_path / "c.pantelos", tmp_path / "c.npy", "--rate", "2 kHz").exit_code == 0
    assert float(invoke("value", tmp_path / "c.pantelos", "flicker(ch1)", "--bare").stdout) < 0.05


@pytest.mark.parametrize(
    ("into_day_s", "aligned"), [(600.0, True), (200.0, False), (85_800.0, True), (600.5, True), (601.0, False)]
)
def test_values_are_on_the_ticks_of_a_clock_only_where_they_are(into_day_s, aligned):
    assert on_ticks(into_day_s, ["10 min"]) is aligned


def test_the_difference_of_two_phases_is_an_angle_within_half_a_turn(evaluation_of):
    evaluation = evaluation_of(10_000.0, None, "u", u=wave(230, 0), i=wave(5, 100), v=wave(230, -88))
    found = evaluation.value("phase(i, u) - phase(v, u)")
    assert np.degrees(found.value) == pytest.approx(-172, abs=1e-6) and "between −180° and 180°" in found.explained[-1]
    assert np.degrees(evaluation.value("phase(i, u) + phase(i, u) + phase(i, u)").value) == pytest.approx(-60, abs=1e-6)
    assert np.degrees(evaluation.value("2 * phase(i, u)").value) == pytest.approx(
        200, abs=1e-6
    )  # a number is no angle of its own


def test_a_formula_that_mixes_places_is_noted(evaluation_of):
    evaluation = evaluation_of(10_000.0, "single-phase", "u", u=wave(230, 0), i=wave(5, 0))
    study = op.add_interval(evaluation.study, Interval("steady", 0.2, 0.4), evaluation.record.grid)
    for text, said in (
        ("a = mean(u * i) in steady / rms(u)", 1), ("a = mean(u * i) in steady / rms(u) in steady", 0), ("a = rms(u) - rms(i) * 46 ohm", 0),
        ('a = rms(u) in steady / rms(u) in "whole record"', 0),
    ):  # fmt: skip
        found = run_checks(evaluation.on(op.set_formula(study, text)))
        assert sum(n.code == "formula.places" for n in found) == said, text


def test_a_table_computes_no_formula_that_it_does_not_show(evaluation_of):
    evaluation = evaluation_of(10_000.0, "single-phase", "u", u=wave(230, 0), i=wave(5, 0))
    evaluation = evaluation.on(
        op.set_formula(op.set_formula(evaluation.study, "U = rms(u)"), "s = max(rms(u) over pulses(u, 500 V))")
    )
    build_tables(evaluation, ["power", "readings"])
    assert not evaluation.failing
    assert dict(build_tables(evaluation, ["readouts"]).provenance.not_given).keys() == {"formula s"}
