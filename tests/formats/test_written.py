"""Files that are written: read again by our own reader and by an independent library, to the last bit or the stated resolution."""

import csv
import warnings

import comtrade
import h5py
import numpy as np
import openpyxl
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from scipy.io import wavfile

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import FileAccessError, StudyError
from pantelos.formats.registry import FORMATS, format_of
from pantelos.progress import Progress
from pantelos.record.pieces import Grid
from pantelos.signal.filters.decimation import reduced
from pantelos.study import operations as op
from pantelos.study.model import Interval
from pantelos.tables.sample_export import output_of, write_samples, written_suffixes

RATE, N = 12_800.0, 2560
FIRST, END = 640, 1920  # of the interval


@pytest.fixture
def evaluation(evaluation_of, sine):
    u, i = sine(230, 50, rate_hz=RATE), sine(5, 50, -60, rate_hz=RATE)
    i[700:703] = np.nan
    made = evaluation_of(RATE, u=u, i=i)
    study = op.set_formula(made.study, "p = u * i")
    study = op.add_interval(study, Interval("middle", FIRST / RATE, END / RATE), Grid(0.0, RATE, N))
    return Evaluation(study, made.record)


def read_again(path):
    found = format_of(path).preview(path, None, None)
    return format_of(path).read(path, found.dialect, Progress())


PACKED = {".gz": "gzip", ".zst": "zstd"}


def by_openpyxl(path):
    book = openpyxl.load_workbook(path, read_only=True)
    rows = list(book["samples"].iter_rows(values_only=True))
    book.close()
    assert rows[:2] == [("t", "u", "i", "p"), ("s", "V", "A", "W")]
    return np.array([[np.nan if cell is None else cell for cell in row[1:]] for row in rows[2:]], dtype=float).T


def by_library(path):
    """Return the channels u, i, p as an independent library reads them; missing samples as NaN."""
    if path.suffix in PACKED:
        plain = path.with_suffix("")
        with pa.input_stream(str(path), compression=PACKED[path.suffix]) as stream:
            plain.write_bytes(stream.read())
        path = plain
    match path.suffix:
        case ".csv" | ".tsv":
            with path.open() as file:
                rows = list(
                    csv.reader(
                        (line for line in file if not line.startswith("#")), delimiter="\t" if path.suffix == ".tsv" else ","
                    )
                )
            return np.array([[float(cell or "nan") for cell in row[1:]] for row in rows[1:]]).T
        case ".xlsx":
            return by_openpyxl(path)
        case ".parquet":
            return np.array([pq.read_table(path).column(k).to_numpy() for k in (1, 2, 3)])
        case ".arrow":
            with pa.ipc.open_file(path) as file:
                return np.array([file.read_all().column(k).to_numpy() for k in (1, 2, 3)])
        case ".npz" | ".npy":
            return np.array([np.load(path)[name] for name in ("u [V]", "i [A]", "p [W]")])
        case ".h5":
            with h5py.File(path) as file:
                assert (file["p"].attrs["units"], file["p"].attrs["sample_rate"]) == ("W", RATE)
                return np.array([file[name][:] for name in ("u", "i", "p")])
        case ".wav":
            with warnings.catch_warnings():
                warnings.simplefilter("ignore", wavfile.WavFileWarning)
                rate, frames = wavfile.read(path)
            assert rate == RATE
            return frames.T
        case _:
            file = comtrade.Comtrade(use_numpy_arrays=True, use_double_precision=True)
            file.load(str(path), **({} if path.suffix == ".cff" else {"dat_file": str(path.with_suffix(".dat"))}))
            assert (file.analog_channel_ids, file.rev_year, file.total_samples) == (["u", "i", "p"], "2013", END - FIRST)
            assert file.time[-1] == pytest.approx((END - FIRST - 1) / RATE, abs=1e-6)
            return np.array(file.analog)


