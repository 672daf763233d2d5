"""Packed text is read like text that is not: what `text.inside` opens is unpacked."""

from pantelos.formats.text.preview import preview_text as preview_packed
from pantelos.formats.text.reader import read_text as read_packed

__all__ = ["preview_packed", "read_packed"]
