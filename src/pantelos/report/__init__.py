"""Finished tables, explanations and exports of what the engine computed."""

from pantelos.report.registry import TABLES, TableKind, build_tables, table_kind

__all__ = ["TABLES", "TableKind", "build_tables", "table_kind"]
