"""Recordings to order: what was asked for comes, whatever happens on the way stands in a sentence, and nothing that came is lost."""

import errno
import hashlib
import math
import os
import random
import socket
import threading
from pathlib import Path
from tempfile import TemporaryDirectory

import msgspec
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import FileAccessError, FormatError, StudyError
from pantelos.folders import cache_directory
from pantelos.formats import storing
from pantelos.formats.recorded import writer as writing
from pantelos.formats.recorded.companions import course_beside
from pantelos.formats.recorded.layout import RecordedChannel, RecordedHeader, RecordedShot
from pantelos.formats.recorded.reader import read_recorded
from pantelos.formats.recorded.writer import RecordingWriter
from pantelos.progress import Progress
from pantelos.reading.kinds import READINGS
from pantelos.record import store
from pantelos.record.timing import start_of
from pantelos.recorder import link
from pantelos.recorder.driver import Recorder
from pantelos.recorder.link import RecorderBusy, RecorderError
from pantelos.recorder.live import Live
from pantelos.recorder.order import Order, channel_from, gate_from, start_from
from pantelos.recorder.recording import record
from pantelos.recorder.studying import study_of
from pantelos.recorder.waiting import Waiting
from pantelos.signal.sampling.growing_pyramid import GrowingPyramid
from pantelos.signal.sampling.pyramid import build_pyramid
from pantelos.study.importing import import_recording
from pantelos.study.model import Study
from pantelos.study.opening import preview

CHANNELS = tuple(map(channel_from, ("u1=1: divider 100, range 5 V", "i1=4: clamp 100 mV/A, range 5 V")))


def order(n=2000, rate=20_000.0, start="now", **more):
    made = Order(CHANNELS, rate, n, **more)
    return msgspec.structs.replace(made, start=start_from(start, made))


@pytest.fixture(params=["socket", "hislip"])
def recorder(serving, request):
    found = Recorder(serving.addresses[request.param == "hislip"])
    yield found
    found.close()


def recorded_rows(path):
    study, recordings = import_recording(Study(), path, preview(path).dialect)
    record_ = recordings.record(study.record)
    return study, record_, Evaluation(study, record_)


def test_shots_on_an_edge_become_a_study_aligned_on_it(recorder, tmp_path):
    taken = recorder.take(order(start="u1 rises through 100 V, hysteresis 10 V, hold-off 50 ms", n_before=500, n_shots=5))
    assert taken.remarks == () and recorder.inputs[0].name == "u1"
    live = Live(taken)
    came = record(recorder, taken, tmp_path / "a.recording", live.add)
    assert (came.n_rows, len(came.shots), came.lost, came.ended) == (10_000, 5, 0, "as ordered") and came.missed >= 5
    study, recordings = study_of(came.path, taken.order, taken.steps_v)
    asked = Evaluation(study, recordings.record(study.record))
    assert [i.name for i in study.intervals] == [f"shot {k}" for k in range(1, 6)]
    x = asked.samples.waveform("u1").read(0, asked.record.n_samples)
    for shot in study.intervals:
        first = round((shot.start_s - asked.record.start_s) * 20_000)
        assert x[first + 500] >= 100 > x[first + 499]
        assert asked.reading(READINGS["rms"], ("u1",), shot.name).value == pytest.approx(230 * math.hypot(1, 0.02), rel=1e-3)
    seen = live.stretch(4)
    assert (seen.shot, seen.start_s, len(seen.rows)) == (4, -0.025, 2000)
    shown = live.evaluation(live.stretch()).reading(READINGS["rms"], ("i1",), "whole record").value
    assert shown == pytest.approx(asked.reading(READINGS["rms"], ("i1",), "shot 5").value, rel=1e-3)


