"""Powers per cycle and per block: the same as over the interval where nothing changes, following where something does."""

import math

import numpy as np
import pytest

from pantelos.engine.evaluation import power_series
from pantelos.errors import StudyError
from pantelos.power.over_time import cycles_of_step
from pantelos.tables.building import build_tables

RATE = 20_000.0


@pytest.fixture
def load(evaluation_of):
    """Three phases whose current steps up at 0.5 s; fifth harmonics in both."""
    t = np.arange(round(RATE)) / RATE
    step = np.where(t < 0.5, 1.0, 2.0)
    channels = {}
    for k, angle in enumerate((0, -120, 118), 1):
        turn = 2 * np.pi * 50.1 * t + math.radians(angle)
        channels[f"u{k}"] = math.sqrt(2) * (230 * np.sin(turn) + 9 * np.sin(5 * turn))
        channels[f"i{k}"] = step * math.sqrt(2) * (10 * np.sin(turn - 0.5) + 2 * np.sin(5 * turn + 1))
    return evaluation_of(RATE, "three-phase-4w", **channels)


def test_rows_per_cycle_follow_a_step(load):
    found = power_series(load, load.study.connections[0], None, "cycle")
    before, after = found.stops < 0.49 * RATE, found.starts > 0.51 * RATE
    whole = load.power(load.study.connections[0], None)
    assert found.n_cycles.sum() == whole.window.n_cycles
    for name in ("P", "Q1", "S1", "D_I"):
        low, high = found.quantities[name][before], found.quantities[name][after]
        assert np.ptp(low) < 1e-4 * low.mean() and high.mean() == pytest.approx(2 * low.mean(), rel=1e-4)
    s, parts = found.quantities["S"], [found.quantities[name] for name in ("S1", "D_I", "D_V", "S_H")]
    assert s**2 == pytest.approx(sum(part**2 for part in parts), rel=1e-9)
    assert found.quantities["u2"][0] == pytest.approx(whole.system.u2, rel=1e-3)
    lengths = found.stops - found.starts
    assert (found.quantities["P"] * lengths).sum() / lengths.sum() == pytest.approx(whole.total.P, rel=1e-6)


def test_pieces_of_200_ms_and_missing_samples(load, evaluation_of):
    table = build_tables(load, ["power_over_time"]).tables[0]
    assert table.column("cycles") == [10, 10, 10, 10, 10] and table.column("P_1")[0] > 0
    waves = {name: load.samples.waveform(name).read(0, round(RATE)).copy() for name in load.study.names}
    waves["i1"][8500:8520] = np.nan
    waves["u2"][12_000:14_000] = np.nan
    holed = evaluation_of(RATE, "three-phase-4w", **waves)
    powers = power_series(holed, holed.study.connections[0], None, "200 ms").quantities["P"]
    whole = power_series(load, load.study.connections[0], None, "200 ms").quantities["P"]
    assert np.isnan(powers).tolist() == [False, False, False, True, False]
    assert powers[[0, 1, 2, 4]] == pytest.approx(whole[[0, 1, 2, 4]], rel=2e-2)


def test_no_piece_spans_a_pause_of_the_reference(evaluation_of):
    t = np.arange(round(8 * RATE)) / RATE
    f, on = np.where(t > 2, 80.0, 50.0), (t < 1.503) | (t > 6)
    waves = {name: size * math.sqrt(2) * np.sin(2 * np.pi * f * t) * on for name, size in (("u", 230.0), ("i", 7.0))}
    e = evaluation_of(RATE, "single-phase", **waves)
    for every in ("cycle", "200 ms"):
        found = power_series(e, e.study.connections[0], None, every)
        assert found.n_cycles.sum() == e.power(e.study.connections[0], None).window.n_cycles
        cycle_s = (found.stops - found.starts) / RATE / found.n_cycles
        assert cycle_s.min() > 0.99 / 80 and cycle_s.max() < 1.01 / 50
        assert found.quantities["P"] == pytest.approx(230 * 7, rel=5e-3)
    assert 50 < build_tables(e, ["groups"]).tables[0].column("f")[1] < 80


@pytest.mark.parametrize(("text", "cycles"), [("cycle", 1), ("200 ms", 10), ("1 s", 50), ("3 ms", 1)])
def test_a_step_is_a_cycle_or_a_time(text, cycles):
    assert cycles_of_step(text, 50.0) == cycles
    for wrong in ("", "-1 s", "5 V", "often"):
        with pytest.raises(StudyError, match="is no step"):
            cycles_of_step(wrong, 50.0)


def test_dc_and_short_intervals_say_why(evaluation_of):
    dc = evaluation_of(1000.0, "dc", u=np.ones(100), i=np.ones(100))
    with pytest.raises(StudyError, match="need cycles: a DC connection has no cycles"):
        power_series(dc, dc.study.connections[0], None, "cycle")
