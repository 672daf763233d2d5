"""Every shipped limit set against values just inside, just outside and undecided; what a set says, and what is wrong with one."""

import math

import msgspec
import numpy as np
import openpyxl
import pytest
from msgspec.structs import replace

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.quality import judged_sets
from pantelos.errors import StudyError
from pantelos.notation import with_unit
from pantelos.quality.levels import OF_CURRENTS, MeasuredLevel
from pantelos.quality.limits import known_sets, limit_set, limits_of, read_limit_set
from pantelos.quality.periods import periods_of
from pantelos.quality.requirements import Limit, Requirement
from pantelos.quality.spans import Span
from pantelos.quality.turning import turning
from pantelos.quality.verdicts import Basis, Judged, Verdict, judge
from pantelos.sheets.blocks import CellGrid, Figure
from pantelos.study import operations as op
from pantelos.tables.building import build_tables
from pantelos.tables.composition import compose, whole_sheet
from pantelos.tables.writing import write_report
from pantelos.units import unit

INPUTS = {"R_sce": 66.0, "I_ref": 20.0, "I_L": 50.0, "Isc_IL": 40.0, "P": 300.0, "PF": 0.9}
DECLARED = 230.0


def levels(limit: Limit, wanted: float, n: int = 100, flagged: int = 0) -> dict[str, MeasuredLevel]:
    """Return values of which all are `wanted`, in the unit of the limit, on the second of three channels; harmless elsewhere."""
    one = limit.requirement
    to_unit = {"deviation": DECLARED * (1 + wanted / 100), "U_din": DECLARED * wanted / 100, "fundamental": 100 * wanted / 100}
    value = to_unit.get(one.relative, INPUTS[one.relative] * wanted / 100 if one.relative in INPUTS else wanted)
    n = 1 if one.base == "observation" else n
    fine = DECLARED if one.relative == "deviation" else 50.0 if one.parameter == "f" else 0.0
    shape = (n, 3, 51) if limit.order is not None else (n, 3)
    values = np.full(shape, fine)
    if limit.order is not None:
        values[..., 1] = 100.0  # the fundamental
        values[:, 1, limit.order] = value
    else:
        values[:, 1] = value
    flags = np.arange(n) < flagged
    return {
        one.base: MeasuredLevel(
            one.base, Span(np.arange(n) * 1.0, np.arange(n) + 1.0), np.ones(n), flags, {one.parameter: values}
        )
    }


def verdict(limit: Limit, of, wanted: float, share: float = 0.0, wrong: dict[str, str] | None = None) -> Judged:
    names = {"U": ("u1", "u2", "u3"), "I": ("i1", "i2", "i3")}
    return judge(limit, of, Basis(levels(limit, wanted), names, DECLARED, INPUTS, lambda *_: (share, 0.0), wrong or {}))


OF_PARAMETERS = [name for name in sorted(known_sets()) if not any(one.formula for one in limit_set(name).requirement)]


@pytest.mark.parametrize("name", OF_PARAMETERS)
def test_each_limit_is_held_just_inside_just_outside_and_undecided(name):
    of = msgspec.structs.replace(limit_set(name), disregarded=None)
    limits = limits_of(of, INPUTS)
    assert len({limit.id for limit in limits}) == len(limits) > 0
    for each in limits:
        limit = msgspec.structs.replace(each, requirement=msgspec.structs.replace(each.requirement, partial_from=None))
        for edge, outwards in ((limit.high, 1), (limit.low, -1)):
            if edge is None:
                continue
            size = abs(edge) if limit.requirement.relative != "deviation" else 100 + edge
            step = 1e-3 * size
            near, beyond = edge - outwards * step, edge + outwards * step
            assert verdict(limit, of, near).verdict is Verdict.INSIDE, limit
            found = verdict(limit, of, beyond)
            assert found.verdict is Verdict.OUTSIDE and found.margin < 0, limit
            assert found.measured == pytest.approx(beyond, rel=1e-9) and np.isnan(found.within) == False  # noqa: E712
            assert verdict(limit, of, near, 2e-3).verdict is verdict(limit, of, beyond, 2e-3).verdict is Verdict.UNDECIDED, limit
            assert verdict(limit, of, near - outwards * 2 * step, 2e-3).verdict is Verdict.INSIDE
            named = limit.requirement.parameter not in ("f", "u2", "u0")
            assert found.channel == ("" if not named else "i2" if limit.requirement.parameter in OF_CURRENTS else "u2")
            assert ("to be confirmed" in " ".join(found.why)) is limit.requirement.to_confirm


