"""Recorders that misbehave, cables that come loose, and users who have had enough: a sentence each, in seconds, and nothing lost."""

import contextlib
import json
import os
import select
import signal
import socket
import struct
import subprocess
import sys
import threading
import time
from typing import ClassVar

import msgspec
import numpy as np
import pytest

from pantelos.errors import PantelosError
from pantelos.recorder import recording as recording_module
from pantelos.recorder.driver import Recorder
from pantelos.recorder.link import RecorderError
from pantelos.recorder.order import Order, channel_from
from pantelos.recorder.recording import record
from pantelos.recorder.studying import study_of
from pantelos.recorder.waiting import Stopped, Waiting
from pantelos.simulator.converter import Flaws
from pantelos.simulator.instrument import Instrument
from pantelos.simulator.scenes import SCENES
from pantelos.simulator.serving import Serving

HEAD = struct.Struct("<QQQIIHH")


class Cable:
    """A wire to a recorder that can be cut and mended: every connection through it dies, and none is made meanwhile."""

    def __init__(self, port):
        self._port, self._cut = port, False
        self._server = socket.create_server(("127.0.0.1", 0))
        self.address = f"127.0.0.1:{self._server.getsockname()[1]}"
        self._pairs, self._open = [], True
        self._server_thread = threading.Thread(target=self._serve)
        self._server_thread.start()

    def _serve(self):
        while self._open:
            if not select.select([self._server], [], [], 0.02)[0]:
                continue
            near, _ = self._server.accept()
            if self._cut:
                near.close()
                continue
            far = socket.create_connection(("127.0.0.1", self._port))
            self._pairs.append((near, far))
            for a, b in ((near, far), (far, near)):
                threading.Thread(target=self._carry, args=(a, b), daemon=True).start()
        for one in (*(one for pair in self._pairs for one in pair), self._server):
            one.close()

    @staticmethod
    def _carry(a, b):
        with contextlib.suppress(OSError):
            while part := a.recv(1 << 16):
                b.sendall(part)
        for one in (a, b):
            with contextlib.suppress(OSError):
                one.shutdown(socket.SHUT_RDWR)

    def cut(self, cut=True):
        self._cut = cut
        for pair in self._pairs if cut else ():
            for one in pair:
                with contextlib.suppress(OSError):
                    one.shutdown(socket.SHUT_RDWR)

    def close(self):
        self.cut()
        self._open = False
        self._server_thread.join()


@pytest.mark.parametrize(("cut_s", "memory", "lost"), [(1.0, 64 << 20, False), (1.5, 1 << 19, True)])
def test_a_cable_that_comes_loose_costs_what_the_recorder_cannot_keep(cut_s, memory, lost, tmp_path):
    with Serving(Instrument(SCENES["mains"], 8, Flaws(noise_v=0.0, memory=memory))) as serving:
        cable, said, seen, stop = Cable(serving.port), [], [], threading.Event()
        waiting = Waiting(stop.is_set, said.append)
        found = Recorder(cable.address, 1.0, waiting)
        taken = found.take(Order(tuple(channel_from(f"c{k}={k}: range 5 V") for k in range(1, 9)), 50_000.0, 0))
        mended, last = [], [0]  # what mends it, the last row before a gap

        def watch(news):
            seen.append(news.trouble)
            if news.n_rows and not mended:
                mended.append(threading.Timer(cut_s, cable.cut, (False,)))
                cable.cut()
                mended[0].start()
            if news.reconnected and not news.trouble and bool(news.gaps) is lost and news.n_rows > last[0] + 5000:
                stop.set()
            last[0] = max(last[0], *(gap.before for gap in news.gaps), 0)

        came = record(found, taken, tmp_path / "c.recording", watch, waiting=waiting)
        found.close()
        cable.close()
    assert came.failed is None and came.ended == "stopped" and (came.lost > 0) is lost
    told = [text for text in said if "connection lost for" in text]
    assert f"the recorder keeps {memory / 16 / 50_000:.0f} s" in told[0] and "asking again until 60 s" in told[0]
    assert any("is being lost" in text for text in told) is lost and any(seen) and not seen[-1]
    study, recordings = study_of(came.path, taken.order, taken.steps_v)
    column = recordings.record(study.record)
    assert column.n_samples == came.n_rows + came.lost  # the gap is as long as what was lost