def test_shots_beside_each_other_tell_the_odd_one(serving, raw, tmp_path):
    """Outlines and peaks are those of the rows; a shot within a dip is unlike the others, in any channel that it shows in."""
    found = Recorder(serving.addresses[0])
    taken = found.take(order(n=2000, start="u1 rises through 100 V, hysteresis 10 V, hold-off 90 ms", n_before=500, n_shots=14))
    live = Live(taken)
    came = record(found, taken, tmp_path / "s.recording", live.add)
    found.close()
    _, record_, asked = recorded_rows(came.path)
    x = asked.samples.waveform("u1").read(0, record_.n_samples)
    rows = x[~np.isnan(x)].reshape(14, 2000) * 100  # between the shots nothing was recorded
    seen, (low, high) = live.seen.all, live.seen.band
    assert [one.number for one in seen] == list(range(1, 15)) and [one.at_s for one in seen] == [s.at_s for s in came.shots]
    for one, values in zip(seen, rows, strict=True):
        assert abs(one.peaks[0]) == pytest.approx(np.abs(values).max(), rel=1e-6)
        assert one.lows[0].min() == pytest.approx(values.min(), rel=1e-6)
    assert low[0].min() == pytest.approx(rows.min(), rel=1e-6) and high[0].max() == pytest.approx(rows.max(), rel=1e-6)
    peaks = np.abs(rows).max(axis=1)
    assert live.seen.odd(0) == {k + 1 for k in range(14) if abs(peaks[k] / np.median(peaks) - 1) > 0.011}


def test_the_cycles_of_a_shot_are_its_own(serving, tmp_path):
    """Shots of 4.7 cycles, one behind the other: the phase leaps between them, and no number may know of it."""
    found = Recorder(serving.addresses[0])
    taken = found.take(order(n=4700, rate=50_000.0, start="u1 rises through 100 V, hysteresis 10 V", n_before=100, n_shots=4))
    came = record(found, taken, tmp_path / "s.recording")
    found.close()
    study, recordings = study_of(came.path, taken.order, taken.steps_v)
    asked = Evaluation(study, recordings.record(study.record))
    assert asked.record.joints == (4704, 9408, 14112)
    for shot in study.intervals:
        for name, value in (("frequency", 50.0), ("rms", 230 * math.hypot(1, 0.02))):
            found_there = asked.reading(READINGS[name], ("u1",), shot.name)
            assert found_there.value == pytest.approx(value, rel=1e-5) and found_there.remarks == ()
        assert asked.reading(READINGS["rms"], ("u1",), shot.name).window.n_cycles == 4


def test_the_nearest_there_is_is_taken_and_said(recorder, tmp_path):
    wanted = msgspec.structs.replace(
        order(rate=33_000.0), channels=(channel_from("a=1: range 3 V"), channel_from("b=2: AC, single-ended"))
    )
    taken = recorder.take(wanted)
    assert taken.order.rate_hz == pytest.approx(1e6 / 30) and [c.range_v for c in taken.order.channels] == [5.0, 10.0]
    assert any("33000" in said for said in taken.remarks) and any("3 V" in said for said in taken.remarks)
    with pytest.raises(RecorderError, match=r"asks for input 9"):
        recorder.take(msgspec.structs.replace(wanted, channels=(channel_from("a=9"),)))
    with pytest.raises(RecorderError, match=r"refuses rate or length: Data out of range|refuses a range: Data out of range"):
        recorder.take(msgspec.structs.replace(wanted, rate_hz=5e6))


def test_until_it_is_stopped_what_came_is_kept(recorder, tmp_path):
    stop = threading.Event()
    seen = []

    def watch(news):
        seen.append(news.n_rows)
        if news.n_rows > 3000:
            stop.set()

    came = record(recorder, recorder.take(order(n=0)), tmp_path / "b.recording", watch, waiting=Waiting(stop.is_set))
    assert came.ended == "stopped" and came.n_rows > 3000 and len(came.shots) == 1
    _, found, _ = recorded_rows(came.path)
    assert found.n_samples == came.n_rows
    again = record(recorder, recorder.take(order(n=500, start="digital input")), tmp_path / "c.recording")
    assert again.n_rows == 500


@pytest.mark.parametrize("fault", ["DROP", "LATE", "LENG", "HUGE", "GARB", "ERR"])
def test_a_fault_on_the_way_loses_nothing(fault, serving, raw, tmp_path):
    found = Recorder(serving.port and serving.addresses[0], timeout_s=1.0)
    taken = found.take(order(n=20_000, rate=50_000.0))
    raw.write(f"SIM:FAUL {fault},3")
    came = record(found, taken, tmp_path / "f.recording")
    found.close()
    assert came.n_rows == 20_000 and came.lost == 0
    assert ("ordered" in " ".join(came.remarks)) is (fault == "ERR")
    x = recorded_rows(came.path)[2].samples.waveform("u1").read(0, 20_000)
    turn = 2 * math.pi * 50 * np.arange(20_000) / 50_000
    assert np.abs(x - math.sqrt(2) * 2.3 * (np.sin(turn) + 0.02 * np.sin(5 * turn))).max() < 2e-4