def test_numbers_of_the_standards():
    by_id = lambda name, **more: {one.id: one.high for one in limits_of(limit_set(name), INPUTS | more)}  # noqa: E731
    en = by_id("en50160-lv")
    assert (en["harmonic 5"], en["harmonic 11"], en["harmonic 24"], en["distortion"], en["flicker"]) == (6, 3.5, 0.5, 8, 1)
    for hz, percent in ((183.0, 9), (500.0, 9), (1000.0, 5), (3000.0, 5), (math.sqrt(500e3), math.sqrt(45)), (95_000.0, 1)):
        assert by_id("en50160-lv", signal_hz=hz)["signalling"] == pytest.approx(percent)  # straight between on log scales
    assert en["signalling"] == 1 and by_id("en50160-mv")["signalling"] == 5  # no frequency declared: the lowest
    a, b = by_id("iec61000-3-2-a"), by_id("iec61000-3-2-b")
    assert a["order average 15"] == pytest.approx(0.15) and a["order average 8"] == pytest.approx(0.23)
    assert b["order average 3"] == pytest.approx(3.45) and a["order every value 3"] == pytest.approx(3.45)
    assert by_id("iec61000-3-2-d")["order average 3"] == pytest.approx(0.0034 * 300)
    assert by_id("iec61000-3-2-d", P=700.0)["order average 3"] == 2.30
    assert by_id("iec61000-3-2-c")["third average 3"] == pytest.approx(27)
    assert by_id("iec61000-3-12", R_sce=49.5)["order average 5"] == pytest.approx(11.85)  # half way between two rows
    assert by_id("iec61000-3-12", R_sce=1000.0)["order average 5"] == 24 and by_id("iec61000-3-12", R_sce=10.0)["THC"] == 23
    ieee = by_id("ieee519-current-69kv")
    assert (ieee["order weekly 5"], ieee["order weekly 4"], ieee["order daily 5"], ieee["demand weekly"]) == (7, 1.75, 14, 8)
    assert (
        by_id("ieee519-current-69kv", Isc_IL=20.0)["order weekly 5"] == 7
        and by_id("ieee519-current-69kv", Isc_IL=19.9)["order weekly 5"] == 4
    )


def test_the_share_decides_and_flagged_values_are_left_out():
    of = limit_set("en50160-lv")
    (limit,) = [one for one in limits_of(of, {}) if one.id == "magnitude"]
    values = np.full((1008, 1), 230.0)
    values[:50] = 260.0  # 95.0397 % inside
    level = MeasuredLevel(
        "10 min", Span(np.arange(1008.0), np.arange(1008) + 1.0), np.ones(1008), np.zeros(1008, dtype=bool), {"U": values}
    )
    basis = Basis({"10 min": level}, {"U": ("u1",)}, 230.0, {}, lambda *_: (np.nan, np.nan), {})
    found = judge(limit, of, basis)
    assert found.verdict is Verdict.INSIDE and found.share_inside == pytest.approx(95.03968253968, abs=1e-9)
    assert "accuracy of the channel is not stated" in " ".join(found.why)
    values[50] = 260.0
    assert judge(limit, of, basis).verdict is Verdict.OUTSIDE
    level.flagged[:2] = True
    assert judge(limit, of, basis).verdict is Verdict.INSIDE
    level.coverage[:200] = 0.5
    found = judge(limit, of, basis)
    assert found.verdict is Verdict.INSUFFICIENT and "90 % are needed" in found.why[0]
    level.coverage[:] = 1.0
    wrong = msgspec.structs.replace(basis, wrong={"u1": "u1 is clipped"})
    assert judge(limit, of, wrong).verdict is Verdict.NOT_JUDGED and "clipped" in judge(limit, of, wrong).why[0]