@pytest.mark.parametrize("suffix", written_suffixes())
def test_what_is_written_is_what_is_read(suffix, evaluation, tmp_path):
    path = tmp_path / f"out{suffix}"
    assert write_samples(evaluation, path, ["u", "i", "p"]) == END - FIRST
    wanted = np.array([evaluation.samples.waveform(name).read(FIRST, END) for name in ("u", "i", "p")])
    recording = read_again(path)
    assert [(raw.name, raw.unit.symbol) for raw in recording.channels] == [("u", "V"), ("i", "A"), ("p", "W")]
    assert recording.rate_hz == pytest.approx(RATE, rel=1e-12)
    exact = suffix not in (".cfg", ".cff")
    if exact:
        assert recording.start_s == pytest.approx(FIRST / RATE, abs=1e-12)
    own = np.array([raw.values(0, END - FIRST, raw.scale, raw.zero) for raw in recording.channels])
    library = by_library(path)
    for k, extent in enumerate(np.nanmax(np.abs(wanted), axis=1)):
        resolution = extent * {".cfg": 2**-31, ".cff": 2**-31, ".xlsx": 1e-15}.get(suffix, 0.0)  # of 16 digits in a workbook
        for found in (own[k], library[k]):
            given = ~np.isnan(wanted[k])
            if found is own[k] or exact:
                assert np.array_equal(np.isnan(found), ~given)
            assert np.max(np.abs(found[given] - wanted[k][given])) <= resolution


def test_files_say_where_their_numbers_come_from(evaluation, tmp_path):
    write_samples(evaluation, tmp_path / "out.csv", ["p"], whole=True)
    text = (tmp_path / "out.csv").read_text()
    for said in (
        "# sample rate: 12800.0 Hz",
        "# first sample at: 0.0 s",
        "# interval: whole record",
        "# formula p: p = u * i",
        "# source fingerprint",
    ):
        assert said in text
    assert dict(read_again(tmp_path / "out.csv").metadata)["source file"] == "made.csv"


def test_a_rate_is_reduced_only_on_request_filtered_and_stated(evaluation_of, sine, tmp_path):
    both = sine(100, 50, rate_hz=RATE, seconds=1) + sine(50, 2000, rate_hz=RATE, seconds=1)
    evaluation = evaluation_of(RATE, u=both)
    assert write_samples(evaluation, tmp_path / "out.h5", whole=True, rate_hz=1600) == 1600
    with h5py.File(tmp_path / "out.h5") as file:
        u = file["u"][:]
        assert "every 8th sample" in file.attrs["reduced rate"]
    kept = sine(100, 50, rate_hz=1600, seconds=1)
    assert np.max(np.abs(u - kept)[100:-100]) < 0.02  # 2 kHz is gone by 80 dB, 50 Hz is what it was
    with pytest.raises(StudyError, match=r"3000 Hz is no whole part of the 12800 Hz of the record. Choose for example 3200 Hz"):
        output_of(evaluation, None, None, True, 3000)


def test_reducing_block_by_block_is_reducing_at_once_and_keeps_gaps():
    x = np.random.default_rng(1).normal(size=5000)
    x[2000] = np.nan
    part = reduced(lambda a, b: x[a:b], 100, 4900, 5)
    whole = part(0, 960)
    assert np.allclose(np.concatenate([part(0, 333), part(333, 960)]), whole, equal_nan=True, atol=1e-12)
    assert 0 < np.isnan(whole).sum() < 120
    steady = reduced(lambda a, b: np.full(b - a, 7.0), 0, 1000, 4)(0, 250)
    assert steady == pytest.approx(7.0, abs=1e-12)


def test_a_file_that_cannot_be_written_leaves_nothing_behind(evaluation, tmp_path, monkeypatch):
    (tmp_path / "out.npy").write_bytes(b"there before")

    def full(*args):
        raise OSError(28, "No space left on device")

    for fmt in (known for known in FORMATS if known.written):
        monkeypatch.setattr("pantelos.formats.output.Output.parts", full)
        with pytest.raises(FileAccessError, match="space"):
            write_samples(evaluation, tmp_path / f"out{fmt.written[-1]}")
    assert [path.name for path in tmp_path.iterdir()] == ["out.npy"]
    assert (tmp_path / "out.npy").read_bytes() == b"there before"
    with pytest.raises(StudyError, match=r"not written as \".docx\"; choose one of .wav"):
        write_samples(evaluation, tmp_path / "out.docx")
