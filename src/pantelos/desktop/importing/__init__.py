"""The import preview: what was understood of one file or several, shown and corrected before anything is built."""

from pantelos.desktop.importing.dialog import ImportDialog

__all__ = ["ImportDialog"]