def test_an_overrun_is_a_gap_that_is_told(serving, raw, tmp_path):
    found = Recorder(serving.addresses[0])
    taken = found.take(order(n=0, rate=50_000.0))
    raw.write("SIM:FAUL OVER,5")
    stop = threading.Event()
    came = record(
        found,
        taken,
        tmp_path / "o.recording",
        lambda n: stop.set() if n.lost and n.n_rows > 9000 else None,
        waiting=Waiting(stop.is_set),
    )
    found.close()
    assert came.lost > 0 and any("lost" in said for said in came.remarks)
    _, record_, asked = recorded_rows(came.path)
    x = asked.samples.waveform("u1").read(0, record_.n_samples)
    turn = 2 * math.pi * 50 * np.arange(len(x)) / 50_000
    there = ~np.isnan(x)
    first = round(record_.start_s * 50_000)  # later where it was the beginning that was lost
    assert first + (~there).sum() == came.lost and there.sum() == came.n_rows
    turn += 2 * math.pi * 50 * record_.start_s
    assert np.abs(x - math.sqrt(2) * 2.3 * (np.sin(turn) + 0.02 * np.sin(5 * turn)))[there].max() < 2e-4
    assert any("lost while recording" in notice.text for notice in record_.told)


def test_a_recorder_that_is_busy_is_left_alone_until_it_is_told_to_stop(serving, raw, tmp_path):
    raw.write("SWE:POIN 0;:INIT")
    assert raw.ask("STAT:OPER:COND?") == "8"
    found = Recorder(serving.addresses[0])
    for ask in (found.take, found.measured):
        with pytest.raises(RecorderBusy, match=r"is recording already"):
            ask(order())
    found.stop()
    taken = found.take(order(n=100))
    raw.write("SWE:POIN 0;:INIT")
    assert raw.ask("STAT:OPER:COND?") == "8"
    with pytest.raises(RecorderError, match=r"refuses to begin"):  # begun by another client just before
        record(found, taken, tmp_path / "o.recording")
    assert raw.ask("STAT:OPER:COND?") == "8" and not (tmp_path / "o.recording").exists()  # and goes on for it
    found.stop()
    assert record(found, found.take(order(n=100)), tmp_path / "p.recording").n_rows == 100
    with pytest.raises(RecorderError, match=r"refuses the gate: Data out of range"):
        found.take(msgspec.structs.replace(order(), channels=(channel_from("u1=1"),), gate=gate_from("u1 above 300 V", order())))
    with pytest.raises(StudyError, match=r"cannot be used in formulas"):
        channel_from("u 1=1")
    found.close()


def test_what_a_gate_lets_through_is_seen_while_it_comes(serving, tmp_path):
    found = Recorder(serving.addresses[0])
    taken = found.take(msgspec.structs.replace(order(n=600, n_shots=0), gate=gate_from("u1 above 200 V", order())))
    live = Live(taken)
    came = record(found, taken, tmp_path / "q.recording", live.add)
    found.close()
    assert came.n_rows == 600 and len(came.shots) > 3 and came.ended == "as ordered"
    assert live.values(live.stretch().rows, 0).min() >= 200 - 0.02 and len(live.stretch().rows) == 600


def test_what_is_clipped_is_told_while_it_comes_and_afterwards(serving, tmp_path):
    found = Recorder(serving.addresses[0])
    small = msgspec.structs.replace(order(), channels=(channel_from("u1=1: range 2 V"), CHANNELS[1]))
    seen = []
    came = record(found, found.take(small), tmp_path / "k.recording", lambda news: seen.append(news.clipped))
    found.close()
    peak = math.sqrt(2) * 2.3
    turn = 2 * math.pi * 50 * np.arange(2000) / 20_000
    beyond = int((np.abs(peak * (np.sin(turn) + 0.02 * np.sin(5 * turn))) >= 32766.5 / 32768 * 2).sum())
    assert seen[-1] == (beyond, 0) and beyond > 500
    assert [said for said in came.remarks if "clipped" in said] == [
        f"u1 is clipped: {beyond} samples at the end of its range of 2 V. Record again with a wider one"
    ]