def test_small_currents_are_disregarded_and_high_odd_orders_share_what_is_allowed():
    of = limit_set("iec61000-3-2-a")
    limits = {one.id: one for one in limits_of(of, {})}
    orders = np.zeros((1, 1, 51))
    orders[0, 0, 1], orders[0, 0, 23], orders[0, 0, 39] = 10.0, 1.3 * limits["order average 23"].high, 0.004
    level = MeasuredLevel(
        "observation", Span(np.zeros(1), np.ones(1)), np.ones(1), np.zeros(1, dtype=bool), {"Ig": orders, "Ig max": orders}
    )
    basis = Basis({"observation": level}, {"I": ("i",)}, 230.0, {}, lambda *_: (0.01, 0.0), {})
    assert judge(limits["order average 23"], of, basis).verdict is Verdict.INSIDE
    orders[0, 0, 21:40:2] = 1.2 * np.array([limits[f"order average {h}"].high for h in range(21, 40, 2)])
    assert judge(limits["order average 23"], of, basis).verdict is Verdict.OUTSIDE  # together they are above, too


def test_a_set_derives_from_another_and_says_what_is_wrong_with_it(tmp_path):
    path = tmp_path / "site.toml"
    text = 'id = "site"\ntitle = "Site"\nsource = "contract"\nedition = "1"\nderives = "en50160-lv"\n'
    path.write_text(text + '[[requirement]]\nid = "distortion"\ntitle = "THD"\nparameter = "THD"\nhigh = 5.0\n')
    found = {one.id: one for one in limit_set(str(path)).requirement}
    assert found["distortion"].high == 5.0 and len(found) == len(limit_set("en50160-lv").requirement)
    for broken, why in (
        (text + "[[requirement]]\n", "missing required field"), ("id = ", "Invalid value"), (text + 'colour = "red"\n', "line 6 says .colour., which is not known"),
        (text + '[[requirement]]\nid = "a"\ntitle = "a"\nparameter = "U"\n', "has no limit"),
        (text + '[[requirement]]\nid = "a"\ntitle = "a"\nhigh = 1.0\n', "either a parameter or a formula"),
        (text + '[[requirement]]\nid = "a"\ntitle = "a"\nparameter = "U"\nhighs = [1.0]\ntable = { input = "x", at = [1, 2] }\n', "as many as its table"),
        (text.replace("en50160-lv", "nowhere"), "which there is not"), (text + '[[requirement]]\nid = "a"\ntitle = "a"\nparameter = "U"\norders = { x = 1.0 }\n', "invalid literal"),
    ):  # fmt: skip
        path.write_text(broken)
        with pytest.raises(StudyError, match=why):
            read_limit_set(path)
    with pytest.raises(StudyError, match="There is no limit set"):
        limit_set("unheard-of")
    with pytest.raises(StudyError, match="I_ref"):
        limits_of(limit_set("iec61000-3-12"), {"R_sce": 50.0})
    assert Requirement("a", "a", parameter="U").share == 95.0


