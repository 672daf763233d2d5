"""Several recordings as one record: side by side, one behind the other, other rates, uneven time, gaps, zero, trimming."""

from itertools import pairwise

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pantelos.checks import run_checks
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.record.alignment import Alignment, How, alignment_from
from pantelos.record.pieces import Grid, pieces_of
from pantelos.record.record import Channel, Placed, Record, RecordColumn
from pantelos.record.recording import RawChannel
from pantelos.record.timing import Instants, Segment
from pantelos.signal.sampling.pyramid import build_pyramid
from pantelos.study import operations as op
from pantelos.study.history import History
from pantelos.study.importing import import_recording, join_recording
from pantelos.study.model import ChannelSetup, Interval, Study
from pantelos.study.opening import preview, record_of, relinked
from pantelos.study.shown import Panel
from pantelos.study.storage import load_study, save_study
from pantelos.units import unit


@pytest.fixture
def write(tmp_path):
    """Return a function that writes a CSV file of one column of samples at a rate, from an instant on."""

    def make(name, column, samples, rate_hz, start_s=0.0, began=None, times=None):
        times = start_s + np.arange(len(samples)) / rate_hz if times is None else times
        head = f"start time: {began}\n" if began else ""
        rows = "".join(f"{t:.9f},{x!r}\n" for t, x in zip(times.tolist(), np.asarray(samples, dtype=float).tolist(), strict=True))
        (tmp_path / name).write_text(f"{head}t [s],{column}\n{rows}")
        return tmp_path / name

    return make


def sine(rate_hz, seconds, frequency_hz=50.0, shift_s=0.0, rms=230.0):
    return np.sqrt(2) * rms * np.sin(2 * np.pi * frequency_hz * (np.arange(round(rate_hz * seconds)) / rate_hz + shift_s))


def opened(path):
    return import_recording(Study(), path, preview(path).dialect)


def joined(made, path, alignment):
    return join_recording(*made, path, preview(path).dialect, alignment)


def evaluation(made):
    return Evaluation(made[0], made[1].record(made[0].record))


def test_two_rates_in_one_study_and_in_one_formula(write):
    made = opened(write("fast.csv", "u [V]", sine(10_000, 1), 10_000))
    made = joined(made, write("slow.csv", "i [A]", sine(1_000, 1, rms=5), 1_000), Alignment())
    asked = Evaluation(op.set_formula(made[0], "p = u * i"), evaluation(made).record)
    assert (asked.record.rate_hz, asked.record.n_samples) == (10_000, 10_000)
    assert any("1.0000 kHz is read at 10.000 kHz by quintic spline" in said.text for said in asked.record.told)
    i = asked.samples.waveform("i").read(100, 9_900)
    assert i == pytest.approx(sine(10_000, 1, rms=5)[100:9_900], abs=5e-5)  # 20 samples per period: error below 1e-6
    assert np.mean(asked.samples.waveform("p").read(200, 9_800)) == pytest.approx(230 * 5, rel=1e-6)
    lows, highs = asked.drawing.envelope("i", 0.1, 0.9, 40)
    assert (min(lows), max(highs)) == (pytest.approx(-5 * np.sqrt(2), rel=1e-6), pytest.approx(5 * np.sqrt(2), rel=1e-6))
    near_lows, near_highs = asked.drawing.envelope("i", 0.1, 0.11, 100)  # zoomed in: fewer samples of its own than columns
    assert np.isfinite(near_lows).all()
    assert (near_highs >= near_lows).all()


ALIGNMENTS = {
    "together": (Alignment(), 0.0),
    "by date and time": (Alignment(How.START), 0.25),
    "by an offset": (Alignment(How.OFFSET, -0.125), -0.125),
    "behind": (Alignment(How.BEHIND), 1.0),
}


@pytest.mark.parametrize("how", ALIGNMENTS)
def test_recordings_are_set_by(how, write):
    alignment, offset = ALIGNMENTS[how]
    began = ("2026-03-05 10:00:00", "2026-03-05 10:00:00.25") if alignment.how is How.START else (None, None)
    made = opened(write("a.csv", "u [V]", sine(1000, 1), 1000, began=began[0]))
    made = joined(made, write("b.csv", "u [V]", sine(1000, 1, rms=10), 1000, began=began[1]), alignment)
    record = evaluation(made).record
    behind = alignment.how is How.BEHIND
    assert [column.name for column in record.columns] == (["u"] if behind else ["u", "u_2"])
    assert (record.start_s, record.n_samples) == (min(offset, 0.0), round(1000 * (1 + abs(offset))))
    both = evaluation(made).samples.waveform(made[0].channels[-1].name).read(0, record.n_samples)
    first = round((offset - record.start_s) * 1000)
    assert both[first : first + 1000] == pytest.approx(sine(1000, 1, rms=10), abs=1e-9)
    if behind:
        assert both[:1000] == pytest.approx(sine(1000, 1), abs=1e-9)
    else:
        assert np.isnan(np.delete(both, slice(first, first + 1000))).all()


