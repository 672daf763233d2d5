"""Numbers where records are not steady mains: two frequencies, gaps, run-ups, wrong wiring, old and broken formulas."""

import math
import zipfile

import numpy as np
import pytest
from msgspec.structs import replace
from msgspec.structs import replace as replaced

from pantelos.checks import concerns, run_checks
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.uncertainty import noise_lift, reading_accuracy
from pantelos.errors import FormulaError, StudyError
from pantelos.notice import Severity
from pantelos.reading.kinds import reading_kind
from pantelos.record.clipping import clipping, resolution_step
from pantelos.sheets.writers import WRITERS
from pantelos.study import operations as op
from pantelos.study.model import Formula, Interval, RecordSource
from pantelos.tables.building import build_tables
from pantelos.tables.explaining import explain_reading

RATE = 10_000.0
ANGLES = {"1": 0, "2": -120, "3": 120}


def asked(evaluation, *texts, **intervals):
    study = evaluation.study
    for name, edges in intervals.items():
        study = op.add_interval(study, Interval(name, *edges), evaluation.record.grid)
    for text in texts:
        study = op.set_formula(study, text)
    return Evaluation(study, evaluation.record)


def reading(evaluation, name, *channels, interval=None):
    return evaluation.reading(reading_kind(name), list(channels), interval)


def rows(evaluation, table, place=None):
    (made,) = build_tables(evaluation, [table], [place] if place else None).tables
    return [dict(zip((c.key for c in made.columns), row, strict=True)) for row in made.rows]


@pytest.fixture
def drive(evaluation_of, sine):
    """Mains at 50 Hz in a four-wire connection, and a machine at 37.3 Hz beside it, in none."""
    u = {f"u{k}": sine(230, 50, a, seconds=1) for k, a in ANGLES.items()}
    i = {f"i{k}": sine(5, 50, a - 30, seconds=1) for k, a in ANGLES.items()}
    machine = sine(8, 37.3, 20, seconds=1)
    made = evaluation_of(RATE, "three-phase-4w", **u, **i)
    return made, evaluation_of(RATE, None, **u, **i, im=machine), machine


def test_a_channel_is_taken_over_the_cycles_of_its_own_connection(drive):
    _, evaluation, _ = drive
    study = op.add_connection(evaluation.study, "mains", "three-phase-4w")
    for name in ("u1", "u2", "u3", "i1", "i2", "i3"):
        study = op.place_channel(study, "mains", name, name)
    both = asked(Evaluation(study, evaluation.record), "p = u1 * i1", part=(0.0132, 0.9011))
    machine, mains = reading(both, "mean", "im"), reading(both, "mean", "u1")
    assert abs(machine.value) < 1e-3  # cut by mains cycles it would be off by a per cent of its size
    assert (machine.reference, mains.reference, reading(both, "mean", "p").reference) == ("im", "u1", "u1")
    assert "whole cycles of im" in machine.method
    assert both.references.of(["im"]).why == "its own cycles"
    said = {row["channel"]: row["reference"] for row in rows(both, "readings", "part")}
    assert (said["im"], said["u3"]) == ("im", "u1")
    chosen = Evaluation(op.set_reference(both.study, "u2"), both.record)
    assert chosen.references.of(["i1"]).channel == "u2"
    assert chosen.references.of(["im"]).channel == "im"


