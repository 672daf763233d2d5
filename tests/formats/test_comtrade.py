"""COMTRADE: every kind of data in two files and in one, against the numbers that were written; broken ones refused."""

import json
import re
import struct

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from pantelos.checks.as_read import as_read
from pantelos.cli.opened import opened
from pantelos.desktop.presenter.chain import chain_rows
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError
from pantelos.formats.comtrade.timing import by_stamps
from pantelos.formats.registry import format_of
from pantelos.progress import Progress
from pantelos.record.timing import Instants, Segment
from pantelos.study.importing import import_recording
from pantelos.study.model import Study
from pantelos.study.opening import preview

N, RATE = 1200, 4000
A, B = (0.5, 0.01, 2.0), (0.0, -1.0, 10.0)
RNG = np.random.default_rng(8)
NUMBERS = RNG.integers(-2000, 2000, (N, 3))
STATES = RNG.integers(0, 2, (N, 18))


def configuration(kind, year=1999, rate=RATE, n=N, multiplier="1"):
    head = ["bench 4,recorder 7" + (f",{year}" if year > 1991 else ""), "21,3A,18D"]
    sides = ",1,1,P" if year > 1991 else ""
    analogs = [f"{k + 1},{name},{k},,{unit},{A[k]},{B[k]},{12.5 if k else 0},-32767,32767{sides}"
               for k, (name, unit) in enumerate((("uL1", "kV"), ("iL1", "A"), ("iL1", "parsnip")))]  # fmt: skip
    states = [f"{k + 1},trip{k + 1},,,0" for k in range(18)]
    foot = ["50", "1" if rate else "0", f"{rate},{n}", "05/03/2026,10:00:00.000000", "05/03/2026,10:00:00.050000", kind]
    return "\r\n".join(head + analogs + states + foot + ([multiplier] if year > 1991 else [])) + "\r\n"


def data(kind, numbers=NUMBERS):
    rows = []
    for n in range(len(numbers)):
        stamp = round(n * 1e6 / RATE)
        if kind == "ASCII":
            rows.append((",".join(map(str, [n + 1, stamp, *numbers[n], *STATES[n]])) + "\r\n").encode())
            continue
        words = [sum(int(bit) << k for k, bit in enumerate(STATES[n][low : low + 16])) for low in (0, 16)]
        letter = {"BINARY": "h", "BINARY32": "i", "FLOAT32": "f"}[kind]
        rows.append(struct.pack(f"<II3{letter}2H", n + 1, stamp, *numbers[n], *words))
    return b"".join(rows)


def read(path):
    found = format_of(path).preview(path, None, None)
    return format_of(path).read(path, found.dialect, Progress())


def test_values_are_read_as_primary_or_secondary_ones_as_stated_and_as_chosen(tmp_path, invoke):
    text = configuration("BINARY").replace("kV,0.5,0.0,0,-32767,32767,1,1,P", "kV,0.5,0.0,0,-32767,32767,20,0.1,S")
    (tmp_path / "a.cfg").write_text(text, newline="")
    (tmp_path / "a.dat").write_bytes(data("BINARY"))
    study = tmp_path / "s.pantelos"
    made = invoke("new", study, tmp_path / "a.cfg")
    assert "uL1: recorded as secondary values: × 200 gives the primary ones" in made.stdout
    largest = lambda: float(invoke("value", study, "max(uL1)").stdout.split()[0])  # noqa: E731
    primary = largest()
    assert primary == pytest.approx(NUMBERS[:, 0].max() * A[0] * 200)
    assert invoke("edit", study, "--values", "secondary").exception is None
    assert largest() == pytest.approx(primary / 200)
    tables = json.loads(invoke("tables", study, "--table", "readings", "--json").stdout)
    assert any('"uL1" in kV, secondary values' in fact["text"] for fact in tables["provenance"])
    assert invoke("edit", study, "--values", "primary").exception is None
    assert largest() == pytest.approx(primary)
    assert [row.cells[2] for row in chain_rows(opened(study))][:2] == ["kV, primary", "A, primary"]


def test_stamps_decide_where_rates_change_and_where_there_is_none(tmp_path):
    stamps = np.concatenate([np.arange(100) * 250, 99 * 250 + 1000 + np.arange(50) * 1000])  # 4 kHz, then 1 kHz
    text = configuration("BINARY", n=150).replace("1\r\n4000,150", "2\r\n4000,90\r\n1000,150")
    rows = data("BINARY", NUMBERS[:150])
    size = len(rows) // 150
    rows = b"".join(
        rows[k * size : k * size + 4] + struct.pack("<I", stamps[k]) + rows[k * size + 8 : (k + 1) * size] for k in range(150)
    )
    (tmp_path / "a.cfg").write_text(text, newline="")
    (tmp_path / "a.dat").write_bytes(rows)
    record = read(tmp_path / "a.cfg")
    assert [(s.first, s.n_samples, s.rate_hz) for s in record.timing] == [
        (0, 100, 4000),
        (99, 51, 1000),
    ]  # joined: nothing is missing
    study, recordings = import_recording(Study(), tmp_path / "a.cfg", preview(tmp_path / "a.cfg").dialect)
    evaluation = Evaluation(study, recordings.record(study.record))
    assert not [notice for notice in as_read(evaluation) if notice.code == "record.missing" and notice.channel == "uL1"]
    (tmp_path / "a.cfg").write_text(re.sub("1\r\n4000,150", "0\r\n0,150", configuration("BINARY", n=150)), newline="")
    uneven = read(tmp_path / "a.cfg")
    assert isinstance(uneven.timing, Instants)
    assert np.asarray(uneven.timing.times_s) + 0.05 == pytest.approx(stamps * 1e-6)


