"""The simulated recorder through an independent client: settings, start, rows; and its outputs against formulas."""

import math
import struct

import numpy as np
import pytest

from pantelos.recorder.signals import Signal, signal_from
from pantelos.simulator.trigger import Edge, EdgeSeeker, open_stretches

HEAD = struct.Struct("<QQQIIHH")


def rows_of(raw, most=1 << 20):
    content = raw.block(f"FETC:BLOC? 0,{most}")
    first, so_far, lost, _, n, columns, _ = HEAD.unpack_from(content)
    assert (first, lost) == (0, 0) and so_far >= n
    return np.frombuffer(content, "<i2", offset=HEAD.size).reshape(n, columns).astype(float)


def test_settings_start_and_rows(raw):
    assert raw.ask("*IDN?").startswith("Pantelos,Simulated recorder") and raw.ask("INP:COUN?") == "8"
    raw.write("*RST;:INP3 OFF;:INP4 OFF;:INP5 OFF;:INP6 OFF;:SENS1:VOLT:RANG 4;:SENS2:VOLT:RANG 10 V")
    assert raw.ask("VOLT:RANG?;:SENS2:VOLT:STEP?") == "5;0.00030517578125"  # the nearest range that holds 4 V; 10 V / 32768
    raw.write("SWE:TINT 50 us;POIN 4000;OFFS:POIN -1000;:TRIG:SOUR INT1;LEV 1 V;HYST 0.1;SLOP POS;COUN 2;:INIT")
    assert raw.ask("*OPC?") == "1" and raw.ask("SYST:ERR?") == '0,"No error"'
    count, first, start, at_s, _, second, again, _, _ = map(float, raw.ask("FETC:SHOT?").split(","))
    assert (count, first, start, second, again) == (2, 0, 1000, 4000, 5000)
    x = rows_of(raw)[:, 0] * 5 / 32768
    assert len(x) == 8000
    for at in (1000, 5000):
        assert x[at] >= 1 > x[at - 1]
    turn = 2 * math.pi * 50 * (at_s + np.arange(-1000, 3000) / 20_000)
    assert np.abs(x[:4000] - math.sqrt(2) * 2.3 * (np.sin(turn) + 0.02 * np.sin(5 * turn))).max() < 5 / 32768


def test_what_does_not_go_together_is_an_error_in_the_queue(raw):
    for text, code in (
        ("INP9 ON", "-114"), ("SWE:POIN -5", "-222"), ("FOO:BAR 1", "-113"), ("TRIG:SLOP SIDEWAYS", "-224"), ("*TRG", "-211"),
        ("FETC:BLOC? 0,1", "-230"), ("SENS1:VOLT:RANG 1 A", "-131"), ("SWE:POIN 10;OFFS:POIN -10;:INIT", "-221"),
        ("INP8 OFF;:SWE:POIN 100;OFFS:POIN 0;:TRIG:SOUR INT8;:INIT", "-221"), ("INP1", "-109"), ("INP1 1,2", "-108"),
    ):  # fmt: skip
        raw.write(text)
        assert raw.ask("SYST:ERR?").startswith(code + ","), text


def test_gate_digital_input_time_without_an_edge_and_missed_starts(raw):
    raw.write("INP2 0;:INP3 0;:INP4 0;:INP5 0;:INP6 0;:SWE:TINT 1e-4;POIN 300;:TRIG:COUN 0;:SWE:GATE ON;GATE:INP 1;LEV 2;:INIT")
    raw.ask("*OPC?")
    x = rows_of(raw)[:, 0] * 10 / 32768
    assert len(x) == 300 and x.min() >= 1.999
    raw.write("SWE:GATE OFF;:TRIG:SOUR EXT;COUN 1;:SWE:POIN 50;:INIT")
    raw.ask("*OPC?")
    assert raw.ask("FETC:SHOT?").split(",")[3:] == ["1.000000000", "0"]  # the digital input rises every second
    raw.write("TRIG:SOUR INT1;LEV 9;ATR ON;ATR:TIME 0.1;:INIT")
    raw.ask("*OPC?")
    assert raw.ask("FETC:SHOT?").split(",")[3:] == ["0.100000000", "1"]
    raw.write("TRIG:LEV 0;HYST 0.1;ATR OFF;COUN 2;HOLD 0.1;:INIT")
    raw.ask("*OPC?")
    at = list(map(float, raw.ask("FETC:SHOT?").split(",")))
    assert at[7] - at[3] == pytest.approx(0.1, abs=0.021) and int(raw.ask("TRIG:MISS?")) >= 4


