"""WAV, NPY/NPZ, Parquet and Arrow: written by independent libraries, read to the last bit; broken ones refused in a sentence."""

import os
import struct
import zipfile
from io import BytesIO
from pathlib import Path

import h5py
import numpy as np
import pyarrow as pa
import pyarrow.feather
import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy.io import wavfile

from pantelos.errors import FormatError, PantelosError
from pantelos.folders import cache_directory
from pantelos.formats.registry import FORMATS, format_of
from pantelos.progress import Progress
from pantelos.study.importing import import_recording
from pantelos.study.model import Study
from pantelos.study.opening import preview

RATE = 12_800
N = 3000
RNG = np.random.default_rng(4)


def read(path):
    found = format_of(path).preview(path, None, None)
    return format_of(path).read(path, found.dialect, Progress())


def values(record, k):
    raw = record.channels[k]
    return np.asarray(raw.samples, dtype=float) * raw.scale + raw.zero


def wav24(samples):
    """Return a 24-bit extensible WAV file with an odd chunk before the data, as bytes."""
    data = b"".join(struct.pack("<i", int(v))[:3] for v in samples.ravel())
    n = samples.shape[1]
    form = struct.pack("<HHIIHHHHIH", 0xFFFE, n, RATE, RATE * 3 * n, 3 * n, 24, 22, 24, 0, 1) + bytes(14)
    odd = b"note" + struct.pack("<I", 3) + b"abc\0"
    body = b"WAVE" + odd + b"fmt " + struct.pack("<I", len(form)) + form + b"data" + struct.pack("<I", len(data)) + data
    return b"RIFF" + struct.pack("<I", len(body)) + body


@pytest.mark.parametrize("dtype", ["uint8", "int16", "int32", "float32", "float64"])
def test_wav_of_every_kind_is_read_to_the_last_bit(dtype, tmp_path):
    low, high = (0, 256) if dtype == "uint8" else (-100, 100)
    samples = RNG.integers(low, high, (N, 3)).astype(dtype)
    path = tmp_path / "a.wav"
    wavfile.write(path, RATE, samples)
    record = read(path)
    assert (record.rate_hz, record.n_samples, len(record.channels)) == (RATE, N, 3)
    assert record.channels[1].samples.dtype == dtype
    assert np.array_equal(record.channels[1].samples, samples[:, 1])
    full = {"uint8": 128, "int16": 2**15, "int32": 2**31}.get(dtype, 1)
    zero = 128 if dtype == "uint8" else 0
    assert values(record, 2) == pytest.approx((samples[:, 2].astype(float) - zero) / full, abs=1e-15)


def test_wav_of_24_bits_extensible_with_odd_chunks(tmp_path):
    samples = RNG.integers(-(2**23), 2**23, (N, 2))
    (tmp_path / "a.wav").write_bytes(wav24(samples))
    record = read(tmp_path / "a.wav")
    assert np.array_equal(record.channels[0].samples, samples[:, 0])
    assert values(record, 1) == pytest.approx(samples[:, 1] / 2**23, abs=1e-15)


def test_a_wav_that_was_cut_off_is_read_as_far_as_it_goes_and_says_so(tmp_path):
    samples = RNG.integers(-100, 100, (N, 2)).astype("int16")
    path = tmp_path / "cut.wav"
    wavfile.write(path, RATE, samples)
    path.write_bytes(path.read_bytes()[:-4001])
    assert any(f"promises {N} samples, the file holds 1999" in said.text for said in preview(path).told)
    record = read(path)
    assert record.n_samples == 1999
    assert ("samples promised", "3000") in record.metadata


def test_rf64_takes_its_length_from_its_own_chunk_and_a_lie_is_cut_to_the_file(tmp_path):
    data = RNG.integers(-100, 100, 50).astype("<i2").tobytes()
    form = struct.pack("<HHIIHH", 1, 1, RATE, RATE * 2, 2, 16)
    for promised in (len(data), 10**12):
        sizes = struct.pack("<QQQI", 0, promised, 0, 0)
        body = b"WAVE" + b"ds64" + struct.pack("<I", 28) + sizes + b"fmt " + struct.pack("<I", 16) + form
        (tmp_path / "a.wav").write_bytes(b"RF64" + b"\xff" * 4 + body + b"data" + b"\xff" * 4 + data)
        assert read(tmp_path / "a.wav").n_samples == 50


