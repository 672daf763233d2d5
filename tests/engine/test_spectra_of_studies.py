"""Spectra, spectrograms and two channels over frequency, asked of a study: engine, panels, tables and command line agree."""

import json
import math
import subprocess
import sys
from xml.etree import ElementTree

import numpy as np
import pytest
from scipy.signal import butter, freqz, lfilter

from pantelos.checks import run_checks
from pantelos.engine.spectra import cautions_of, cross_spectrum_found, spectrogram_found, spectrum_found
from pantelos.errors import StudyError
from pantelos.panels import panel_picture
from pantelos.progress import Progress
from pantelos.study import operations as op
from pantelos.study import spectral_words as words
from pantelos.study.shown import Panel, Spectral
from pantelos.tables.panel_tables import panel_tables

RATE = 10_000.0


@pytest.fixture
def mains(evaluation_of, sine):
    """One second of 230 V with a fifth of 4 % and a little noise, and a current that is nearly nothing but noise."""
    rng = np.random.default_rng(1)
    u = sine(230, 50, seconds=1) + sine(9.2, 250, seconds=1) + rng.normal(0, 0.05, 10_000)
    return evaluation_of(RATE, u=u, i=sine(1, 50, seconds=1) + rng.normal(0, 0.02, 10_000))


@pytest.mark.parametrize(
    ("text", "spacing", "bandwidth"), [("5 Hz", 5, 7.5), ("200 ms", 5, 7.5), ("bandwidth 15 Hz", 10, 15), ("", 1, 1.5)]
)
def test_a_resolution_is_stated_in_three_ways(mains, text, spacing, bandwidth):
    found = spectrum_found(mains, "u", None, "hann", Spectral(resolution=words.resolution_from(text)))
    assert found.spectrum.spacing_hz == pytest.approx(spacing)
    assert found.spectrum.resolution_hz == pytest.approx(bandwidth)
    again = words.resolution_from(words.resolution_text(Spectral(resolution=words.resolution_from(text))))
    assert again == words.resolution_from(text)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("0.5 Hz", 'needs blocks of 2.000 s, and "whole record" holds 1.000 s. Ask for 1.000 Hz or more'),
        ("10 s", "Ask for at most 1.000 s"),
        ("2 kHz", "makes blocks of 5 samples"),
        ("5 V", "is not understood"),
        ("-5 Hz", "must be above zero"),
    ],
)
def test_a_resolution_that_cannot_be_had_says_what_can(mains, text, said):
    with pytest.raises(StudyError) as caught:
        spectrum_found(mains, "u", None, "hann", Spectral(resolution=words.resolution_from(text)))
    assert said in str(caught.value)


def test_a_distortion_says_what_limits_it(mains):
    u = spectrum_found(mains, "u", None, "hann", Spectral(resolution=("spacing", 5.0)))
    assert u.limits.thd == pytest.approx(0.04, rel=1e-3) and u.sentence.startswith("limited by the harmonics")
    i = spectrum_found(mains, "i", None, "hann", Spectral(resolution=("spacing", 5.0)))
    assert i.sentence.startswith("limited by noise") and "blocks of" in i.sentence
    assert [peak.frequency_hz for peak in u.peaks] == pytest.approx([50, 250], abs=0.01)
    assert [u.order_of(peak) for peak in u.peaks] == [1, 5]


def test_levels_refer_to_what_they_say(mains):
    found = spectrum_found(mains, "u", None, "hann", Spectral())
    for decibels, expected in (("dBc", 0.0), ("dB", 20 * math.log10(230))):
        shown = found.shown(found.spectrum.rms, Spectral(decibels=decibels))
        assert shown[50] == pytest.approx(expected, abs=1e-3)
    assert found.symbol(Spectral(decibels="dB")) == "dBV" and found.symbol(Spectral(scale="density")) == "V/√Hz"
    assert found.symbol(Spectral(scale="power density", decibels="dB")) == "dB re 1 V²/Hz"
    with pytest.raises(StudyError, match="range of u is not stated"):
        found.shown(found.spectrum.rms, Spectral(decibels="dBFS"))
    i = spectrum_found(mains, "i", None, "hann", Spectral())
    assert i.symbol(Spectral(decibels="dB")) == "dB re 1 A"  # never what sound is measured in


def test_hazards_stand_in_the_checks_with_what_mends_them(evaluation_of, sine):
    evaluation = evaluation_of(RATE, u=sine(230, 49.7, seconds=0.2) + sine(40, 4870, seconds=0.2))
    panel = Panel("spectrum", ("u",), window="rectangular")
    evaluation = evaluation.on(op.add_panel(evaluation.study, panel))
    found = {notice.code: notice for notice in run_checks(evaluation)}
    assert "0.06 lines off a line" in found["spectrum.leakage"].text and "snap" in found["spectrum.leakage"].detail
    assert "above 4.500 kHz" in found["spectrum.aliasing"].text
    hann = spectrum_found(evaluation, "u", None, "hann", Spectral())
    assert [kind for kind, _, _ in cautions_of(hann)] == ["aliasing"]


