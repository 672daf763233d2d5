"""What gestures mean, without a window: snapping, cells beside lanes, marks of the time axis, looks of lanes."""

import math
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from msgspec.structs import replace as changed

from pantelos.desktop.presenter.ledger import COLLAPSED_HEIGHT, lane_extent, lanes_alike, look_text, rows, shown
from pantelos.desktop.presenter.reading_columns import (
    CellText,
    CellValue,
    ReadingColumn,
    cell_text,
    cells_job,
    compared,
    reading_columns,
)
from pantelos.desktop.presenter.snapping import Snap, snapped
from pantelos.desktop.presenter.time_axis import axis_marks
from pantelos.desktop.presenter.view import TimeView
from pantelos.engine.evaluation import Evaluation
from pantelos.paper.axis import ticks
from pantelos.progress import Progress
from pantelos.record.record import record_of_arrays
from pantelos.record.recording import RawChannel
from pantelos.signal.levels.levels import Level
from pantelos.signal.sampling.pyramid import build_pyramid
from pantelos.study import operations as op
from pantelos.study.model import ChannelSetup, EventSearch, Interval, Study
from pantelos.study.shown import Lane, Look
from pantelos.units import unit

VOLT, PERCENT = unit("V"), unit("%")


@pytest.fixture
def mains(evaluation_of, sine):
    """One second of 230 V and 5 A at 50 Hz."""
    return evaluation_of(10_000.0, None, "u", u=sine(230, 50, seconds=1), i=sine(5, 50, -30, seconds=1))


@given(st.floats(0.1, 0.9), st.sampled_from([Snap.CROSSING, Snap.EXTREMUM, Snap.CYCLE, Snap.SAMPLE]))
def test_an_edge_goes_to_the_nearest_place_of_its_kind(t, snap):
    u = np.sin(2 * np.pi * 50 * np.arange(10_000) / 10_000 + 1e-9)
    made = _evaluation(u)
    found = snapped(made, snap, "u", None, t, 0.004)
    step = {Snap.CROSSING: 0.01, Snap.EXTREMUM: 0.01, Snap.CYCLE: 0.02, Snap.SAMPLE: 1e-4}[snap]
    start = 0.005 if snap is Snap.EXTREMUM else 0.0
    nearest = start + round((t - start) / step) * step
    assert found == pytest.approx(nearest if abs(nearest - t) <= 0.004 else t, abs=2e-4)


def _evaluation(u):
    raw = RawChannel("u", u, VOLT, build_pyramid(lambda a, b: u[a:b], len(u)))
    made = Evaluation(
        Study(channels=(ChannelSetup("u", "u"),), reference="u"), record_of_arrays((raw,), 1e4, Path("made.csv"), "0")
    )
    made.cycles.of("u")
    return made


def test_without_a_target_an_edge_stays_where_it_is(mains):
    search = EventSearch("e", "u", level=Level(100.0))
    study = op.set_search(mains.study, search)
    evaluation = mains.on(study)
    assert snapped(evaluation, Snap.EVENT, "u", "e", 0.5031, 0.004) == 0.5031  # not looked for yet
    first = evaluation.times.instant(float(evaluation.events.find(search).positions[25]))
    assert snapped(evaluation, Snap.EVENT, "u", "e", first + 0.001, 0.004) == first
    for snap, channel in ((Snap.NONE, "u"), (Snap.CROSSING, None), (Snap.EVENT, "u"), (Snap.CYCLE, "u")):
        assert snapped(mains, snap, channel, None, 0.5031, 1e-5) == 0.5031


