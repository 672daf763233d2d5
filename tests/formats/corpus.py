"""Recordings as others write them, all made up: each a way to write it, and what must come out of it.

Everything holds the same signal where nothing else is said: N samples of u = 325 sin and i = 14 sin at 50 Hz.
"""

import bz2
import gzip
import lzma
import zipfile
from dataclasses import dataclass, field
from datetime import datetime, timedelta

import h5py
import numpy as np
import openpyxl
import pyarrow as pa
import pyarrow.parquet as pq

N = 40
K = np.arange(N)
U, I = 325 * np.sin(0.1 * np.pi * K), 14 * np.sin(0.1 * np.pi * K - 1)


@dataclass(frozen=True)
class Case:
    """Names, units (as shown) and rates of all channels, what was said, and when it began."""

    write: object  # bytes, or what writes the file at a path
    names: tuple = ("u", "i")
    units: tuple = ("V", "A")
    rates: tuple = (1000.0,)  # of the time bases, each once
    told: tuple = ()  # parts of what must be said; nothing else may be
    began: str = ""
    suffix: str = ".csv"
    extra: dict = field(default_factory=dict)  # missing, beyond: counts by channel


def rows(sep=",", decimal=".", time=lambda k: f"{k * 1e-3:.3f}", columns=(U, I), end="\n"):
    """Return rows of numbers as text."""

    def line(k):
        cells = ([time(k)] if time else []) + [f"{c[k]:.4f}".replace(".", decimal) for c in columns]
        return sep.join(cells)  # fmt: skip

    return end.join(line(k) for k in range(N)) + end


def german(k):
    return f"{k * 1e-3:.3f}".replace(".", ",")


def with_rate(line):
    """Return a text with a stated rate and decimal commas."""
    return f"{line}\nu [V];i [A]\n" + rows(";", ",", None)


def broken(*changes):
    """Return rows with some replaced, or put in between."""
    lines = rows().splitlines()
    for at, line, between in changes:
        if between:
            lines.insert(at, line)
        else:
            lines[at] = line
    return "t [s],u [V],i [A]\n" + "\n".join(lines) + "\n"


def clock(k):
    return f"10:15:{k * 1e-3:06.3f}"


def zoned(k):  # the clock is put back from +02:00 to +01:00 in between
    s = 3_590 + k  # s behind 02:00:00+02:00
    return f"2026-10-25T02:{s // 60 % 60:02d}:{s % 60:02d}{'+02:00' if s < 3600 else '+01:00'}"


def put_back(k):  # and the same without a zone
    s = 3_590 + k
    return f"2026-10-25 02:{s // 60 % 60:02d}:{s % 60:02d}"


def slow_put_back(minutes):  # the same in logs of a minute and slower
    def stamp(k):
        s = 3_600 * 2 + 60 * minutes * (k - 20)  # s behind 00:00 of the earlier clock; at row 20 the clock shows 02:00 again
        s += 0 if k >= 20 else 3_600
        return f"2026-10-{24 + (s + 86_400) // 86_400} {(s + 86_400) // 3600 % 24:02d}:{s // 60 % 60:02d}:00"

    return stamp


def in_zurich(k):  # by name: 02:59:50 summer time, then 02:00:00 winter time
    s = 3_590 + k
    return f"2026-10-25 02:{s // 60 % 60:02d}:{s % 60:02d} Europe/Zurich"