def test_a_measured_range_holds_the_signal_and_the_next_one_would_not(raw):
    raw.write("VOLT:RANG:AUTO ONCE;:SENS4:VOLT:RANG:AUTO ONCE")
    ranges = [float(x) for x in raw.ask("VOLT:RANG?;:SENS4:VOLT:RANG?").split(";")]
    peaks = (math.sqrt(2) * 2.3, math.sqrt(2) * 1.2 * 1.25)
    known = [float(x) for x in raw.ask("VOLT:RANG:CAT?").split(",")]
    for chosen, peak in zip(ranges, peaks, strict=True):
        assert chosen > peak and known[known.index(chosen) - 1] < peak / 0.9


@pytest.mark.parametrize(
    ("text", "law"),
    [
        ("sine 50 Hz, 2 V, 30°, offset 1 V", lambda t: 1 + 2 * np.sin(2 * np.pi * 50 * t + np.pi / 6)),
        ("square 10 Hz, 3 V", lambda t: 3 * np.where((10 * t) % 1 < 0.5, 1, -1)),
        ("pulses 20 Hz, 4 V, 25 %", lambda t: 4.0 * ((20 * t) % 1 < 0.25)),
        ("sweep 2 Hz to 80 Hz in 1 s, 1 V", lambda t: np.sin(2 * np.pi * (2 * t + 39 * t**2))),
        ("tones tone 50 Hz 1 V, tone 150 Hz 0.2 V 90°", lambda t: np.sin(314.15926535 * t) + 0.2 * np.cos(942.4777961 * t)),
        ("level 0.5 V", lambda t: np.full(len(t), 0.5)),
    ],
)
def test_outputs_wired_into_the_inputs_are_what_they_are_said_to_be(raw, text, law):
    of = signal_from(text)
    assert signal_from(of.text()) == of
    tones = ",".join(f"{t.frequency_hz},{t.amplitude},{t.phase_deg}" for t in of.tones)
    raw.write("ROUT:LOOP ON;:INP2 0;:INP3 0;:INP4 0;:INP5 0;:INP6 0;:SWE:TINT 1e-4;POIN 9990;OFFS:POIN 0;:TRIG:SOUR IMM")
    words = {"sine": "SIN", "square": "SQU", "pulses": "PULS", "sweep": "SWE", "tones": "TON", "level": "DC"}
    raw.write(f"OUTP1 ON;:SOUR1:FUNC {words[of.shape]};FREQ {of.frequency_hz};VOLT {of.amplitude};VOLT:OFFS {of.offset}")
    raw.write(f"SOUR1:PHAS {of.phase_deg};PULS:DCYC {100 * of.duty};:SOUR1:SWE {','.join(map(str, of.sweep))};:SOUR1:TON {tones}")
    raw.write("INIT")
    raw.ask("*OPC?")
    assert raw.ask("SYST:ERR?") == '0,"No error"'
    x = rows_of(raw)[:, 0] * 10 / 32768
    assert np.abs(x - law(np.arange(len(x)) / 1e4)).max() < 2e-4
    assert np.abs(Signal.volts(of, 100, 50, 1e4) - law((100 + np.arange(50)) / 1e4)).max() < 1e-6


def test_edges_in_pieces_are_those_of_the_whole():
    x = np.array([0, 5, 12, 9, 12, 3, 12, 12, 0, 0, 15, -2, 11], dtype="<i2")[:, None]  # level 10, hysteresis 5
    want = {"POSitive": [2, 6, 10, 12], "NEGative": [], "EITHer": [2, 6, 10, 12]}
    for slope, edges in want.items():
        for cut in range(len(x) + 1):
            seeker = EdgeSeeker(Edge(0, 10, 5, slope))
            found = seeker.found(x[:cut]) + [k + cut for k in seeker.found(x[cut:])]
            if slope == "POSitive":
                assert found == edges
    down = EdgeSeeker(Edge(0, 2, 0, "NEGative"))
    assert down.found(x) == [8, 11]
    assert open_stretches(x, 0, 10) == [(2, 3), (4, 5), (6, 8), (10, 11), (12, 13)]
