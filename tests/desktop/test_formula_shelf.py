"""Formulas in the window: the list, the functions, groups, and the line while it is typed."""

import pytest
from PyQt6.QtCore import Qt

from pantelos.desktop.formulas.shelf import FORMULAS, FUNCTIONS
from pantelos.desktop.pictures.screenshots import settle, wait_until
from pantelos.desktop.presenter import derive as presenter
from pantelos.desktop.presenter.completion import argument_help, call_at, offers
from pantelos.desktop.presenter.derive import judge
from pantelos.desktop.presenter.formulas import State, formula_rows
from pantelos.engine.evaluation import Evaluation
from pantelos.formula.functions import all_functions
from pantelos.study import operations as op
from pantelos.study.groups import GROUPS, proposed, texts_of, with_group
from pantelos.study.model import Interval


@pytest.fixture
def window(imported_window):
    """A window with one phase wired, its power and one interval."""
    document = imported_window.document
    study = op.add_connection(document.study, "load", "single-phase")
    for socket, channel in (("u", "u1"), ("i", "i1")):
        study = op.place_channel(study, "load", socket, channel)
    study = op.add_interval(op.set_formula(study, "p1 = u1 * i1"), Interval("steady", 0.2, 0.6), document.grid)
    document.take(study, "set up")
    imported_window.show_page(1)
    settle(imported_window)
    return imported_window


@pytest.fixture
def shelf(window):
    study = window.document.study
    for text in ("e = integral(p1)", "U = rms(u1) over cycles(u1)", "twice = 2 * U"):
        study = op.set_formula(study, text)
    window.document.take(study, "formulas")
    window.traces.shelf.open_at(FORMULAS)
    settle(window)
    return window.traces.shelf


def rows(window):
    return {row.name: row for row in formula_rows(window.document.evaluation)}


def test_the_list_says_what_each_results_in_and_who_uses_it(window, shelf):
    found = rows(window)
    assert shelf.formulas._rows.data(shelf.formulas._rows.index(0)).startswith("p1 = u1 * i1")
    assert (found["p1"].result, found["e"].result, found["U"].result) == ("curve, W", "curve, J", "series, V")
    assert found["p1"].used_by == ("e",) and found["U"].used_by == ("twice",)
    assert shelf.formulas._count.text().startswith(str(len(found)))


def test_formulas_are_edited_renamed_moved_switched_and_deleted_with_undo(window, shelf):
    names = lambda: [formula.name for formula in window.document.study.formulas]  # noqa: E731
    shelf.formulas.choose("U")
    shelf.formulas.edit()
    assert window.traces.derive.edit.text() == "U = rms(u1) over cycles(u1)"
    shelf.formulas.rename("U", "U_cycle")
    settle(window)
    assert window.document.study.formula("twice").expression == "2 * U_cycle"
    order = names()
    shelf.formulas.shift(-1)
    settle(window)
    assert names() != order and sorted(names()) == sorted(order)
    assert shelf.formulas.chosen() == "U_cycle"
    shelf.formulas.delete()
    assert "twice" in window.notice_bar.text.text()  # who uses it
    assert "U_cycle" in names()
    shelf.formulas.switch()
    settle(window)
    found = rows(window)
    assert (found["U_cycle"].state, found["twice"].state) == (State.OFF, State.WAITING)
    assert "twice" not in window.document.evaluation.names.types
    window.document.undo()
    settle(window)
    assert rows(window)["twice"].state is State.GOOD
    shelf.formulas.choose("twice")
    shelf.formulas.delete()
    assert "twice" not in names()
    window.document.undo()
    settle(window)
    shelf.formulas.choose("twice")
    assert [action.text() for action in shelf.formulas.menu().actions() if action.text()][:3] == [
        "Edit in the derive line",
        "Rename…",
        "Switch off",
    ]