def test_each_connection_has_its_own_reference_and_harmonics(evaluation_of, sine):
    t = np.arange(20_000) / RATE
    made = evaluation_of(RATE, None, u=sine(230, 50, seconds=2), i=sine(5, 50, -20, seconds=2),
                         um=sine(100, 31, seconds=2) + 9 * np.sin(2 * np.pi * 93 * t), im=sine(7, 31, -40, seconds=2))  # fmt: skip
    study = made.study
    for name, u, i in (("mains", "u", "i"), ("machine", "um", "im")):
        study = op.place_channel(op.place_channel(op.add_connection(study, name, "single-phase"), name, "u", u), name, "i", i)
    evaluation = Evaluation(study, made.record)
    powers = {row["connection"]: row for row in rows(evaluation, "power")}
    assert powers["machine"]["P"] == pytest.approx(700 * math.cos(math.radians(40)), rel=1e-5)
    assert (powers["mains"]["f"], powers["machine"]["f"]) == pytest.approx((50, 31), rel=1e-6)
    assert (powers["mains"]["reference"], powers["machine"]["reference"]) == ("u", "um")
    third = [row for row in rows(evaluation, "harmonics") if row["order"] == 3]
    assert [(row["reference"], row["f"]) for row in third] == [("u", pytest.approx(150)), ("um", pytest.approx(93))]
    assert third[1]["um_percent"] == pytest.approx(100 * 9 / math.sqrt(2) / 100, rel=1e-3)
    assert third[1]["u_percent"] is None


def test_the_reference_of_a_switched_connection_is_the_surest_of_its_channels(evaluation_of):
    rate, t = 100_000.0, np.arange(100_000) / 1e5
    triangle = 4 * np.abs((t * 3000) % 1 - 0.5) - 1
    u = np.where(0.6 * np.sin(2 * np.pi * 40 * t) > triangle, 280.0, -280.0)
    i = 10 * np.sin(2 * np.pi * 40 * t - 0.5)
    evaluation = evaluation_of(rate, "single-phase", u=u, i=i)
    reference = evaluation.references.of_connection(evaluation.study.connections[0])
    assert reference.cycles.frequency_hz == pytest.approx(40, rel=1e-4)
    assert reading(evaluation, "frequency", "u").value == pytest.approx(40, rel=1e-4)
    power = evaluation.power(evaluation.study.connections[0], None).total
    assert power.P == pytest.approx(0.6 * 280 * 10 / 2 * math.cos(0.5), rel=3e-3)


def test_a_dip_does_not_fall_out_of_the_smallest_rms_per_cycle(evaluation_of, sine):
    u = sine(230, 50, seconds=2)
    u[7030:8930] *= 2 / 230
    evaluation = asked(evaluation_of(RATE, "single-phase", u=u, i=u / 46), "U = rms(u) over cycles(u)", "least = min(U)")
    assert evaluation.samples.scalar("least").value == pytest.approx(2, rel=0.01)
    notes = [n for n in concerns(run_checks(evaluation)) if n.code == "reference.interrupted"]
    assert len(notes) == 1
    assert notes[0].at_s == pytest.approx(0.7, abs=0.03)
    inside = asked(evaluation, part=(0.2, 1.8))
    assert any("were not seen" in remark for remark in reading(inside, "rms", "u", interval="part").remarks)


def test_in_a_run_up_numbers_say_that_the_frequency_changes(evaluation_of):
    t = np.arange(40_000) / RATE
    u = 100 * np.sin(2 * np.pi * (5 * t + 5 * t**2))
    evaluation = asked(evaluation_of(RATE, "single-phase", u=u, i=u / 10), "p = u * i", up=(0.5, 3.5))
    rms = reading(evaluation, "rms", "u", interval="up")
    assert any("the frequency changes by" in remark for remark in rms.remarks)
    assert "interval.changing-frequency" in {n.code for n in concerns(run_checks(evaluation))}
    mean, area = reading(evaluation, "mean", "p", interval="up"), reading(evaluation, "area", "p", interval="up")
    length = (mean.window.stop - mean.window.start) / RATE
    assert mean.value * length == pytest.approx(area.value, rel=0.02)  # over the cycles inside, as its place states
    assert rows(evaluation, "power", "up")[0]["remarks"]


