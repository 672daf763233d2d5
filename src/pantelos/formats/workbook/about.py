"""What the format is, and how it is told from others."""

from pantelos.formats.format import Format
from pantelos.formats.text.inside import is_workbook

WORKBOOK = Format(
    id="workbook",
    title="Workbook",
    suffixes=(".xlsx", ".ods", ".xls", ".xlsm"),
    home="workbook",
    name="workbook",
    written=(".xlsx",),
    recognise=is_workbook,
    place=10,
)
