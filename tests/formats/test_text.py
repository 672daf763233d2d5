"""Delimited text: what is understood, what is read, and what every kind of broken file is told."""

import gzip
import re

import msgspec
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from pantelos.errors import Cancelled, PantelosError
from pantelos.folders import cache_directory
from pantelos.formats.dialect import Column, ColumnRole
from pantelos.formats.memory import agreed_before, as_before
from pantelos.formats.text import roles
from pantelos.formats.text.preview import preview_text
from pantelos.formats.text.reader import read_text
from pantelos.progress import Progress
from pantelos.record.timing import Instants
from pantelos.study.importing import import_recording
from pantelos.study.model import Study
from pantelos.study.opening import preview as look


def read(path):
    return read_text(path, preview_text(path).dialect, Progress())


@pytest.fixture
def write(tmp_path):
    def make(text, name="run.csv", encoding="utf-8"):
        path = tmp_path / name
        path.write_bytes(text if isinstance(text, bytes) else text.encode(encoding))
        return path

    return make


# What every layout holds: u1 1.5, -2.5, 3 V; I1 10, 20 mA and one missing; name of the layout: text, rate, encoding.
LAYOUTS = {
    "comma, time in s": ("t,u1 [V],I1 (mA)\n0,1.5,10\n0.001,-2.5,20\n0.002,3,\n", 1000),
    "semicolon, decimal comma, ms": ("Zeit [ms];u1 [V];I1 [mA]\n0;1,5;10\n1;-2,5;20\n2;3;nan\n", 1000),
    "tab, units row, µs": ("time\tu1\tI1\nµs\tV\tmA\n0\t1.5\t10\n1000\t-2.5\t20\n2000\t3\t\n", 1000),
    "ns, units in brackets in a row": ("time,u1,I1\n(ns),(V),(mA)\n0,1.5,10\n1000000,-2.5,20\n2000000,3,\n", 1000),
    "preamble with a rate": ("device: x\nsample rate: 1 kHz\n\nu1 [V]|I1 / mA\n1.5|10\n-2.5|20\n3|-\n", 1000),
    "preamble with an interval, # marks, no header": ("# sample interval = 1 ms\n1.5,10\n-2.5,20\n3,\n", 1000),
    "sample index and latin-1": ("# dt [\xb5s]: 1000\nn;u1 [V];I1 [mA]\n0;1.5;10\n1;-2.5;20\n2;3;\n", 1000),
    "total time and count": ("record length,3\ntotal time,3 ms\nu1 [V],I1 [mA]\n1.5,10\n-2.5,20\n3,OL\n", 1000),
    "aligned columns": ("  time [s]   u1 [V]   I1 [mA]\n   0.000      1.5       10\n   0.001     -2.5       20\n   0.002      3         ---\n", 1000),
    "blanks, decimal comma": ("t [s] u1 [V] I1 [mA]\n0,000 1,5 10\n0,001 -2,5 20\n0,002 3 nan\n", 1000),
    "utf-16 with a mark": ("\ufefft [ms]\tu1 [V]\tI1 [mA]\r\n0\t1.5\t10\r\n1\t-2.5\t20\r\n2\t3\t\r\n", 1000),
    "utf-8 with a mark, CRLF, trailing separators": ("\ufefft,u1 [V],I1 [mA],\r\n0,1.5,10,\r\n0.001,-2.5,20,\r\n0.002,3,,\r\n", 1000),
    "date and time": ("when,u1 [V],I1 [mA]\n2026-03-05T10:00:00.000,1.5,10\n2026-03-05T10:00:00.001,-2.5,20\n2026-03-05T10:00:00.002,3,\n", 1000),
    "elapsed time": ("t;u1 [V];I1 [mA]\n0:00:59,999;1,5;10\n0:01:00,000;-2,5;20\n0:01:00,001;3;\n", 1000),
    "spreadsheet days": ("date,u1 [V],I1 [mA]\n45000.5,1.5,10\n45000.500011574074,-2.5,20\n45000.500023148148,3,\n", 1),
    "prefixes behind numbers": ("t,u1 [V],I1 [A]\n0,1500m,10m\n1m,-2.5,20m\n2m,3,\n", 1000),
    "units behind numbers": ("t,u1,I1\n0 s,1.5 V,10 mA\n1 ms,-2500 mV,20 mA\n2 ms,3 V,-\n", 1000),
    "comments, blank lines, a footer": ("t,u1 [V],I1 [mA]\n# begins\n0,1.5,10\n\n0.001,-2.5,20\n# ends\n0.002,3,\n,,\nend of file\n3 rows\n", 1000),
    "thousands": ('t [us];u1 [mV];I1 [uA]\n0;1.500,0;10.000,0\n1.000;-2.500,0;20.000,0\n2.000;3.000,0;\n', 1000),
    "words between numbers": ("t,state,u1 [V],I1 [mA]\n0,on,1.5,10\n0.001,off,-2.5,20\n0.002,on,3,\n", 1000),
}  # fmt: skip
ENCODINGS = {"sample index and latin-1": "latin-1", "utf-16 with a mark": "utf-16-le"}