WORDS = ("****", "#DIV/0!", "ERR", "OPEN", "Over Range", "x", ">500", "Fault 3")
T = "no unit is stated for the time"
TEXTS = {
    "lines that end in returns alone": Case("t [s],u [V],i [A]\r" + rows(end="\r")),
    "minus as a sign of its own": Case("t [s];u [V];i [A]\n" + rows(";").replace("-", "\u2212")),
    "groups of digits in quotes": Case(
        "t [s],u [V],i [A]\n" + "".join(f'{k * 1e-3:.3f},"{1000 * U[k]:,.2f}","{1000 * I[k]:,.2f}"\n' for k in K)),
    "ohm and micro, sign and letter": Case("t [s],R [\u2126],Z [\u03a9],i [\u00b5A],j [\u03bcA]\n" + rows(columns=(U, U, I, I)),
                                           ("R", "Z", "i", "j"), ("Ω", "Ω", "µA", "µA")),
    "units in names": Case("t/ms;P/MW;u in uV;T [1/min];M (Nm)\n" + rows(";", time=str, columns=(U, U, I, I)),
                           ("P", "u", "T", "M"), ("MW", "µV", "min⁻¹", "N·m")),
    "units in words": Case("Time (sec),Voltage (Volts),Current (Amps)\n" + rows(), ("Voltage", "Current")),
    "units behind a mark": Case("time_ms,u_mV,i_mA\n" + rows(time=str), units=("mV", "mA")),
    "date and time apart, German": Case("Datum;Zeit;u [V];i [A]\n" + rows(";", ",", lambda k: f"12.03.2026;{clock(k).replace('.', ',')}"),
                                        began="2026-03-12T10:15:00.000"),
    "date and time apart, ISO": Case("Date;Time;u [V];i [A]\n" + rows(";", ",", lambda k: f"2026-03-12;{clock(k).replace('.', ',')}"),
                                     began="2026-03-12T10:15:00.000"),
    "month first": Case("Date,Time,u [V],i [A]\n" + rows(time=lambda k: f"03/25/2026,{clock(k)} PM"), began="2026-03-25T22:15:00.000"),
    "day or month first": Case("Date,Time,u [V],i [A]\n" + rows(time=lambda k: f"03/04/2026,{clock(k)}"),
                               told=("are read with the day first",), began="2026-04-03T10:15:00.000"),
    "Unix time in s": Case("unix time,u [V],i [A]\n" + rows(time=lambda k: f"{1770000000 + k * 1e-3:.3f}"), began="2026-02-02T02:40:00.000Z"),
    "Unix time in ms by its size": Case("timestamp,u [V],i [A]\n" + rows(time=lambda k: str(1770000000000 + k)), began="2026-02-02T02:40:00.000Z"),
    "Unix time in µs": Case("epoch [us],u [V],i [A]\n" + rows(time=lambda k: str(1770000000000000 + 50 * k)), rates=(20_000.0,), began="2026-02-02T02:40:00.000Z"),
    "Unix time in ns": Case("timestamp_ns,u [V],i [A]\n" + rows(time=lambda k: str(1770000000000000000 + 800 * k)), rates=(1_250_000.0,), began="2026-02-02T02:40:00.000Z"),
    "words for over-range, and missing": Case(
        broken((5, "0.005,O.L,1.0", 0), (6, "0.006,1.#INF,2", 0), (7, "0.007,OVERRANGE,9.9E+37", 0), (8, "0.008,,3", 0), (9, "0.009,-1.#IND,-9.90000000E+37", 0), (10, "0.01,1,9.91E+37", 0)),
        told=(), extra={"beyond": (3, 2), "missing": (2, 1)}),
    "words in place of numbers": Case(
        broken(*((5 + k, f"{(5 + k) * 1e-3:.3f},{word},{word if k == 3 else k}", 0) for k, word in enumerate(WORDS))),
        told=('u: 6 cells hold "****", "#DIV/0!", "ERR" in place of a number, first in line 7', 'i: 1 cell holds "OPEN"'),
        extra={"beyond": (2, 0), "missing": (6, 1)}),
    "words from the first row on": Case(
        broken(*((k, f"{k * 1e-3:.3f},{'open' if k < 30 else 1},{k}", 0) for k in range(30))),
        told=('u: 30 cells hold "open" in place of a number, first in line 2',), extra={"beyond": (0, 0), "missing": (30, 0)}),
    "words, and no time": Case("rate: 1 kHz\nu [V],i [A]\n" + "\n".join("ERR,1" if k == 1 else line for k, line in enumerate(rows(time=None).splitlines())),
                               told=('u: 1 cell holds "ERR" in place of a number, first in line 4',), extra={"beyond": (0, 0), "missing": (1, 0)}),
    "three lines of names, and ranges": Case("Channel,CH1,CH2\nTime,u,i\ns,V,A\nRange,500 V,20 A\n" + rows()),
    "ranges without a word": Case("Channel,CH1,CH2\nTime,u,i\ns,V,A\n,500,20\n" + rows(), told=("line 4, above the numbers, left out",)),
    "lines that are headed in a column of their own": Case("Name;Time;u;i\nUnit;s;V;A\nRange;;500;20\n" + "".join(f";{line}\n" for line in rows(";").splitlines())),
    "a slow column, every tenth row": Case("t [s],u [V],T [degC]\n" + "".join(f"{k * 1e-3:.3f},{U[k]:.4f},{20 + k / 10 if k % 10 == 3 else ''}\n" for k in K),
         ("u", "T"), ("V", "°C"), (1000.0, 100.0), ("T: a value in every 10th row",)),
    "a preamble in three cells": Case("Sampling rate;1000;Hz\nu [V];i [A]\n" + rows(";", time=None)),
    "an interval in three cells": Case("Sample interval;1,0;ms\nu [V];i [A]\n" + rows(";", ",", None)),
    "a summary below, without a time": Case("rate: 1 kHz\nu [V],i [A]\n" + rows(time=None) + "Mean,0.1\n", told=("1 line from line 43 on",)),
    "a summary below, under the channels alone": Case("t [s],u [V],i [A]\n" + rows() + ",0.0,0.1\n", told=("1 line from line 42 on",)),
    "a trigger and a count of samples": Case("Sample rate: 1 kHz\nTrigger index: 10\nindex,u [V],i [A]\n" + rows(time=str)),
    "words alone between rows, and no time": Case(
        "rate: 1 kHz\nu [V],i [A]\n" + "\n".join("ERR,ERR" if k == 5 else line for k, line in enumerate(rows(time=None).splitlines())) + "\n",
        told=('u: 1 cell holds "ERR" in place of a number, first in line 8', 'i: 1 cell holds "ERR"'), extra={"beyond": (0, 0), "missing": (1, 1)}),
    "months in words, day first": Case("when,u [V],i [A]\n" + rows(time=lambda k: f"12-Mar-2026 {clock(k)}"), began="2026-03-12T10:15:00.000"),
    "months in words, month first": Case("when;u [V];i [A]\n" + rows(";", time=lambda k: f"Mar 12, 2026 {clock(k)}"), began="2026-03-12T10:15:00.000"),
    "months in German": Case("Datum;u [V];i [A]\n" + rows(";", ",", lambda k: f"12. Mai 2026 {clock(k)}"), began="2026-05-12T10:15:00.000"),
    "a date in words beside the time": Case("Date,Time,u [V],i [A]\n" + rows(time=lambda k: f"12-Mar-2026,{clock(k)}"), began="2026-03-12T10:15:00.000"),
    "ISO 8601, basic": Case("when,u [V],i [A]\n" + rows(time=lambda k: f"20260312T{clock(k).replace(':', '')}Z"), began="2026-03-12T10:15:00.000Z"),
    "thousandths behind a colon": Case("when,u [V],i [A]\n" + rows(time=lambda k: f"2026-03-12 10:15:00:{k:03d}"), began="2026-03-12T10:15:00.000"),
    "a time of day with thousandths behind a colon": Case("time,u [V],i [A]\n" + rows(time=lambda k: f"10:15:00:{k:03d}")),
    "a zone by name, where its clock is put back": Case("when,u [V],i [A]\n" + rows(time=in_zurich), rates=(1.0,), began="2026-10-25T02:59:50.000+02:00"),
    "a zone by its letters": Case("when,u [V],i [A]\n" + rows(time=lambda k: f"2026-07-12 {clock(k)} CEST"), began="2026-07-12T10:15:00.000+02:00"),
    "a log of every minute": Case("when,u [V],i [A]\n" + rows(time=lambda k: f"2026-03-12 10:{k:02d}:00"), rates=(1 / 60,), began="2026-03-12T10:00:00.000"),
    "ten rows to a stamp": Case("when,u [V],i [A]\n" + rows(time=lambda k: f"2026-03-12 10:15:{k // 10:02d}"), rates=(10.0,), told=("several rows share each time stamp",), began="2026-03-12T10:15:00.000"),
    "a log of every 3 s": Case("t [s],u [V],i [A]\n" + rows(time=lambda k: str(3 * k)), rates=(1 / 3,)),
    **{f"a clock that is put back, every {m} min": Case("when,u [V],i [A]\n" + rows(time=slow_put_back(m)), rates=(1 / (60 * m),), told=("set back by an hour 1 time",), began=slow_put_back(m)(0).replace(" ", "T") + ".000") for m in (1, 2, 10, 15, 30)},
    "the header again": Case(broken((20, "t [s],u [V],i [A]", 1)), told=("the header is repeated 1 time, first in line 22",)),
    "a summary below": Case(broken((N, "Min,-325,-14", 1), (N + 1, "Max,325,14", 1)), told=("2 lines from line 42 on",)),
    "a second time": Case("t1 [s],u [V],t2 [s],i [A]\n" + "".join(f"{k * 1e-3:.4f},{U[k]:.4f},{k * 1e-3 + 2e-4:.4f},{I[k]:.4f}\n" for k in K),
                          told=("2 time bases: u by t1; i by t2",)),
    "two times, one beside the other": Case("t [s],when,u [V],i [A]\n" + rows(time=lambda k: f"{k * 1e-3:.3f},2026-03-05T{clock(k)}"), told=("left out: when",)),
    "time without a unit": Case("time,u [V],i [A]\n" + rows(), told=(T,)),
    "a rate in English": Case(with_rate("Sample rate: 1.000 kS/s")),
    "a rate in German": Case(with_rate("Abtastrate: 1000 Hz")),
    "an interval in German": Case(with_rate("Abtastintervall;1,0 ms")),
    "a rate in French": Case(with_rate("Fréquence d'échantillonnage : 1 kHz")),
    "an interval in French": Case(with_rate("Période d'échantillonnage : 1000 µs")),
    "a rate in Spanish": Case(with_rate("Frecuencia de muestreo: 1 kHz")),
    "an interval in Spanish": Case(with_rate("Intervalo de muestreo (s): 0,001")),
    "a rate in Italian": Case(with_rate("Frequenza di campionamento = 1 kHz")),
    "instants with a zone over a change of the clock": Case("when,u [V],i [A]\n" + rows(time=zoned), rates=(1.0,), began="2026-10-25T02:59:50.000+02:00"),
    "a clock that is put back": Case("when,u [V],i [A]\n" + rows(time=put_back), rates=(1.0,), told=("set back by an hour 1 time",), began="2026-10-25T02:59:50.000"),
    "past midnight": Case("t,u [V],i [A]\n" + rows(time=lambda k: f"{23 + (59 * 60 + 50 + k) // 3600 if k < 10 else 0:02d}:{(59 * 60 + 50 + k) // 60 % 60:02d}:{(50 + k) % 60:02d}"), rates=(1.0,)),
}  # fmt: skip