def test_a_hundred_lost_connections_lose_no_sample(serving, raw, tmp_path):
    found = Recorder(serving.addresses[0])
    taken = found.take(order(n=0, rate=100_000.0))
    chance, at, seen = random.Random(5), 0, [0]
    for _ in range(100):
        raw.write(f"SIM:FAUL DROP,{at}")
        at += chance.randint(2, 4)
    assert raw.ask("SYST:ERR?") == '0,"No error"'
    came = record(
        found,
        taken,
        tmp_path / "d.recording",
        lambda news: seen.append(news.reconnected),
        waiting=Waiting(lambda: seen[-1] >= 100),
    )
    found.close()
    assert seen[-1] == 100 and came.lost == 0 and came.ended == "stopped"
    assert came.n_rows == int(raw.ask("FETC:COUN?").split(",")[0])
    x = recorded_rows(came.path)[2].samples.waveform("u1").read(0, came.n_rows)
    turn = 2 * math.pi * 50 * np.arange(came.n_rows) / 100_000
    law = math.sqrt(2) * 2.3 * (np.sin(turn) + 0.02 * np.sin(5 * turn))
    dips = (np.arange(came.n_rows) / 1e6 % 1 >= 0.6) & (np.arange(came.n_rows) / 1e6 % 1 < 0.61)
    assert len(x) == came.n_rows > 10_000 and np.abs(x - np.where(dips, 0.5, 1.0) * law).max() < 2e-4


def test_a_recording_that_was_begun_anew_by_another_client_is_not_gone_on_with(serving, raw, tmp_path):
    found = Recorder(serving.addresses[0])
    taken, begun = found.take(order(n=0)), []

    def watch(news):
        if news.n_rows and not begun:
            begun.append(news.n_rows)
            raw.write("ABOR;:INIT")
            assert raw.ask("SYST:ERR?") == '0,"No error"'

    came = record(found, taken, tmp_path / "g.recording", watch)
    found.close()
    kept = f"{begun[0]} samples of each channel had arrived and are kept in {tmp_path / 'g.recording'}"
    assert raw.ask("STAT:OPER:COND?") == "8"  # the other client's goes on
    assert "begun anew" in str(came.failed) and kept in str(came.failed) and came.n_rows == begun[0]
    assert recorded_rows(tmp_path / "g.recording")[1].n_samples == begun[0]


def test_a_recorder_that_goes_for_good_leaves_what_came(serving, tmp_path):
    found = Recorder(serving.addresses[0], timeout_s=0.5)
    taken = found.take(order(n=0))

    def watch(news):
        if news.n_rows > 2000:
            serving.close()
            found._link.close()

    came = record(found, taken, tmp_path / "g.recording", watch, waiting=Waiting(patience_s=2.0))
    assert "samples of each channel had arrived and are kept in" in str(came.failed) and "lost for" in str(came.failed)
    _, record_, _ = recorded_rows(tmp_path / "g.recording")
    assert record_.n_samples > 2000


def test_a_full_disk_keeps_what_was_written(serving, tmp_path, monkeypatch):
    found = Recorder(serving.addresses[0])
    written = os.pwrite
    room = [40_000]

    def pwrite(file, content, at):
        if at and room[0] <= 0:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        room[0] -= len(content) if at else 0
        return written(file, content, at)

    monkeypatch.setattr(writing.os, "pwrite", pwrite)
    came = record(found, found.take(order(n=0)), tmp_path / "h.recording")
    assert "no space left" in str(came.failed) and f"{came.n_rows} samples of each" in str(came.failed)
    assert found.take(order(n=100)).order.n_samples == 100  # it was told to stop, and can be used again
    found.close()
    monkeypatch.undo()
    _, record_, _ = recorded_rows(tmp_path / "h.recording")
    assert record_.n_samples >= 9_700 and not any("not ended" in notice.text for notice in record_.told)


@pytest.mark.filterwarnings("ignore::pytest.PytestUnraisableExceptionWarning")  # the VISA library leaves its broadcasts open
def test_a_recorder_at_the_usual_port_is_found(serving, monkeypatch):
    monkeypatch.setattr(link, "USUAL_PORT", serving.port)
    assert link.found_addresses()[0] == f"TCPIP0::127.0.0.1::{serving.port}::SOCKET"
    recorder = Recorder("")
    assert "Simulated" in recorder.identity
    recorder.close()


