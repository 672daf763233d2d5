"""Writes HDF5: a contiguous dataset per channel with unit, rate and start as attributes, facts on the file."""

import errno
import os
import shutil
from pathlib import Path

from pantelos.formats.output import Output
from pantelos.progress import Progress

_BESIDE = 1 << 16  # bytes for names and attributes


def write_hdf5(path: Path, output: Output, progress: Progress) -> None:
    """Write samples as float64 datasets, contiguous and uncompressed, so that they can be mapped.

    Raises
    ------
    OSError
        When there is no room on the disk: that is asked before, as the library leaves a full one in disorder.
    """
    if shutil.disk_usage(path.parent).free < 8 * output.n_samples * len(output.channels) + _BESIDE:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
    import h5py  # here, for the sake of a quick start

    with h5py.File(path, "w", track_order=True) as file:
        for key, value in output.statements:
            file.attrs[key] = value
        sets = []
        for channel in output.channels:
            made = file.create_dataset(channel.name.replace("/", "\N{DIVISION SLASH}"), (output.n_samples,), "<f8")
            made.attrs["units"] = channel.unit
            made.attrs["sample_rate"] = output.rate_hz
            sets.append(made)
        for low, high in output.parts(progress):
            for made, channel in zip(sets, output.channels, strict=True):
                made[low:high] = channel.read(low, high)
