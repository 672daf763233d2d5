"""Finished tables, explanations and exports of what the engine computed."""

from pantelos.report.registry import TABLES, build_tables
from pantelos.report.sheets.sheet import TableKind

__all__ = ["TABLES", "TableKind", "build_tables"]
