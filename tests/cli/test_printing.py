"""What commands print for people, and the ways in."""

import pytest

from pantelos.cli import display as window
from pantelos.cli import main
from pantelos.version import __version__


@pytest.fixture
def asked(csv_file, tmp_path, invoke):
    """Run a command on a study of one phase with an interval; return what it printed."""
    study = tmp_path / "s.pantelos"
    made = invoke("new", str(study), str(csv_file), "--connection", "load=single-phase: u=u1, i=i1",
                                    "--formula", "p1 = u1 * i1", "--formula", "eta = mean(p1) / 1 kW", "--interval", "steady=0.2..0.4")  # fmt: skip
    assert made.exception is None, made.exception

    def run(command, *args):
        done = invoke(command, str(study), *args)
        return done.stdout if done.exception is None else str(done.exception)

    return run


def test_studies_tables_values_and_checks_read_well(asked, csv_file, invoke):
    shown = asked("show")
    assert 'channel i1 [mA] from "i1": direct' in shown
    assert "connection load: Single-phase, u=u1, i=i1" in shown
    assert "interval steady: 0.200000 s to 0.400000 s, 10.000 cycles (active)" in shown
    tables = asked("tables", "--table", "power", "--table", "readouts")
    assert "Power and energy · 1 connection, 1 interval" in tables
    assert "575.00" in tables
    assert asked("value", "mean(p1)").split()[1] == "W"
    assert float(asked("value", "eta", "--bare")) == pytest.approx(0.575, rel=1e-9)
    said = asked("value", "eta")  # with what it rests on, and why there is no ±
    assert 'mean in "steady"' in said and "no ±: the scaling of" in said and "np." not in said
    assert '2000 samples in "steady"' in asked("value", "u1 * 2")
    assert asked("value", "rms(u1) over cycles(u1)").count("\n") >= 45
    assert "a condition alone has no value" in asked("value", "u1 > 5 V")
    assert "fine     load: power flows from supply to load" in asked("checks")
    assert asked("checks", "--json").startswith("[")
    assert asked("spectrum", "u1").splitlines()[0] == "f [Hz],u1 rms [V]"
    assert '"kind": "signal"' in asked("value", "u1 * 2", "--json")
    understood = invoke("inspect", str(csv_file)).stdout
    assert "10000 samples per second" in understood
    assert "column 2: i1 [mA], channel" in understood


def test_functions_and_kinds_are_listed(invoke):
    assert "thd(x)  [alternating]" in invoke("functions").stdout
    assert "three-phase-3w: Three-phase, three-wire, two wattmeters; sockets u13, i1, u23, i2" in invoke("kinds").stdout


def test_ways_in(monkeypatch, capsys, invoke):
    opened = []
    monkeypatch.setattr(window, "open_window", opened.append)
    assert invoke("--version").stdout == f"pantelos {__version__}\n"
    invoke()
    invoke("open")
    assert opened == [None, None]
    monkeypatch.setattr("sys.argv", ["pantelos", "show", "gone.pantelos"])
    with pytest.raises(SystemExit) as left:
        main.main()
    assert left.value.code == 1
    assert "gone.pantelos cannot be read" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("args", "said"),
    [
        (["edit", "--channel", "nonsense"], "write NAME=COLUMN"), (["edit", "--connect", "load=u1"], "write connection.socket"),
        (["edit", "--connection", "load"], "write name=kind"), (["edit", "--rename", "u1"], "write old=new"),
        (["edit", "--connection", "load=dc: u=u1"], ""), (["edit", "--rename-interval", "steady=run"], ""),
        (["edit", "--remove-connection", "load"], ""), (["edit", "--remove-formula", "eta"], ""), (["edit", "--orders", "40"], ""),
        (["edit", "--interval", "steady=0.3..0.5", "--active", "steady"], ""), (["edit", "--channel", "u9=7"], "columns 1 to 2"),
    ],
)  # fmt: skip
def test_every_option_of_edit_works_or_says_its_form(asked, args, said):
    found = asked(*args)
    assert said in found if said else found == ""


def test_the_whole_record_is_a_place_and_one_table_that_cannot_be_filled_leaves_the_others(asked, invoke):
    assert (
        asked("value", 'rms(u1) in "whole record"').split()[0]
        == asked("value", "rms(u1)", "--interval", "whole record").split()[0]
    )
    made = asked("tables", "--table", "events", "--table", "readouts")
    assert "Readouts · 1 formula" in made
    assert "not given: This study looks for no events yet" in asked(
        "tables", "--table", "events", "--table", "readouts", "--json"
    )
    assert "from 0 s, fingerprint" in asked("show")
    assert "stands for all there is" in asked("edit", "--interval", "whole record=0.1..0.2")