class Fake:
    """A recorder that answers as it is told: a table of what begins a message, and of what it is answered."""

    USUAL: ClassVar = {
        "*IDN?": "Made up,Fake,0,1", "INP:COUN?": "2", "INP1:NAME?": '"a";1,10', "INP2:NAME?": '"b";1,10', "STAT:OPER:COND?": "0",
        "SYST:ERR?": '0,"No error"', "SWE:TINT?": "1E-4", "SENS1:VOLT:RANG?": "10", "SENS2:VOLT:RANG?": "10",
        "SENS1:VOLT:STEP?": "3E-4", "SENS2:VOLT:STEP?": "3E-4", "FETC:NUMB?": "1", "FETC:ROOM?": "100000", "TRIG:MISS?": "0",
        "FETC:SHOT?": "0",
    }  # fmt: skip

    def __init__(self, blocks=None, **answers):
        self._answers = self.USUAL | {key.replace("_", ":") + "?": text for key, text in answers.items()}
        self._blocks = blocks or (lambda first, most: block(first, first + 10, np.zeros((min(most, 10), 2))))
        self.heard = []
        self._server = socket.create_server(("127.0.0.1", 0))
        self.address = f"127.0.0.1:{self._server.getsockname()[1]}"
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self):
        with contextlib.suppress(OSError):
            while True:
                near, _ = self._server.accept()
                threading.Thread(target=self._talk, args=(near,), daemon=True).start()

    def _talk(self, near):
        with near, near.makefile("rb") as lines, contextlib.suppress(OSError):
            for line in lines:
                text = line.decode().strip()
                self.heard.append(text)
                if text.startswith("FETC:BLOC?"):
                    content = self._blocks(*map(int, text.partition(" ")[2].split(",")))
                    head = f"#{len(str(len(content)))}{len(content)}".encode()
                    near.sendall(head + content + b"\n")
                    continue
                found = next((answer for key, answer in self._answers.items() if text.startswith(key)), None)
                if found is not None and found != "...":
                    near.sendall(found.encode() + b"\n")

    def close(self):
        self._server.close()


def block(first, so_far, values, running=True, waiting=False, lost=0, number=1):
    rows = np.asarray(values, dtype="<i2")
    flags = running + 2 * waiting
    return HEAD.pack(first, so_far, lost, number, len(rows), rows.shape[1], flags) + rows.tobytes()


@pytest.fixture
def fake():
    made = []

    def make(**more):
        made.append(Fake(**more))
        return made[-1]

    yield make
    for one in made:
        one.close()


ORDER = Order((channel_from("a=1: range 10 V"), channel_from("b=2: range 10 V")), 10_000.0, 100)


@pytest.mark.parametrize(
    ("answers", "said"),
    [
        ({"INP_COUN": "987654321"}, "to INP:COUN"), ({"INP_COUN": "two"}, "to INP:COUN"), ({"INP1_NAME": '"a";1,abc'}, '"abc"'),
        ({"INP1_NAME": '"a";9.91E37'}, "9.91E37"), ({"SENS1_VOLT_RANG": "9.91E37"}, "cannot be"),
        ({"SENS1_VOLT_STEP": "0"}, "STEP"), ({"SENS2_VOLT_STEP": "nan"}, "STEP"), ({"SWE_TINT": "0"}, "TINT"),
        ({"SWE_TINT": "-1"}, "TINT"), ({"STAT_OPER_COND": "busy"}, '"busy"'), ({"FETC_NUMB": "1.5"}, "no whole number"),
        ({"SYST_ERR": '-200,"Again"'}, "does not end"), ({"TRIG_MISS": "-3"}, "-3"), ({"FETC_SHOT": "1,2"}, "no sense"),
        ({"FETC_SHOT": "1,0,0,inf,0"}, "inf"),
    ],
)  # fmt: skip
def test_answers_that_cannot_be_are_a_sentence_and_never_taken(answers, said, fake, tmp_path):
    stands = fake(**answers)
    with pytest.raises(RecorderError) as error:
        found = Recorder(stands.address, 0.5)
        try:
            came = record(found, found.take(ORDER), tmp_path / "x.recording", waiting=Waiting(patience_s=1.0))
        finally:
            found.close()
        raise came.failed
    assert said in str(error.value) and "Traceback" not in str(error.value)


