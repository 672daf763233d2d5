"""Operating points of a drive: found where speed and torque hold, and a map over them that invents nothing."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import pantelos
from pantelos.errors import StudyError
from pantelos.panels.map import MapPoint, iso_lines, points_of
from pantelos.progress import Progress
from pantelos.study.shown import Panel
from pantelos.tables.maps import map_tables

RATE, RAMP_S, HELD_S = 1000, 1.0, 4.0
POINTS = [(500.0, 10.0), (500.0, 40.0), (1500.0, 40.0), (1500.0, 10.0), (1000.0, 25.0)]  # min⁻¹, N·m


def held(values, noise, rng):
    """Values that are ramped to and held, one after the other."""
    x = [np.zeros(round(RATE * RAMP_S))]
    for before, value in zip([0.0, *values[:-1]], values, strict=True):
        x += [np.linspace(before, value, round(RATE * RAMP_S)), np.full(round(RATE * HELD_S), value)]
    x = np.concatenate(x)
    return x + noise * rng.normal(size=len(x))


@pytest.fixture(scope="module")
def study():
    rng = np.random.default_rng(5)
    n, torque = held([p[0] for p in POINTS], 1.0, rng), held([p[1] for p in POINTS], 0.05, rng)
    shaft = n * np.pi / 30 * torque
    made = pantelos.from_arrays(n=n, M=torque, P1=shaft / 0.9, rate=RATE, units={"n": "rpm", "M": "N·m", "P1": "W"})
    made = made.edited(fill="every stretch where n and M are steady within 1 % for 2 s")
    return made.with_formula("eta = mean(n * M) / mean(P1)", "load = mean(M) * mean(n)")


def test_every_held_point_is_found_and_named_by_what_it_holds(study):
    assert list(study.intervals) == [
        "500 min⁻¹, 10.0 N·m", "500 min⁻¹, 40.0 N·m", "1500 min⁻¹, 40.0 N·m", "1500 min⁻¹, 10.0 N·m", "1000 min⁻¹, 25.0 N·m",
    ]  # fmt: skip
    for k, one in enumerate(study.intervals.values()):
        start = RAMP_S + k * (RAMP_S + HELD_S) + RAMP_S
        assert one.start_s == pytest.approx(start, abs=0.05) and one.stop_s == pytest.approx(start + HELD_S, abs=0.05)
    with pytest.raises(pantelos.PantelosError, match=r"the longest stretch that is so lasts 9\.\d"):
        study.edited(fill="every stretch where n is steady within 1 % for 12 s")


def test_a_map_holds_what_is_read_in_each_interval(study):
    points = points_of(study._evaluation, ("n", "M", "eta"))
    assert [p.interval for p in points] == list(study.intervals)
    for point, (n, torque) in zip(points, POINTS, strict=True):
        assert (point.x * 30 / np.pi, point.y) == pytest.approx((n, torque), rel=2e-3) and point.value == pytest.approx(
            0.9, rel=1e-6
        )
        assert point.value == float(study.value("eta", point.interval)) and point.dwell_s == pytest.approx(HELD_S, abs=0.1)
    (table,) = map_tables(study._evaluation, Panel("map", ("n", "M", "eta")), Progress())
    assert table.column("x") == pytest.approx([n for n, _ in POINTS], rel=2e-3) and set(table.column("U")) == {None}
    assert study.figure("map n M eta").svg.count("<svg") == 1
    with pytest.raises(StudyError, match="Choose what goes across"):
        points_of(study._evaluation, ("n", "M"))


@given(
    at=st.lists(st.tuples(st.floats(-100, 100), st.floats(-1, 1)), min_size=3, max_size=12, unique=True),
    plane=st.tuples(st.floats(-5, 5), st.floats(-200, 200)),
)
@settings(max_examples=60, deadline=None)
def test_lines_lie_on_a_plane_through_the_points_and_never_beyond_them(at, plane):
    points = tuple(MapPoint(str(k), x, y, plane[0] * x + plane[1] * y, math.nan, 1.0) for k, (x, y) in enumerate(at))
    xs, ys = np.array(at).T
    for line in iso_lines(points):
        x, y = line.points.T
        assert plane[0] * x + plane[1] * y == pytest.approx(
            np.full(len(x), line.value), abs=1e-6 * (1 + np.abs([p.value for p in points]).max())
        )
        slack = 1e-9 * (1 + np.ptp(xs)), 1e-9 * (1 + np.ptp(ys))
        assert x.min() >= xs.min() - slack[0] and x.max() <= xs.max() + slack[0]
        assert y.min() >= ys.min() - slack[1] and y.max() <= ys.max() + slack[1]


def test_few_points_or_points_on_one_line_carry_no_lines():
    line = tuple(MapPoint(str(k), float(k), 2.0 * k, float(k), math.nan, 1.0) for k in range(9))
    assert iso_lines(line) == () and iso_lines(line[:3]) == ()
