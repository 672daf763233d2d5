"""Which column is the time, and what follows when it is corrected: a temperature T is none, whatever it does."""

import numpy as np
import pytest

from pantelos.changes.reading import corrected
from pantelos.errors import FormatError
from pantelos.formats.dialect import ColumnRole
from pantelos.study.importing import import_recording
from pantelos.study.model import Study
from pantelos.study.opening import preview

N, RATE = 400, 2500.0
T = np.arange(N) / RATE
U, I = 325 * np.sin(2 * np.pi * 49.97 * T), 10 * np.sin(2 * np.pi * 49.97 * T - 0.5)
NOISE = np.random.default_rng(0).normal(0, 0.1, N)
WARM = {
    "ramp": np.linspace(25, 60, N),
    "exponential": 25 + 35 * (1 - np.exp(-T)),
    "noisy": 25 + NOISE,
    "torque": 20 * np.sin(2 * np.pi * 3 * T),
    "constant": np.full(N, 0.1),
}


def as_csv(path, arrays):
    rows = [",".join(f"{x:.9g}" for x in row) for row in zip(*arrays.values(), strict=True)]
    path.write_text("\n".join([",".join(arrays), *rows]), "utf-8")


def as_npz(path, arrays):
    np.savez(path, **arrays)


def as_hdf5(path, arrays):
    import h5py

    with h5py.File(path, "w") as file:
        for name, x in arrays.items():
            file[name] = x


def as_parquet(path, arrays):
    import pyarrow as pa
    import pyarrow.parquet as pq

    pq.write_table(pa.table(dict(arrays)), path)


WRITTEN = {".csv": as_csv, ".npz": as_npz, ".h5": as_hdf5, ".parquet": as_parquet}


@pytest.fixture(params=WRITTEN)
def written(request, tmp_path):
    """Return what writes arrays into a file of one format."""

    def write(**arrays):
        path = tmp_path / f"run{request.param}"
        WRITTEN[request.param](path, arrays)
        return path

    return write


def times_of(path):
    return [column.name for column in preview(path).dialect.columns if column.role is ColumnRole.TIME]


@pytest.mark.parametrize("behaviour", WARM)
@pytest.mark.parametrize(("time", "other"), [("time", "T_case"), ("t", "T"), ("time", "t_motor")])
def test_what_begins_with_a_t_is_a_channel_beside_a_time(written, behaviour, time, other):
    arrays = {time: T, "U": U, other: WARM[behaviour], "I": I}
    for order in ((time, "U", other, "I"), ("U", "I", other, time), (other, time, "U", "I")):
        path = written(**{name: arrays[name] for name in order})
        found = preview(path)
        assert [column.name for column in found.dialect.columns if column.role is ColumnRole.TIME] == [time]
    study, recordings = import_recording(Study(), path, found.dialect)
    (recording,) = recordings.of(study.record.files[0])
    read = {raw.name: raw for raw in recording.channels}
    assert recording.timing[0].rate_hz == pytest.approx(RATE, rel=1e-9)
    np.testing.assert_allclose(read[other].values(0, N, 1.0, 0.0), arrays[other], rtol=1e-8)


@pytest.mark.parametrize(
    ("behaviour", "is_time"), [("ramp", True), ("exponential", False), ("noisy", False), ("torque", False), ("constant", False)]
)
def test_a_letter_alone_is_a_time_where_its_values_rise_evenly_and_that_is_told(written, behaviour, is_time):
    path = written(T_case=WARM[behaviour], U=U, I=I)
    assert times_of(path) == (["T_case"] if is_time else [])
    assert is_time == any("T_case is taken for the time" in notice.text for notice in preview(path).told)
    assert is_time != bool(preview(path).problems)


def test_each_goes_by_the_time_that_is_named_after_it(written):
    dialect = preview(written(t_U=T, U=U, t_I=T + 1e-4, I=I)).dialect
    base = {column.name: column.base for column in dialect.columns}
    assert base["t_U"] == base["U"] != base["t_I"] == base["I"]


@pytest.mark.parametrize("correction", ["channel", "skip"])
def test_a_correction_leaves_no_channel_without_a_time(written, correction):
    path = written(t_U=T, U=U, t_I=T + 1e-4, I=I)
    seen = preview(path).dialect
    at = next(k for k, column in enumerate(seen.columns, 1) if column.name == "t_I")
    dialect = corrected(seen, None, [f"{at}={correction}"])
    study, recordings = import_recording(Study(), path, dialect)
    (recording,) = recordings.of(study.record.files[0])
    assert {raw.name for raw in recording.channels} == {"U", "I"} | ({"t_I"} if correction == "channel" else set())
    assert dialect.time_words == (f'time is column {1 + [c.name for c in seen.columns].index("t_U")}, "t_U" in s',)


def test_a_time_that_is_chosen_takes_the_place_of_the_one_that_was_found(written):
    seen = preview(written(time=T, U=U, x=2 * T, I=I)).dialect
    at = next(k for k, column in enumerate(seen.columns, 1) if column.name == "x")
    dialect = corrected(seen, None, [f"{at}=time:ms"])
    assert [(c.name, c.unit) for c in dialect.columns if c.role is ColumnRole.TIME] == [("x", "ms")]


def test_a_slow_column_keeps_the_time_of_the_rows_when_the_others_are_left_out(tmp_path):
    path = tmp_path / "run.csv"
    path.write_text("t [s],u [V],T [degC]\n" + "".join(f"{k / 1e3:.3f},{k},{k if k % 10 == 2 else ''}\n" for k in range(200)))
    dialect = corrected(preview(path).dialect, None, ["2=skip"])
    study, recordings = import_recording(Study(), path, dialect)
    (recording,) = recordings.of(study.record.files[0])
    assert (recording.rate_hz, recording.start_s, recording.n_samples) == (100.0, 0.002, 20)
    assert recording.channels[0].values(0, 3, 1.0, 0.0).tolist() == [2.0, 12.0, 22.0]


def test_arrays_of_two_lengths_do_not_go_by_one_time(tmp_path):
    path = tmp_path / "run.npz"
    np.savez(path, t_a=T, a=U, t_b=5 * T[:100], b=I[:100])
    dialect = corrected(preview(path).dialect, None, ["3=channel"])
    with pytest.raises(FormatError, match="400 numbers of t_a and 100 numbers of t_b"):
        import_recording(Study(), path, dialect)
