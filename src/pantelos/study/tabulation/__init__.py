"""The tables of a study: one module each, from computed results to finished tables."""

from pantelos.study.tabulation.registry import TABLES, TableKind, build_tables, table_kind

__all__ = ["TABLES", "TableKind", "build_tables", "table_kind"]