def test_npz_gives_channels_times_and_units_by_name(tmp_path):
    u, i = RNG.normal(size=N), RNG.integers(-9, 9, N).astype("int16")
    np.savez(tmp_path / "a.npz", **{"time [ms]": np.arange(N) / RATE * 1000, "u1 [V]": u, "i1 [mA]": i, "note": np.array("x")})
    record = read(tmp_path / "a.npz")
    assert record.rate_hz == pytest.approx(RATE, rel=1e-12)
    assert [(c.name, c.unit.symbol, c.samples.dtype.name) for c in record.channels] == [
        ("u1", "V", "float64"),
        ("i1", "mA", "int16"),
    ]
    assert np.array_equal(record.channels[0].samples, u)
    np.savez(tmp_path / "b.npz", u=u, sample_rate=np.float64(RATE))
    assert read(tmp_path / "b.npz").rate_hz == RATE


def test_npy_of_one_array_a_table_or_fields_needs_a_rate(tmp_path):
    table = RNG.normal(size=(2, N)).astype("float32")
    fields = np.zeros(N, dtype=[("u1 [V]", ">i2"), ("i1 [A]", "<f8")])
    fields["u1 [V]"] = np.arange(N)
    for name, array, n_channels in (("one", table[0], 1), ("table", table, 2), ("fields", fields, 2)):
        path = tmp_path / f"{name}.npy"
        np.save(path, array)
        assert "Give the sample rate" in preview(path).problems[0]
        with pytest.raises(PantelosError, match="neither a time column nor a sample rate"):
            import_recording(Study(), path, preview(path).dialect)
        dialect = preview(path).dialect.__class__(columns=preview(path).dialect.columns, rate_hz=100.0)
        study, recordings = import_recording(Study(), path, dialect)
        record = recordings.of(study.record.files[0])[0]
        assert (record.rate_hz, len(record.channels)) == (100.0, n_channels)
    assert np.array_equal(record.channels[0].samples, np.arange(N))
    assert [c.name for c in study.channels] == ["u1", "i1"]


@pytest.mark.parametrize("kind", ["parquet", "arrow", "feather"])
def test_tables_are_read_with_stamps_missing_cells_and_several_batches(kind, tmp_path):
    u = RNG.normal(size=N)
    i = [None if k == 5 else float(k) for k in range(N)]
    stamps = pa.array(np.arange(N) * 100_000 + 1_700_000_000_000_000_000, pa.timestamp("ns"))
    table = pa.table({"when": stamps, "u1 [V]": u, "i1 [A]": i, "label": ["x"] * N, "u2 [V]": u.astype("float32")})
    path = tmp_path / f"a.{kind}"
    if kind == "parquet":
        pq.write_table(table, path, row_group_size=1000)
    elif kind == "feather":
        pyarrow.feather.write_feather(table, path, compression="uncompressed", chunksize=700)
    else:
        with pa.OSFile(str(path), "wb") as sink, pa.ipc.new_file(sink, table.schema) as out:
            out.write_table(table, max_chunksize=900)
    record = read(path)
    assert record.rate_hz == pytest.approx(10_000, rel=1e-6)
    assert np.array_equal(record.channels[0].samples, u)
    assert np.isnan(record.channels[1].samples[5])
    assert np.nansum(record.channels[1].samples) == sum(x for x in i if x is not None)
    assert [(c.name, c.samples.dtype.name) for c in record.channels] == [("u1", "float64"), ("i1", "float64"), ("u2", "float32")]


def test_hdf5_with_attributes_packed_tables_and_compound_types(tmp_path):
    u, i = RNG.integers(-9000, 9000, N).astype(">i2"), RNG.normal(size=(N, 2)).astype("float32")
    fields = np.zeros(N, dtype=[("torque", "<f4"), ("on", "u1")])
    fields["torque"] = np.arange(N)
    with h5py.File(tmp_path / "a.h5", "w") as file:
        group = file.create_group("recorder/card 1")
        group.attrs["sample_rate"] = np.array([RATE], dtype="int32")
        made = group.create_dataset("u1", data=u)
        made.attrs.update({"units": np.bytes_("mV"), "scale_factor": 0.5, "offset": 1.0})
        group.create_dataset("i", data=i, chunks=(256, 2), compression="gzip", shuffle=True).attrs["unit"] = "A"
        group.create_dataset("shaft", data=fields)
        group.create_dataset("events", data=np.arange(7))
        group.create_dataset("note", data="made up")
    found = preview(tmp_path / "a.h5")
    assert any("left out: events" in said.text for said in found.told)
    record = read(tmp_path / "a.h5")
    assert (record.rate_hz, record.n_samples) == (RATE, N)
    by_name = {raw.name: raw for raw in record.channels}
    assert list(by_name) == ["i1", "i2", "torque", "on", "u1"]  # by name, as the file keeps them
    assert [raw.unit.symbol for raw in record.channels] == ["A", "A", "1", "1", "mV"]
    assert by_name["u1"].values(0, N, 0.5, 1.0) == pytest.approx(u * 0.5 + 1.0, abs=1e-12)
    assert (by_name["u1"].scale, by_name["u1"].zero, by_name["u1"].samples.dtype.str) == (0.5, 1.0, ">i2")
    assert np.array_equal(by_name["i2"].samples, i[:, 1])
    assert np.array_equal(by_name["torque"].samples, fields["torque"])


