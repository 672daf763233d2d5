"""The demo recording against its own parameters: the whole path from a text file to tables, with known answers."""

import contextlib
import io
import json
import math
from itertools import pairwise

import pytest
from pypdf import PdfReader

from pantelos.checks import run_checks
from pantelos.cli.main import run
from pantelos.demo import lift
from pantelos.engine.evaluation import Evaluation
from pantelos.study.opening import record_of
from pantelos.study.storage import load_study
from pantelos.tables.kinds import TABLES

LIFT, LOWER = "steady lift", "lowering, energy returned"


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """The demo, written, computed and pictured once, by the command."""
    to = tmp_path_factory.mktemp("demo")
    printed = io.StringIO()
    with contextlib.redirect_stdout(printed):
        assert run(["demo", "--to", str(to), "--no-window"]) == 0
    assert str(to / "goods-lift.xlsx") in printed.getvalue()
    return to


@pytest.fixture(scope="module")
def demo(folder):
    study = load_study(folder / "goods-lift.pantelos")
    return Evaluation(study, record_of(study))


@pytest.fixture(scope="module")
def tables(folder):
    """The tables as they were written, by id."""
    return {table["id"]: table for table in json.loads((folder / "goods-lift.json").read_text())["tables"]}


def rows(table, **wanted):
    """Return the rows of a table, those whose cells are as wanted."""
    return [row for row in table["rows"] if all(row[key] == value for key, value in wanted.items())]


def test_the_command_leaves_tables_and_a_picture_of_every_main_view(folder):
    assert {f.name for f in folder.iterdir()} >= {"goods-lift.csv", "goods-lift.xlsx", "goods-lift-tables.csv", "goods-lift.json"}
    assert all((folder / f"goods-lift-report{suffix}").stat().st_size > 20_000 for suffix in (".html", ".pdf", ".xlsx"))
    pictures = {path.stem: path for path in (folder / "pictures").glob("*.png")}
    assert set(pictures) >= {"traces-detail", "wiring", "tables-power", "import", "traces-dark", "start"}
    assert all(path.stat().st_size > 10_000 for path in pictures.values())


def test_the_report_has_fewer_than_ten_pages_and_none_with_an_empty_third(folder):
    """As an independent reader finds them: of each page but the last the lowest word above its foot; nothing is cut to fit columns."""
    pages = PdfReader(folder / "goods-lift-report.pdf").pages
    assert len(pages) < 10
    for page in pages[:-1]:
        heights = []
        page.extract_text(
            visitor_text=lambda text, _, at, *rest, heights=heights: heights.append(at[5]) if text.strip() else None
        )
        foot, height = min(heights), float(page.mediabox.height)
        assert min(y for y in heights if y > foot + 2) < height / 3
    assert not any("…" in word for word in "".join(page.extract_text() for page in pages[-2:]).split() if word[:1].isdigit())


def test_it_has_the_size_and_the_phases_that_its_page_states(demo):
    assert demo.record.n_samples == lift.RATE_HZ * lift.DURATION_S == 480_000
    assert [i.name for i in demo.study.intervals] == ["idle", "inrush", LIFT, "mains dip", "hold", LOWER]
    assert demo.names.broken == {}
    assert {table.id for table in TABLES} == {
        "readings",
        "power",
        "harmonics",
        "comparison",
        "accuracy",
        "events",
        "distortion",
        "readouts",
        "evidence",
        "series",
        "resolution",
        "sequences",
        "chain",
        "groups",
        "bands",
        "harmonic_power",
        "power_over_time",
        "chain_over_time",
        "quality",
        "disturbances",
        "dip_cells",
        "ten_seconds",
        "ten_minutes",
        "two_hours",
    }


@pytest.mark.parametrize(
    ("interval", "amps", "phi"), [(LIFT, lift.LIFT_A, lift.LIFT_PHI_DEG), (LOWER, lift.LOWER_A, lift.LOWER_PHI_DEG)]
)
def test_power_of_each_phase_is_what_the_parameters_say(tables, interval, amps, phi):
    for k in (1, 2, 3):
        (row,) = rows(tables["power"], interval=interval, connection="mains", element=f"L{k}")
        p, q = lift.expected_phase_power(k, amps, phi)
        assert (row["P"], row["Q1"]) == (pytest.approx(p, rel=1e-4), pytest.approx(q, rel=1e-4))
        assert row["phi1"] == pytest.approx(phi, abs=0.01)
        assert row["U"] == pytest.approx(lift.U_RMS[k - 1] * math.sqrt(1 + 0.018**2 + 0.011**2 + 0.005**2), rel=1e-5)
        assert row["I"] == pytest.approx(amps * lift.I_SHARE[k - 1] * math.hypot(1, lift.expected_thd()), rel=1e-4)
        assert row["f"] == pytest.approx(lift.MAINS_HZ, abs=1e-4)


