"""What the format is, and how it is told from others."""

from pantelos.formats.format import Format

HDF5 = Format(
    id="hdf5",
    title="HDF5",
    suffixes=(".h5", ".hdf5", ".hdf"),
    home="hdf5",
    name="hdf5",
    written=(".h5",),
    recognise=lambda head: head[:8] == b"\x89HDF\r\n\x1a\n",
    place=4,
)