def test_stamps_that_tell_another_rate_are_not_silent(tmp_path):
    (tmp_path / "a.cfg").write_text(configuration("ASCII", rate=2000), newline="")
    (tmp_path / "a.dat").write_bytes(data("ASCII"))
    assert any("the time stamps tell 4000" in notice.text for notice in read(tmp_path / "a.cfg").told)


def checked(record):
    assert (record.n_samples, record.rate_hz) == (N, RATE)
    assert [c.name for c in record.channels][:4] == ["uL1", "iL1", "iL1_2", "trip1"]
    assert [c.unit.symbol for c in record.channels][:4] == ["kV", "A", "1", "1"]
    for k in range(3):
        raw = record.channels[k]
        assert np.asarray(raw.samples, dtype=float) * raw.scale + raw.zero == pytest.approx(
            NUMBERS[:, k] * A[k] + B[k], rel=1e-6, abs=1e-9
        )
    for k in range(18):
        assert np.array_equal(record.channels[3 + k].samples, STATES[:, k])


@pytest.mark.parametrize("year", [1991, 1999, 2013])
@pytest.mark.parametrize("kind", ["ASCII", "BINARY", "BINARY32", "FLOAT32"])
def test_two_files_of_every_kind_and_edition(kind, year, tmp_path):
    (tmp_path / "a.cfg").write_text(configuration(kind, year))
    (tmp_path / "a.dat").write_bytes(data(kind))
    record = read(tmp_path / "a.cfg")
    checked(record)
    assert (
        record.channels[0].samples.dtype
        == {"ASCII": "float64", "BINARY": "int16", "BINARY32": "int32", "FLOAT32": "float32"}[kind]
    )
    metadata = dict(record.metadata)
    assert (metadata["station"], metadata["iL1 skew"]) == ("bench 4", "12.5 us")
    assert ("uL1 values" in metadata) == (year > 1991)


@pytest.mark.parametrize("kind", ["ASCII", "BINARY", "FLOAT32"])
def test_one_file_with_sections(kind, tmp_path):
    extra = ": 123" if kind != "ASCII" else ""
    content = (
        b"--- file type: CFG ---\r\n"
        + configuration(kind, 2013).encode()
        + b"--- file type: INF ---\r\nx=1\r\n--- file type: HDR ---\r\nhi\r\n"
    )
    (tmp_path / "a.cff").write_bytes(content + f"--- file type: DAT {kind}{extra} ---\r\n".encode() + data(kind))
    checked(read(tmp_path / "a.cff"))


def test_text_data_of_another_length_than_promised_are_read_as_far_as_they_go(tmp_path):
    (tmp_path / "a.cfg").write_text(configuration("ASCII", n=10**12))
    (tmp_path / "a.dat").write_bytes(data("ASCII"))
    assert any(f"promises {10**12} samples, the file holds 12" in said.text for said in preview(tmp_path / "a.cfg").told)
    assert read(tmp_path / "a.cfg").n_samples == N


def test_missing_samples_become_gaps_and_stamps_give_the_rate(tmp_path):
    numbers = NUMBERS.copy()
    numbers[5, 1] = -(2**15)
    (tmp_path / "a.cfg").write_text(configuration("BINARY", rate=0))
    (tmp_path / "a.dat").write_bytes(data("BINARY", numbers))
    record = read(tmp_path / "a.cfg")
    assert record.rate_hz == pytest.approx(RATE, rel=1e-6)
    assert np.flatnonzero(np.isnan(record.channels[1].values(0, N, 1.0, 0.0))).tolist() == [5]
    assert [channel.missing for channel in record.channels[:3]] == [
        None,
        -(2**15),
        None,
    ]  # only the channel with the gap pays for it
    assert record.channels[1].pyramid.extent[0] > -(2**15)


def test_several_rates_skew_secondary_values_and_the_trigger(tmp_path):
    text = configuration("BINARY", 2013).replace("\r\n1\r\n4000,1200", "\r\n2\r\n4000,800\r\n1000,1200")
    text = text.replace("kV,0.5,0.0,0,-32767,32767,1,1,P", "kV,0.5,0.0,0,-32767,32767,20,0.1,S")
    (tmp_path / "a.cfg").write_text(text, newline="")
    (tmp_path / "a.dat").write_bytes(data("BINARY"))
    record = read(tmp_path / "a.cfg")
    assert [(round(s.start_s, 12), s.rate_hz, s.n_samples) for s in record.timing] == [(-0.05, 4000, 800), (0.15, 1000, 400)]
    assert [raw.skew_s for raw in record.channels[:3]] == pytest.approx([0, 12.5e-6, 12.5e-6])
    assert record.channels[0].values(0, 3, record.channels[0].scale, 0.0) == pytest.approx(NUMBERS[:3, 0] * 0.5 * 200)
    assert record.began.ns == 1_772_704_800_050_000_000
    assert any("× 200 gives the primary ones" in said.text for said in preview(tmp_path / "a.cfg").told)


