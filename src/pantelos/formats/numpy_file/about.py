"""What the format is, and how it is told from others."""

from pantelos.formats.format import Format

NUMPY = Format(
    id="numpy",
    title="NPY, NPZ",
    suffixes=(".npy", ".npz"),
    home="numpy_file",
    name="numpy",
    written=(".npz", ".npy"),
    recognise=lambda head: head[:6] == b"\x93NUMPY" or (head[:4] == b"PK\x03\x04" and b".npy" in head),
    place=2,
)
