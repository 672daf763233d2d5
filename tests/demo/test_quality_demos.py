"""The week and the incidents answer with what was put into them."""

import io
import json
import math

import openpyxl
import pytest

from pantelos.cli.main import run
from pantelos.demo import incidents, week
from pantelos.engine.quality import judged_sets, surveyed
from pantelos.errors import StudyError
from pantelos.quality.verdicts import Verdict
from pantelos.sheets.workbook import report_workbook
from pantelos.study import operations as op
from pantelos.study.model import Quality
from pantelos.tables.building import build_tables
from pantelos.tables.composition import compose
from pantelos.tables.kinds import TABLES
from pantelos.tables.kinds.quality_values import trends_of


@pytest.fixture
def demo(small_demo_of):
    return small_demo_of


def test_the_workbook_of_the_week_has_a_chart_of_each_parameter(demo):
    evaluation = demo("week")
    book = openpyxl.load_workbook(io.BytesIO(report_workbook(compose(evaluation, (), None, ("quality",)), trends_of(evaluation))))
    page = book["Values of 10 min"]
    assert page.max_row == 1009 and len(page._charts) >= 4 and page.print_area
    heads = [cell.value for cell in page[1]]
    assert page.cell(2, heads.index("U L2 [V]") + 1).value == pytest.approx(234.12, abs=0.02)


def test_the_week_is_judged_by_its_formulas(demo):
    (found,) = judged_sets(demo("week"))
    judged = {one.limit.id: one for one in found.judged}
    frequency, magnitude, always = judged["frequency"], judged["magnitude"], judged["magnitude always"]
    assert frequency.n_valid == week.N_TENS and frequency.measured == pytest.approx(50 + week.F_SWING, abs=1e-6)
    assert magnitude.verdict is Verdict.INSIDE and always.verdict is Verdict.OUTSIDE
    assert (always.channel, always.measured) == ("L2", pytest.approx(100 * (week.HIGH_U / 230 - 1)))
    assert always.share_inside == pytest.approx(100 * (1008 - week.N_HIGH) / 1008)
    assert always.within == pytest.approx(0.1 * 2 / math.sqrt(3), rel=0.15)  # 0.1 % of the value, rectangular, k = 2
    eleventh = judged["harmonic 11"]
    assert eleventh.verdict is Verdict.OUTSIDE and eleventh.channel == "L1"
    assert eleventh.share_inside == pytest.approx(100 * 907 / 1008) and eleventh.measured == pytest.approx(week.U11_HIGH)
    thd = judged["distortion"]
    assert thd.verdict is Verdict.INSIDE and thd.channel == "L3"
    assert thd.measured == pytest.approx(week.THD_FIRST + (week.THD_LAST - week.THD_FIRST) * (1007 - 50) / 1007)
    assert judged["flicker"].measured == pytest.approx(week.PLT_AT_WORK - 0.02) and judged["flicker"].n_valid == week.N_TWO_HOURS
    assert judged["unbalance"].verdict is Verdict.INSIDE
    assert judged["harmonic 3"].verdict is Verdict.INSUFFICIENT and "holds no values" in judged["harmonic 3"].why[0]


def test_the_incidents_are_found_where_they_were_put(demo):
    evaluation = demo("incidents")
    found = surveyed(evaluation)
    rate, cycle = incidents.RATE_HZ, 1 / incidents.F_HZ
    kinds = [one for one in found.survey.found if not (one.kind == "dip" and one.extreme < 0.01)]
    assert [str(one.kind) for one in kinds] == [kind for kind, *_ in incidents.INCIDENTS]
    for one, (_, start, stop, share, phases) in zip(kinds, incidents.INCIDENTS, strict=True):
        assert one.start / rate == pytest.approx(start, abs=cycle) and one.stop / rate == pytest.approx(stop, abs=cycle)
        assert one.extreme == pytest.approx(share * math.sqrt(1 + 0.02**2), abs=1e-3) and one.channels == phases
    (step,) = found.survey.changes
    assert step.steady / incidents.U_RMS == pytest.approx(1 - incidents.STEP, abs=1e-3) and step.channels == (0, 1, 2)
    tables = {table.id: table for table in build_tables(evaluation, ["disturbances", "dip_cells", "quality"]).tables}
    assert tables["disturbances"].column("cell")[:3] == ["70–40 %, 10–200 ms", "40–5 %, 0.5–1 s", "120–110 %, 10–500 ms"]
    assert sum(sum(row[1:]) for row in tables["dip_cells"].rows) == 2
    values = build_tables(evaluation, ["ten_seconds", "ten_minutes"]).tables
    assert values[0].column("f")[1] == pytest.approx(50, abs=1e-3) and len(values[0].rows) == 9
    explain = TABLES["quality"].explain
    said = explain(evaluation, {"set": "Own limits", "id": "magnitude", "requirement": "Magnitude U"}, "measured", ())
    assert "verdict: inside" in said.text and "flagged" in said.text


def test_quality_on_the_command_line_and_what_it_misses(small_demo_of, capsys, tmp_path):
    evaluation = small_demo_of("incidents")
    undeclared = evaluation.on(op.set_quality(evaluation.study, **{f: getattr(Quality(), f) for f in Quality.__struct_fields__}))
    with pytest.raises(StudyError, match="Nothing is declared"):
        build_tables(undeclared, ["disturbances"])
    with pytest.raises(StudyError, match="No limit set"):
        build_tables(undeclared, ["quality"])
    for text, why in (
        ("U_din", "declares nothing"), ("U_din = 5 A", "no number in V"), ("dip = 120 %", "order interruption"), ("lamp = 5 V", "write 230 V"),
        ("trend = U", "is no trend"), ("trend = U L1 = u1 every 5 min", "every"), ("signal = 5 kHz", "below 3 kHz"), ("connection = x", "Quality is of"),
    ):  # fmt: skip
        with pytest.raises(StudyError, match=why if why != "every" else "10 min"):
            of = op.quality_from(evaluation.study.quality, text)
            op.set_quality(evaluation.study, **{f: getattr(of, f) for f in of.__struct_fields__})
    assert run(["limits", "--json"]) == 0 and "en50160-lv" in [one["id"] for one in json.loads(capsys.readouterr().out)]
    assert run(["limits", "iec61000-3-12"]) == 0 and "R_sce = 1" in capsys.readouterr().out
