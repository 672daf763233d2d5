"""What the Traces page shows, suggestions, operands written as text: the window and the command line share them."""

import pytest

from pantelos.changes.panel_words import panel_from
from pantelos.errors import StudyError
from pantelos.record.pieces import Grid
from pantelos.study import operations as op
from pantelos.study.model import ChannelSetup, Interval, Study
from pantelos.study.shown import Lane, Panel
from pantelos.study.storage import load_study
from pantelos.study.suggestion import follow, suggestions

SECOND = Grid(0.0, 10_000.0, 10_000)


def study_of(*names, symbol="V"):
    return Study(channels=tuple(ChannelSetup(name, name, symbol) for name in names), lanes=tuple(Lane((name,)) for name in names))


def lanes(study):
    return [" ".join(lane.channels) for lane in study.lanes]


def test_channels_move_between_lanes_and_none_is_shown_twice():
    study = study_of("a", "b", "c")
    together = op.show_with(study, "c", ("a",))
    assert lanes(together) == ["a c", "b"]
    assert lanes(op.show_with(together, "c", ("a", "c"))) == ["a c", "b"]
    assert lanes(op.show_alone(together, "c", 0)) == ["c", "a", "b"]
    assert lanes(op.show_alone(together, "a", 2)) == ["c", "b", "a"]
    assert lanes(op.hide_channel(together, "b")) == ["a c"]
    assert lanes(op.show_alone(op.hide_channel(together, "b"), "b", 9)) == ["a c", "b"]
    assert lanes(op.arrange_lanes(study, [["c", "a"]])) == ["c a"]
    assert op.resize_lane(study, 0, 99).lanes[0].weight == 6.0
    with pytest.raises(StudyError, match='no channel "z" to show; there are a, b, c'):
        op.arrange_lanes(study, [["z"]])


@pytest.mark.parametrize(
    ("names", "first"),
    [
        (("u1", "u2", "u3", "i1", "i2", "i3", "u_dc", "i_dc"), "Three-phase, four-wire: u1 u2 u3 i1 i2 i3"),
        (("U1", "U2", "U3", "I1", "I2", "I3", "IN"), "Three-phase, four-wire: U1 U2 U3 I1 I2 I3 IN"),
        (("u13", "i1", "u23", "i2"), "Three-phase, three-wire, two wattmeters: u13 i1 u23 i2"), (("u", "i"), "Single-phase: u i"),
        (("udc", "idc"), "DC: udc idc"),
        (("U_L1", "U_L2", "U_L3", "I_L1", "I_L2", "I_L3"), "Three-phase, four-wire: U_L1 U_L2 U_L3 I_L1 I_L2 I_L3"),
        (("Van", "Vbn", "Vcn", "Ia", "Ib", "Ic", "In"), "Three-phase, four-wire: Van Vbn Vcn Ia Ib Ic In"),
        (("Spannung_R", "Spannung_S", "Spannung_T", "Strom_R", "Strom_S", "Strom_T"),
         "Three-phase, four-wire: Spannung_R Spannung_S Spannung_T Strom_R Strom_S Strom_T"),
        (("iU", "iV", "iW", "U_L1_L3", "u23"), "Three-phase, three-wire, two wattmeters: U_L1_L3 iU u23 iV"),
    ],
)  # fmt: skip
def test_names_suggest_a_connection(names, first):
    study = study_of(*names)
    found = suggestions(study)[0]
    assert found.text == first
    wired = follow(study, "x", found)
    assert dict(wired.connections[0].sockets) == found.sockets
    assert wired.reference is None  # the surest of those connected gives the cycles; nobody chose one


def test_a_channel_with_another_unit_leaves_the_lane_of_the_former_one():
    study = op.show_channels(study_of("i1", "i2", "i3", symbol="mV"), ("i1", "i2", "i3"), together=True)
    assert lanes(study) == ["i1 i2 i3"]
    study = op.scale_channel(op.fix_scale(study, 0, (-1.0, 1.0)), "i1", "10 mV/A")
    assert lanes(study) == ["i1", "i2 i3"]
    for name in ("i3", "i2"):
        study = op.scale_channel(study, name, "10 mV/A")
    assert lanes(study) == ["i1 i2 i3"]  # in the order of the record, whichever was said first
    assert study.lanes[0].scale is None  # it was fixed in volts