def test_one_rule_for_missing_samples(evaluation_of, sine):
    u = np.full(10_000, 100.0)
    wave = sine(230, 50, seconds=1)
    i = wave / 23
    few = wave.copy()
    few[4010:4013] = np.nan
    evaluation = asked(evaluation_of(RATE, None, "u2", u1=np.where(np.isin(np.arange(10_000), [4011, 4050, 4120]), np.nan, u), u2=wave),
                       "m = mean(u1) over cycles(u2)")  # fmt: skip
    values = evaluation.samples.waveform("m").values
    assert values[np.isfinite(values)] == pytest.approx(100, abs=1e-9)  # over what is there, not over the whole cycle
    gone = wave.copy()
    gone[4000:5000] = np.nan
    made = evaluation_of(RATE, "single-phase", u=gone, i=i)
    power = made.power(made.study.connections[0], None)
    assert math.isnan(power.total.P)
    assert math.isnan(power.total_energy.received)  # no number for E beside a blank for P
    assert "10 % of the samples are missing" in power.remarks[0]
    short = evaluation_of(RATE, "single-phase", u=few, i=i)
    power = short.power(short.study.connections[0], None)
    assert power.total.P == pytest.approx(2300, rel=1e-3)
    assert power.total_energy.unmeasured_s == pytest.approx(4 / RATE, rel=0.3)
    assert power.total_energy.received == pytest.approx(power.element_energies[0].received, rel=1e-12)
    assert rows(short, "power")[0]["E_unmeasured_s"] > 0


def test_a_passive_load_returns_nothing_and_dc_energy_keeps_its_ends(evaluation_of, sine):
    u, i = sine(230, 50, seconds=1), sine(5, 50, -80, seconds=1)
    evaluation = asked(evaluation_of(RATE, "single-phase", u=u, i=i), part=(0.10237, 0.50511))
    energy = evaluation.power(evaluation.study.connections[0], "part").total_energy
    assert energy.returned == 0
    t = np.linspace(0.10237, 0.50511, 400_001)
    p = 2 * 1150 * np.sin(2 * np.pi * 50 * t) * np.sin(2 * np.pi * 50 * t - math.radians(80))
    assert energy.received == pytest.approx(float(np.trapezoid(p, t)), rel=2e-3)
    dc = asked(evaluation_of(RATE, "dc", u=np.full(1000, 48.0), i=np.full(1000, 2.0)), part=(0.01004, 0.05013))
    assert dc.power(dc.study.connections[0], "part").total_energy.received == pytest.approx(96 * 0.04009, rel=1e-9)


def test_phase_beside_a_stronger_tone_is_right_and_says_how(evaluation_of):
    t = np.arange(20_000) / RATE
    other = 30 * np.sin(2 * np.pi * 183.7 * t)
    u, x = 10 * np.sin(2 * np.pi * 50 * t), 10 * np.sin(2 * np.pi * 50 * t - math.radians(33.3)) + other
    evaluation = asked(evaluation_of(RATE, None, "u1", u1=u, u2=x), part=(0.1, 1.9))
    found = reading(evaluation, "phase", "u2", "u1", interval="part")
    assert math.degrees(found.value) == pytest.approx(-33.3, abs=1e-3)
    assert any("Blackman-Harris" in remark for remark in found.remarks)
    assert 0 < found.method_u < math.radians(0.02)
    clean = evaluation_of(RATE, None, "u1", u1=u, u2=x - other)
    assert math.degrees(reading(clean, "phase", "u2", "u1").value) == pytest.approx(-33.3, abs=1e-9)
    assert reading(clean, "phase", "u2", "u1").remarks == ()


def test_readings_of_two_channels_speak_of_both(evaluation_of, sine):
    evaluation = asked(evaluation_of(RATE, None, u1=sine(230, 50, seconds=1), u2=sine(5, 120, seconds=1)),
                       "f = frequency(u2) over cycles(u1)")  # fmt: skip
    values = evaluation.samples.waveform("f").values
    assert values[2:-2] == pytest.approx(120, rel=1e-5)
    study = op.scale_channel(op.scale_channel(evaluation.study, "u1", "noise 0.1 V"), "u2", "noise 0.1 V")
    noisy = Evaluation(study, evaluation.record)
    amounts = {
        c.input.channel: c.amount for c in reading_accuracy(noisy, reading_kind("phase"), ["u1", "u1"]).budget.contributions
    }
    assert max(amounts.values()) < 2 * 0.1 / 230 / 100  # each by the size of its own channel