def test_a_broken_formula_says_why_in_its_row(window, shelf):
    window.document.take(op.set_formula(op.set_formula(window.document.study, "bad = u1 + i1"), "worse = bad * 2"), "bad")
    settle(window)
    found = rows(window)
    assert found["bad"].state is State.BROKEN and "do not measure the same" in found["bad"].said
    shelf.formulas.list.grab()


def test_functions_are_searched_explained_and_tried_on_the_open_record(window, shelf):
    shelf.open_at(FUNCTIONS)
    settle(window)
    shelf.functions.search.setText("below a frequency")
    assert shelf.functions.chosen().name == "lowpass"
    assert "Butterworth" in shelf.functions.text.toPlainText()
    assert shelf.functions.example() == "lowpass(u1, 500 Hz)"
    shelf.functions.run_example()
    wait_until(lambda: "a curve" in shelf.functions.answer.text())
    for name, said in (("duty", "%"), ("active", "W"), ("cycles", "values")):
        shelf.functions.show_function(name)
        shelf.functions.run_example()
        wait_until(lambda said=said: said in shelf.functions.answer.text())
    shelf.functions.put()
    assert window.traces.derive.edit.text() == "rms(u1) over cycles(u1)"
    listed = sum(shelf.functions.tree.topLevelItem(k).childCount() for k in range(shelf.functions.tree.topLevelItemCount()))
    assert listed == len(all_functions())


def test_a_group_asks_for_channels_only_and_inserts_plain_formulas(window, shelf):
    shelf.formulas.ask_group("power-1")
    dialog = shelf.formulas.asking
    assert dialog.texts()[:2] == ("p = u1 * i1", "P = active(u1, i1) over cycles(u1)")
    dialog.accept()
    settle(window)
    study = window.document.study
    assert study.formula("P").expression == "active(u1, i1) over cycles(u1)"
    assert next(lane for lane in study.lanes if lane.channels == ("P",)).drawing == "steps"
    window.document.undo()
    assert window.document.study.formula("P") is None


@pytest.mark.parametrize("group", GROUPS, ids=lambda group: group.id)
def test_every_group_can_be_computed_and_takes_free_names(group, evaluation_of, sine):
    channels = {f"{q}{k}": sine(a, 50, -120 * k) for k in (1, 2, 3) for q, a in (("u", 230), ("i", 5))}
    evaluation = evaluation_of(10_000.0, units={"p": "W"}, p=channels["u1"] * channels["i1"], **channels)
    study = op.set_formula(evaluation.study, "P = u1 * 2")
    types = Evaluation(study, evaluation.record).names.types
    texts = texts_of(group, study, proposed(group, study, types))
    made = Evaluation(with_group(study, texts), evaluation.record)
    assert made.names.broken == {} and len(made.study.formulas) == 1 + len(group.formulas)


def test_what_is_still_being_typed_is_no_error_and_what_is_wrong_behind_it_is(window):
    evaluation = window.document.evaluation
    for text in ("x = u", "x = u1 *", "x = mea", "rms(u1) over cyc", "rms(u1", "x = 5 V + u1 * i"):
        assert judge(evaluation, text, len(text)).pending, text
    for text in ("x = uu * i1", "x = u1 + i1", "foo(u1)", "x = u1 * 5 parsnip + u1"):
        said = judge(evaluation, text, len(text))
        assert not said.good and not said.pending, text
    assert "Did you mean mean" in judge(evaluation, "men(u1)", 7).text


def test_arguments_are_told_where_they_are_typed(window, qtbot):
    line = window.traces.derive
    line.edit.setFocus()
    line.edit.clear()
    qtbot.keyClicks(line.edit, "r = running_mean(u1, ")
    assert line.help.isVisibleTo(line) and "<b>window</b>" in line.help.text() and "s or cycles" in line.help.text()
    inside = call_at("harmonic(lookup(u1, [0 V 1 A, 2 V 3 A]), ", 41)
    assert argument_help(inside)[0] == "harmonic(x, ‹order›)"
    assert call_at("2 * (u1 + ", 10) is None
    line.edit.clear()
    line._typed("")
    assert not line.help.isVisibleTo(line)