def test_an_edge_both_recorded_sets_them_to_a_part_of_a_sample(write):
    """The same ramp seen by two recorders whose clocks differ by 0.20034 s."""
    shift = 0.20034
    t = np.arange(2000) / 1000
    made = opened(write("a.csv", "trigger [V]", np.clip((t - 0.5) * 50, 0, 5), 1000))
    other = write("b.csv", "start [V]", np.clip((t + shift - 0.5) * 50, 0, 5), 1000)
    made = joined(made, other, alignment_from("edge trigger=start"))
    assert made[0].record.files[1].placement.offset_s == pytest.approx(shift, abs=1e-9)
    asked = evaluation(made)
    between = asked.samples.waveform("start").read(520, 580)
    assert between == pytest.approx(asked.samples.waveform("trigger").read(520, 580), abs=1e-6)


def test_gaps_are_missing_stretches_and_readings_count_them(write):
    x = sine(1000, 2)
    kept = np.r_[0:500, 520:2000]
    made = opened(write("a.csv", "u [V]", x[kept], 1000, times=kept / 1000))
    asked = evaluation(made)
    assert asked.record.n_samples == 2000
    read = asked.samples.waveform("u").read(0, 2000)
    assert np.flatnonzero(np.isnan(read)).tolist() == list(range(500, 520))
    assert tuple(said.text for said in asked.record.told) == ("1 gap in time: 20.0 ms are missing",)
    found = {notice.code: notice for notice in run_checks(asked)}
    assert found["record.missing"].text == "20 samples of u are missing"
    reading = asked.value("rms(u)")
    assert reading.value == pytest.approx(230, rel=1e-9)  # one whole cycle is missing, 99 are there: RC-40.3 in time
    low, high = asked.drawing.envelope("u", 0.495, 0.525, 30)
    assert np.isnan(low[6:24]).all()
    assert np.isfinite(high[:4]).all()


def test_time_that_runs_backwards_makes_shots_behind_each_other(write):
    t = np.r_[np.arange(500), np.arange(300)] / 1000
    made = opened(write("a.csv", "u [V]", np.r_[np.full(500, 1.0), np.full(300, 2.0)], 1000, times=t))
    asked = evaluation(made)
    assert [interval.name for interval in made[0].intervals] == ["shot 1", "shot 2"]
    assert [asked.value(f'mean(u) in "{name}"').value for name in ("shot 1", "shot 2")] == [1.0, 2.0]
    assert "2 shots, each with a time of its own, are set one behind the other" in asked.record.told[0].text


def test_uneven_time_is_kept_and_read_on_an_even_grid_of_choice(write):
    rng = np.random.default_rng(3)
    t = np.cumsum(rng.uniform(0.2e-3, 1.8e-3, 3000))
    t = np.round(t, 9)
    made = opened(write("a.csv", "u [V]", 10 * np.sin(2 * np.pi * 5 * t), 1, times=t))
    asked = evaluation(made)
    assert "time is not even, with steps from" in asked.record.told[0].text
    channel = asked.samples.resolve("u")
    places, values = channel.own_samples(0, asked.record.n_samples)
    assert asked.record.start_s + places / asked.record.rate_hz == pytest.approx(t[: len(places)], abs=1e-9)
    assert values == pytest.approx(10 * np.sin(2 * np.pi * 5 * t[: len(values)]), abs=1e-12)
    finer = Evaluation(op.read_at(made[0], 20_000, made[1].record), made[1].record(made[0].record))
    finer = Evaluation(finer.study, made[1].record(finer.study.record))
    assert finer.record.rate_hz == 20_000
    read = finer.samples.waveform("u").read(100, 20_000)
    instants = finer.record.start_s + np.arange(100, 20_000) / 20_000
    assert read == pytest.approx(10 * np.sin(2 * np.pi * 5 * instants), abs=0.02)
    with pytest.raises(StudyError, match="filters first"):
        even = opened(write("b.csv", "u [V]", sine(1000, 1), 1000))
        op.read_at(even[0], 500, even[1].record)


