"""Delimited text: what is understood, what is read, and what every kind of broken file is told."""

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from pantelos.errors import Cancelled, PantelosError
from pantelos.formats.delimited import read_delimited
from pantelos.formats.detection import preview_delimited
from pantelos.formats.dialect import Role
from pantelos.progress import Progress
from pantelos.record.cache import cache_directory


def read(path):
    return read_delimited(path, preview_delimited(path).dialect, Progress())


@pytest.fixture
def write(tmp_path):
    def make(text, name="run.csv", encoding="utf-8"):
        path = tmp_path / name
        path.write_bytes(text if isinstance(text, bytes) else text.encode(encoding))
        return path

    return make


LAYOUTS = {
    "comma, time in s": ("t,u1 [V],I1 (mA)\n0,1.5,10\n0.001,-2.5,20\n0.002,3,\n", 1000),
    "semicolon, decimal comma, ms": ("Zeit [ms];u1 [V];I1 [mA]\n0;1,5;10\n1;-2,5;20\n2;3;nan\n", 1000),
    "tab, units row, µs": ("time\tu1\tI1\nµs\tV\tmA\n0\t1.5\t10\n1000\t-2.5\t20\n2000\t3\t\n", 1000),
    "preamble with a rate": ("device: x\nsample rate: 1 kHz\n\nu1 [V]|I1 / mA\n1.5|10\n-2.5|20\n3|-\n", 1000),
    "preamble with an interval, # marks, no header": ("# sample interval = 1 ms\n1.5,10\n-2.5,20\n3,\n", 1000),
    "sample index and latin-1": ("# dt [\xb5s]: 1000\nn;u1 [V];I1 [mA]\n0;1.5;10\n1;-2.5;20\n2;3;\n", 1000),
}


@pytest.mark.parametrize("layout", LAYOUTS)
def test_layouts_are_understood_and_read(layout, write):
    text, rate = LAYOUTS[layout]
    encoding = "latin-1" if "latin-1" in layout else "utf-8"
    record = read(write(text, encoding=encoding))
    assert record.rate_hz == pytest.approx(rate, rel=1e-12)
    u, i = record.channels
    assert u.samples.tolist() == [1.5, -2.5, 3]
    assert i.samples[:2].tolist() == [10, 20]
    assert np.isnan(i.samples[2])
    if "no header" not in layout:
        assert [(c.name, c.unit.symbol) for c in record.channels] == [("u1", "V"), ("I1", "mA")]


def test_metadata_reasons_and_source_are_kept(csv_file):
    found = preview_delimited(csv_file)
    assert ("recorder", "bench 4") in found.metadata
    assert any("10000 samples per second" in reason for reason in found.reasons)
    record = read(csv_file)
    assert (record.n_samples, len(record.fingerprint)) == (10_000, 64)
    assert read(csv_file).channels[0].samples.filename == record.channels[0].samples.filename  # mapped, not read again


def test_times_printed_with_few_decimals_give_the_true_rate(write):
    rows = "\n".join(f"{n / 12_800:.6f},{n}" for n in range(5000))
    assert read(write("t,u [V]\n" + rows)).rate_hz == 12_800


BROKEN = {
    "empty": ("", "the file is empty"),
    "header only": ("t,u1 [V]\n", "no rows of numbers"),
    "binary": (bytes(range(256)) * 20, "not a text file"),
    "ragged": ("t,u [V]\n0,1\n1,2\n2,3,4\n3,4\n", "line 4 has 3 columns; expected 2"),
    "text among numbers": ("t,u [V]\n0,1\n1,2\n2,oops\n3,4\n", 'line 4 holds "oops" in column "u"'),
    "unknown unit": ("t,u [parsnip]\n0,1\n1,2\n", '"parsnip", which is not a known unit'),
    "same name twice": ("t,u [V],u [V]\n0,1,2\n1,2,3\n", 'the name "u" stands over columns 2 and 3'),
    "time backwards": ("t,u [V]\n0,1\n1,2\n0.5,3\n1.5,4\n", "the time in line 4 does not rise"),
    "gap in time": ("t,u [V]\n0,1\n1,2\n2,3\n3,4\n9,5\n", "leaves an even grid"),
    "no rate": ("u [V],i [A]\n1,2\n2,1\n1,3\n", "neither a time column nor a sample rate"),
}


@pytest.mark.parametrize("kind", BROKEN)
def test_broken_files_are_told_what_where_and_what_to_do(kind, write):
    content, said = BROKEN[kind]
    with pytest.raises(PantelosError, match=r"^run\.csv: ") as caught:
        read(write(content))
    text = str(caught.value)
    assert said in text
    assert "\n" not in text
    assert text.rstrip().endswith(".")
    folder = cache_directory() / "records"
    assert not list(folder.glob("making-*")) if folder.exists() else True


def test_a_missing_file_is_an_answer_too(tmp_path):
    with pytest.raises(PantelosError, match=r"gone\.csv cannot be read: no such file or directory\. Check the name"):
        preview_delimited(tmp_path / "gone.csv")


def test_giving_up_an_import_leaves_nothing_behind(csv_file):
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        read_delimited(csv_file, preview_delimited(csv_file).dialect, progress)
    assert not list((cache_directory() / "records").glob("making-*"))


def test_pieces_and_rows_across_them_come_out_whole(csv_file, monkeypatch):
    monkeypatch.setattr("pantelos.formats.delimited._PIECE", 7001)
    record = read(csv_file)
    lines = csv_file.read_text().splitlines()[4:]
    assert record.channels[0].samples.tolist() == [float(line.split(",")[0]) for line in lines]


@given(choice=st.data())
@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_mutated_files_are_read_or_refused_in_one_sentence(write, choice):
    content = bytearray(b"# rate: 10 kHz\nt [ms],u [V],i [mA]\n" + b"".join(b"%d,%d.5,-%d\n" % (n, n, n) for n in range(40)))
    for _ in range(choice.draw(st.integers(1, 6))):
        at = choice.draw(st.integers(0, len(content) - 1))
        content[at : at + choice.draw(st.integers(0, 3))] = choice.draw(st.binary(max_size=3))
    try:
        record = read(write(bytes(content), "mutated.csv"))
    except PantelosError as error:
        assert "\n" not in str(error)
    else:
        assert record.n_samples >= 1
        assert record.rate_hz > 0


def test_only_one_column_is_the_time(write):
    found = preview_delimited(write("0.000,1\n0.001,2\n0.002,3\n")).dialect
    assert [c.role for c in found.columns] == [Role.TIME, Role.CHANNEL]