@pytest.mark.parametrize(
    ("text", "wanted"),
    [("u^2/50", 2.0), ("u^(1/2)", math.sqrt(10)), ("u/0", None), ("u^1/0", None), ("sqrt(0 - 1)", None), ("2^-1", 0.5)],
)
def test_formulas_give_a_value_or_none(evaluation_of, text, wanted):
    found = evaluation_of(RATE, u=np.full(100, 10.0)).value(text)
    value = found.value if hasattr(found, "value") else float(found.read(3, 4)[0])
    assert value == pytest.approx(wanted) if wanted is not None else math.isnan(value)


def test_long_deep_doubling_and_foreign_formulas(evaluation_of):
    evaluation = evaluation_of(RATE, u=np.arange(1.0, 101.0))
    assert evaluation.value(" + ".join(["u"] * 1500)).read(0, 1)[0] == 1500
    for text in ("(" * 300 + "-" * 300 + "u" + ")" * 300, "u^(1/0)", "u^9999"):
        with pytest.raises(FormulaError):
            evaluation.value(text)
    study = op.set_formula(evaluation.study, "f1 = u + u")
    for k in range(2, 41):
        study = op.set_formula(study, f"f{k} = f{k - 1} + f{k - 1}")
    assert Evaluation(study, evaluation.record).samples.waveform("f40").read(0, 1)[0] == 2.0**40
    newer = replace(study, formulas=(Formula("new", "rolling! (u) ?"), Formula("p", "u * 2")))
    opened = Evaluation(newer, evaluation.record)
    assert list(opened.names.broken) == ["new"]
    assert opened.samples.waveform("p").read(0, 1)[0] == 2
    assert op.rename_channel(newer, "u", "v").formula("p").expression == "v * 2"


def test_what_moves_with_time_zero_is_not_kept_from_before(evaluation_of, sine):
    u = sine(230, 50, seconds=1)
    u[4321] = 999
    made = asked(evaluation_of(RATE, "single-phase", u=u, i=u), "t = time_of_max(u)", "ts = time_of_max(u) over cycles(u)")
    columns = tuple(replaced(c, parts=tuple(replaced(p, shift_s=-0.25) for p in c.parts)) for c in made.record.columns)
    shifted = replaced(made.record, columns=columns, grid=replace(made.record.grid, start_s=-0.25))
    moved = Evaluation(made.study, shifted, made.results)
    for before, after in ((made.samples.scalar("t").value, moved.samples.scalar("t").value), (np.nanmax(made.samples.waveform("ts").read(4300, 4340)),
                          np.nanmax(moved.samples.waveform("ts").read(4300, 4340)))):  # fmt: skip
        assert (before, after) == pytest.approx((0.4321, 0.1821), abs=1e-9)
    assert reading(made, "rms", "u").place(RATE) != reading(moved, "rms", "u").place(RATE)


def test_renaming_leaves_other_words_alone(evaluation_of, sine):
    evaluation = asked(
        evaluation_of(RATE, u=sine(1, 50, seconds=1)), **{"idle": (0.1, 0.2), "in idle": (0.3, 0.4), "idle_2": (0.5, 0.6)}
    )
    study = op.set_formula(evaluation.study, 'x = mean(u) in "in idle" + mean(u) in idle - mean(u) in idle_2')
    renamed = op.rename_interval(study, "idle", "rest")
    assert renamed.formula("x").expression == 'mean(u) in "in idle" + mean(u) in "rest" - mean(u) in idle_2'


def test_what_is_not_given_says_why_everywhere(evaluation_of):
    noise = np.random.default_rng(1).normal(0, 1, 20_000)
    evaluation = asked(evaluation_of(RATE, u=48 + 0.01 * noise), "f = frequency(u)", part=(0.1, 1.1))
    found = reading(evaluation, "frequency", "u", interval="part")
    assert math.isnan(found.value)
    assert "nothing periodic" in found.why_not
    assert "not given: nothing periodic" in explain_reading(evaluation, reading_kind("frequency"), ["u"], "part").text
    assert any("not given" in line for line in evaluation.samples.scalar("f").explained)
    (row,) = rows(evaluation, "readings", "part")
    assert row["frequency"] is None
    assert "frequency: not given" in row["remarks"] or "not given" in row["remarks"]
    assert row["reference"].startswith("none: u shows no cycles")
    assert "all samples of the interval (u shows no cycles" in reading(evaluation, "mean", "u", interval="part").method
    two = asked(evaluation_of(RATE, u=np.sin(2 * np.pi * 50 * np.arange(20_000) / RATE)), near=(0.10001, 0.14003))
    assert reading(two, "rms", "u", interval="near").window.n_cycles == 2  # 2.00 cycles use both


