"""Names, units, rates, dates and what stands beside arrays: word by word, against what a person reads."""

from datetime import UTC, datetime, timedelta

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pantelos.formats.bases import Timed, bases_of
from pantelos.formats.beside import Beside, Rate, rate_of, said_of
from pantelos.formats.dates import DAY_FIRST, MONTH_FIRST, YEAR_FIRST, began_at, date_order, is_clock, is_date, is_stamp, zone_s
from pantelos.formats.dialect import Column, ColumnRole, Dialect, Side, TimeBase
from pantelos.formats.header import key_value, stated_rate, stated_start
from pantelos.formats.heading_names import is_index, is_time, split_name, unique
from pantelos.formats.vocabulary import UNITS, plain_words
from pantelos.record.timing import Began
from pantelos.units import UnitError, unit

NAMES = {
    "u1 [V]": ("u1", "V"), "I1 (mA)": ("I1", "mA"), "i3 / A": ("i3", "A"), "P/MW": ("P", "MW"), "u in uV": ("u", "uV"),
    "T [1/min]": ("T", "1/min"), "a, V": ("a", "V"), "u_mV": ("u", "mV"), "time_us": ("time", "us"), "timestamp_ns": ("timestamp", "ns"),
    "L_A": ("L_A", None), "u1/i1": ("u1/i1", None), "phase_B": ("phase_B", None), "on/off": ("on/off", None), "brake in rest": ("brake in rest", None),
    "a/1": ("a/1", None), "speed [parsnip]": ("speed", "parsnip"), "x" * 600 + " [V]": ("x" * 600 + " [V]", None), "": ("", None),
}  # fmt: skip


@pytest.mark.parametrize("cell", NAMES)
def test_a_name_and_its_unit(cell):
    assert split_name(cell) == NAMES[cell]


@pytest.mark.parametrize(("name", "symbol", "time"), [
    ("t", None, True), ("Zeit", None, True), ("Temps (s)", None, True), ("t1", "s", True), ("unix time", None, True), ("horodatage", None, True),
    ("T", "1/min", False), ("T", "°C", False), ("torque", None, False), ("u", "V", False), ("fecha", None, True), ("epoch", "ms", True),
])  # fmt: skip
def test_what_is_a_time(name, symbol, time):
    assert is_time(name, symbol) is time


def test_counts_units_and_names_that_repeat():
    assert [is_index(name) for name in ("n", "Index", "sample no.", "u1")] == [True, True, True, False]
    assert [unit(text).symbol for text in ("Volts", "\u2126", "k\u03a9", "\u03bcA", "\u00b5A", "uohm", "m**2", "U/min", "sec")] == [
        "V", "Ω", "kΩ", "µA", "µA", "µΩ", "m^2", "min⁻¹", "s"]  # fmt: skip
    with pytest.raises(UnitError, match="is not a unit"):
        unit("V" * 100)
    assert (unique("u", {"u", "u_2"}), unique("i", {"u"})) == ("u_3", "i")
    assert plain_words("Fréquence  d'Échantillonnage (Hz)") == "frequence d echantillonnage hz"


RATES = {
    "Sample rate: 20 kHz": 20e3, "fs = 20000": 20e3, "Abtastrate: 20.000 Hz": 20e3, "Sampling rate: 1.000 kHz": 1e3, "Abtastrate: 1,5 MHz": 1.5e6,
    "dt: 50 us": 20e3, "Messintervall; 0,05 ms": 20e3, "Pas de temps : 5e-5 s": 20e3, "Tasa de muestreo: 20 kS/s": 20e3, "rate (kHz): 20": 20e3,
    "Scan rate, 250 samples/s": 250.0, "sampling period [ms]: 0.05": 20e3, "frequency: 50 Hz": None, "rate: fast": None, "rate: -5 Hz": None,
    "sample interval: 5 V": None, "rate: 0": None,
}  # fmt: skip


@pytest.mark.parametrize("line", RATES)
@pytest.mark.parametrize("decimal", [".", ","])
def test_a_rate_in_five_languages(line, decimal):
    if "20.000" in line and decimal == ".":
        return  # twenty, to whoever writes points
    found = stated_rate([key_value(line)], decimal)
    assert (found[0] if found else None) == (pytest.approx(RATES[line]) if RATES[line] else None)


@given(st.datetimes(datetime(2001, 1, 1), datetime(2090, 1, 1)), st.sampled_from([None, 0, 7200, -12_600]))
def test_dates_in_every_order_come_out_as_one_instant(moment, ahead_s):
    zone = Began(0, ahead_s).zone
    clock = f"{moment:%H:%M:%S}.{moment.microsecond:06d}"
    expected = int((moment.replace(tzinfo=UTC) - datetime(1970, 1, 1, tzinfo=UTC)) / timedelta(microseconds=1)) * 1000
    for text, order in ((f"{moment:%Y-%m-%d}T{clock}{zone}", None), (f"{moment:%d.%m.%Y} {clock.replace('.', ',')}{zone}", DAY_FIRST),
                        (f"{moment:%m/%d/%Y} {clock}{zone}", MONTH_FIRST), (f"{moment:%Y/%m/%d} {clock}{zone}", YEAR_FIRST)):  # fmt: skip
        found = began_at(text, order)
        assert (found.ns, found.zone_s) == (expected, ahead_s)
        assert is_stamp(text)
    assert began_at(found.text()) == found
    other = Began(
        expected - (3600 - (ahead_s or 0)) * 10**9 if ahead_s is not None else expected, 3600 if ahead_s is not None else None
    )
    assert found.since_ns(other) == (0 if ahead_s is None else (expected - ahead_s * 10**9) - (other.ns - 3600 * 10**9))