def hdf5(**said):
    """Return what writes u and i with attributes of the file."""

    def write(path):
        with h5py.File(path, "w") as file:
            file["i"], file["u"] = I, U
            file.attrs.update(said)

    return write  # fmt: skip


def groups(path):
    with h5py.File(path, "w") as file:
        for name, values, unit in (("u", U, "V"), ("i", I, "A")):
            made = file.create_dataset(f"channels/{name}/values", data=values)
            made.attrs["unit"], made.attrs["sampling_rate"] = unit, 1000.0


def rates(path):
    with h5py.File(path, "w") as file:
        for name, x, rate in (("fast/u", U, 1000.0), ("fast/i", I, 1000.0), ("slow/T", np.arange(8.0), 200.0)):
            made = file.create_dataset(name, data=x)
            made.attrs.update({"units": {"u": "V", "i": "A", "T": "degC"}[name[-1]], "fs": rate})


def beside(path):
    with h5py.File(path, "w") as file:
        file["data"] = np.stack([U, I], axis=1)
        file["channel_names"] = np.array([b"u", b"i"])
        file["units"] = np.array([b"V", b"A"])
        file["dt"] = 1e-3
        file.attrs["t0"] = "2026-03-05T10:00:00+01:00"
        file.attrs["start_time"] = "2026-03-05T10:00:00+01:00"