def test_hdf5_with_a_time_dataset_and_channels_below_each_other(tmp_path):
    with h5py.File(tmp_path / "a.h5", "w") as file:
        file.create_dataset("time", data=np.arange(N) / RATE - 0.01).attrs["units"] = "s"
        file.create_dataset("u", data=np.arange(2.0 * N).reshape(2, N))
    record = read(tmp_path / "a.h5")
    assert (record.rate_hz, record.start_s) == (RATE, -0.01)
    assert np.asarray(record.channels[1].samples)[[0, -1]].tolist() == [N, 2 * N - 1]


@pytest.mark.parametrize("extensible", [False, True])
@pytest.mark.parametrize("bits", [5, 12, 20, 24])
def test_wav_samples_of_any_bits_fill_the_upper_ones_of_their_bytes(bits, extensible, tmp_path):
    size, steps = -(-bits // 8), np.arange(-15, 16)
    if size == 1:  # up to eight bits: from zero on
        samples = ((steps + (1 << (bits - 1))) << (8 - bits)).astype("u1").tobytes()
    else:
        samples = b"".join(int(v << (8 * size - bits)).to_bytes(size, "little", signed=True) for v in steps)
    form = struct.pack("<HHIIHH", 0xFFFE if extensible else 1, 1, 1000, 1000 * size, size, 8 * size if extensible else bits)
    form += struct.pack("<HHI", 22, bits, 4) + struct.pack("<H", 1) + bytes(14) if extensible else b""
    chunks = b"fmt " + struct.pack("<I", len(form)) + form + b"data" + struct.pack("<I", len(samples)) + samples
    (tmp_path / "a.wav").write_bytes(b"RIFF" + struct.pack("<I", len(chunks) + 4) + b"WAVE" + chunks)
    assert values(read(tmp_path / "a.wav"), 0) == pytest.approx(steps / 2 ** (bits - 1))
    assert any(f"with {bits} bits" in reason for reason in preview(tmp_path / "a.wav").reasons)


MAPPED = {"wav": "int16", "npy": "int16", "npz": "int16", "h5": "int16"}


@pytest.mark.usefixtures("own_cache")
@pytest.mark.parametrize("kind", MAPPED)
def test_numbers_that_stand_plainly_in_a_file_stay_there(kind, tmp_path):
    path = tmp_path / f"a.{kind}"
    path.write_bytes(valid(kind))
    found = preview(path)
    dialect = found.dialect if found.dialect.rate_hz else type(found.dialect)(columns=found.dialect.columns, rate_hz=1000.0)
    record = format_of(path).read(path, dialect, Progress())
    raw = next(raw for raw in record.channels if raw.samples.dtype == MAPPED[kind])
    assert raw.samples[:40].tolist() == ((np.arange(400) % 37)[:: 2 if kind == "wav" else 1][:40]).tolist()
    folder = next((Path(f) for f in sorted((own_records()).iterdir(), key=lambda f: f.stat().st_mtime)[-1:]), None)
    assert not (folder / "0.raw").exists() or kind == "h5"
    with pytest.raises(ValueError, match="read-only"):
        raw.samples[:1][0] = 1
    # another file under that name changes nothing of what is open; one that is cut is an error, not the end of the process
    before, content = np.array(raw.samples), path.read_bytes()
    path.with_suffix(".new").write_bytes(b"something else")
    path.with_suffix(".new").replace(path)
    assert np.array_equal(raw.samples, before)
    path.write_bytes(content)
    again = format_of(path).read(path, dialect, Progress()).channels[record.channels.index(raw)]
    os.truncate(path, 100)
    if again.samples.__class__ is raw.samples.__class__ and kind != "h5":
        with pytest.raises(PantelosError, match="become shorter while it was open"):
            np.asarray(again.samples)


def own_records():
    return cache_directory() / "records"


HUGE = 10**12


def claims(kind):
    """Return a file whose header promises 10^12 samples and that ends soon after."""
    out = BytesIO()
    match kind:
        case "wav":
            form = struct.pack("<HHIIHH", 1, 1, RATE, RATE * 2, 2, 16)
            head = b"ds64" + struct.pack("<IQQQI", 28, 0, 2 * HUGE, 0, 0) + b"fmt " + struct.pack("<I", 16) + form
            out.write(b"RF64" + b"\xff" * 4 + b"WAVE" + head + b"data" + b"\xff" * 4 + bytes(100))
        case "npy":
            np.lib.format.write_array_header_1_0(out, {"descr": "<f8", "fortran_order": False, "shape": (HUGE,)})
            out.write(bytes(800))
        case "npz":
            with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive, archive.open("u.npy", "w") as member:
                np.lib.format.write_array_header_1_0(member, {"descr": "<f8", "fortran_order": False, "shape": (HUGE,)})
                member.write(bytes(800))
        case "h5":
            with h5py.File(out, "w") as file:
                file.attrs["sample_rate"] = 1000.0
                file.create_dataset("u", shape=(HUGE,), dtype="f8", chunks=(1 << 20,))
    return out.getvalue()


@pytest.mark.parametrize("kind", ["wav", "npy", "npz", "h5"])
def test_headers_that_promise_too_much_are_cut_or_refused_at_once(kind, tmp_path):
    path = tmp_path / f"a.{kind}"
    path.write_bytes(claims(kind))
    if kind == "wav":
        assert read(path).n_samples == 50
    else:
        with pytest.raises(PantelosError, match=r"^a\.\w+: |no space left on device"):
            found = preview(path)
            format_of(path).read(path, type(found.dialect)(columns=found.dialect.columns, rate_hz=1.0), Progress())


def valid(kind):
    out, samples = BytesIO(), (np.arange(400) % 37).astype("int16")
    match kind:
        case "wav":
            wavfile.write(out, 1000, samples.reshape(-1, 2))
        case "npz":
            np.savez(out, u=samples, i=samples * 2, rate=np.float64(1000))
        case "npy":
            np.save(out, samples)
        case "parquet":
            pq.write_table(pa.table({"t": np.arange(400) / 1000, "u": samples}), out)
        case "h5":
            with h5py.File(out, "w") as file:
                file.attrs["sample_rate"] = 1000.0
                file.create_dataset("u", data=samples)
                file.create_dataset("i", data=samples, chunks=(100,), compression="gzip")
    return out.getvalue()


@pytest.mark.parametrize("kind", ["wav", "npz", "npy", "parquet", "h5"])
@given(choice=st.data())
@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_mutated_files_of_every_kind_are_read_or_refused_in_one_sentence(kind, choice, tmp_path, monkeypatch):
    monkeypatch.setattr("pantelos.formats.hdf5.contents.check_readable", lambda path: None)  # a process for each takes its time
    content = bytearray(valid(kind))
    for _ in range(choice.draw(st.integers(1, 4))):
        at = choice.draw(st.integers(0, len(content) - 1))
        content[at : at + choice.draw(st.integers(0, 4))] = choice.draw(st.binary(max_size=4))
    path = tmp_path / f"mutated.{kind}"
    path.write_bytes(bytes(content[: choice.draw(st.integers(1, len(content)))]))
    try:
        record = read(path)
    except PantelosError as error:
        assert "\n" not in str(error)
        assert len(str(error)) < 400
    else:
        assert record.n_samples >= 1


@pytest.mark.parametrize("fmt", FORMATS, ids=lambda fmt: fmt.id)
def test_every_format_refuses_empty_foreign_and_missing_files_in_a_sentence(fmt, tmp_path):
    for content in (b"", b"\0\1\2\3" * 50, b"PAR1", b"RIFF\0\0\0\0WAVE", b"\x93NUMPY\1\0"):
        path = tmp_path / f"odd{fmt.suffixes[0]}"
        path.write_bytes(content)
        with pytest.raises(PantelosError, match=r"^odd\.\w+: ") as caught:
            fmt.preview(path, None, None)
        assert "expected" in str(caught.value)
    with pytest.raises(PantelosError, match="no such file"):
        fmt.preview(tmp_path / f"gone{fmt.suffixes[0]}", None, None)


def test_files_are_recognised_by_what_they_hold_not_by_their_name(tmp_path):
    for kind, id_ in (("wav", "wav"), ("npz", "numpy"), ("npy", "numpy"), ("parquet", "columnar"), ("h5", "hdf5")):
        path = tmp_path / f"{kind}.dat"
        path.write_bytes(valid(kind))
        assert format_of(path).id == id_
    (tmp_path / "text.dat").write_text("u [V]\n1\n")
    assert format_of(tmp_path / "text.dat").id == "delimited"


def test_the_page_of_formats_names_every_suffix():
    page = (Path(__file__).parents[2] / "docs" / "formats.md").read_text()
    assert [suffix for fmt in FORMATS for suffix in fmt.suffixes if suffix not in page] == []


@pytest.mark.parametrize(
    ("name", "content", "like"), [("junk.h5", b"junk\n", "text"), ("noise.npz", bytes(range(200, 256)), "something else")]
)
def test_a_file_is_answered_for_what_it_claims_to_be(name, content, like, tmp_path):
    path = tmp_path / name
    path.write_bytes(content)
    with pytest.raises(FormatError, match=f"is called like .*, but begins like {like}"):
        format_of(path)
