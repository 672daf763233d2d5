"""Recordings and words that are absurd: an answer in one sentence that repeats little of them, or read all the same."""

import os
import struct

import h5py
import numpy as np
import pyarrow as pa
import pytest

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import LONGEST, PantelosError
from pantelos.study.importing import import_recording
from pantelos.study.model import Study
from pantelos.study.opening import preview


def rows(head, cell="1"):
    return head + "\n" + "".join(f"{k * 1e-3:.3f},{cell}\n" for k in range(20))


def own_member(path):
    with h5py.File(path, "w") as file:
        group = file.create_group("g")
        for name in ("one", "two"):
            group[name] = group  # two ways into itself: 2^32 paths
        file["g/u"] = np.arange(50.0)
        file["g/u"].attrs.update({"fs": 1000.0, "unit": "V"})


def zeros(path):
    with h5py.File(path, "w") as file:
        file.create_dataset("u", (1 << 28,), "f8", chunks=(1 << 20,), compression="gzip").attrs["fs"] = 1000.0


def packed_zeros(path):
    with h5py.File(path, "w") as file:
        made = file.create_dataset("u", (150 << 20,), "f8", chunks=(1 << 22,), compression="gzip", compression_opts=1)
        made[: 1 << 22] = 0.0


def arrow_with_a_length(path):
    with pa.ipc.new_file(path, pa.schema([("u", pa.float64())])) as out:
        out.write_table(pa.table({"u": np.arange(50.0)}))
    content = bytearray(path.read_bytes())
    for at in range(0, len(content) - 8, 8):
        if struct.unpack_from("<q", content, at)[0] == 400:  # bytes of the column
            struct.pack_into("<q", content, at, 24 << 30)
    path.write_bytes(bytes(content))


MONSTERS = {
    "a cell longer than any number": (".csv", rows("t [s],u [V]") + "0.020," + "1" * 200_000 + "\n"),
    "one endless line": (".csv", "1," * 4_000_000),
    "a name of 100,000 letters": (".csv", rows("t [s]," + "u" * 100_000)),
    "a unit of 100,000 letters": (".csv", rows("t [s],u [" + "V" * 100_000 + "]")),
    "a preamble of blanks": (".csv", " " * 60_000 + "range 5\n" + rows("t [s],u [V]")),
    "HDF5 groups that contain themselves": (".h5", own_member),
    "HDF5 that was never written": (".h5", zeros),
    "HDF5 of next to nothing that claims more than a gigabyte": (".h5", packed_zeros),
    "Arrow that promises 24 GB": (".arrow", arrow_with_a_length),
}


@pytest.mark.parametrize("name", MONSTERS)
def test_a_monster_is_read_or_refused(name, tmp_path):
    suffix, make = MONSTERS[name]
    path = tmp_path / f"run{suffix}"
    if isinstance(make, str):
        path.write_text(make)
    else:
        make(path)
    try:
        found = preview(path)
        if found.problems:
            assert all(len(problem) < 3 * LONGEST for problem in found.problems)
            return
        study, recordings = import_recording(Study(), path, found.dialect)
        assert np.isfinite(Evaluation(study, recordings.record(study.record)).value(f"rms({study.channels[0].name})").value)
    except PantelosError as error:
        assert "\n" not in str(error)
        assert len(str(error)) < 4 * LONGEST


def test_words_on_the_command_line_are_repeated_in_part_only(csv_file, tmp_path, invoke, monkeypatch):
    study = tmp_path / "s.pantelos"
    assert invoke("new", study, csv_file).exception is None
    for arguments in (("edit", study, "--trim=inf..1"), ("value", study, "(" * 3000 + "1"), ("value", study, "x" * 100_000),
                      ("edit", study, "--rename", "u1=" + "x" * 5000 + "!"), ("edit", study, "--interval", "a=nan..2"),
                      ("events", study, "u1 rises through " + "9" * 5000), ("edit", study, "--orders", "100000"),
                      ("edit", study, "--channel", "i1=2: " + "clamp " * 3000), ("y" * 5000,), ("show", study, "z" * 5000)):  # fmt: skip
        done = invoke(*arguments)
        assert done.exit_code in (1, 2), arguments
        said = str(done.exception) if isinstance(done.exception, PantelosError) else done.output
        assert len(said.splitlines()[-1]) < 5 * LONGEST, said[:300]
    for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        monkeypatch.delenv(name, raising=False)
    assert "no display" in str(invoke("open").exception)
    assert os.environ.get("DISPLAY") is None