def test_flat_tops_of_resolution_and_plateaus_are_no_clipping(evaluation_of):
    t = np.arange(100_000) / 1e5
    silent = {f"sine of {bits} bit": np.round(0.5 * 2**bits / 2 * np.sin(2 * np.pi * 5 * t)) for bits in (8, 12, 14, 16)}
    silent |= {"speed": np.minimum(3000 * t, 1450.0), "temperature": np.round(20 + 5 * np.sin(3 * t), 1),
               "gate": np.where(np.sin(2 * np.pi * 50 * t) > 0, 5.0, 0.0), "few": 48 + 0.1 * np.sin(2 * np.pi * 50 * t[:3000:301])}  # fmt: skip
    for name, x in silent.items():
        made = evaluation_of(1e5, u=x)
        assert not clipping(made.samples.resolve("u"), made.samples.resolve("u").pieces[0]).levels, name
        assert not {n.code for n in run_checks(made) if n.severity is not Severity.FINE} & {"record.clipped", "record.steps"}, (
            name
        )
    cut = evaluation_of(1e5, u=np.round(1000 * np.clip(1.2 * np.sin(2 * np.pi * 50 * t), -1, 1)))
    assert clipping(cut.samples.resolve("u"), cut.samples.resolve("u").pieces[0]).levels == (-1000, 1000)
    assert resolution_step(cut.samples.resolve("u").pieces[0].raw) == 1
    ranged = Evaluation(op.scale_channel(cut.study, "u", "range 2000 V"), cut.record)
    assert clipping(ranged.samples.resolve("u"), ranged.samples.resolve("u").pieces[0]).levels == (
        -1000,
        1000,
    )  # a clamp may saturate below


def test_wiring_mistakes_are_named_with_a_remedy_that_mends_them(evaluation_of, sine):
    u = {f"u{k}": sine(230, 50, a, seconds=0.4) for k, a in ANGLES.items()}
    i = {f"i{k}": sine(5, 50, a - 30, seconds=0.4) for k, a in ANGLES.items()}
    right = evaluation_of(RATE, "three-phase-4w", **u, **i)
    assert concerns(run_checks(right)) == ()
    exchanged = evaluation_of(RATE, "three-phase-4w", **u, i1=i["i1"], i2=i["i3"], i3=i["i2"])
    notice = next(n for n in concerns(run_checks(exchanged)) if n.code == "wiring.mistaken")
    assert (notice.text, notice.remedy.title) == ("i2 and i3 are exchanged", "Exchange i2 and i3")
    assert "becomes L1 996 W, L2 996 W, L3 996 W" in notice.detail
    mended = notice.remedy.change(exchanged.study)
    assert concerns(run_checks(Evaluation(mended, exchanged.record))) == ()
    rotated = evaluation_of(RATE, "three-phase-4w", **u, i1=i["i3"], i2=i["i1"], i3=i["i2"])
    stated = Evaluation(op.expect(rotated.study, "c", op.expected_from("230 V, 5 A, load")), rotated.record)
    assert any("one phase off" in n.text for n in concerns(run_checks(stated)) if n.code == "wiring.mistaken") or any(
        "stated a load" in n.text for n in concerns(run_checks(stated)))  # fmt: skip
    back = evaluation_of(RATE, "three-phase-4w", **u, **{name: -x for name, x in i.items()})
    stated = op.expect(back.study, "c", op.expected_from("230 V, 5 A, load"))
    turn = next(n for n in concerns(run_checks(Evaluation(stated, back.record))) if "stated a load" in n.text).remedy
    assert turn.title == "Reverse all currents"
    assert concerns(run_checks(Evaluation(turn.change(stated), back.record))) == ()
    small = evaluation_of(RATE, "three-phase-4w", **{**u, "u2": u["u2"] / 100}, **{**i, "i3": i["i3"] * 10})
    found = {(n.code, n.channel) for n in concerns(run_checks(small))}
    assert found == {("wiring.scale", "u2"), ("wiring.scale", "i3")}
    off = Evaluation(op.expect(right.study, "c", op.expected_from("400 V")), right.record)
    assert {n.code for n in concerns(run_checks(off))} == {"wiring.nominal"}
    declared = Evaluation(op.change_channel(right.study, "i1", recorder_unit="mA"), right.record)
    assert ("record.unit", "i1") in {(n.code, n.channel) for n in concerns(run_checks(declared))}
    with pytest.raises(StudyError, match="says nothing of a connection"):
        op.expected_from("230 Hz")
    with pytest.raises(StudyError, match="not in connection"):
        op.rewire(right.study, "c", {"u1": "gone"})


