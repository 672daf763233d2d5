"""Commands made of annotated functions: every one has help, takes what its function takes, and is told apart from what is none."""

import enum
import subprocess
import sys
from pathlib import Path
from typing import Annotated

import pytest

from pantelos.cli.command import Argument, Option, call, parser_of
from pantelos.cli.main import COMMANDS, command, run
from pantelos.cli.opened import opened


class Kind(enum.StrEnum):
    NONE = ""
    FAST = "fast"
    SLOW = "slow"


def made(
    first: Annotated[Path, Argument(help="A file.", metavar="FILE")],
    second: Annotated[str, Argument()] = "usual",
    rate_limit: Annotated[float | None, Option(help="A rate of 5 % at least.")] = None,
    name: Annotated[list[str] | None, Option("--name", "-n")] = None,
    orders: Annotated[int, Option()] = 50,
    kind: Annotated[Kind, Option()] = Kind.FAST,
    quiet: Annotated[bool, Option("--quiet")] = False,
) -> None:
    """Make something."""
    made.given = (first, second, rate_limit, name, orders, kind, quiet)


def test_arguments_follow_the_annotations():
    assert call("made", made, ["x.csv"]) == 0
    assert made.given == (Path("x.csv"), "usual", None, None, 50, Kind.FAST, False)
    call("made", made, ["--name", "a", "x", "-n", "b", "other", "--rate-limit", "2.5", "--quiet", "--kind=slow", "--orders", "7"])
    assert made.given == (Path("x"), "other", 2.5, ["a", "b"], 7, Kind.SLOW, True)
    for wrong in ([], ["x", "y", "z"], ["x", "--orders", "many"], ["x", "--kind", "parsnip"], ["x", "--quie"]):
        with pytest.raises(SystemExit) as left:
            call("made", made, wrong)
        assert left.value.code == 2
    assert "5 %" in parser_of("made", made).format_help()


@pytest.mark.parametrize("name", COMMANDS)
def test_every_command_explains_itself(name, invoke):
    done = invoke(name, "--help")
    assert done.exit_code == 0
    assert (command(name).__doc__ or "").splitlines()[0].rstrip(".") in " ".join(done.stdout.split())
    assert name in invoke("--help").stdout


def test_what_is_no_command_is_told_so(invoke, capsys):
    assert invoke("parsnip").exit_code == 2
    assert run(["--version"]) == 0
    assert capsys.readouterr().out.startswith("pantelos ")


def test_a_run_with_folders_of_its_own_depends_on_no_other(csv_file, tmp_path, monkeypatch):
    """A correction is used when asked for, and only where its folder of settings is the same."""
    plain = tmp_path / "plain.csv"
    plain.write_text("rate: 10 kHz\na,b\n" + "1,2\n" * 50)
    environment = {
        name: str(tmp_path / name)
        for name in ("PANTELOS_CACHE", "PANTELOS_SETTINGS", "HOME", "XDG_CACHE_HOME", "XDG_CONFIG_HOME")
    }

    def pantelos(*arguments, **more):
        return subprocess.run([sys.executable, "-m", "pantelos", *map(str, arguments)], env={**environment, **more, "PATH": ""},
                              capture_output=True, text=True, check=True)  # fmt: skip

    pantelos("new", tmp_path / "one.pantelos", plain, "--column", "1=u1 [V]")
    pantelos("new", tmp_path / "two.pantelos", plain)
    pantelos("new", tmp_path / "three.pantelos", plain, "--as-before")
    other = pantelos("new", tmp_path / "four.pantelos", plain, "--as-before", PANTELOS_SETTINGS=str(tmp_path / "elsewhere"))
    assert "nothing was agreed on" in other.stderr
    assert "--as-before uses them" in pantelos("inspect", plain).stdout
    names = [[c.column for c in opened(tmp_path / f"{name}.pantelos").study.channels] for name in ("one", "two", "three", "four")]
    assert names == [["u1", "b"], ["a", "b"], ["u1", "b"], ["a", "b"]]
    assert not any(
        (tmp_path / name).exists() for name in ("HOME", "XDG_CACHE_HOME", "XDG_CONFIG_HOME")
    )  # nothing is left elsewhere