def test_nobody_there_and_somebody_else():
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    with pytest.raises(RecorderError, match=r"No recorder answers at 127.0.0.1"):
        Recorder(f"127.0.0.1:{port}", timeout_s=0.5)
    with pytest.raises(RecorderError, match=r"is no address"):
        Recorder("not an address!")
    for answers in ([b"Other,Thing,1,2\n"], [b"\xff\xfe\x00garbage\n"], []):
        with socket.create_server(("127.0.0.1", 0)) as server:

            def serve(server=server, answers=answers):
                connection, _ = server.accept()
                with connection:
                    for answer in answers:
                        connection.recv(100)
                        connection.sendall(answer)
                    connection.settimeout(2)
                    try:
                        connection.recv(100)
                    except OSError:
                        return

            thread = threading.Thread(target=serve)
            thread.start()
            with pytest.raises(RecorderError, match=r"no recorder|No recorder"):
                Recorder(f"127.0.0.1:{server.getsockname()[1]}", timeout_s=0.3)
            thread.join()


def test_what_cannot_be_ordered_says_what_may(tmp_path):
    made = order()
    for text, match in (
        ("u9 rises through 1 V", "u9"), ("u1 climbs", "rises through"), ("u1 rises through 1 A", "expected V"),
        ("now, soon", "hold-off"), ("u1 rises through 1 V, hysteresis 2 A", "expected V"), ("now, delay x", "no amount"),
    ):  # fmt: skip
        with pytest.raises(StudyError, match=match):
            start_from(text, made)
    for text in ("u1 rises through 100.0 V, hysteresis 10.00 V, hold-off 20.00 ms, else after 2.000 s", "digital input", "now"):
        start = start_from(text, made)
        assert start_from(start.text("V"), made) == start
    assert start_from("digital input, delay 100 samples", made).delay_s == pytest.approx(100 / 20_000)
    assert gate_from("i1 above 2 A", made).level == 2.0
    for wrong in (
        {"n_samples": 10, "n_before": 10}, {"channels": ()}, {"rate_hz": -1.0}, {"channels": CHANNELS * 2},
        {"n_samples": 0, "start": start_from("u1 falls through 1 V", made)},
    ):  # fmt: skip
        with pytest.raises(StudyError):
            msgspec.structs.replace(made, **wrong).check()
    for text in ("u1", "u1=x", "u1=1: shunt 5"):
        with pytest.raises(Exception, match=r"u1|shunt"):
            channel_from(text)


@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(sizes=st.lists(st.integers(0, 90_000), min_size=1, max_size=9), seed=st.integers(0, 99))
def test_a_growing_pyramid_is_at_any_moment_the_one_of_what_came(sizes, seed, tmp_path):
    x = np.cumsum(np.random.default_rng(seed).integers(-50, 51, (sum(sizes), 2)), axis=0).astype("<i2")
    with TemporaryDirectory(dir=tmp_path) as folder:
        growing, n = GrowingPyramid(Path(folder), 2, "<i2"), 0
        for size in sizes:
            growing.add(x[n : n + size])
            n += size
            for k, found in enumerate(growing.pyramids()):
                whole = build_pyramid(lambda a, b, k=k: x[a:b, k], n)
                assert found.n_samples == n and (not n or len(found.lows) == len(whole.lows))
                for levels, expected in ((found.lows, whole.lows), (found.highs, whole.highs)):
                    assert all(np.array_equal(a, b) for a, b in zip(levels, expected, strict=bool(n)))
        growing.close()


@pytest.mark.usefixtures("own_cache")
def test_what_was_recorded_opens_without_being_read_again(serving, tmp_path, monkeypatch):
    found = Recorder(serving.addresses[0])
    taken = found.take(order(n=300_000, rate=1e6))
    came = record(found, taken, tmp_path / "k.recording")
    found.close()
    assert not course_beside(came.path).exists() and not list((cache_directory() / "records").glob("making-*"))

    def never(*_):
        raise AssertionError("it is read")

    with monkeypatch.context() as patch:
        patch.setattr(storing, "fingerprint", never)
        patch.setattr(store, "pyramids_of", never)
        dialect = preview(came.path).dialect
        kept = read_recorded(came.path, dialect, Progress())
    assert kept.fingerprint == hashlib.blake2b(came.path.read_bytes(), digest_size=32).hexdigest()
    monkeypatch.setenv("PANTELOS_CACHE", str(tmp_path / "another"))
    for one, other in zip(kept.channels, read_recorded(came.path, dialect, Progress()).channels, strict=True):
        assert all(np.array_equal(a, b) for a, b in zip(one.pyramid.highs, other.pyramid.highs, strict=True))