@pytest.mark.parametrize(
    ("blocks", "said"),
    [
        (lambda first, _: block(first, 100, np.zeros((10, 3))), "3 columns where 2 inputs were ordered"),
        (lambda first, _: block(first, 100, np.zeros((0 if first else 10, 2)), running=False), "promises 100 rows and gives 10"),
        (lambda first, _: block(first, first, np.zeros((0 if first else 10, 2))), "has sent nothing for"),
        (lambda first, _: block(first + (1 << 60 if first else 0), 1 << 61, np.zeros((10, 2))), "more than there can have been"),
    ],
)
def test_rows_that_cannot_be_end_it_and_what_came_is_kept(blocks, said, fake, tmp_path, monkeypatch):
    monkeypatch.setattr(recording_module, "_PROMISED_S", 0.3)
    stands = fake(blocks=blocks)
    found = Recorder(stands.address, 0.5)
    came = None
    try:
        came = record(found, found.take(ORDER), tmp_path / "r.recording", waiting=Waiting(patience_s=0.5))
        failed = came.failed
    except RecorderError as error:
        failed = error
    found.close()
    assert said in str(failed) and "ABOR" in stands.heard[-3:]  # it is told to stop
    if "columns" not in said:
        assert came.n_rows == 10 and f"10 samples of each channel had arrived and are kept in {came.path}" in str(failed)
    else:
        assert not list(tmp_path.iterdir())  # nothing came: nothing is left lying about


@pytest.mark.parametrize("silent", ["*IDN", "SENS1:VOLT:RANG", "FETC:NUMB", "waiting"])
def test_every_wait_can_be_ended(silent, fake, tmp_path):
    """Who waits for a first answer, for ranges, for the start of a recording, for a shot: it ends at once when it is wanted."""
    answers = {} if silent == "waiting" else {silent.replace(":", "_"): "..."}
    waits = fake(blocks=lambda first, _: block(first, 0, np.zeros((0, 2)), waiting=True), **answers)
    stop, ended = threading.Event(), []

    def play():
        try:
            found = Recorder(waits.address, 30.0, Waiting(stop.is_set))
            order = msgspec.structs.replace(ORDER, channels=(channel_from("a=1"), channel_from("b=2")))
            record(found, found.take(order), tmp_path / "w.recording", waiting=Waiting(stop.is_set))
        except PantelosError as error:
            ended.append(error)

    player = threading.Thread(target=play)
    player.start()
    while not any(silent in text or (silent == "waiting" and "FETC:BLOC" in text) for text in waits.heard):
        time.sleep(0.01)
    stop.set()
    if silent == "waiting":  # it goes on saying that it waits; what it is told is heard, and not waited for for ever
        while "ABOR" not in waits.heard:
            time.sleep(0.01)
        waits._blocks = lambda first, _: block(first, 0, np.zeros((0, 2)), running=False)
    player.join()
    assert isinstance(ended[0], Stopped) and "nothing is kept" in str(ended[0]) and not list(tmp_path.iterdir())


