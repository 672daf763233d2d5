"""What the format is, and how it is told from others."""

from typing import IO

from pantelos.formats.format import Format

_SIGNATURE = b"\x89HDF\r\n\x1a\n"


def _behind_a_user_block(file: IO[bytes]) -> bool:
    """Return whether the signature stands at 512 bytes, or at that doubled again and again."""
    size, at = file.seek(0, 2), 512
    while at < size:
        file.seek(at)
        if file.read(8) == _SIGNATURE:
            return True
        at *= 2
    return False


HDF5 = Format(
    id="hdf5",
    title="HDF5",
    suffixes=(".h5", ".hdf5", ".hdf"),
    home="hdf5",
    name="hdf5",
    written=(".h5",),
    recognise=lambda head: head[:8] == _SIGNATURE,
    further_in=_behind_a_user_block,
    place=4,
)