def test_a_current_is_judged_from_its_waveform_to_its_verdict(evaluation_of):
    rate = 20_000.0
    turn = 2 * np.pi * 50.02 * np.arange(round(6 * rate)) / rate
    for third, verdict in ((2.29, Verdict.INSIDE), (2.31, Verdict.OUTSIDE)):
        i = np.sqrt(2) * (5 * np.sin(turn - 0.3) + third * np.sin(3 * turn + 0.2) + 0.003 * np.sin(7 * turn))
        asked = evaluation_of(rate, u=np.sqrt(2) * 230 * np.sin(turn), i=i)
        study = op.add_connection(asked.study, "load", "single-phase")
        for name in ("u", "i"):
            study = op.place_channel(study, "load", name, name)
        study = op.set_quality(study, U_din=230.0, sets=("iec61000-3-2-a",))
        (found,) = judged_sets(Evaluation(study, asked.record))
        judged = {one.limit.id: one for one in found.judged}
        assert judged["order average 3"].verdict is verdict and judged["order average 3"].measured == pytest.approx(
            third, rel=1e-6
        )
        assert judged["order every value 3"].verdict is Verdict.INSIDE and judged[
            "order every value 3"
        ].limit.high == pytest.approx(3.45)
        assert judged["order average 7"].measured == pytest.approx(0.003, rel=1e-3)


def test_no_verdict_rests_on_voltages_that_are_wired_wrong_or_clipped(evaluation_of):
    rate = 5000.0
    turn = 2 * np.pi * 50 * np.arange(round(650 * rate)) / rate
    phases = [np.sqrt(2) * 230 * np.sin(turn - k * 2 * np.pi / 3) for k in (0, 2, 1)]  # two of them exchanged
    asked = evaluation_of(rate, u1=phases[0], u2=phases[1], u3=phases[2])
    study = op.add_connection(asked.study, "mains", "three-phase-4w")
    for name in ("u1", "u2", "u3"):
        study = op.place_channel(study, "mains", name, name)
    study = op.set_quality(study, U_din=230.0, sets=("en50160-lv",))
    (found,) = judged_sets(Evaluation(study, asked.record))
    judged = {one.limit.id: one for one in found.judged}
    assert judged["unbalance"].verdict is Verdict.NOT_JUDGED and "exchanged" in judged["unbalance"].why[0]
    for id_ in ("magnitude", "harmonic 5", "frequency"):  # of seconds there is no verdict, but what would be one
        assert judged[id_].verdict is Verdict.INSUFFICIENT and judged[id_].would is Verdict.INSIDE


def test_a_phase_without_values_and_a_clipped_current_are_told_where_they_count():
    of = limit_set("en50160-lv")
    limits = {one.id: one for one in limits_of(of, {})}
    values = np.full((100, 3), 230.0)
    values[:, 1] = np.nan
    span, fine = Span(np.arange(100.0), np.arange(100) + 1.0), np.zeros(100, dtype=bool)
    held = {"U": values, "u2": np.full((100, 1), 0.5)}
    basis = Basis({"10 min": MeasuredLevel("10 min", span, np.ones(100), fine, held)}, {"U": ("u1", "u2", "u3"), "I": ("i1",)}, 230.0, {},
                  lambda *_: (0.001, 0.0), {"i1": "i1 is clipped"})  # fmt: skip
    missing = judge(limits["magnitude"], of, basis)
    assert (missing.verdict, missing.channel) == (Verdict.INSUFFICIENT, "u2")
    assert judge(limits["unbalance"], of, basis).verdict is Verdict.INSIDE
    clipped = msgspec.structs.replace(basis, wrong={"u3": "u3 is clipped"})
    assert judge(limits["unbalance"], of, clipped).verdict is Verdict.NOT_JUDGED


def sheet_text(path):
    sheet = openpyxl.load_workbook(path).worksheets[0]
    return " ".join(str(cell.value) for row in sheet.iter_rows() for cell in row if cell.value is not None)


def _level(base, seconds, n, parameter, values):
    span = Span(np.arange(n) * seconds, (np.arange(n) + 1) * seconds)
    return MeasuredLevel(base, span, np.ones(n), np.zeros(n, dtype=bool), {parameter: values})


