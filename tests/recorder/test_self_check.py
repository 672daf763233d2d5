"""What a chain can at best show, against what was put into it: noise, offset, gain, phase; and the commands that record."""

import json
import math
import os
import signal
import subprocess
import sys

import numpy as np
import pytest

from pantelos.cli.main import run
from pantelos.errors import PantelosError, StudyError
from pantelos.recorder.driver import Recorder
from pantelos.recorder.self_check import self_check
from pantelos.recorder.signals import signal_from
from pantelos.simulator.converter import Flaws
from pantelos.simulator.instrument import Instrument
from pantelos.simulator.scenes import SCENES
from pantelos.simulator.serving import Serving
from pantelos.study import operations as op
from pantelos.study.model import Study
from pantelos.study.storage import load_study


def test_a_self_check_finds_the_noise_and_offset_that_were_given_and_the_better_phase():
    noise, offset = 0.0005, 0.003
    with Serving(Instrument(SCENES["mains"], 4, Flaws(noise_v=noise, offset_v=offset))) as serving:
        recorder = Recorder(serving.addresses[0])
        with pytest.raises(StudyError, match=r"does not suit"):
            self_check(recorder, [1], 1.0, 50_000.0, 20_000.0)
        found = self_check(recorder, [1, 2], 1.0, 50_000.0, 60.0)
        recorder.close()
    by = {(row.what, row.channel.partition(" ")[0]): row for row in found.rows}
    step = 1 / 32768
    for name in ("in1", "in2"):
        assert by["noise", name].value == pytest.approx(math.hypot(noise, step / math.sqrt(12)), rel=0.02)
        assert by["offset", name].value == pytest.approx(offset, rel=0.01)
        assert abs(by["gain", name].value) < 0.01
        assert by["SINAD", name].value == pytest.approx(20 * math.log10(0.8 / math.sqrt(2) / noise), abs=0.2)
        of_range = (by["SINAD", name].value - 1.76 + 20 * math.log10(1 / 0.8)) / 6.02
        assert by["ENOB", name].value == pytest.approx(of_range, abs=0.01)
    assert abs(by["phase", "in2"].value) < 0.01 and abs(by["delay", "in2"].value) < 1e-6
    assert abs(by["phase in noise, by spectrum", "in2"].value) < 0.7  # five standard deviations
    assert abs(by["phase in noise, by ellipse", "in2"].value) > 5
    study = op.keep_evidence(Study(), found)
    assert study.evidence == (found,) and "60 Hz" in found.said


def test_signals_that_cannot_be_say_what_may():
    for text in ("sinus 50 Hz", "sine 50 V Hz", "sine 50 Hz, 1 A", "sine 50 Hz, tone 3 Hz", "played 1 V", "sweep 2 to 80"):
        with pytest.raises(StudyError):
            signal_from(text)
    noisy = signal_from("noise 0.5 V").volts(0, 100_000, 1e4)
    assert noisy.std() == pytest.approx(0.5, rel=0.02) and abs(np.mean(noisy)) < 0.01


@pytest.fixture
def command_line():
    """Return the address of a recorder that was started as a command, and end it as a user would."""
    command = [
        sys.executable,
        "-m",
        "pantelos",
        "recorder",
        "mains",
        "--inputs",
        "6",
        "--port",
        "0",
        "--hislip",
        "0",
        "--noise",
        "0 V",
    ]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as process:
        lines = [process.stdout.readline() for _ in range(3)]
        assert lines[0].startswith("scene:") and "u1, u2, u3, i1, i2, i3" in lines[0]
        yield lines[1].partition(":")[2].strip()
        os.kill(process.pid, signal.SIGINT)
        assert process.wait() == 0


def test_recording_self_check_and_signals_from_the_command_line(command_line, tmp_path, capsys):
    study = tmp_path / "run.pantelos"
    record = ["record", command_line, "--to", str(study), "--rate", "20 kHz", "--json"]
    assert run([*record, "--channel", "u1=1: divider 100", "--channel", "i1=4: clamp 100 mV/A, range 5 V", "--time", "0.1 s",
                "--before", "10 ms", "--start", "u1 falls through 0 V, hysteresis 20 V", "--shots", "2"]) == 0  # fmt: skip
    told = json.loads(capsys.readouterr().out)
    assert (told["samples"], len(told["shots"]), told["lost"], told["ended"]) == (4000, 2, 0, "as ordered")
    assert run(["value", str(study), 'rms(u1) in "shot 2"', "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["value"] == pytest.approx(230 * math.hypot(1, 0.02), rel=1e-3)
    assert run(["self-check", command_line, "--keep", str(study), "--json"]) == 0
    kept = json.loads(capsys.readouterr().out)
    assert load_study(study).evidence[0].rows[0].what == kept["rows"][0]["what"] == "noise"
    assert run(["tables", str(study), "--table", "evidence"]) == 0 and "ENOB" in capsys.readouterr().out
    assert run(["report", str(study), "--sheet", "evidence", "--to", str(tmp_path / "e.html")]) == 0
    assert "phase in noise, by ellipse" in (tmp_path / "e.html").read_text()
    assert run([*record, "--samples", "500"]) == 0  # every input, under its own name; the recording before stays
    assert sorted(path.name for path in tmp_path.glob("*.recording")) == ["run-2.recording", "run.recording"]
    known = tmp_path / "known.recording"
    assert (
        run(["signal", str(known), "--rate", "10 kHz", "--time", "1 s", "--channel", "a=sine 50 Hz, 1 V, tone 150 Hz 0.1 V"]) == 0
    )
    assert run(["new", str(tmp_path / "k.pantelos"), str(known)]) == 0
    capsys.readouterr()
    assert run(["value", str(tmp_path / "k.pantelos"), "thd(a)", "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["value"] == pytest.approx(10, rel=1e-3)
    # An output gives a signal, another one a recorded channel, both wired into the inputs.
    loop = ["--output", "1 = sine 60 Hz, 1 V", "--output", f"2 = played a of {tmp_path / 'k.pantelos'}", "--loop"]
    looped = tmp_path / "looped.pantelos"
    channels = ["--channel", "a=1: range 2 V", "--channel", "b=2: range 2 V"]
    assert (
        run(["record", command_line, "--to", str(looped), "--rate", "10 kHz", "--time", "1 s", *channels, *loop, "--json"]) == 0
    )
    capsys.readouterr()
    for formula, value in (("rms(a)", math.sqrt(0.5)), ("thd(b)", 10), ("frequency(b)", 50)):
        assert run(["value", str(looped), formula, "--json"]) == 0
        assert json.loads(capsys.readouterr().out)["value"] == pytest.approx(value, rel=1e-3)
    for wrong, match in (
        ("9 = sine", "no output"),
        ("1 = played a", "names no channel"),
        ("1 = played z of k", "k cannot be read"),
    ):
        with pytest.raises(PantelosError, match=match):
            run(["record", command_line, "--to", str(looped), "--output", wrong])