@pytest.mark.parametrize("layout", LAYOUTS)
def test_layouts_are_understood_and_read(layout, write):
    text, rate = LAYOUTS[layout]
    record = read(write(text, encoding=ENCODINGS.get(layout, "utf-8")))
    assert record.rate_hz == pytest.approx(rate, rel=1e-5 if "days" in layout else 1e-12)
    u, i = (raw.values(0, 3, raw.unit.factor * raw.scale, 0.0) for raw in record.channels)
    assert u == pytest.approx([1.5, -2.5, 3], rel=1e-12)
    assert i[:2] * (1e-3 if "no header" in layout else 1.0) == pytest.approx([0.01, 0.02], rel=1e-12)
    assert np.isnan(i[2])
    if "no header" not in layout:
        assert [c.name for c in record.channels] == ["u1", "I1"]


def test_a_preamble_states_scale_range_unit_start_and_trigger(write):
    text = (
        "Start time: 2026-03-05 10:00:00.25\nSample rate,2000\nTrigger index,1\nRange;10 V;500 mV\nu1 scale: 100\n"
        "ch2 unit = A\nnote: goods lift\nn;u1 [V];I1\n0;1.5;10\n1;2;20\n2;3;30\n3;4;40\n"
    )
    found = preview_text(write(text))
    assert [(c.name, c.unit, c.scale, c.range) for _, c in found.dialect.channels] == [("u1", "V", 100, 10), ("I1", "A", 1, None)]
    record = read(write(text))
    assert (record.rate_hz, record.began.ns, record.start_s) == (
        2000,
        1_772_704_800_250_500_000,
        -1 / 2000,
    )  # zero is the trigger
    raw = record.channels[0]
    assert raw.values(0, 2, raw.scale, raw.zero).tolist() == [150, 200]
    without_index = read(write(re.sub(r"(?m)^(n|\d);", "", text)))
    assert (without_index.start_s, without_index.began) == (-1 / 2000, record.began)


def test_another_number_of_samples_than_stated_is_told(write):
    text = "number of samples: 900\nsample rate: 1 kHz\nu [V]\n" + "1\n2\n" * 20
    assert any("900 samples are spoken of, the file holds about 40" in said.text for said in preview_text(write(text)).told)
    assert read(write(text)).n_samples == 40


@pytest.mark.parametrize("n_columns", [1, 2, 1024])
def test_files_of_one_to_a_thousand_columns_with_names_that_repeat(n_columns, write):
    rows = [",".join(str(k * 10 + r) for k in range(n_columns)) for r in range(4)]
    record = read(write("# rate: 10 Hz\n" + ",".join(["u [V]"] * n_columns) + "\n" + "\n".join(rows) + "\n"))
    assert len(record.channels) == n_columns
    assert record.channels[-1].samples.tolist() == [(n_columns - 1) * 10 + r for r in range(4)]
    assert record.channels[-1].name == ("u" if n_columns == 1 else f"u_{n_columns}")