@pytest.mark.parametrize(
    ("said", "why"),
    [
        ('parameter = "U"\nunit = "A"\nhigh = 1.0', 'line 9, .*unit "A" does not fit: U is measured in V. Write unit = "V"'),
        ('parameter = "U"\nrelative = "U_din"\nunit = "V"\nhigh = 1.0', "relative to U_din in %"),
        ('parameter = "THD"\nhigh = 8.0\nshare = 950.0', "line 10, .*share 950 % is no part of the values"),
        ('parameter = "U"\nunit = "V"\nlow = 3.0\nhigh = 2.0', "low 3 is not below high 2"),
        ('parameter = "THD"\nhigh = nan', "line 9, .*high is nan"),
        ('parameter = "THD"\nperiod = "month"\nhigh = 1.0', "Invalid enum value 'month'"),
        ('parameter = "THDD"\nhigh = 1.0', 'did you mean "THD"'),
        ('parameter = "THD"\nbase = "10 minutes"\nhigh = 1.0', 'did you mean "10 min"'),
        ('parameter = "Ih"\nrelative = "I_L"\norders = { 5 = 3.0 }', "does not ask for: add inputs"),
        ('parameter = "THD"\nhigh = 1.0\nhihg = 2.0', 'line 10 says "hihg".*did you mean "high"'),
        (
            'parameter = "Uh"\nrelative = "U_din"\norders = { 5 = [1.0, 2.0] }\ntable = { input = "R", at = [2, 1] }',
            "none of the inputs",
        ),
    ],
)
def test_what_cannot_be_in_a_limit_set_is_one_sentence_with_its_line(tmp_path, said, why):
    path = tmp_path / "own.toml"
    head = 'id = "own"\ntitle = "Own"\nsource = "x"\nedition = "1"\n[[requirement]]\nid = "one"\ntitle = "One {order}"\n'
    path.write_text(head + said + "\n")
    with pytest.raises(StudyError, match=why):
        limit_set(str(path))


def test_limits_in_kilovolts_are_limits_in_volts_and_a_mark_at_the_beginning_is_none(tmp_path):
    path = tmp_path / "own.toml"
    path.write_bytes(
        b"\xef\xbb\xbf" + b'id = "own"\ntitle = "Own"\nsource = "x"\nedition = "1"\n[[requirement]]\nid = "one"\ntitle = "U"\n'
        b'parameter = "U"\nunit = "kV"\nlow = 9.0\nhigh = 11.0\n'
    )
    (one,) = limits_of(limit_set(str(path)), {})
    assert (one.low, one.high, one.requirement.unit) == (9000.0, 11000.0, "V")


def test_a_verdict_belongs_to_a_whole_week_or_day_and_the_worst_governs():
    """Two weeks of ten minutes, the first of which holds 90 values too high: 8.9 % of it, 4.5 % of both; three days of 3 s."""
    magnitude = np.full((2016, 1), 230.0)
    magnitude[:90] = 260.0
    n_days = 3 * 28_800
    orders = np.full((n_days, 1, 51), 0.1)
    orders[:, :, 1] = 230.0
    orders[28_800 : 28_800 + 400, :, 5] = 40.0  # more than 1 % of the second day, less of all three
    edges = {"week": periods_of("week", 1_209_600, 1.0, 0.0), "day": periods_of("day", 259_200, 1.0, 0.0)}
    levels = {"10 min": _level("10 min", 600.0, 2016, "U", magnitude), "3 s": _level("3 s", 3.0, n_days, "Uh", orders)}
    basis = Basis(
        levels, {"U": ("u",)}, 230.0, {}, lambda *_: (1e-4, 0.0), {}, periods=edges, told=lambda at: f"{at / 86_400:g} d"
    )
    for name, id_, verdict, period, others in (
        ("en50160-lv", "magnitude", Verdict.OUTSIDE, "0 d to 7 d", ("week 7 d to 14 d: inside",)),
        (
            "ieee519-voltage-1kv",
            "order daily 5",
            Verdict.OUTSIDE,
            "1 d to 2 d",
            ("day 0 d to 1 d: inside", "day 2 d to 3 d: inside"),
        ),
        (
            "ieee519-voltage-1kv",
            "order daily 7",
            Verdict.INSIDE,
            "0 d to 1 d",
            ("day 1 d to 2 d: inside", "day 2 d to 3 d: inside"),
        ),
    ):
        of = limit_set(name)
        (limit,) = (one for one in limits_of(of, {}) if one.id == id_)
        found = judge(limit, of, basis)
        assert (found.verdict, found.period, found.others, found.would) == (verdict, period, others, None)
    few = replace(basis, levels={"10 min": levels["10 min"].of(slice(0, 900))})  # 89 % of a week
    short = judge(
        next(one for one in limits_of(limit_set("en50160-lv"), {}) if one.id == "magnitude"), limit_set("en50160-lv"), few
    )
    assert (short.verdict, short.would) == (
        Verdict.INSUFFICIENT,
        Verdict.OUTSIDE,
    ) and "900 of the 1008 values of a week" in short.why[0]