def test_words_are_offered_with_what_they_are(window):
    evaluation = window.document.evaluation
    offered = lambda text: {one.word: one.told for one in offers(evaluation, text, len(text))}  # noqa: E731
    assert offered("u")["u1"].startswith("V")
    assert "from rise to rise" in offered("rms(u1) over pul")["pulses"].lower()
    assert '"whole record"' in offered("mean(p1) in w") and "steady" in offered("mean(p1) in st")
    assert "kHz" in offered("lowpass(u1, 5 k") and "kW" in offered("mean(p1) to k")
    assert offered("2") == {}
    assert list(offered("mean(p1) ov")) == ["over"] and "not" not in offered("mean(p1) no")  # no value stands behind a value
    assert "not" in offered("u1 where no") and '"steady lift"' not in offered('mean(p1) in "steady lift" st')


def test_a_long_error_squeezes_nothing_that_is_typed(window, qtbot):
    line = window.traces.derive
    window.resize(1280, 800)
    line._typed("")
    settle(window)
    roomy = line.edit.width()
    line.edit.setText("a_new_value = mean(u1) + a_channel_that_nobody_has_ever_recorded * 12")
    line._typed(line.edit.text())
    settle(window)
    assert line.edit.width() >= 0.9 * roomy and not line.help.text().startswith("There")
    line.enter()
    settle(window)
    assert line.help.isVisible() and "a_channel_that_nobody" in line.help.text()  # asked for, it is told in full
    line.edit.clear()
    line._typed("")


def test_a_series_is_drawn_as_steps_as_a_line_or_as_points(window, shelf, qtbot):
    window.document.take(op.show_alone(window.document.study, "U", 0), "show")
    settle(window)
    pictures = []
    for drawing in ("steps", "line", "points"):
        window.document.take(op.change_lane(window.document.study, 0, drawing=drawing), "drawing")
        settle(window)
        pictures.append(window.traces.lanes.grab().toImage())
    assert pictures[0] != pictures[1] != pictures[2]
    qtbot.keyClick(shelf, Qt.Key.Key_Escape)
    assert not shelf.isVisible()


def test_a_word_is_chosen_by_the_keys_alone(window, qtbot):
    line = window.traces.derive
    line.edit.setFocus()
    line.edit.clear()
    qtbot.keyClicks(line.edit, "x = runn")
    assert line.offers.list.isVisible() and line.offers.words[:2] == ["running_mean", "running_rms"]
    for _ in range(2):
        qtbot.keyClick(line.edit, Qt.Key.Key_Down)
    qtbot.keyClick(line.edit, Qt.Key.Key_Return)
    assert line.edit.text() == "x = running_rms("
    qtbot.keyClicks(line.edit, "u")
    qtbot.keyClick(line.edit, Qt.Key.Key_Tab)
    assert line.edit.text() == "x = running_rms(u1"
    qtbot.keyClicks(line.edit, ", 1 cyc")
    qtbot.keyClick(line.edit, Qt.Key.Key_Escape)
    assert not line.offers.list.isVisible()


def test_of_a_long_record_only_what_looks_at_the_stretch_is_previewed(window, monkeypatch):
    evaluation = window.document.evaluation
    assert presenter.worth_a_preview(evaluation, "U2 = rms(u1) over cycles(u1)")
    monkeypatch.setattr(presenter, "_SHORT", 10)
    assert presenter.worth_a_preview(evaluation, "p2 = abs(u1) * i1")
    for text in ("rms(u1) over cycles(u1)", "e2 = integral(p1)", "u1 - mean(u1)", "envelope(u1)"):
        assert not presenter.worth_a_preview(evaluation, text)
