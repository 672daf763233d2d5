"""What is kept from one run to the next: the same numbers as found anew, never of another channel, and bounded."""

import math
from fractions import Fraction
from pathlib import Path

import msgspec
import numpy as np
import pytest

from pantelos.engine import kept
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.results import ResultCache, bytes_of
from pantelos.engine.uncertainty import reading_accuracy
from pantelos.folders import cache_directory
from pantelos.reading.kinds import reading_kind
from pantelos.record.fingerprint import remember_fingerprint
from pantelos.record.record import Channel, record_of_arrays
from pantelos.record.recording import RawChannel
from pantelos.settings import change_settings
from pantelos.signal.arrays import FloatArray
from pantelos.signal.sampling.pyramid import build_pyramid
from pantelos.study import operations as op
from pantelos.study.model import ChannelSetup, Formula, Interval, Study
from pantelos.tables.building import build_tables
from pantelos.units import unit

N, RATE = 1 << 20, 50_000.0
T = np.arange(N) / RATE


@pytest.fixture
def own(tmp_path, monkeypatch):
    monkeypatch.setenv("PANTELOS_CACHE", str(tmp_path / "cache"))


def evaluation(gain=1.0, fingerprint="1" * 64, in_a_file=True):
    """Return u and i of 50.02 Hz with p = u i, and the accuracy of u stated."""
    raws = []
    for name, x in (("u", gain * 325 * np.sin(2 * np.pi * 50.02 * T)), ("i", 14 * np.sin(2 * np.pi * 50.02 * T - 1))):
        x[1000:1010] = np.nan
        raws.append(RawChannel(name, x, unit("V" if name == "u" else "A"), build_pyramid(lambda a, b, x=x: x[a:b], N)))
    cache_directory().mkdir(exist_ok=True)
    made = cache_directory() / "made.npy"
    if in_a_file:
        made.touch()
        remember_fingerprint(fingerprint, made)
    record = record_of_arrays(tuple(raws), RATE, made if in_a_file else Path("live"), fingerprint)
    study = Study(
        channels=(ChannelSetup("u", "u", "V"), ChannelSetup("i", "i", "A")),
        formulas=(Formula("p", "u * i"), Formula("v", "u * u")),
    )
    return Evaluation(op.scale_channel(study, "u", "accuracy 0.1 %, noise 1 V"), record)


def test_a_second_run_gives_the_same_numbers_from_what_was_kept(own, monkeypatch):
    first = evaluation()
    numbers = [first.value(text).value for text in ("mean(p)", "rms(u)", "mean(u * 1)")]
    assert kept.bytes_kept() > 8 * 1000
    second = evaluation()
    monkeypatch.setattr("pantelos.engine.cycles.cycles_of_runs", lambda *a, **k: pytest.fail("found again"))
    assert [second.value(text).value for text in ("mean(p)", "rms(u)")] == numbers[:2]
    assert second.cycles.of("u").frequency_hz == pytest.approx(50.02, rel=1e-6)
    third = kept.totals_of(second.record, second.names.identity("p"), 1)
    assert third.of_samples(lambda a, b: np.full(b - a, 1e9), 0, 100)[0] == pytest.approx(1e11)  # ends are read, blocks are not


def test_nothing_is_kept_of_what_is_in_no_file(own):
    """What is being recorded has a fingerprint that comes again with the next recording."""
    for gain in (1.0, 2.0):
        live = evaluation(gain, in_a_file=False)
        assert live.value("rms(u)").value == pytest.approx(gain * 325 / np.sqrt(2), rel=1e-5)
    assert kept.bytes_kept() == 0


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
    path = cache_directory() / "results.sqlite"
    kept._store()._open.close()
    for content in (b"damaged" * 1000, path.read_bytes()[:4096]):
        kept._stores.clear()
        for beside in path.parent.glob("results.sqlite-*"):
            beside.unlink()
        path.write_bytes(content)
        for _ in range(2):
            assert evaluation().value("rms(u)").value == expected
    kept._stores.clear()
    for there in path.parent.glob("results.sqlite*"):
        there.unlink()
    path.mkdir()  # where no file can be made
    assert evaluation().value("rms(u)").value == expected and kept.bytes_kept() == 0


def test_nothing_is_kept_of_a_source_that_was_touched(csv_file):
    remember_fingerprint("1" * 64, csv_file)
    assert kept.untouched(((csv_file, "1" * 64),))
    csv_file.write_text(csv_file.read_text() + "1,2\n")
    assert not kept.untouched(((csv_file, "1" * 64),))


def test_a_change_reads_only_what_depends_on_it(own, monkeypatch):
    read, base = Channel.read, evaluation()
    study = op.add_interval(op.remove_formula(base.study, "p"), Interval("a", 2.0, 8.0), base.record.grid)
    seen = []
    monkeypatch.setattr(Channel, "read", lambda self, a, b: seen.append((self.name, a, b)) or read(self, a, b))

    def reads(study):
        seen.clear()
        build_tables(base.on(study), ["readings", "accuracy"])
        return [one for one in seen if one[2] > one[1]]

    everything = reads(study)
    assert {name for name, _, _ in everything} == {"u", "i"} and reads(study) == []
    assert reads(op.rename_interval(study, "a", "b")) == []
    more = reads(op.add_interval(study, Interval("c", 12.0, 13.0), base.record.grid))
    assert more and all(11 * RATE < a and b < 14 * RATE for _, a, b in more)  # its own samples, and a few beside
    turned = reads(op.scale_channel(study, "i", "reversed"))
    assert {name for name, _, _ in turned} == {"i"}  # neither u nor v = u * u


class _Deep(msgspec.Struct):
    x: FloatArray
    of: dict[tuple[str, str], tuple[float, Fraction]]


def _deep() -> _Deep: ...


def test_what_would_not_read_back_as_it_was_is_not_kept():
    made = _Deep(np.array([[1.0, np.nan], [3.0, 4.0]]), {("a", "b"): (math.nan, Fraction(1, 3))})
    form = kept.Form(_deep)
    back = form.read(form.written(made))
    assert isinstance(back, _Deep) and np.array_equal(back.x, made.x, equal_nan=True) and back.of["a", "b"][1] == Fraction(1, 3)
    assert back.x.flags.writeable
    for other in (np.zeros(3), {"x": 1}, _Deep(lambda: 0, {})):
        form = kept.Form(_deep)
        assert form.written(other) is None and not form.usable


def test_what_is_kept_stays_within_its_budget_and_what_was_used_last_stays(own, monkeypatch):
    monkeypatch.setenv("PANTELOS_SETTINGS", str(cache_directory() / "settings"))
    change_settings(kept_mb=1)
    store = kept._store()
    for k in range(30):
        store.keep(bytes([k]) * 16, bytes(100_000))
        assert store.load(bytes(16)) is not None or k > 9
    assert kept.bytes_kept() <= 1 << 20 and store.load(bytes([29]) * 16) is not None and store.load(bytes(16)) is None
    store.keep(bytes([99]) * 16, bytes(2 << 20))  # more than there is room for
    assert store.load(bytes([99]) * 16) is None and kept.bytes_kept() > 0
    kept.forget_kept()
    assert kept.bytes_kept() == 0


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
