"""One module per file format, found through one tuple."""

from pantelos.formats.delimited import FORMAT as DELIMITED
from pantelos.formats.format import Format

FORMATS: tuple[Format, ...] = (DELIMITED,)