@pytest.mark.parametrize("how", [signal.SIGINT, signal.SIGTERM])
@pytest.mark.parametrize("start", ["now", "u1 rises through 9 V"])
def test_an_interruption_ends_in_order(how, start, serving, raw, tmp_path):
    """Before the first row: a sentence and no file. Later: a study of what came. The recorder records for nobody any more."""
    study = tmp_path / "i.pantelos"
    command = [sys.executable, "-m", "pantelos", "record", f"127.0.0.1:{serving.port}", "--to", str(study), "--start", start]
    command += ["--channel", "u1=1: range 10 V", "--samples", "0" if start == "now" else "500"]
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True) as process:
        while raw.ask("STAT:OPER:COND?") == "0" or (start == "now" and raw.ask("FETC:COUN?").startswith("0,")):
            time.sleep(0.02)
        while not (tmp_path / "i.recording").exists():
            time.sleep(0.02)
        time.sleep(0.2)
        os.kill(process.pid, how)
        said, wrong = process.communicate()
    assert "Traceback" not in wrong and raw.ask("STAT:OPER:COND?") == "0"
    if start == "now":
        assert process.returncode == 0 and "stopped" in said and study.exists()
    else:
        assert process.returncode == 1 and "nothing is kept" in wrong and not list(tmp_path.iterdir())


def test_a_simulated_recorder_ends_with_whoever_started_it():
    command = [sys.executable, "-m", "pantelos", "recorder", "mains", "--port", "0", "--hislip", "0", "--with-input"]
    with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE) as process:
        assert process.stdout.readline().startswith(b"scene:")
        process.stdin.close()  # as it is where a window is killed
        assert process.wait() == 0


def test_a_failure_leaves_a_study_and_an_exit_code(serving, tmp_path):
    study = tmp_path / "f.pantelos"
    cable = Cable(serving.port)
    command = [sys.executable, "-m", "pantelos", "record", cable.address, "--to", str(study), "--samples", "0", "--json"]
    command += ["--channel", "u1=1: range 10 V", "--patience", "1 s"]
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True) as process:
        path = tmp_path / "f.recording"
        while not path.exists() or path.stat().st_size < 20_000:
            time.sleep(0.02)
        cable.cut()
        said, wrong = process.communicate()
    cable.close()
    told = json.loads(said)
    assert process.returncode == 1 and study.exists() and told["samples"] > 100
    assert f"kept in {path}" in told["failed"] and told["failed"] in wrong and "connection lost for" in wrong


def test_ranges_that_are_measured_hold_more_than_was_seen_and_say_where_that_was_not_enough(serving, raw, tmp_path):
    """At rest 3.25 V: a range of 5 V, twice the room 10 V; then the machine runs, and 20 V would have been right."""
    said = []
    found = Recorder(serving.addresses[0], waiting=Waiting(say=said.append))
    asked = Order((channel_from("a=1"), channel_from("b=2: range 50 V")), 10_000.0, 1000)
    taken = found.take(asked)
    assert taken.order.channels[0].range_v == 10.0 and taken.measured == {"a"} and said == ["Measuring ranges: a, 1 of 1"]
    assert found.take(msgspec.structs.replace(asked, headroom=1.0)).order.channels[0].range_v == 5.0
    with pytest.raises(PantelosError, match=r"Headroom of 0\.5 cannot be"):
        found.take(msgspec.structs.replace(asked, headroom=0.5))
    taken = found.take(asked)
    assert raw.ask("ROUT:LOOP 1;:OUTP1 1;:SOUR1:VOLT 12;FREQ 50;:ROUT:LOOP?") == "1"
    came = record(found, taken, tmp_path / "m.recording")
    assert any("clipped" in text and "measured before the start, with 2 times the room" in text for text in came.remarks)
    assert raw.ask("SOUR1:VOLT 0.5;VOLT?") == "0.5"
    came = record(found, taken, tmp_path / "n.recording")
    assert any("reached 0.5 V of its range of 10 V, measured" in text for text in came.remarks)
    assert not any(text.startswith("b ") for text in came.remarks)  # its range was stated
    found.close()


def test_a_disk_without_room_is_said_before_anything_is_recorded(serving, tmp_path):
    found = Recorder(serving.addresses[0])
    wanted = Order((channel_from("a=1: range 10 V"),), 10_000.0, 1 << 39)
    with pytest.raises(PantelosError, match=r"it needs 1\.1 TB, and its disk has room for"):
        record(found, found.take(wanted), tmp_path / "d.recording")
    found.close()
    assert not list(tmp_path.iterdir())
