"""COMTRADE (IEEE C37.111): configuration and data, in two files or in one."""

from pantelos.formats.comtrade.reader import FORMAT

__all__ = ["FORMAT"]
