"""What is kept from one run to the next: the same numbers as found anew, never of another channel, and bounded."""

from pathlib import Path

import numpy as np
import pytest

from pantelos.engine import kept
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.results import ResultCache, bytes_of
from pantelos.engine.uncertainty import reading_accuracy
from pantelos.folders import cache_directory
from pantelos.reading.kinds import reading_kind
from pantelos.record.fingerprint import remember_fingerprint
from pantelos.record.record import record_of_arrays
from pantelos.record.recording import RawChannel
from pantelos.signal.sampling.pyramid import build_pyramid
from pantelos.study import operations as op
from pantelos.study.model import ChannelSetup, Formula, Study
from pantelos.units import unit

N, RATE = 1 << 20, 50_000.0
T = np.arange(N) / RATE


@pytest.fixture
def own(tmp_path, monkeypatch):
    monkeypatch.setenv("PANTELOS_CACHE", str(tmp_path / "cache"))


def evaluation(gain=1.0, fingerprint="1" * 64):
    """Return u and i of 50.02 Hz with p = u i, and the accuracy of u stated."""
    raws = []
    for name, x in (("u", gain * 325 * np.sin(2 * np.pi * 50.02 * T)), ("i", 14 * np.sin(2 * np.pi * 50.02 * T - 1))):
        x[1000:1010] = np.nan
        raws.append(RawChannel(name, x, unit("V" if name == "u" else "A"), build_pyramid(lambda a, b, x=x: x[a:b], N)))
    record = record_of_arrays(tuple(raws), RATE, Path("made.npy"), fingerprint)
    study = Study(
        channels=(ChannelSetup("u", "u", "V"), ChannelSetup("i", "i", "A")),
        formulas=(Formula("p", "u * i"), Formula("v", "u * u")),
    )
    return Evaluation(op.scale_channel(study, "u", "accuracy 0.1 %, noise 1 V"), record)


def test_a_second_run_gives_the_same_numbers_from_what_was_kept(own, monkeypatch):
    first = evaluation()
    numbers = [first.value(text).value for text in ("mean(p)", "rms(u)", "mean(u * 1)")]
    assert list((cache_directory() / "results").glob("*.npz"))
    reads = []
    second = evaluation()
    monkeypatch.setattr("pantelos.engine.cycles.find_cycles", lambda *a, **k: reads.append(a) or pytest.fail("found again"))
    assert [second.value(text).value for text in ("mean(p)", "rms(u)")] == numbers[:2]
    assert second.cycles.of("u").frequency_hz == pytest.approx(50.02, rel=1e-6)
    third = kept.totals_of(second.names.identity("p"), 1, N)
    assert third.of_samples(lambda a, b: np.full(b - a, 1e9), 0, 100)[0] == pytest.approx(1e11)  # ends are read, blocks are not


def test_what_is_kept_is_of_one_channel_alone(own):
    assert evaluation().value("rms(u)").value == pytest.approx(325 / np.sqrt(2), rel=1e-5)
    assert evaluation(gain=2.0, fingerprint="2" * 64).value("rms(u)").value == pytest.approx(650 / np.sqrt(2), rel=1e-5)
    doubled = evaluation()
    doubled = doubled.on(op.scale_channel(doubled.study, "u", "divider 2:1"))
    assert doubled.value("rms(u)").value == pytest.approx(650 / np.sqrt(2), rel=1e-5)


def test_accuracy_moves_the_channel_and_not_what_was_kept_of_it(own):
    kind = reading_kind("mean")
    made = evaluation()
    made.value("mean(v)")
    stated = reading_accuracy(made, kind, ["v"])
    gain = next(c for c in stated.budget.contributions if c.input.name == "gain")
    assert abs(gain.amount) == pytest.approx(325**2 * 1e-3 / np.sqrt(3), rel=2e-3)  # twice that of u


def test_a_damaged_or_unwritable_folder_is_no_harm(own):
    made = evaluation()
    expected = made.value("rms(u)").value
    for path in (cache_directory() / "results").glob("*.npz"):
        path.write_bytes(b"damaged")
    assert evaluation().value("rms(u)").value == expected
    assert kept.kept_cycles("nobody", N) is None


def test_nothing_is_kept_of_a_source_that_was_touched(csv_file):
    remember_fingerprint("1" * 64, csv_file)
    assert kept.untouched(((csv_file, "1" * 64),))
    csv_file.write_text(csv_file.read_text() + "1,2\n")
    assert not kept.untouched(((csv_file, "1" * 64),))


def test_results_are_bounded_by_the_bytes_they_hold():
    cache = ResultCache(kept_bytes=100_000)
    for k in range(50):
        cache.get(("row", str(k)), lambda: np.zeros(1000))
    assert cache.held_bytes <= 100_000
    assert not cache.has(("row", "0"))
    assert cache.has(("row", "49"))
    assert len(cache.get(("huge",), lambda: np.zeros(10**6))) == 10**6
    assert not cache.has(("huge",))  # more than there is room for: made, given, not kept
    part = cache.under("moved", "a").under("b")
    part.get(("x",), lambda: 1)
    assert cache.has(("moved", "a", "b", "x"))
    assert part.has(("x",))
    assert bytes_of((np.zeros(10), {"a": np.zeros(5)}, "abc", 1.0)) == 80 + 40 + 3 + 8