def test_zero_and_trim_move_what_is_seen_and_undo_brings_it_back(write, tmp_path):
    made = opened(write("a.csv", "u [V]", np.arange(1000.0), 1000, start_s=-0.1))
    study, record = made[0], made[1].record
    assert record(study.record).start_s == -0.1
    study = op.add_interval(study, Interval("late", 0.5, 0.7), record(study.record).grid)
    history = History(study)
    history.take(op.trim(history.present, 0.4, 0.8, record), "trim")
    history.take(op.move_zero(history.present, 0.5), "zero")
    cut = Evaluation(history.present, record(history.present.record))
    assert (cut.record.start_s, cut.record.n_samples) == (pytest.approx(-0.1), 400)
    assert cut.samples.waveform("u").read(0, 2).tolist() == [500.0, 501.0]
    assert cut.drawing.extent("u") == (500.0, 899.0)
    assert (history.present.intervals[0].start_s, cut.value("min(u) in late").value) == (0.0, 600.0)
    save_study(history.present, tmp_path / "s.pantelos")
    assert record_of(load_study(tmp_path / "s.pantelos")).grid == cut.record.grid
    whole = Evaluation(op.untrim(history.present), record(op.untrim(history.present).record))
    assert (whole.record.start_s, whole.record.n_samples) == (pytest.approx(-0.6), 1000)
    history.undo()
    history.undo()
    assert record(history.present.record).start_s == -0.1
    with pytest.raises(StudyError, match="nothing left"):
        op.trim(study, 3, 4, record)


def test_joining_twice_in_other_units_or_without_a_date_is_refused(write):
    made = opened(write("a.csv", "u [V]", sine(1000, 1), 1000))
    other = write("b.csv", "u [A]", sine(1000, 1), 1000)
    for alignment, said in ((Alignment(How.BEHIND), "Set them side by side"), (Alignment(How.START), "does not say when it began"),
                            (alignment_from("edge u=i"), 'no column "i"')):  # fmt: skip
        with pytest.raises(StudyError, match=said):
            joined(made, other, alignment)
    with pytest.raises(StudyError, match="more than ten times what was recorded"):
        joined(made, other, Alignment(How.OFFSET, 1e6))
    twice = joined(made, other, Alignment())
    with pytest.raises(StudyError, match="is part of this record already"):
        joined(twice, other, Alignment())
    with pytest.raises(StudyError, match="does not say how to set"):
        alignment_from("somehow")


def test_parts_of_one_recording_keep_the_gap_between_their_dates_unless_it_is_all_there_would_be(write):
    first = write("a.csv", "u [V]", sine(1000, 1), 1000, began="2026-03-05 10:00:00")
    for began, starts in (("2026-03-05 10:00:03", 3.0), ("2026-04-05 10:00:00", 1.0)):
        made = joined(opened(first), write("b.csv", "u [V]", sine(1000, 1), 1000, began=began), Alignment(How.BEHIND))
        assert made[0].record.files[1].placement.offset_s == pytest.approx(starts)


def test_one_of_several_files_is_relinked_by_name(write, tmp_path):
    made = opened(write("a.csv", "u [V]", sine(1000, 1), 1000))
    made = joined(made, write("b.csv", "i [A]", sine(1000, 1), 1000), Alignment())
    (tmp_path / "moved").mkdir()
    moved = (tmp_path / "b.csv").rename(tmp_path / "moved" / "b.csv")
    study, recordings = relinked(made[0], moved)
    assert recordings.record(study.record).sources[1][0] == moved
    with pytest.raises(StudyError, match=r"could stand for any of a.csv, b.csv"):
        relinked(study, moved.rename(tmp_path / "c.csv"))


def test_a_study_of_version_1_is_opened(write, tmp_path):
    study, _ = opened(write("a.csv", "u [V]", sine(1000, 1), 1000))
    save_study(study, tmp_path / "s.pantelos")
    content = msgspec.json.decode((tmp_path / "s.pantelos").read_bytes())
    old = {**content, "version": 1}
    old["study"]["record"] = content["study"]["record"]["files"][0]
    del old["study"]["record"]["placement"]
    (tmp_path / "s.pantelos").write_bytes(msgspec.json.encode(old))
    assert load_study(tmp_path / "s.pantelos") == study


