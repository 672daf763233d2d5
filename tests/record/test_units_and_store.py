"""Units against the library that knows them; the store against deletion, damage and crowding."""

import shutil
import subprocess
import sys
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pantelos import units
from pantelos.errors import FileAccessError, UnitError
from pantelos.folders import cache_directory
from pantelos.formats.text.preview import preview_text
from pantelos.formats.text.reader import read_text
from pantelos.progress import Progress
from pantelos.record.fingerprint import fingerprint, remembered_fingerprint
from pantelos.saving import write_whole
from pantelos.units import ask_pint, coherent, unit

OWN = {"cycle", "dB"}  # no unit of pint, or not in our sense


@pytest.mark.parametrize("name", sorted((units._COMMON.keys() | units._SELDOM.keys()) - OWN))
def test_the_common_units_are_those_that_pint_knows(name):
    factor, dimension = ask_pint(name, name)
    if name.endswith("N*m"):  # work per angle: torque times speed is a power, torque times frequency is not
        dimension = tuple(sorted((*dimension, ("radian", Fraction(-1)))))
    assert units._known(name) == (pytest.approx(factor, rel=1e-15), dimension)


@pytest.mark.parametrize(
    ("text", "factor", "like"),
    [("mV/A", 1e-3, "ohm"), ("rpm/V", np.pi / 30, None), ("N*m/V", 1, None), ("kWh", 3.6e6, "J"), ("µV", 1e-6, "V"), ("uA", 1e-6, "A"),
     ("Ω", 1, "ohm"), ("min⁻¹", np.pi / 30, "rad/s"), ("min^-1", np.pi / 30, "rpm"), ("s⁻¹", 1, "Hz"), ("°", np.pi / 180, "1"), ("V²", 1, None), ("mohm", 1e-3, "Ω"), ("Nm", 1, "N·m"), ("kNm", 1000, "N*m")],
)  # fmt: skip
def test_spellings_found_on_recorders_are_understood(text, factor, like):
    found = unit(text)
    assert found.factor == pytest.approx(factor, rel=1e-12)
    if like is not None:
        assert found.like(unit(like))


@pytest.mark.parametrize("text", ["parsnip", "V V", "12", "V;import os", "__import__('os')"])
def test_what_is_no_unit_is_refused(text):
    with pytest.raises(UnitError, match="Write it like V, mA"):
        unit(text)


_NAMES = st.sampled_from(["V", "A", "W", "ohm", "s", "J", "Hz", "N*m", "C"])


@given(_NAMES, _NAMES, _NAMES)
def test_units_multiply_and_divide_as_dimensions_do(a, b, c):
    x, y, z = unit(a), unit(b), unit(c)
    assert (x * y / y).like(x)
    assert ((x * y) * z).dimension == (x * (y * z)).dimension
    assert ((x * x) ** Fraction(1, 2)).like(x)
    assert coherent((x * y).dimension).factor == 1.0


pytestmark = pytest.mark.usefixtures("own_cache")


def imported(path):
    return read_text(path, preview_text(path).dialect, Progress())


def test_the_fingerprint_is_what_the_system_tool_prints(csv_file):
    if shutil.which("b2sum") is None:
        pytest.skip("no b2sum here")
    printed = subprocess.run(["b2sum", "-l", "256", csv_file], capture_output=True, text=True, check=True).stdout
    assert fingerprint(csv_file) == printed.split()[0]


def test_the_store_may_vanish_or_break_at_any_time(csv_file):
    record = imported(csv_file)
    first = np.array(record.channels[0].samples)
    folder = next(f for f in (cache_directory() / "records").iterdir() if (f / "index.json").exists())
    shutil.rmtree(cache_directory() / "records")
    assert np.array_equal(record.channels[0].samples, first)  # an open record keeps what it has mapped
    assert np.array_equal(imported(csv_file).channels[0].samples, first)
    for damage in (lambda: (folder / "index.json").write_text("{"), lambda: (folder / "0.raw").write_bytes(b"123"),
                   (folder / "pyramids.raw").unlink):  # fmt: skip
        imported(csv_file)
        damage()
        assert np.array_equal(imported(csv_file).channels[0].samples, first)


def test_a_touched_file_is_read_again_and_an_untouched_one_is_not(csv_file):
    imported(csv_file)
    assert remembered_fingerprint(csv_file) is not None
    text = csv_file.read_text()
    csv_file.write_text(text + "1.0,2.0\n")
    assert remembered_fingerprint(csv_file) is None
    assert imported(csv_file).n_samples == 10_001


def test_the_store_forgets_the_least_recently_used_beyond_its_bound(csv_file, monkeypatch):
    monkeypatch.setattr("pantelos.record.store._KEPT_BYTES", 1)
    imported(csv_file)
    csv_file.write_text(csv_file.read_text() + "1.0,2.0\n")
    imported(csv_file)
    assert len(list((cache_directory() / "records").iterdir())) == 1


def test_two_processes_may_import_the_same_file_at_once(csv_file, tmp_path):
    commands = [[sys.executable, "-m", "pantelos", "new", str(tmp_path / f"{k}.pantelos"), str(csv_file)] for k in range(2)]
    running = [subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True) for command in commands]
    assert ["10000 samples" in process.communicate()[0] for process in running] == [True, True]
    assert not list((cache_directory() / "records").glob("making-*"))
    assert imported(csv_file).n_samples == 10_000


def test_pyramids_follow_a_reversed_channel(csv_file, evaluation_of):
    x = np.linspace(-1, 3, 1000)
    evaluation = evaluation_of(1000.0, u=x)
    from pantelos.engine.evaluation import Evaluation
    from pantelos.study import operations as op

    turned = Evaluation(op.scale_channel(evaluation.study, "u", "divider 10:1, reversed, offset 1 V"), evaluation.record)
    assert turned.drawing.extent("u") == (pytest.approx(-20), pytest.approx(20))
    assert turned.samples.waveform("u").read(0, 1)[0] == pytest.approx(20)


def test_a_folder_that_is_not_there_is_said_before_anything_is_written(tmp_path):
    with pytest.raises(FileAccessError, match="no such file or directory"):
        write_whole(tmp_path / "no" / "a.txt", b"x")
    write_whole(tmp_path / "a.txt", b"x")
    assert [f.name for f in tmp_path.iterdir()] == ["a.txt"]