def test_energy_is_received_lifting_and_returned_lowering(tables):
    up, down = (rows(tables["power"], interval=name, connection="mains", element="total")[0] for name in (LIFT, LOWER))
    assert up["E_returned"] == 0
    assert up["E_received"] == pytest.approx(up["P"] * 100 / lift.MAINS_HZ, rel=1e-5)
    assert down["E_received"] == 0
    assert down["E_returned"] == pytest.approx(-down["P"] * 200 / lift.MAINS_HZ, rel=1e-5)
    assert down["P"] == pytest.approx(sum(lift.expected_phase_power(k, 8.3, 155)[0] for k in (1, 2, 3)), rel=1e-4)


def test_harmonics_and_distortion_are_those_put_in(tables):
    for channel in ("i1", "i2", "i3"):
        (row,) = rows(tables["distortion"], interval=LIFT, channel=channel)
        assert row["thd"] == pytest.approx(100 * lift.expected_thd(), abs=0.01)
        assert row["largest_order"] == 5
    for order in range(2, 51):
        (row,) = rows(tables["harmonics"], interval=LIFT, order=order, reference="u1")
        share = lift.I_ORDERS.get(order, (0.0, 0.0))[0]
        assert row["i1_percent"] == pytest.approx(100 * share, abs=0.01)
        u_share, u_angle = lift.U_ORDERS.get(order, (0.0, None))
        assert row["u1_percent"] == pytest.approx(100 * u_share, abs=0.005)
        if u_angle is not None:
            assert row["u1_angle"] == pytest.approx(u_angle, abs=0.2)


def test_the_dip_keeps_the_power_at_a_lower_voltage(tables):
    dip, steady = (rows(tables["power"], interval=name, connection="mains", element="total")[0] for name in ("mains dip", LIFT))
    assert dip["U"] / steady["U"] == pytest.approx(lift.DIP_RESIDUAL, rel=2e-3)
    assert dip["P"] == pytest.approx(steady["P"], rel=2e-3)


@pytest.mark.parametrize(
    ("interval", "amps", "phi", "torque", "speed"),
    [
        (LIFT, lift.LIFT_A, lift.LIFT_PHI_DEG, lift.LIFT_NM, 1450.0),
        (LOWER, lift.LOWER_A, lift.LOWER_PHI_DEG, lift.LOWER_NM, -1450.0),
    ],
)
def test_the_power_chain_motoring_and_returning(tables, interval, amps, phi, torque, speed):
    truth = lift.expected_chain(amps, phi, torque, speed)
    points = rows(tables["chain"], interval=interval, kind="point")
    for row, expected in zip(points, truth, strict=True):
        assert row["P"] == pytest.approx(expected, rel=1e-4)
        assert abs(row["P"] - expected) < row["P_u"]
    back = speed < 0
    for row, (a, b) in zip(rows(tables["chain"], interval=interval, kind="stage"), pairwise(truth), strict=True):
        share = 100 * (a / b if back else b / a)
        assert (row["efficiency"], row["loss"]) == (pytest.approx(share, abs=0.01), pytest.approx(a - b, abs=1.0))
        assert abs(row["efficiency"] - share) < row["efficiency_u"] < 2
        assert row["direction"] == ("reverse" if back else "along")
    (whole,) = rows(tables["chain"], interval=interval, kind="whole")
    assert whole["efficiency"] == pytest.approx(100 * (truth[0] / truth[-1] if back else truth[-1] / truth[0]), abs=0.01)
    assert whole["efficiency_energy"] == pytest.approx(whole["efficiency"], abs=0.01)


def test_slip_and_an_interharmonic_are_found_where_they_were_put(demo):
    field = (lift.SPEED_RPM + lift.SLIP_RPM) / 60 * lift.POLE_PAIRS
    assert demo.value(f'tone_frequency(iU, 49 Hz) in "{LIFT}"').value == pytest.approx(field, abs=1e-3)
    assert demo.value(f'tone(i3, 178 Hz) in "{LIFT}"').value == pytest.approx(lift.INTERHARMONIC_A, rel=0.01)
    assert "no tone stands out" in str(demo.value(f'tone(i1, 178 Hz) in "{LIFT}"').explained)


def test_the_shaft_turns_and_pulls_as_stated_and_ratios_of_noise_are_not_given(tables):
    (n,) = rows(tables["readings"], interval=LIFT, channel="n")
    (torque,) = rows(tables["readings"], interval=LIFT, channel="M")
    assert (n["mean"], n["unit"]) == (pytest.approx(lift.SPEED_RPM, abs=0.1), "min⁻¹")
    assert (torque["mean"], torque["unit"]) == (pytest.approx(lift.LIFT_NM, abs=0.01), "N·m")
    (eta,) = rows(tables["readouts"], name="eta")
    p_mech = lift.LIFT_NM * lift.SPEED_RPM * math.pi / 30
    assert eta["value"] == pytest.approx(p_mech / sum(lift.expected_phase_power(k, 16, 19.5)[0] for k in (1, 2, 3)), rel=1e-4)
    (idle,) = rows(tables["power"], interval="idle", connection="mains", element="L1")
    assert idle["PF"] is idle["phi1"] is None


def test_checks_find_what_was_put_wrong_on_purpose_and_nothing_else(demo):
    open_ = {(notice.code, notice.channel) for notice in run_checks(demo) if notice.severity != "fine"}
    assert open_ == {("record.clipped", "spare"), ("record.range", "iW")}