def fields(path):
    made = np.zeros(N, dtype=[("u", "<f4"), ("i", "<f8")])
    made["u"], made["i"] = U, I
    with h5py.File(path, "w") as file:
        file["run/record"] = made
        file["run/record"].attrs.update({"units": ["V", "A"], "sample_rate": 1000})


def times_of_groups(path):
    with h5py.File(path, "w") as file:
        file["a/time"], file["a/u"] = K * 1e-3, U
        file["b/time"], file["b/i"] = K[:20] * 2e-3, I[:20]
        file["a/u"].attrs["unit"], file["b/i"].attrs["unit"] = "V", "A"


def npz(**arrays):
    return lambda path: np.savez(path, **arrays)


def table(names=("u", "i"), fields=None, metadata=None, columns=(U, I), arrow=False):
    """Return what writes a table with metadata of its fields and its own."""

    def write(path):
        made = [
            pa.field(name, pa.array(x).type, metadata=(fields or {}).get(name)) for name, x in zip(names, columns, strict=True)
        ]
        content = pa.table([pa.array(x) for x in columns], schema=pa.schema(made, metadata=metadata))
        if not arrow:
            pq.write_table(content, path)
            return
        with pa.ipc.new_file(path, content.schema) as out:
            out.write_table(content)

    return write  # fmt: skip


