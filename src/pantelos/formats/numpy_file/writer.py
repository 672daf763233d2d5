"""Writes NPZ, an array per channel, and NPY, one array with a field per channel."""

import zipfile
from pathlib import Path

import numpy as np
from numpy.lib import format as npy

from pantelos.formats.output import Output
from pantelos.progress import Progress
from pantelos.signal.arrays import AnyArray


def write_numpy(path: Path, output: Output, progress: Progress) -> None:
    """Write samples as float64 arrays, uncompressed, so that they can be mapped; time is the first of them."""
    if path.suffix.lower() == ".npz":
        _write_npz(path, output, progress)
    else:
        _write_npy(path, output, progress)


def _write_npz(path: Path, output: Output, progress: Progress) -> None:
    """Write one array after the other: memory stays bounded whatever their length."""
    served = [("t [s]", output.times), *((channel.heading, channel.read) for channel in output.channels)]
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as archive:
        for at, (name, read) in enumerate(served):
            with archive.open(f"{_member(name)}.npy", "w", force_zip64=True) as file:
                npy.write_array_header_2_0(file, {"descr": "<f8", "fortran_order": False, "shape": (output.n_samples,)})
                for low, high in output.parts(progress.part(at / len(served), (at + 1) / len(served))):
                    file.write(np.ascontiguousarray(read(low, high), dtype="<f8").tobytes())
        for key, value in output.statements:
            with archive.open(f"{_member(key)}.npy", "w") as file:
                single: AnyArray = np.array(value)
                npy.write_array(file, single)


def _member(name: str) -> str:
    """Return the name as that of a member: a slash would make a folder of it."""
    return name.replace("/", "\N{DIVISION SLASH}")


def _write_npy(path: Path, output: Output, progress: Progress) -> None:
    fields = [("t [s]", "<f8"), *((channel.heading, "<f8") for channel in output.channels)]
    rows = npy.open_memmap(path, "w+", np.dtype(fields), (output.n_samples,))
    for low, high in output.parts(progress):
        rows["t [s]"][low:high] = output.times(low, high)
        for channel in output.channels:
            rows[channel.heading][low:high] = channel.read(low, high)
    rows.flush()