@pytest.mark.parametrize(
    ("into_s", "days", "first"), [(None, 3.0, 0.0), (36_000.0, 1.0, 0.0), (36_000.0, 3.0, 50_400.0), (100.0, 2.5, 86_300.0)]
)
def test_days_go_from_midnight_to_midnight_where_the_record_holds_one(into_s, days, first):
    found = periods_of("day", round(days * 86_400), 1.0, into_s)
    assert found[0][0] == 0.0 and found[-1][1] == days * 86_400
    whole = [start for start, stop in found if stop - start == 86_400]
    assert whole[0] == first and len(whole) == int(days - first / 86_400)


@pytest.mark.parametrize("seconds", [12.0, 40.0])
def test_a_short_record_is_held_against_its_limits_and_gets_no_verdict(evaluation_of, seconds, tmp_path):
    rate, turn = 5000.0, 2 * np.pi * 50.02 * np.arange(round(seconds * 5000)) / 5000.0
    u = np.sqrt(2) * 230 * (np.sin(turn) + 0.07 * np.sin(5 * turn))
    asked = evaluation_of(rate, "single-phase", u=u)
    evaluation = asked.on(op.set_quality(asked.study, U_din=230.0, sets=("en50160-lv",)))
    (found,) = judged_sets(evaluation)
    assert {one.verdict for one in found.judged} == {Verdict.INSUFFICIENT}
    judged = {one.limit.id: one for one in found.judged}
    fifth = judged["harmonic 5"]
    assert (
        fifth.measured == pytest.approx(7.0, rel=1e-3)
        and fifth.would is Verdict.OUTSIDE
        and fifth.statistic.endswith("as measured here")
    )
    assert judged["distortion"].would is Verdict.INSIDE and judged["flicker"].would is None
    (table,) = build_tables(evaluation, ["quality"]).tables
    assert set(table.column("verdict")) == {"insufficient data"} and "would be outside" in table.column("as_measured")
    made = compose(evaluation, (), None, ("quality",))
    for name in ("a.html", "a.pdf", "a.xlsx"):
        write_report(made, evaluation, tmp_path / name)
    for page in ((tmp_path / "a.html").read_text(), sheet_text(tmp_path / "a.xlsx")):
        assert "As measured here" in page and "would be outside if it stayed so" in page and "no verdict" in page