def test_what_was_corrected_is_offered_for_files_of_the_same_shape_and_never_used_unasked(write):
    text = "sample rate: 1 kHz\na,b [V]\n1,2\n3,4\n5,6\n"
    seen = look(write(text))
    columns = (Column("u1", "mV"), Column("b", "kV", ColumnRole.SKIP))
    import_recording(Study(), write(text), msgspec.structs.replace(seen.dialect, columns=columns, rate_hz=5.0), seen=seen)
    again = look(write(text.replace("1,2", "7,8"), "another.csv"))
    assert again.dialect == seen.dialect
    agreed = agreed_before(again)
    assert agreed.columns == (Column("u1", "mV"), Column("b", "V", ColumnRole.SKIP))  # the unit in the header stays
    assert agreed.rate_hz == 1000
    assert any("agreed on" in reason for reason in as_before(again).reasons)
    assert agreed_before(look(write("sample rate: 1 kHz\na,c\n1,2\n3,4\n", "other.csv"))) is None


TIMES = {
    "a gap becomes a missing stretch": ([0, 1, 2, 3, 8, 9, 10], [(0, 4), (8, 3)]),
    "time that runs backwards begins another segment": ([0, 1, 2, 3, 1, 2, 3], [(0, 4), (1, 3)]),
    "jitter of less than a tenth of a step is even": ([0, 1.04, 2, 2.97, 4.01, 5], [(0, 6)]),
}


@pytest.mark.parametrize("kind", TIMES)
def test_times_that_are_not_even_throughout(kind, write):
    times, expected = TIMES[kind]
    record = read(write("t [s],u [V]\n" + "".join(f"{t:.2f},{k}\n" for k, t in enumerate(times))))
    assert [(s.start_s, s.n_samples) for s in record.timing] == expected
    assert record.rate_hz == pytest.approx(1.0)


def test_uneven_times_are_kept_as_they_are(write):
    times = np.cumsum([0.5, 0.1, 0.7, 0.2, 0.9, 0.3, 0.4, 0.8, 0.2, 0.6])
    record = read(write("t [s],u [V]\n" + "".join(f"{t:.1f},{k}\n" for k, t in enumerate(times))))
    assert isinstance(record.timing, Instants)
    assert record.timing.times_s == pytest.approx(times)


def test_metadata_reasons_and_source_are_kept(csv_file, monkeypatch):
    found = preview_text(csv_file)
    assert ("recorder", "bench 4") in found.metadata
    assert any("10000 samples per second" in reason for reason in found.reasons)
    record = read(csv_file)
    assert (record.n_samples, len(record.fingerprint)) == (10_000, 64)
    monkeypatch.setattr("pantelos.formats.text.reader._Pieces", None)
    assert np.array_equal(read(csv_file).channels[0].samples, record.channels[0].samples)  # from the store, not read again


def test_times_printed_with_few_decimals_give_the_true_rate(write):
    rows = "\n".join(f"{n / 12_800:.6f},{n}" for n in range(5000))
    assert read(write("t,u [V]\n" + rows)).rate_hz == 12_800


