"""What the window shows and what gestures mean, without a window."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pantelos.desktop.presenter.chain import chain_rows, edited, editing_text
from pantelos.desktop.presenter.completion import offers
from pantelos.desktop.presenter.derive import judge
from pantelos.desktop.presenter.headline import edge_text, headline
from pantelos.desktop.presenter.import_plan import draft, with_column, with_rate
from pantelos.desktop.presenter.ledger import row_at, rows
from pantelos.desktop.presenter.strip_channel import bar_rows
from pantelos.desktop.presenter.view import TimeView, ViewHistory
from pantelos.engine.evaluation import Evaluation
from pantelos.formats.dialect import ColumnRole
from pantelos.notation import number, seconds, with_unit
from pantelos.paper import hues
from pantelos.paper.axis import decade_ticks, fitted, ticks, value_ticks
from pantelos.power.wirings import WIRINGS
from pantelos.power.wirings.scheme import HEIGHT, WIDTH
from pantelos.record.pieces import Grid
from pantelos.study import operations as op
from pantelos.study.model import Interval, Study
from pantelos.study.shown import Lane
from pantelos.units import unit

SECOND = Grid(0.0, 10_000.0, 10_000)

SIZES = st.floats(-1e9, 1e9).filter(lambda x: x == 0 or abs(x) > 1e-9)


@given(SIZES, st.floats(1e-9, 1e9), st.floats(2, 12))
def test_axis_marks_lie_inside_evenly_and_read_as_what_they_are(low, span, wanted):
    high = low + span
    if high - low < 1e-9 * max(abs(low), abs(high)):
        return
    marks = ticks(low, high, wanted)
    slack = 1e-6 * span
    assert all(low - slack <= mark.value <= high + slack for mark in marks)
    assert 1 <= len(marks) <= 3 * wanted + 1
    for mark in marks:
        assert float(mark.text.replace("\N{MINUS SIGN}", "-")) == pytest.approx(mark.value, abs=1e-6 * span)


def test_axes_carry_prefixes_and_fit_with_a_margin():
    marks, symbol = value_ticks(-8200, 8200, unit("V"), 4)
    assert (symbol, [m.text for m in marks]) == ("kV", ["−5", "0", "5"])
    assert decade_ticks(0.0009, 20, 6) == pytest.approx([0.001, 0.01, 0.1, 1, 10])
    assert decade_ticks(0.3, 7, 9) == pytest.approx([0.5, 1, 2, 5]) and decade_ticks(51, 54, 3) == pytest.approx([51, 52, 53, 54])


@given(low=st.floats(-1e6, 1e6), span=st.floats(-5, 6).map(lambda power: 10**power), wanted=st.floats(0.5, 12))
def test_every_scale_has_two_marks_clear_of_its_ends(low, span, wanted):
    assert sum(low + 0.03 * span < mark.value < low + 0.97 * span for mark in ticks(low, low + span, wanted)) >= 2
    assert len(decade_ticks(abs(low) + 1e-6, (abs(low) + 1e-6) * (1 + span), wanted)) >= 2
    assert fitted(2, 2) == (1.8, 2.2)
    assert fitted(1, 2, zero=True)[0] < 0
    assert [with_unit(x, unit("W"), 4) for x in (10424.5, 0.0031, -2.5e6)] == ["10.42 kW", "3.100 mW", "−2.500 MW"]
    assert (number(-0.0001, 2), number(None), seconds(1.5, 0.01)) == ("−0.00010", "—", "1.50 s")


@given(st.floats(0, 10), st.floats(0.001, 10), st.floats(0.01, 100), st.floats(0, 1))
def test_views_stay_inside_the_record_and_keep_the_instant_under_the_pointer(start, length, factor, at):
    view = TimeView(start, start + length).inside(Grid(0.0, 10_000.0, 100_000))
    assert -1e-9 <= view.start_s < view.stop_s <= 10 + 1e-9
    t = view.start_s + at * view.length_s
    zoomed = view.zoomed(factor, t)
    assert zoomed.to_x(t, 800) == pytest.approx(view.to_x(t, 800), abs=1e-3)


def test_view_history_counts_a_gesture_as_one_step():
    history = ViewHistory(TimeView(0, 10))
    for k in range(5):
        history.show(TimeView(k + 1, 10), "pan")
    history.settle()
    history.show(TimeView(6, 7))
    history.back()
    assert history.present == TimeView(5, 10)
    history.back()
    assert history.present == TimeView(0, 10)
    history.forward()
    assert history.present == TimeView(5, 10)


def test_lanes_share_the_height_and_grow_beyond_it_when_there_are_many():
    study = Study(lanes=tuple(Lane((f"c{k}",), weight) for k, weight in enumerate((2.0, 1.0, 1.0))))
    found = rows(study, 400)
    assert [row.height for row in found] == [200, 100, 100]
    assert row_at(found, 250).index == 1
    assert row_at(found, 900) is None
    assert rows(Study(lanes=tuple(Lane((f"c{k}",)) for k in range(64))), 400)[-1].bottom > 4000


def test_hues_follow_the_wiring_then_the_formula_then_the_name(evaluation_of, sine):
    evaluation = evaluation_of(10_000.0, "single-phase", u=sine(1, 50), i=sine(1, 50))
    study = op.set_formula(evaluation.study, "p = u * i")
    assert [hues.conductor(study, name) for name in ("u", "i", "p")] == ["L1", "L1", "L1"]
    free = evaluation_of(10_000.0, u_dc=sine(1, 50), i2=sine(1, 50), x=sine(1, 50)).study
    assert [hues.conductor(free, name) for name in ("u_dc", "i2", "x")] == ["DC", "L2", ""]
    assert hues.weight(unit("mA")) is hues.Weight.HEAVY


def test_the_header_says_where_numbers_belong_and_whether_cycles_are_whole(evaluation_of, sine):
    evaluation = evaluation_of(10_000.0, reference="u", u=sine(230, 50, seconds=1))
    study = op.add_interval(evaluation.study, Interval("steady", 0.1, 0.305), SECOND)
    asked = Evaluation(study, evaluation.record)
    assert headline(asked, "bench").cycles == ""  # not known without work
    assert asked.references.overall.why == "chosen"
    broken = headline(asked, "bench")
    assert (broken.interval, broken.cycles, broken.whole) == ("steady", "10.25 cycles of u", False)
    whole = op.move_interval(study, "steady", 0.1, 0.3, SECOND)
    asked = Evaluation(whole, evaluation.record)
    asked.references.of(["u"])
    said = headline(asked, "bench", ["u"])
    assert (said.times, said.length, said.whole) == ("0.1000 s – 0.3000 s", "Δ 200.00 ms", True)
    assert headline(None, "bench").interval == ""
    assert edge_text(0.06, 3.0) == "Δt 60.00 ms   1/Δt 16.67 Hz   3.00 cycles"


def test_the_derive_line_judges_while_typing(evaluation_of, sine):
    evaluation = evaluation_of(10_000.0, u1=sine(1, 50), i1=sine(1, 50))
    assert judge(evaluation, "p1 = u1 * i1").text == "W   one value per sample, 2 k samples"
    wrong = judge(evaluation, "p1 = u1 + i1")
    assert (wrong.good, "p1 = u1 + i1"[wrong.start : wrong.stop]) == (False, "+")
    assert "is taken" in judge(evaluation, "i1 = u1 * 2").text
    assert [one.text for one in offers(evaluation, "2 * integ", 9)] == ["integral("]
    assert next(one.text for one in offers(evaluation, "u", 1)) == "u1"


def test_the_import_draft_is_corrected_before_anything_is_built(tmp_path):
    path = tmp_path / "a.csv"
    path.write_text("u [V];u [V]\n1,5;2,5\n3,5;4,5\n")
    given = draft(path)
    assert len(with_column(given, 1, name="u").problems) == 2
    given = with_rate(with_column(given, 1, name="i", symbol="A"), "50 us")
    assert (given.problems, given.dialect.rate_hz) == ((), 20_000)
    assert "not a sample rate" in with_rate(given, "fast").problems[0]
    assert with_column(given, 0, role=ColumnRole.TIME).dialect.time_column == 0
    assert "about 2 rows" in given.summary


def test_cells_of_the_scaling_table_say_and_take_the_chain(evaluation_of, sine):
    evaluation = evaluation_of(10_000.0, u1=sine(1, 50))
    study = op.scale_channel(evaluation.study, "u1", "clamp 100 mV/A, reversed, range 5 V, accuracy 0.5 % + 20 mA")
    row = chain_rows(Evaluation(study, evaluation.record))[0]
    assert row.cells[2:7] == ("±5 V", "clamp 100 mV/A", "reversed", "±50.00 A", "0.5 % + 20 mA")
    for column, text in ((3, "shunt 10 mohm"), (2, "±2 V"), (0, "i1")):
        assert editing_text(study, study.channels[0].name, column) != text
        study = edited(study, study.channels[0].name, column, text)
    changed = chain_rows(Evaluation(study, evaluation.record))[0]
    assert changed.cells[:7] == ("i1", "u1", "±2 V", "shunt 10 mΩ", "reversed", "±200.0 A", "0.5 % + 20 mA")


@pytest.mark.parametrize("wiring", WIRINGS, ids=lambda w: w.id)
def test_every_connection_is_drawn_with_all_its_sockets_inside_the_picture(wiring):
    drawn = wiring.scheme
    assert {placed.socket for placed in drawn.sockets} == {socket.name for socket in wiring.sockets}
    assert all(30 < placed.x < WIDTH - 30 and 15 < placed.y < HEIGHT - 15 for placed in drawn.sockets)


def test_bars_of_overlapping_intervals_are_stacked():
    study = Study(intervals=(Interval("a", 0, 2), Interval("b", 1, 3), Interval("c", 2, 4)))
    assert {i.name: row for i, row in bar_rows(study)} == {"a": 0, "b": 1, "c": 0}