VOLTS = {"u": {"unit": "V"}, "i": {"units": "A"}}
NS = pa.array(1_772_704_800_000_000_123 + K.astype(np.int64) * 1_000_001, pa.timestamp("ns"))
ZONED = pa.array(1_772_704_800_000_000_000 + K.astype(np.int64) * 1_000_000, pa.timestamp("ns", tz="+01:00"))
BINARY = {
    "HDF5: lists as attributes of the file": Case(hdf5(channel_names=["i", "u"], units=["A", "V"], fs=1000.0), ("i", "u"), ("A", "V"), suffix=".h5"),
    "HDF5: single texts as attributes": Case(hdf5(units="A, V", sample_rate="1 kHz"), ("i", "u"), ("A", "V"), suffix=".h5"),
    "HDF5: channels named by their groups": Case(groups, ("i", "u"), ("A", "V"), suffix=".h5"),
    "HDF5: several rates": Case(rates, ("i", "u", "T"), ("A", "V", "°C"), (1000.0, 200.0), ("2 time bases",), suffix=".h5"),
    "HDF5: units at the end of keys": Case(hdf5(units="A, V", sample_rate_hz=1000.0, t0=-0.5), ("i", "u"), ("A", "V"), suffix=".h5"),
    "HDF5: an interval in µs": Case(hdf5(units="A, V", dt_us=1000), ("i", "u"), ("A", "V"), suffix=".h5"),
    "HDF5: lists and single values as datasets": Case(beside, began="2026-03-05T10:00:00.000+01:00", suffix=".h5"),
    "HDF5: units of fields": Case(fields, suffix=".h5"),
    "HDF5: a time in each group": Case(times_of_groups, rates=(1000.0, 500.0), told=("2 time bases",), suffix=".h5"),
    "NPZ: names, units and rate beside a table": Case(npz(data=np.stack([U, I], axis=1), channel_names=["u", "i"], units=["V", "A"], fs=1000), suffix=".npz"),
    "NPZ: several rates": Case(npz(u=U, i=I[:20], units=["V", "A"], sample_rates=[1000.0, 500.0]), rates=(1000.0, 500.0), told=("2 time bases",), suffix=".npz"),
    "NPZ: a rate for each name": Case(npz(u=U, i=I[:20], units=["V", "A"], u_fs=1000, i_fs=500), rates=(1000.0, 500.0), told=("2 time bases",), suffix=".npz"),
    "NPZ: an array that is shorter": Case(npz(u=U, units=["V", "1"], short=np.arange(7.0), dt=1e-3), ("u",), ("V",), told=("left out: short",), suffix=".npz"),
    "Parquet: units of fields, a rate": Case(table(fields=VOLTS, metadata={"sample_rate": "1 kHz"}), suffix=".parquet"),
    "Arrow: lists in the metadata": Case(table(metadata={"units": '["V", "A"]', "dt": "0.001"}, arrow=True), suffix=".arrow"),
    "Parquet: stamps of ns": Case(table(("when", "u", "i"), VOLTS, columns=(NS, U, I)), rates=(999.999,), began="2026-03-05T10:00:00.000", suffix=".parquet"),
    "Arrow: stamps with a zone": Case(table(("when", "u", "i"), VOLTS, columns=(ZONED, U, I), arrow=True), began="2026-03-05T11:00:00.000+01:00", suffix=".arrow"),
}  # fmt: skip
PLAIN = "t [s],u [V],i [A]\n" + rows()