def test_a_recording_is_whole_wherever_its_end_was_cut(tmp_path):
    header = RecordedHeader(1000.0, (RecordedChannel("a", 0.001, 10.0), RecordedChannel("b", 0.002, 10.0)))
    path, cut = tmp_path / "e.recording", tmp_path / "cut.recording"
    writer = RecordingWriter(path, header, 1)
    rows = np.arange(600, dtype="<i2").reshape(-1, 2)
    writer.add(rows)
    writer.state([RecordedShot(0, 100, 0.1)], lost=7)
    writer.state(ended="stopped")
    course = course_beside(path).read_bytes()
    writer.close()
    whole, tail = path.read_bytes(), len(path.read_bytes()) - 4096 - 1200
    for size in {*range(len(whole) - tail, len(whole), 5), len(whole) - 1}:
        cut.write_bytes(whole[:size])
        course_beside(cut).write_bytes(course)  # it goes when the end stands behind the rows
        found = read_recorded(cut, preview(cut).dialect, Progress())
        assert found.channels[1].samples[:].tolist() == rows[:, 1].tolist() and start_of(found.timing) == -0.1
        assert not any("not ended" in one.text for one in found.told)
    course_beside(cut).unlink()
    cut.write_bytes(whole[: 4096 + 1000 + 3])
    _, record_, _ = recorded_rows(cut)
    assert record_.n_samples == 250 and any("not ended" in one.text for one in record_.told)
    old = b"PANTELOS RECORDING 1 4096\n" + msgspec.json.encode({**msgspec.to_builtins(header), "shots": [], "ended": "x"})
    cut.write_bytes(old.ljust(4095) + b"\n" + rows.tobytes())
    _, record_, _ = recorded_rows(cut)
    assert record_.n_samples == 300 and not record_.told


def test_without_room_in_the_cache_a_recording_goes_on_and_says_that_there_is_no_outline(serving, tmp_path, monkeypatch):
    def full(*_):
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    found = Recorder(serving.addresses[0])
    monkeypatch.setattr(GrowingPyramid, "add", full)
    taken = found.take(order(n=3000))
    live = Live(taken)
    came = record(found, taken, tmp_path / "f.recording", live.add)
    found.close()
    assert came.n_rows == 3000 and "No space left" in live.why_no_outline and live.bands(0, 3000, 10) == []
    assert recorded_rows(came.path)[1].n_samples == 3000


def test_a_recording_can_be_read_while_it_grows_and_its_header_never_outgrows_its_room(tmp_path):
    header = RecordedHeader(1000.0, (RecordedChannel("a", 0.001, 10.0), RecordedChannel("b", 0.002, 10.0)))
    writer = RecordingWriter(tmp_path / "w.recording", header, 1)
    rows = np.arange(2000, dtype="<i2").reshape(-1, 2)
    for k in range(3):
        writer.add(rows)
        writer.state([RecordedShot(j * 1000, j * 1000 + 10, float(j)) for j in range(k + 1)])
        study, record_, asked = recorded_rows(tmp_path / "w.recording")
        assert len(study.intervals) == (k + 1 if k else 0)
        assert asked.samples.waveform("b").read(0, 3).tolist() == pytest.approx([0.002, 0.006, 0.010])
    assert any("not ended" in notice.text for notice in record_.told)
    writer.state([RecordedShot(j * 3, j * 3, float(j)) for j in range(1000)])  # far more than there is room for
    writer.close()
    assert recorded_rows(tmp_path / "w.recording")[1].n_samples >= 3000
    with pytest.raises(FileAccessError):
        RecordingWriter(tmp_path / "w.recording", header, 1)


def test_a_recording_that_was_killed_before_its_first_row_is_looked_into_without_a_fault(tmp_path):
    writer = RecordingWriter(tmp_path / "k.recording", RecordedHeader(1000.0, (RecordedChannel("u1", 1e-3, 5.0),)), 1)
    writer.close()
    found = preview(tmp_path / "k.recording")
    assert found.n_rows_about == 0 and any("was not ended" in notice.text for notice in found.told)
    with pytest.raises(FormatError):
        recorded_rows(tmp_path / "k.recording")