def test_names_that_say_nothing_suggest_nothing():
    assert suggestions(study_of("speed", "u1", "torque")) == []
    assert suggestions(study_of("v", "i", symbol="m/s")) == []  # a name that its unit contradicts


@pytest.mark.parametrize(
    ("text", "panel"),
    [
        ("spectrum a", Panel("spectrum", ("a",))), ("spectrum a flat-top in late", Panel("spectrum", ("a",), "late", "flat-top")),
        ("harmonics b in late", Panel("harmonics", ("b",), "late")), ("phasors dc link", Panel("phasors", ("dc link",))),
    ],
)  # fmt: skip
def test_panels_are_written_as_text(text, panel):
    study = op.add_connection(op.add_interval(study_of("a", "b"), Interval("late", 0, 1), SECOND), "dc link", "dc")
    assert panel_from(study, text) == panel


@pytest.mark.parametrize("text", ["foo a", "spectrum", "spectrum z", "harmonics a in never", "phasors mains", ""])
def test_panels_of_what_is_not_there_are_refused(text):
    with pytest.raises(StudyError):
        panel_from(study_of("a"), text)


@pytest.mark.parametrize(
    ("text", "rate"), [("20 kHz", 20e3), ("20000", 20e3), ("20 kS/s", 20e3), ("50 us", 20e3), ("0.05 ms", 20e3), ("2e4 Hz", 2e4)]
)
def test_rates_are_written_as_frequency_or_interval(text, rate):
    assert op.rate_from(text) == pytest.approx(rate, rel=1e-12)


@pytest.mark.parametrize("text", ["fast", "20 V", "0 Hz", "", "-5 Hz", "20 parsnips"])
def test_what_is_no_rate_is_refused(text):
    with pytest.raises(StudyError, match="Write it like 20 kHz"):
        op.rate_from(text)


def test_the_recorder_is_written_as_unit_or_range():
    study = study_of("a")
    assert op.change_recorder(study, "a", "±10 V").channels[0].scaling.recorder_range == 10
    assert op.change_recorder(study, "a", "mA").channels[0].recorder_unit == "mA"
    with pytest.raises(StudyError, match="Write it like ±10 V"):
        op.change_recorder(study, "a", "ten volts")


def test_columns_and_rate_are_corrected_and_the_page_arranged_from_the_command_line(tmp_path, invoke):
    path, study = tmp_path / "raw.csv", tmp_path / "s.pantelos"
    path.write_text("a;b;c\n" + "".join(f"{n};{n},5;{-n}\n" for n in range(100)))
    bad = invoke("new", str(study), str(path))
    assert "Use --column or --rate" in str(bad.exception)
    arguments = ["new", str(study), str(path), "--rate", "1 kHz", "--column", "1=skip", "--column", "2=u [V]", "--column", "3=i [mA]",
                 "--decimal", "comma", "--lanes", "u i", "--panel", "spectrum u flat-top", "--interval", "x=0..0.05"]  # fmt: skip
    assert invoke(*arguments).exception is None
    made = load_study(study)
    assert [(c.name, c.recorder_unit) for c in made.channels] == [("u", "V"), ("i", "mA")]
    assert (lanes(made), made.panels) == (["u i"], (Panel("spectrum", ("u",), None, "flat-top"),))
    timed = invoke(*[*arguments[:3], "--force", "--column", "1=time:ms", "--column", "3=skip"])
    assert timed.exception is None
    assert "100 samples at 1000 Hz" in timed.stdout
    moved = path.rename(tmp_path / "elsewhere.csv")
    assert "cannot be read" in str(invoke("show", str(study)).exception)
    assert invoke("relink", str(study), str(moved)).exception is None
    assert invoke("show", str(study)).exception is None


def test_columns_may_swap_their_names(tmp_path, invoke):
    path, study = tmp_path / "raw.csv", tmp_path / "s.pantelos"
    path.write_text("rate: 1 kHz\nu1 [V],u2 [V]\n" + "1,2\n" * 50)
    done = invoke("new", str(study), str(path), "--channel", "u1=2", "--channel", "u2=1: divider 10:1")
    assert done.exception is None
    assert [(c.name, c.column) for c in load_study(study).channels] == [("u2", "u1"), ("u1", "u2")]
