"""A table of a study, for whatever works with tables: Arrow, pandas, polars, a notebook."""

from html import escape
from typing import Any

from pantelos.sheets.columnar_writers import arrow_table
from pantelos.sheets.table import Table as Computed
from pantelos.sheets.table import TableCell


class Table:
    """Columns by their keys, with titles and units; `method` says how its numbers were taken."""

    def __init__(self, computed: Computed) -> None:
        self._computed = computed

    @property
    def id(self) -> str:
        """What it is called by."""
        return self._computed.id

    @property
    def title(self) -> str:
        """Its heading."""
        return self._computed.title

    @property
    def columns(self) -> tuple[str, ...]:
        """The keys of its columns."""
        return tuple(column.key for column in self._computed.columns)

    @property
    def units(self) -> dict[str, str]:
        """The unit of each column by its key; empty where it has none."""
        return {column.key: column.unit for column in self._computed.columns}

    @property
    def method(self) -> tuple[str, ...]:
        """How its numbers were taken, after which standard."""
        return self._computed.method

    def __len__(self) -> int:
        return len(self._computed.rows)

    def __getitem__(self, key: str) -> list[TableCell]:
        """Return a column: numbers in its unit, None where one is missing."""
        if key not in self.columns:
            raise KeyError(f"{self.id} has no column {key!r}; there are {', '.join(self.columns)}")
        return self._computed.column(key)

    def rows(self) -> list[dict[str, TableCell]]:
        """Return its rows, each by the keys of its columns."""
        return [dict(zip(self.columns, row, strict=True)) for row in self._computed.rows]

    def to_arrow(self) -> Any:
        """Return it as a `pyarrow.Table`; titles and units in the metadata of its fields."""
        return arrow_table(self._computed)

    def to_pandas(self) -> Any:
        """Return it as a data frame of `pandas`, where that is installed."""
        return self.to_arrow().to_pandas()

    def __arrow_c_stream__(self, requested_schema: Any = None) -> Any:
        """Hand it over by the Arrow PyCapsule interface: pandas, polars and DuckDB take it without a copy."""
        return self.to_arrow().__arrow_c_stream__(requested_schema)

    def __repr__(self) -> str:
        return f"<table {self.id}: {len(self)} rows, {', '.join(self.columns)}>"

    def _repr_html_(self) -> str:
        head = "".join(f"<th>{escape(column.heading)}</th>" for column in self._computed.columns)
        body = "".join(f"<tr>{''.join(f'<td>{_said(cell)}</td>' for cell in row)}</tr>" for row in self._computed.rows)
        foot = escape("; ".join(self.method))
        return f"<table><caption>{escape(self.title)}</caption><tr>{head}</tr>{body}</table><small>{foot}</small>"


def _said(cell: TableCell) -> str:
    return "" if cell is None else escape(cell) if isinstance(cell, str) else f"{cell:.6g}"