def test_numbers_beside_lanes_have_the_digits_they_deserve():
    for cell, accuracy, expected in (
        (CellValue(230.0491, VOLT, 0.31), True, ("230.05", "±0.31", "")), (CellValue(230.0491, VOLT, 0.31), False, ("230.05", "", "")),
        (CellValue(230.0491, VOLT), True, ("230.05", "", "")), (CellValue(0.0112, PERCENT, 0.00021), True, ("1.120", "±0.021", "%")),
        (CellValue(12.0, unit("1")), True, ("12", "", "")), (CellValue(50.02, unit("Hz"), 0.003), True, ("50.0200", "±0.0030", "Hz")),
        (CellValue(0.01626, VOLT, 0.00012), True, ("16.26", "±0.12", "mV")), (CellValue(0.0011, VOLT, 0.35), True, ("0.00", "±0.35", "")),
        (CellValue(math.nan, VOLT, 1.0), True, ("—", "", "")), (None, True, ("—", "", "")),
    ):  # fmt: skip
        assert cell_text(cell, 325.0, VOLT, accuracy) == CellText(*expected)
    folded = cell_text(CellValue(230.0491, VOLT, 0.31), 325.0, VOLT, True, said=False)
    assert (folded.behind, folded.alone) == ("±0.31 V", "230.05 V")  # in a folded lane, which has no axis to say the unit


def test_columns_compare_up_to_six_intervals_the_active_one_among_them(mains):
    study, grid = mains.study, mains.record.grid
    for k in range(8):
        study = op.add_interval(study, Interval(f"part {k}", 0.1 * k, 0.1 * k + 0.1), grid)
    study = op.change_columns(op.activate(study, "part 7"), compare="rms", comparing="differences")
    assert [i.name for i in compared(study)] == ["part 0", "part 1", "part 2", "part 3", "part 4", "part 7"]
    columns = reading_columns(study)
    assert [c.title for c in columns[-2:]] == ["Δ part 4", "part 7"]
    cells = cells_job(mains.on(study), ["u"], columns, True)(Progress())
    assert cells["u", columns[0]].value == pytest.approx(0, abs=1e-9)
    assert math.isnan(cells["u", columns[0]].expanded)  # no accuracy stated, no ±
    assert ReadingColumn("crest").title == "crest factor"
    assert reading_columns(op.change_columns(mains.study, compare="rms"))[0].interval is None  # nothing to compare


def test_lanes_share_the_height_and_show_channels_as_their_looks_say(mains):
    study = op.set_formula(mains.study, "v = u / 2")
    lanes = (Lane(("u",)), Lane(("v",), collapsed=True), Lane(("i",), weight=2.0))
    study = op.set_look(changed(study, lanes=lanes), "u", Look(10.0, 5.0, mean_removed=True))
    evaluation = mains.on(study)
    heights = [row.height for row in rows(study, 600)]
    assert heights[1] == COLLAPSED_HEIGHT
    assert heights[2] == pytest.approx(2 * heights[0], abs=2)
    assert not evaluation.drawing.can_draw("u")  # its mean is not known yet
    evaluation.drawing.prepare("u")
    assert evaluation.drawing.can_draw("u")
    assert shown(evaluation, "u", 7.0) == pytest.approx(75.0, abs=1e-6)
    assert look_text(evaluation, "u") == "×10 +5.00 V mean removed"
    low, high = lane_extent(evaluation, study.lanes[0])
    assert (low, high) == pytest.approx((5 - 3252.7 - 520, 5 + 3252.7 + 520), rel=0.01)
    assert lanes_alike(evaluation, 0) == [0, 1]
    assert op.set_look(study, "u", Look()).looks == {}
    moved = op.move_lane(study, 0, 3)
    assert [lane.channels for lane in moved.lanes] == [("v",), ("i",), ("u",)]
    assert [lane.channels for lane in op.move_lane(moved, 2, 0).lanes] == [lane.channels for lane in study.lanes]


@given(st.floats(-1e4, 1e4), st.floats(1e-4, 1e4), st.integers(3, 12))
def test_marks_of_the_axis_lie_in_the_view_and_are_evenly_spaced(start, length, wanted):
    view = TimeView(start, start + length)
    marks = axis_marks(view, op.set_time_axis(Study(), "record"), None, wanted)
    values = [mark.value for mark in marks]
    assert all(view.start_s - 1e-6 * length <= value <= view.stop_s + 1e-6 * length for value in values)
    assert len(set(np.round(np.diff(values) / length, 6))) <= 1
    assert [replace(m, text=m.text.removesuffix(" s")) for m in marks] == ticks(view.start_s, view.stop_s, wanted)