def zipped(path):
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("read me.md", "of the bench")
        archive.writestr("runs/run 7.csv", PLAIN)


def packed(how):
    return lambda path: path.write_bytes(how(PLAIN.encode()))


def workbook(path):
    """Write a workbook by openpyxl: words above, names, units, stamps, a word in place of a number, a small sheet beside."""
    book = openpyxl.Workbook()
    book.active.title = "notes"
    book.active.append(["of the bench"])
    sheet = book.create_sheet("run 7")
    sheet.append(["Test of the conveyor"])
    sheet.append([])
    sheet.append(["when", "u", "i"])
    sheet.append([None, "V", "A"])
    for k in range(N):
        sheet.append(
            [datetime(2026, 3, 12, 10, 15) + timedelta(milliseconds=10 * k), round(U[k], 4), "#N/A" if k == 7 else round(I[k], 4)]
        )
    book.save(path)


def spreadsheet(path):
    """Write the least that makes an ODS file."""
    cell = '<table:table-cell office:value-type="{0}" office:{1}="{2}"><text:p>{2}</text:p></table:table-cell>'
    row = lambda *cells: f"<table:table-row>{''.join(cells)}</table:table-row>"  # noqa: E731
    head = row(*(cell.format("string", "string-value", name) for name in ("t [s]", "u [V]", "i [A]")))
    body = "".join(row(*(cell.format("float", "value", f"{x:.4f}") for x in (k * 1e-3, U[k], I[k]))) for k in range(N))
    names = " ".join(f'xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"' for name in ("office", "table", "text"))
    content = (f'<?xml version="1.0"?><office:document-content {names} office:version="1.2"><office:body><office:spreadsheet>'
               f'<table:table table:name="run">{head}{body}</table:table></office:spreadsheet></office:body></office:document-content>')  # fmt: skip
    kind = "application/vnd.oasis.opendocument.spreadsheet"
    manifest = ('<?xml version="1.0"?><manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0">'
                f'<manifest:file-entry manifest:full-path="/" manifest:media-type="{kind}"/></manifest:manifest>')  # fmt: skip
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("mimetype", kind)
        archive.writestr("content.xml", content)
        archive.writestr("META-INF/manifest.xml", manifest)


def behind_a_user_block(path):
    with h5py.File(path, "w", userblock_size=2048) as file:
        file.attrs["fs"] = 1000.0
        for name, x, symbol in (("u", U, "V"), ("i", I, "A")):
            file.create_dataset(name, data=x).attrs["units"] = symbol
    content = path.read_bytes()
    path.write_bytes(b"of the bench".ljust(2048, b"\0") + content[2048:])


WITHIN = {
    "text packed by gzip": Case(packed(gzip.compress), suffix=".csv.gz"),
    "text packed by Zstandard": Case(packed(lambda b: pa.compress(b, "zstd", asbytes=True)), suffix=".csv.zst"),
    "text packed by bzip2": Case(packed(bz2.compress), suffix=".txt.bz2"),
    "text packed by xz": Case(packed(lzma.compress), suffix=".csv.xz"),
    "text in a ZIP": Case(zipped, suffix=".zip"),
    "UTF-16 packed": Case(lambda path: path.write_bytes(gzip.compress(PLAIN.encode("utf-16"))), suffix=".csv.gz"),
    "a workbook": Case(workbook, rates=(100.0,), told=('left out: sheet "notes"',), began="2026-03-12T10:15:00.000", suffix=".xlsx",
                       extra={"beyond": (0, 0), "missing": (0, 1)}),
    "a spreadsheet after ISO 26300": Case(spreadsheet, suffix=".ods"),
    "HDF5 behind a user block": Case(behind_a_user_block, ("i", "u"), ("A", "V"), suffix=".h5"),
}  # fmt: skip
CORPUS = {**TEXTS, **BINARY, **WITHIN}
