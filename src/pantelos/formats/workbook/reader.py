"""A workbook is read like the text that its sheet makes: `text.inside` writes it."""

from pantelos.formats.text.preview import preview_text as preview_workbook
from pantelos.formats.text.reader import read_text as read_workbook

__all__ = ["preview_workbook", "read_workbook"]