def test_the_sheet_of_harmonics_holds_channels_against_limits_on_their_own_base(evaluation_of):
    """The fifth is 12.7 % of I_ref: inside 19 % of it, though 20 % of the fundamental; an output is no public supply."""
    rate, t = 20_000.0, np.arange(40_000) / 20_000.0
    turn, other = 2 * np.pi * 50.02 * t, 2 * np.pi * 49 * t
    waves = {
        "u": np.sqrt(2) * 230 * np.sin(turn),
        "i": np.sqrt(2) * 6.35 * (np.sin(turn) + 0.2 * np.sin(5 * turn)),
        "u2": np.sqrt(2) * 100 * np.sin(other),
        "i2": np.sqrt(2) * 9 * (np.sin(other) + 0.5 * np.sin(5 * other)),
    }
    asked = evaluation_of(rate, **waves)
    study = asked.study
    for name, channels in (("mains", ("u", "i")), ("motor", ("u2", "i2"))):
        study = op.add_connection(study, name, "single-phase")
        for socket, channel in zip("ui", channels, strict=True):
            study = op.place_channel(study, name, socket, channel)
    for said in ("U_din = 230 V", "limits = iec61000-3-12", "I_ref = 10", "R_sce = 120"):
        study = replace(study, quality=op.quality_from(study.quality, said))
    evaluation = asked.on(study)
    blocks = whole_sheet("harmonics", evaluation, ()).blocks
    titles = [block.title for block in blocks if isinstance(block, Figure)]
    assert len(titles) == 4 and "by the cycles of u2" in titles[2]
    grids = {grid.columns[2].title: grid for grid in blocks if isinstance(grid, CellGrid)}
    rows = {name: {row.cells[0].text: row.cells for row in grid.rows} for name, grid in grids.items()}
    (limit,) = (one for one in limits_of(limit_set("iec61000-3-12"), study.quality.known_inputs) if one.id == "order average 5")
    fifth = rows["i"]["5"]
    assert fifth[2].value == pytest.approx(20.0, rel=1e-4) and fifth[3].text.endswith(
        f" · {with_unit(limit.high / 10, unit('A'), 4)}"
    )
    assert float(fifth[3].text.split()[0]) == pytest.approx(limit.high / 0.635, rel=5e-3)
    assert fifth[3].bold is (1.27 > limit.high / 10) and not fifth[3].bold
    assert [c.title for c in grids["i2"].columns] == ["order", "f", "i2"] and rows["i2"]["1"][1].text == "49.000 Hz"


@pytest.mark.parametrize(
    ("rule", "verdicts"),
    [
        ("undecided", (Verdict.INSIDE, Verdict.UNDECIDED, Verdict.UNDECIDED, Verdict.OUTSIDE)),
        ("simple", (Verdict.INSIDE, Verdict.INSIDE, Verdict.OUTSIDE, Verdict.OUTSIDE)),
        ("guarded", (Verdict.INSIDE, Verdict.OUTSIDE, Verdict.OUTSIDE, Verdict.OUTSIDE)),
    ],
)
def test_the_decision_rule_says_what_the_uncertainty_does_to_a_verdict(rule, verdicts):
    """THD against 8 % with ± 0.1 %: clearly below, below by less than ±, above by less, clearly above."""
    of = limit_set("en50160-lv")
    (limit,) = (one for one in limits_of(of, {}) if one.id == "distortion")
    for value, verdict in zip((7.8, 7.95, 8.05, 8.2), verdicts, strict=True):
        levels = {"10 min": _level("10 min", 600.0, 1008, "THD", np.full((1008, 1), value))}
        basis = Basis(levels, {"U": ("u",)}, 230.0, {}, lambda *_: (0.0, 0.1), {}, rule=rule)
        assert judge(limit, of, basis).verdict is verdict