def test_orders_of_dates_are_told_by_large_numbers_or_by_custom():
    assert date_order(["2026-03-05"]) == (YEAR_FIRST, True)
    assert date_order(["03/05/2026", "03/25/2026"]) == (MONTH_FIRST, True)
    assert date_order(["25/03/2026"]) == (DAY_FIRST, True)
    assert date_order(["05.03.2026"]) == (DAY_FIRST, True)
    assert date_order(["03/04/2026"]) == (DAY_FIRST, False)
    assert date_order(["03/04/2026 10:00 PM"]) == (MONTH_FIRST, True)
    assert [is_date(text) for text in ("2026-03-05", "5.3.2026", "5.3.26", "1.2.3")] == [True, True, False, False]
    assert [is_clock(text) for text in ("10:15", "10:15:00.5 pm", "25:00:00")] == [True, True, False]
    assert [zone_s(text) for text in ("Z", "+02:00", "-0330", "")] == [0, 7200, -12_600, None]
    assert began_at("31.02.2026 10:00:00") is None
    assert stated_start([("Datum", "05.03.2026"), ("Uhrzeit", "10:00:00,25")]) == Began(1_772_704_800_250_000_000)
    assert stated_start([("note", "2026-03-05 10:00:00")]) is None


def test_the_nearest_place_that_speaks_of_an_array_counts():
    file = Beside({"units": "V, A, W", "fs": "1000"}, {"names": ("a", "b", "c")})
    group = Beside({"sample_rate": "2 kHz"}, {"scale": ("0.1", "0.2")})
    scopes = [(Beside({"unit": "mV"}), (1,)), (group, (1, 2)), (file, (0, 1, 2))]
    assert said_of(1, scopes, UNITS) == "mV"
    assert said_of(2, scopes, UNITS) == "W"
    assert (rate_of(2, scopes).hz, rate_of(0, scopes).hz) == (2000.0, 1000.0)
    assert rate_of(2, scopes).own is False
    assert Beside({}, {"sample_rates": ("5", "7 kHz")}).rate(1, 2) == Rate(7000.0, "sample_rate: 7 kHz", own=True)
    assert said_of(0, [(Beside({"units": "V, A"}), (0, 1, 2))], UNITS) == "V, A"  # a list of another length is one text


def timed(name, n, rate=None, role=ColumnRole.CHANNEL, place="", own=True):
    return Timed(Column(name, "1", role), n, place, Rate(rate, f"fs: {rate}", own) if rate else None)


def test_arrays_go_by_their_own_times_or_are_left_out_and_said():
    alone = bases_of([timed("u", 100), timed("i", 100)])
    assert (alone.bases, alone.told) == ((TimeBase(),), ())
    found = bases_of([timed("slow", 10, 5.0), timed("u", 100, 50.0), timed("i", 100)])
    assert [c.base for c in found.columns] == [1, 0, 0]  # i has the length of u, and so its rate
    assert [base.rate_hz for base in found.bases] == [50.0, 5.0]
    by_time = bases_of([timed("t", 100, role=ColumnRole.TIME), timed("u", 100), timed("x", 7)])
    assert [c.role for c in by_time.columns] == [ColumnRole.TIME, ColumnRole.CHANNEL, ColumnRole.SKIP]
    assert "left out: x" in by_time.told[0].text
    shared = bases_of([timed("u", 100, 50.0, own=False), timed("few", 7, 50.0, own=False)])
    assert [c.role for c in shared.columns] == [
        ColumnRole.CHANNEL,
        ColumnRole.SKIP,
    ]  # a rate of the whole file is not that of seven numbers
    near = bases_of(
        [
            timed("t", 9, role=ColumnRole.TIME, place="a/t"),
            timed("u", 9, place="a/u"),
            timed("t2", 9, role=ColumnRole.TIME, place="b/t"),
            timed("i", 9, place="b/i"),
        ]
    )
    assert near.columns[1].base != near.columns[3].base


def test_a_dialect_of_several_bases_is_read_in_parts_and_sides_are_turned():
    whole = Dialect(columns=(Column("u"), Column("i", base=1)), rate_hz=10.0, further=(TimeBase(5.0, 2.0),))
    first, second = whole.parts
    assert ([c.name for _, c in first.channels], first.rate_hz) == (["u"], 10.0)
    assert ([c.name for _, c in second.channels], second.rate_hz, second.start_s) == (["i"], 5.0, 2.0)
    assert msgspec.structs.replace(whole, further=()).parts == (msgspec.structs.replace(whole, further=()),)
    primary = Column("u", "V", scale=200.0, side=Side.PRIMARY, ratio=200.0)
    assert primary.on(Side.SECONDARY).scale == 1.0
    assert primary.on(Side.SECONDARY).on(Side.PRIMARY) == primary
    assert Column("u", scale=3.0).on(Side.SECONDARY).scale == 3.0
