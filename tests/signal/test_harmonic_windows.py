"""Windows of 10 and 12 cycles: components, groups, bands, smoothing, power per order, at mains of every kind."""

import math

import numpy as np
import pytest

from pantelos.signal.harmonics.harmonic_windows import BAND_CENTRES_HZ, prevailing, smoothed
from pantelos.tables.building import build_tables


def tone(rate, seconds, *parts):
    t = np.arange(round(rate * seconds)) / rate
    return sum(math.sqrt(2) * a * np.sin(2 * np.pi * f * t + math.radians(p)) for a, f, p in parts)


def test_rc30_bands_and_smoothing(evaluation_of):
    u = tone(51_200, 0.2, (230, 50, 0), (0.3, 2105, 0), (0.4, 2300, 0), (1.2, 2305, 0))
    found = evaluation_of(51_200.0, u=u, reference="u").harmonic_windows(["u"], None)
    bands = dict(zip(BAND_CENTRES_HZ.tolist(), found.bands[0, 0].tolist(), strict=True))
    assert (bands[2100], bands[2300]) == pytest.approx((0.3, 1.264911064067), abs=1e-10)
    assert smoothed(np.ones(8), np.array(0.0))[-1] == pytest.approx(0.6558024819319, abs=1e-12)
    assert smoothed(np.full(5, 3.0)) == pytest.approx([3.0] * 5)
    slow = evaluation_of(10_000.0, u=tone(10_000, 0.2, (230, 50, 0)), reference="u").harmonic_windows(["u"], None)
    assert np.isfinite(slow.bands[0, 0]).sum() == 10  # blank above 0.4 of the rate


@pytest.mark.parametrize(
    ("f", "rate", "n_cycles"), [(49.7, 20_000, 10), (16.7, 5_000, 10), (60.3, 20_000, 12), (400.8, 100_000, 80)]
)
def test_off_nominal_mains_of_every_kind(evaluation_of, f, rate, n_cycles):
    u = tone(rate, max(60 / f, 0.5), (230, f, 0), (11.5, 3 * f, 20), (4.6, 5 * f, -60), (2.3, 5.5 * f, 10))
    found = evaluation_of(float(rate), u=u, reference="u").harmonic_windows(["u"], None)
    assert found.n_cycles == n_cycles
    sizes = np.abs(found.phasors[:, 0])
    assert sizes[:, [1, 3, 5]] == pytest.approx(
        np.tile([230, 11.5, 4.6], (len(sizes), 1)), abs=230 * 5e-6
    )  # the one between moves crossings
    assert np.abs(sizes[:, [2, 4, 6]]).max() < 2e-3
    assert found.groups.centred[:, 0, 5] == pytest.approx([2.3] * len(sizes), rel=5e-4)
    turned = found.turned(1)[:, 0]
    assert np.degrees(np.angle(turned[:, 3])) == pytest.approx([20] * len(sizes), abs=0.01)


def test_harmonics_within_a_millionth_of_the_fundamental_over_minutes_of_wandering_mains(evaluation_of):
    rate, seconds = 10_000, 120
    t = np.arange(rate * seconds) / rate
    turns = 50.02 * t + 0.03 / (2 * np.pi * 0.01) * np.sin(2 * np.pi * 0.01 * t)
    u = math.sqrt(2) * (230 * np.sin(2 * np.pi * turns) + 9.2 * np.sin(2 * np.pi * 5 * turns + 0.5))
    orders = evaluation_of(float(rate), u=u, reference="u").harmonics(["u"], None)
    assert abs(orders.rms[0, 5] - 9.2) < 230e-6
    assert orders.rms[0, [2, 3, 4, 6, 7]].max() < 230e-6


def test_prevailing_angles():
    angle, ratio = prevailing(np.exp(1j * np.array([[0.5, 0.0], [0.5, 2 * np.pi / 3], [0.5, -2 * np.pi / 3]])))
    assert (angle[0], ratio[0]) == pytest.approx((0.5, 1.0)) and ratio[1] == pytest.approx(0, abs=1e-12)


def test_power_per_order_and_its_direction(evaluation_of):
    rng = np.random.default_rng(3)
    u = tone(10_000, 2, (230, 50, 0), (6, 250, 0)) + rng.normal(0, 0.05, 20_000)
    i = tone(10_000, 2, (10, 50, -30), (2, 250, 170)) + rng.normal(0, 0.01, 20_000)
    evaluation = evaluation_of(10_000.0, "single-phase", u=u, i=i)
    rows = {row[3]: row for row in build_tables(evaluation, ["harmonic_power"]).tables[0].rows}
    assert rows[5][4] == pytest.approx(12 * math.cos(math.radians(170)), rel=1e-2) and rows[5][8] == "injected"
    assert rows[1][8] == "absorbed" and rows[1][7] == pytest.approx(30, abs=0.01)
    said = [rows[h][8] for h in range(6, 50)]
    assert said.count("undetermined") > 35 and abs(rows[5][7]) == pytest.approx(170, abs=1)
    power = evaluation.power(evaluation.study.connections[0], None).total
    assert sum(row[4] for row in rows.values()) == pytest.approx(power.P, rel=1e-5)


def test_groups_as_a_table_over_the_windows(evaluation_of):
    u = tone(10_000, 2, (230, 50, 0), (10, 250, 0), (2, 262, 0))
    table = build_tables(evaluation_of(10_000.0, u=u, reference="u"), ["groups"]).tables[0]
    rows = {row[2]: dict(zip((c.key for c in table.columns), row, strict=True)) for row in table.rows}
    assert rows[5]["component_rms"] == pytest.approx(10, rel=0.2) and rows[5]["harmonic_p95"] <= rows[5]["harmonic_max"]
    assert rows[5]["harmonic_rms"] > rows[5]["subgroup_rms"] > 0 and rows[5]["ratio"] > 0.8
    assert any("10 windows of 10 cycles" in line for line in table.method)