@pytest.mark.parametrize(
    ("values", "within", "said"),
    [
        (
            np.r_[np.full(60, 9.0), np.full(948, 5.0)],
            0.0,
            "10 values fewer beyond the limit, of 1008",
        ),  # 60 of the 50 that may be
        (np.r_[np.full(40, 9.0), np.full(968, 5.0)], 0.0, "11 more values beyond the limit, of 1008"),
        (np.full(1008, 7.96), 0.1, "± below 0.04 % in place of 0.1"),
        (np.full(900, 5.0), 0.0, "8 more values for a verdict"),
    ],
)
def test_what_would_turn_a_verdict_turns_it(values, within, said):
    of = limit_set("en50160-lv")
    (limit,) = (one for one in limits_of(of, {}) if one.id == "distortion")

    def judged(x, u):
        level = _level("10 min", 600.0, len(x), "THD", np.asarray(x)[:, None])
        edges = {"week": periods_of("week", 600 * len(x), 1.0, 0.0)}
        return judge(limit, of, Basis({"10 min": level}, {"U": ("u",)}, 230.0, {}, lambda *_: (0.0, u), {}, periods=edges))

    before = judged(values, within)
    assert turning(before) == said
    # One change less leaves the verdict as it is; all of it turns it.
    if before.verdict is Verdict.OUTSIDE:
        assert judged(np.r_[np.full(51, 9.0), np.full(957, 5.0)], 0.0).verdict is Verdict.OUTSIDE
        assert judged(np.r_[np.full(50, 9.0), np.full(958, 5.0)], 0.0).verdict is Verdict.INSIDE
    elif before.verdict is Verdict.UNDECIDED:
        assert judged(values, 0.041).verdict is Verdict.UNDECIDED and judged(values, 0.039).verdict is Verdict.INSIDE
    elif before.verdict is Verdict.INSUFFICIENT:
        assert (
            judged(np.full(907, 5.0), 0.0).verdict is Verdict.INSUFFICIENT
            and judged(np.full(908, 5.0), 0.0).verdict is Verdict.INSIDE
        )


def test_a_dc_supply_is_judged_by_formulas_that_speak_of_its_connection(evaluation_of):
    """24 V with 0.5 V of ripple and a dip to 19 V of 3 ms, against -15 %, +20 % and 5 % of 24 V."""
    t = np.arange(20_000) / 20_000.0
    u = 24.6 + 0.5 * np.sin(2 * np.pi * 300 * t)
    u[8000:8060] = 19.0
    made = evaluation_of(20_000.0, "dc", u=u, i=np.full(len(t), 2.0))
    study = op.scale_channel(made.study, "u", "accuracy 0.2 %")
    for said in ("U_n = 24", "limits = iec61131-2-dc"):
        study = replace(study, quality=op.quality_from(study.quality, said))
    (judged,) = judged_sets(made.on(study))
    found = {one.limit.id: one for one in judged.judged}
    assert found["mean"].measured == pytest.approx(100 * (np.mean(u) / 24 - 1), rel=1e-6)
    assert found["mean"].within == pytest.approx(100 * np.mean(u) / 24 * 0.002 * 2 / math.sqrt(3), rel=1e-3)
    assert found["lowest"].measured == pytest.approx(100 * (19 / 24 - 1), rel=1e-6) and found["lowest"].verdict is Verdict.OUTSIDE
    assert found["lowest"].margin == pytest.approx((100 * (19 / 24 - 1) + 15) / 15)  # negative beyond a negative limit
    assert found["mean"].verdict is Verdict.INSIDE and "to be confirmed" in " ".join(found["mean"].why)
    assert found["mean"].margin == pytest.approx(
        1 - (100 * (np.mean(u) / 24 - 1) - 2.5) / -17.5
    )  # from the middle of -15 and 20 %
    assert found["highest"].measured == pytest.approx(100 * ((24.6 + 0.5 * np.sinc(0.3)) / 24 - 1), abs=0.01)  # of 1 ms of 300 Hz
    assert found["ripple"].measured == pytest.approx(100 * (25.1 - 19) / 2 / 24, rel=1e-3)
    named = replace(study, quality=op.quality_from(study.quality, "u = 5"))  # an input of that name takes no socket's place
    assert judged_sets(made.on(named))[0].judged[0].measured == found["mean"].measured
    (nothing,) = judged_sets(made.on(replace(study, connections=())))
    assert all(one.verdict is Verdict.INSUFFICIENT and "Wire one" in one.why[0] for one in nothing.judged)