def test_unbalance_is_that_of_the_whole_interval(evaluation_of, sine):
    u = {f"u{k}": sine(230, 50, a, seconds=2) for k, a in ANGLES.items()}
    u["u2"][16_000:18_000] *= 0.9
    evaluation = evaluation_of(RATE, "three-phase-4w", **u, **{f"i{k}": u[f"u{k}"] / 46 for k in ANGLES})
    said = next(n for n in run_checks(evaluation) if n.code == "wiring.phase-order").detail
    usual, worst = (float(word) for word in said.replace("%", " ").replace(",", " ").split() if word[0].isdigit())
    assert worst == pytest.approx(100 * 0.1 / 2.9, rel=0.02)
    assert usual == pytest.approx(worst / math.sqrt(10), rel=0.05)


def test_spreadsheets_carry_the_whole_double(evaluation_of, sine, tmp_path):
    evaluation = evaluation_of(RATE, "single-phase", u=sine(230.123456789, 50.03, seconds=1), i=sine(5, 50.03, -20, seconds=1))
    made = build_tables(evaluation, ["power"])
    path = tmp_path / "a.xlsx"
    path.write_bytes(next(w for w in WRITERS if w.id == "xlsx").write(made))
    sheet = zipfile.ZipFile(path).read("xl/worksheets/sheet1.xml").decode()
    for value in made.tables[0].column("P"):
        assert f"<v>{value!r}</v>" in sheet
    study = op.set_formula(evaluation.study, "P = mean(u * i)")
    assert Evaluation(study, evaluation.record).samples.scalar("P").value == pytest.approx(
        made.tables[0].column("P")[0], rel=1e-12
    )


def test_noise_that_lifts_a_reading_is_said_and_taken_off_on_request(evaluation_of, sine):
    noisy = sine(1, 50, seconds=2) + np.random.default_rng(5).normal(0, 0.2, 20_000)
    evaluation = evaluation_of(RATE, None, "u", u=noisy)
    stated = Evaluation(op.scale_channel(evaluation.study, "u", "accuracy 0.1 %, noise 0.2 V"), evaluation.record)
    for name, truth in (("rms", 1.0), ("max", math.sqrt(2)), ("peak_to_peak", 2 * math.sqrt(2))):
        value = reading(stated, name, "u").value
        lift = noise_lift(stated, reading_kind(name), ["u"])
        assert value - lift == pytest.approx(truth, abs=0.35 * abs(value - truth) + 0.005)
        assert "on the average; without it" in explain_reading(stated, reading_kind(name), ["u"]).text


def test_a_clock_moves_nothing_but_times(evaluation_of, sine):
    evaluation = evaluation_of(RATE, "single-phase", u=sine(230, 50, seconds=1), i=sine(5, 50, seconds=1))
    study = replace(evaluation.study, record=RecordSource((), time_base_ppm=50))
    assert Evaluation(study, evaluation.record).power(study.connections[0], None).total.P == pytest.approx(1150, rel=1e-9)