BROKEN = {
    "empty": ("", "the file is empty"),
    "header only": ("t,u1 [V]\n", "no rows of numbers"),
    "binary": (bytes(range(256)) * 20, "not a text file"),
    "a picture": (
        b"\x89PNG\r\n\x1a\n" + bytes(200),
        "this is a picture; expected rows of numbers as text. Export the samples as text.",
    ),
    "a PDF document": (b"%PDF-1.7\n1 0 obj\n", "this is a PDF document"),
    "packed and cut off": (gzip.compress(b"t,u\n" + b"0,1\n" * 5000)[:-20], "it cannot be unpacked"),
    "ragged": ("t,u [V]\n0,1\n1,2\n2,3,4\n3,4\n", "line 4 has 3 columns; expected 2"),
    "a decimal comma among points": (
        "t;u [V]\n0;1.5\n1;2.5\n2;3,5\n3;4.5\n",
        'line 4 holds "3,5"; expected a number with a decimal point',
    ),
    "digits in groups later on": (
        "t;u [V]\n" + "".join(f"{k};{k}.5\n" for k in range(20)) + "20;1,234.5\n21;1.5\n",
        'line 22 holds "1,234.5"; expected a number with a decimal point, written like the others',
    ),
    "a unit later on": (
        "t;u [V]\n" + "".join(f"{k};{k}.5\n" for k in range(20)) + "20;3.3 kV\n21;1.5\n",
        'line 22 holds "3.3 kV"',
    ),
    "a day that is none, in words and behind a comment": (
        "when,u [V]\n27-Feb-2026 10:00:00,1\n# a pause\n\n28-Feb-2026 10:00:00,2\n29-Feb-2026 10:00:00,3\n",
        'line 6 holds "29-Feb-2026 10:00:00"; expected a day of the calendar. Mend',
    ),
    "a zone later on": (
        "when,u [V]\n" + "".join(f"12.03.2026 10:00:0{k}{' CET' if k == 5 else ''},{k}\n" for k in range(8)),
        'line 7 holds "12.03.2026 10:00:05 CET"; expected no zone',
    ),
    "a day that is none": (
        "when,u [V]\n" + "".join(f"{d}/02/2026 10:00:00,1\n" for d in (13, 14, 30)),
        'line 4 holds "30/02/2026 10:00:00"; expected a day of the calendar, with the day first',
    ),
    "two orders of dates": (
        "when,u [V]\n" + "".join(f"{d} 10:00:00,1\n" for d in ("25/03/2026", "26/03/2026", "03/27/2026")),
        'line 4 holds "03/27/2026 10:00:00"; expected a day of the calendar, with the day first',
    ),
    "a year no clock holds": (
        "when,u [V]\n" + "".join(f"{y}-03-12 10:00:00,1\n" for y in (2026, 2027, 2300)),
        'line 4 holds "2300-03-12 10:00:00"; expected a year from 1678 to 2261',
    ),
    "unknown unit": ("t,u [parsnip]\n0,1\n1,2\n", '"parsnip", which is not a known unit'),
    "uneven time that stands still": ("t,u [V]\n0,1\n1,2\n1,3\n5,4\n5.5,5\n9,6\n9.1,7\n", "the time in line 4 does not rise"),
    "one row": ("t,u [V]\n0,1\n", "one row gives no sample rate"),
    "words in the middle": ("t,u [V]\n" + "".join(f"{n},{n}\n" for n in range(9)) + "pause\n9,9\n", "line 11 has 1 columns"),
    "no rate": ("u [V],i [A]\n1,2\n2,1\n1,3\n", "neither a time column nor a sample rate"),
}


@pytest.mark.usefixtures("own_cache")
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
        preview_text(tmp_path / "gone.csv")


@pytest.mark.usefixtures("own_cache")
def test_giving_up_an_import_leaves_nothing_behind(csv_file):
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        read_text(csv_file, preview_text(csv_file).dialect, progress)
    assert not list((cache_directory() / "records").glob("making-*"))


def test_pieces_and_rows_across_them_come_out_whole(csv_file, monkeypatch):
    monkeypatch.setattr("pantelos.formats.text.reader._PIECE", 7001)
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
    found = preview_text(write("0.000,1\n0.001,2\n0.002,3\n")).dialect
    assert [c.role for c in found.columns] == [ColumnRole.TIME, ColumnRole.CHANNEL]


def test_columns_whose_names_claim_no_time_are_not_held_against_all_others(tmp_path, monkeypatch):
    """Each against every other is what makes a file of twenty thousand columns take minutes."""
    held, compare = [], roles.is_second_time
    monkeypatch.setattr(roles, "is_second_time", lambda *given: held.append(given) or compare(*given))
    path = tmp_path / "wide.csv"
    path.write_text(
        "t [s]," + ",".join(f"u{k} [V]" for k in range(300)) + "\n" + "".join(f"{r},{','.join(['1'] * 300)}\n" for r in range(5))
    )
    columns = look(path).dialect.columns
    assert [column.name for column in columns if column.role is ColumnRole.TIME] == ["t"] and len(columns) == 301
    assert len(held) <= 1