def test_a_spectrogram_follows_a_run_up(evaluation_of):
    t = np.arange(40_000) / RATE
    evaluation = evaluation_of(RATE, u=np.sin(2 * np.pi * (100 * t + 100 * t**2)))
    found, _, _ = spectrogram_found(evaluation, "u", None, "hann", Spectral(resolution=("length", 0.1), span_hz=(0.0, 2000.0)))
    middles = 0.5 * (found.edges[1:] + found.edges[:-1]) / RATE
    loudest = found.rms.argmax(axis=1) * found.band_hz
    assert np.abs(loudest - (100 + 200 * middles))[5:-5].max() < 15
    panel = Panel("spectrogram", ("u",), spectral=Spectral(cursor=(2.0, 500.0)))
    picture = panel_picture(evaluation, panel, Progress())
    assert picture.cursor is not None and picture.cursor_text.startswith("2.0")
    table = panel_tables(evaluation, panel).tables[0]
    assert len(table.rows) == len(picture.levels_db)


def test_rc26_coherence_and_a_filter_between_two_channels(evaluation_of):
    g = np.random.default_rng(7)
    x = g.normal(size=1 << 20)
    noisy = x + g.normal(size=1 << 20)
    b, a = butter(2, 1000, fs=50_000)
    evaluation = evaluation_of(50_000.0, ux=x, un=noisy, uy=0.5 * lfilter(b, a, x))
    found = cross_spectrum_found(evaluation, ("ux", "un"), None, "hann", Spectral(resolution=("spacing", 50_000 / 1024)))
    assert np.nanmean(found.coherence) == pytest.approx(0.5, abs=0.01)
    found = cross_spectrum_found(evaluation, ("ux", "uy"), None, "hann", Spectral(resolution=("spacing", 20.0)))
    lines = slice(5, 100)
    _, truth = freqz(b, a, found.frequencies_hz[lines], fs=50_000)
    assert np.abs(found.response[lines] / (0.5 * truth) - 1).max() < 0.01
    with pytest.raises(StudyError, match="one is always coherent"):
        cross_spectrum_found(evaluation, ("ux", "uy"), None, "rectangular", Spectral(resolution=("length", 20.0)))


def test_panels_on_channels_of_one_unit_lie_over_each_other(mains):
    panel = Panel("spectrum", ("u", "i"), spectral=Spectral(decibels="dBc", peaks=5, orders=True, edges_hz=(50.0, 250.0)))
    picture = panel_picture(mains, panel, Progress())
    assert len(picture.curves) == 2 and "b is −28.0 dB, 4.00 % of a" in picture.edges_text
    with pytest.raises(StudyError, match="u is in V, i in A"):
        panel_picture(mains, Panel("spectrum", ("u", "i")), Progress())


def test_the_command_gives_the_numbers_of_the_panel(invoke, csv_file, tmp_path):
    path = tmp_path / "s.pantelos"
    assert invoke("new", path, csv_file).exit_code == 0
    plain = invoke("spectrum", path, "u1").stdout.splitlines()
    assert plain[0] == "f [Hz],u1 rms [V]" and float(plain[51].split(",")[1]) == pytest.approx(230, rel=1e-6)
    asked = (
        "spectrum",
        path,
        "u1",
        "--resolution",
        "5 Hz",
        "--scale",
        "peak",
        "--frequencies",
        "0 Hz to 100 Hz",
        "--blocks",
        "highest",
    )
    rows = invoke(*asked).stdout.splitlines()
    assert rows[0] == "f [Hz],u1 highest peak [V peak]" and len(rows) == 22
    found = json.loads(invoke(*asked, "--json").stdout)
    assert [row["u1_peak_highest"] for row in found["tables"][0]["rows"]] == [float(row.split(",")[1]) for row in rows[1:]]
    assert invoke("spectrum", path, "u1", "--tones", "1").stdout.splitlines()[1].startswith("u1,50.0")
    for name in ("a.xlsx", "a.json", "a.csv", "a.png", "a.svg"):
        assert invoke(*asked, "--to", tmp_path / name).exit_code == 0 and (tmp_path / name).stat().st_size > 500
    # A drawing needs no toolkit: lines as they are drawn, words as they are said.
    code = (
        f"import sys; from pantelos.cli.main import run; run({[str(a) for a in asked]} + ['--to', {str(tmp_path / 'b.svg')!r}]); "
    )
    code += "sys.exit(str([name for name in sys.modules if name.startswith(('PyQt6', 'pantelos.desktop'))] or ''))"
    assert subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False).stderr.strip() == ""
    drawn = ElementTree.parse(tmp_path / "b.svg").getroot()
    assert (tmp_path / "b.svg").read_bytes() == (tmp_path / "a.svg").read_bytes()
    assert any("Spectrum" in (one.text or "") for one in drawn.iter()) and [e for e in drawn.iter() if e.tag.endswith("polyline")]
    assert "coherence" in invoke("spectrum", path, "i1", "--against", "u1").stdout.splitlines()[0]
    assert invoke("spectrum", path, "u1", "--over-time").stdout.startswith("start [s],stop [s],0 Hz [V]")
    assert '"loud" is not known' in str(invoke("spectrum", path, "u1", "--scale", "loud").exception)
