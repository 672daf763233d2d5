"""NPY and NPZ: arrays as channels."""

from pantelos.formats.format import Format
from pantelos.formats.numpy_file.reader import preview_numpy, read_numpy
from pantelos.formats.numpy_file.writer import write_numpy

FORMAT = Format(
    id="numpy",
    title="NPY, NPZ",
    suffixes=(".npy", ".npz"),
    recognise=lambda head: head[:6] == b"\x93NUMPY" or (head[:4] == b"PK\x03\x04" and b".npy" in head),
    preview=preview_numpy,
    read=read_numpy,
    write=write_numpy,
    written=(".npz", ".npy"),
)
