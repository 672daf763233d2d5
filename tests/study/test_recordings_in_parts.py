"""Parts of one recording in several files become one record: every sample at its time, gaps kept, what is missing told."""

import numpy as np
import pytest

from pantelos.cli.opened import opened
from pantelos.errors import StudyError
from pantelos.study.parts import files_meant, missing_parts

RATE, N = 1000, 500


def wave(k):
    return 325 * np.sin(2 * np.pi * 50 * k / RATE + 0.3)


def write(folder, number, first, stamp=None, name="run_{:03d}.csv"):
    """Write samples `first` to `first + N` of one long waveform, by seconds or by date and time."""
    k = np.arange(first, first + N)

    def time(at):
        if stamp is None:
            return f"{at / RATE:.3f}"
        return f"2026-03-12 10:{at // 60_000:02d}:{at % 60_000 / RATE:06.3f}"

    rows = "".join(f"{time(int(at)) if stamp != 'anew' else f'{(at - first) / RATE:.3f}'},{wave(at):.9g}\n" for at in k)
    path = folder / name.format(number)
    path.write_text(("when" if stamp == "date" else "t [s]") + ",u [V]\n" + rows)
    return path


def samples_of(study):
    evaluation = opened(study)
    return np.asarray(evaluation.samples.waveform("u").read(0, evaluation.record.n_samples))


@pytest.mark.parametrize("stamp", [None, "date"])
@pytest.mark.parametrize("named", ["files, in another order", "folder", "pattern"])
def test_parts_go_on_where_their_times_say(tmp_path, invoke, stamp, named):
    folder = tmp_path / "runs"
    folder.mkdir()
    paths = [write(folder, k + 9, first, stamp) for k, first in enumerate((0, 500, 1250))]  # 250 ms are missing before the last
    (folder / "notes.md").write_text("of the bench")
    given = {"folder": [folder], "pattern": [folder / "run_*.csv"]}.get(named, [paths[2], paths[0], paths[1]])
    ran = invoke("new", tmp_path / "s.pantelos", *given)
    assert ran.exception is None
    x = samples_of(tmp_path / "s.pantelos")
    assert len(x) == 1750 and np.isnan(x[1000:1250]).all()
    given_ = np.r_[0:1000, 1250:1750]
    assert np.abs(x[given_] - wave(given_)).max() < 1e-6
    assert "250.0 ms are missing between run_010.csv and run_011.csv" in ran.stdout
    assert "250 samples of u are missing" in ran.stdout


def test_parts_whose_times_begin_anew_follow_by_their_numbers_and_that_is_told(tmp_path, invoke):
    for number, first in ((9, 0), (10, 500), (11, 1000)):
        write(tmp_path, number, first, "anew", "run {}.csv")
    ran = invoke("new", tmp_path / "s.pantelos", tmp_path)
    assert np.abs(samples_of(tmp_path / "s.pantelos") - wave(np.arange(1500))).max() < 1e-6
    assert "run 10.csv begins its time anew" in ran.stdout and "run 11.csv begins its time anew" in ran.stdout


def test_a_number_that_is_left_out_is_told(tmp_path, invoke):
    for number, first in ((1, 0), (2, 500), (4, 1500)):
        write(tmp_path, number, first)
    ran = invoke("new", tmp_path / "s.pantelos", tmp_path / "run_*.csv")
    assert "! run_003.csv would be between: there is no such file" in ran.stdout
    assert len(samples_of(tmp_path / "s.pantelos")) == 2000
    assert missing_parts([tmp_path / "a.csv", tmp_path / "b.csv"]) is None


def test_other_columns_are_set_beside_by_their_dates(tmp_path, invoke):
    write(tmp_path, 1, 0, "date")
    other = write(tmp_path, 2, 250, "date")
    other.write_text(other.read_text().replace("u [V]", "i [A]"))
    assert invoke("new", tmp_path / "s.pantelos", tmp_path / "run_001.csv", other).exception is None
    record = opened(tmp_path / "s.pantelos").record
    assert [column.name for column in record.columns] == ["u", "i"] and record.n_samples == 750


def test_a_folder_without_recordings_says_so(tmp_path):
    with pytest.raises(StudyError, match="there is no recording in it"):
        files_meant([tmp_path])