@given(st.integers(1, 5), st.integers(0, 3000), st.integers(600, 4000), st.booleans(), st.randoms(use_true_random=False))
def test_an_envelope_of_pieces_holds_every_sample_and_no_other(n_segments, first, length, uneven, chance):
    """Segments with gaps, or uneven instants, on a grid that begins anywhere: column by column against the samples."""
    rng = np.random.default_rng(chance.randint(0, 10_000))
    n = 4000
    raw = RawChannel("u", rng.normal(size=n), unit("V"), None)
    raw = RawChannel("u", raw.samples, unit("V"), build_pyramid(lambda a, b: raw.samples[a:b], n))
    cuts = np.unique(np.r_[0, np.sort(rng.integers(1, n, n_segments - 1)), n])
    if uneven:
        timing = Instants(np.cumsum(rng.uniform(0.5, 1.5, n)), 1.0)
        at = timing.times_s
    else:
        segments = [Segment(float(a + 7 * k), 1.0, int(a), int(b - a)) for k, (a, b) in enumerate(pairwise(cuts))]
        timing, at = tuple(segments), np.concatenate([s.start_s + np.arange(s.n_samples) for s in segments])
    grid = Grid(float(first), 1.0, length)
    channel = Channel("u", grid, unit("V"), tuple(pieces_of(raw, timing, 0.0, grid, 1.0, 0.0)), None)
    edges = np.linspace(0, length, 8)
    lows, highs = channel.envelope(0, length, 7)
    inside = (at >= first - 1e-6) & (at < first + length - 1e-6)
    for k in range(7):
        mine = raw.samples[inside & (at - first >= edges[k]) & (at - first < edges[k + 1])]
        near = raw.samples[inside & (at - first >= edges[k] - 1) & (at - first <= edges[k + 1] + 1)]
        if len(mine):
            assert lows[k] <= mine.min()
            assert highs[k] >= mine.max()
        if len(near) and np.isfinite(lows[k]):
            around = raw.samples[inside & (at - first >= edges[k] - 257) & (at - first <= edges[k + 1] + 257)]
            assert around.min() <= lows[k]
            assert highs[k] <= around.max()
    assert channel.extent() == pytest.approx(
        (raw.samples[inside].min(), raw.samples[inside].max()) if inside.any() else (np.inf, -np.inf)
    )


def test_states_are_held_and_skew_is_taken_out():
    state = RawChannel("on", np.repeat(np.array([0, 1], dtype=np.uint8), 50), unit("1"), None)
    state = RawChannel("on", state.samples, unit("1"), build_pyramid(lambda a, b: state.samples[a:b], 100))
    x = sine(1000, 1)
    skewed = RawChannel("u", sine(1000, 1, shift_s=0.0002), unit("V"), build_pyramid(lambda a, b: x[a:b], 1000), skew_s=0.0002)
    columns = (RecordColumn("on", unit("1"), (Placed(state, (Segment(0.0, 100.0, 0, 100),)),)),
               RecordColumn("u", unit("V"), (Placed(skewed, (Segment(0.0, 1000.0, 0, 1000),)),)))  # fmt: skip
    record = Record(columns, Grid(0.0, 1000.0, 1000), ())
    asked = Evaluation(Study(channels=(ChannelSetup("on", "on", "1"), ChannelSetup("u", "u", "V"))), record)
    assert asked.samples.waveform("on").read(498, 502).tolist() == [0, 0, 1, 1]
    assert asked.samples.waveform("on").read(999, 1000).tolist() == [1]
    assert asked.samples.waveform("u").read(1, 999) == pytest.approx(x[1:999], abs=2e-3)


def test_what_trimming_hides_comes_back_as_it_was_and_what_was_changed_meanwhile_stays(write, tmp_path):
    study, recordings = opened(write("a.csv", "u [V]", np.arange(1000.0), 1000))
    record, grid = recordings.record, recordings.record(study.record).grid
    for name, a, b in (("across", 0.1, 0.45), ("inside", 0.45, 0.55), ("behind", 0.62, 0.99)):
        study = op.add_interval(study, Interval(name, a, b), grid)
    panels = tuple(Panel("harmonics", ("u",), name) for name in ("inside", "behind"))
    study = msgspec.structs.replace(study, panels=panels, active="behind")
    trimmed = op.trim(study, 0.4, 0.6, record)
    assert [(i.name, i.start_s, i.stop_s) for i in trimmed.intervals] == [("across", 0.4, 0.45), ("inside", 0.45, 0.55)]
    assert (trimmed.panels[1].interval, trimmed.active) == (None, "across")
    notes = [n for n in run_checks(Evaluation(trimmed, record(trimmed.record))) if n.code == "record.hidden"]
    assert "across (in part), behind" in notes[0].detail
    with pytest.raises(StudyError, match="outside the stretch that is kept"):
        op.add_interval(trimmed, Interval("behind", 0.45, 0.5), record(trimmed.record).grid)
    save_study(trimmed, tmp_path / "s.pantelos")
    again = op.untrim(load_study(tmp_path / "s.pantelos"))
    assert (again.intervals, again.panels, again.hidden) == (study.intervals, study.panels, study.hidden)
    closer = op.trim(op.trim(study, 0.4, 0.6, record), 0.5, 0.58, record)  # once more, closer
    assert op.untrim(closer).intervals == study.intervals
    changed = op.rename_interval(op.move_zero(trimmed, 0.1), "across", "first")
    changed = op.remove_interval(op.move_interval(changed, "first", 0.3, 0.33, record(changed.record).grid), "inside")
    spans = [(i.name, round(i.start_s, 9), round(i.stop_s, 9)) for i in op.untrim(changed).intervals]
    assert spans == [("first", 0.0, 0.33), ("behind", 0.52, 0.89)]
    only = op.trim(study, 0.0, 0.05, record)
    assert [i.name for i in only.intervals] == ["interval 1"]
    assert op.untrim(only) == study