def test_cut_data_are_read_as_far_as_they_go_and_changed_data_are_noticed(tmp_path):
    (tmp_path / "a.cfg").write_text(configuration("BINARY"))
    (tmp_path / "a.dat").write_bytes(data("BINARY")[:-100])
    assert any("promises 1200 samples, the file holds 1194" in said.text for said in preview(tmp_path / "a.cfg").told)
    first = read(tmp_path / "a.cfg")
    (tmp_path / "a.dat").write_bytes(data("BINARY"))
    second = read(tmp_path / "a.cfg")
    assert (first.n_samples, second.n_samples) == (1194, 1200)
    assert first.fingerprint != second.fingerprint


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda c, d: (c.replace("21,3A,18D", "21,3,18D"), d), "a number of channels followed by A"), (lambda c, d: (c, b""), "the data hold 0 bytes"),
        (lambda c, d: (c.replace("BINARY", "BINARY9"), d), "one of ASCII, BINARY"), (lambda c, d: (c[:200], d), "configuration"),
        (lambda c, d: (c.replace("0.5,0.0", "half,0.0"), d), "an analog channel"), (lambda c, d: (c.replace("\r\n1\r\n4000,1200", "\r\n2\r\n4000,600\r\n-1,1200"), d), "a rate of -1 Hz"),
        (lambda c, d: (c, None), "the data file is not beside it"), (lambda c, d: ("", d), "the configuration ends"),
    ],
)  # fmt: skip
def test_what_does_not_fit_is_named(change, said, tmp_path):
    text, content = change(configuration("BINARY"), data("BINARY"))
    (tmp_path / "a.cfg").write_text(text, newline="")
    if content is not None:
        (tmp_path / "a.dat").write_bytes(content)
    with pytest.raises(PantelosError, match=r"^a\.cfg: ") as caught:
        read(tmp_path / "a.cfg")
    assert said in str(caught.value)


@given(choice=st.data())
@settings(max_examples=80, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_mutated_recordings_are_read_or_refused_in_one_sentence(choice, tmp_path):
    kind = choice.draw(st.sampled_from(["ASCII", "BINARY"]))
    content = bytearray(
        b"--- file type: CFG ---\r\n"
        + configuration(kind, 2013).encode()
        + b"--- file type: DAT X ---\r\n"
        + data(kind, NUMBERS[:40])
    )
    for _ in range(choice.draw(st.integers(1, 5))):
        at = choice.draw(st.integers(0, len(content) - 1))
        content[at : at + choice.draw(st.integers(0, 3))] = choice.draw(st.binary(max_size=3))
    (tmp_path / "a.cff").write_bytes(bytes(content))
    try:
        assert read(tmp_path / "a.cff").n_samples >= 1
    except PantelosError as error:
        assert "\n" not in str(error)


@given(
    st.lists(st.tuples(st.sampled_from([200, 960, 1000, 4000, 4800, 6400, 12800]), st.integers(20, 400)), min_size=2, max_size=4),
    st.sampled_from([(1e-6, np.round), (1e-6, np.floor), (1e-5, np.round)]),
    st.sampled_from([0, 1, -1, 2, -10, 15]),
)
def test_every_sample_of_several_rates_has_its_time_however_stamps_are_rounded_and_changes_are_counted(parts, rounding, off):
    parts = [part for k, part in enumerate(parts) if not k or part[0] != parts[k - 1][0]]
    (quantum, rounded), steps = rounding, np.concatenate([np.full(n, 1 / rate) for rate, n in parts])
    truth = np.concatenate([[0.0], np.cumsum(steps)])
    stated, first, start_s = [], 0, -0.05
    for k, (rate, _) in enumerate(parts):
        last = k + 1 == len(parts)
        end = len(truth) if last else sum(n for _, n in parts[: k + 1]) + 1 + (off if not k else 0)
        stated.append(Segment(start_s, float(rate), first, end - first))
        first, start_s = end, start_s + (end - first) / rate
    found = by_stamps(tuple(stated), rounded(truth / quantum) * quantum, 1e-6)
    if found is None:  # then the stated rates count, and it is told
        assert quantum > 1e-6
        return
    for segment in found:
        own = slice(segment.first, segment.first + segment.n_samples)
        times = segment.start_s + 0.05 + np.arange(segment.n_samples) / segment.rate_hz
        assert np.abs(times - truth[own]).max() < 0.01 / segment.rate_hz
    assert sum(segment.n_samples for segment in found) == len(truth) + len(found) - 1
