"""HDF5: datasets as channels."""

from pantelos.formats.format import Format
from pantelos.formats.hdf5.reader import preview_hdf5, read_hdf5
from pantelos.formats.hdf5.writer import write_hdf5

FORMAT = Format(
    id="hdf5",
    title="HDF5",
    suffixes=(".h5", ".hdf5", ".hdf"),
    recognise=lambda head: head[:8] == b"\x89HDF\r\n\x1a\n",
    preview=preview_hdf5,
    read=read_hdf5,
    write=write_hdf5,
    written=(".h5",),
)
