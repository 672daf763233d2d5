"""Tables in files for programs: HDF5 with a group a table, Parquet with one table; units and source beside the numbers."""

import io
import json
from collections.abc import Sequence
from typing import Any

import numpy as np

from pantelos.errors import StudyError
from pantelos.sheets.table import Table, TableCell, TableSet


def hdf5(tables: TableSet) -> bytes:
    """Return an HDF5 file: a group a table, a dataset a column with its title and unit, provenance at the root."""
    import h5py  # here, for the sake of a quick start

    out = io.BytesIO()
    with h5py.File(out, "w") as file:
        file.attrs["study"], file.attrs["program"] = tables.provenance.study, tables.provenance.program
        file.attrs["provenance"] = json.dumps(tables.provenance.facts, ensure_ascii=False)
        for table in tables.tables:
            group = file.create_group(table.id)
            group.attrs["title"], group.attrs["method"] = table.title, "\n".join(table.method)
            group.attrs["columns"] = [column.key for column in table.columns]
            for column in table.columns:
                cells = table.column(column.key)
                kind = h5py.string_dtype() if _is_text(cells) else None
                made = group.create_dataset(column.key, data=_values(cells), dtype=kind)
                made.attrs["title"], made.attrs["unit"] = column.title, column.unit
    return out.getvalue()


def parquet(tables: TableSet) -> bytes:
    """Return a Parquet file of one table; title, unit and provenance in the metadata.

    Raises
    ------
    StudyError
        When there is more than one table.
    """
    from pyarrow import parquet as pq

    if len(tables.tables) != 1:
        raise StudyError("A Parquet file holds one table. Choose one, such as series.")
    (table,) = tables.tables
    said = {
        "study": tables.provenance.study,
        "program": tables.provenance.program,
        "table": table.title,
        "method": "\n".join(table.method),
        "provenance": json.dumps(tables.provenance.facts, ensure_ascii=False),
    }
    out = io.BytesIO()
    pq.write_table(arrow_table(table).replace_schema_metadata(said), out)
    return out.getvalue()


def arrow_table(table: Table) -> Any:
    """Return a table as a `pyarrow.Table`: titles and units in the metadata of its fields."""
    import pyarrow as pa

    fields, arrays = [], []
    for column in table.columns:
        cells = table.column(column.key)
        kind = pa.string() if _is_text(cells) else pa.int64() if _is_whole(cells) else pa.float64()
        fields.append(pa.field(column.key, kind, metadata={"title": column.title, "unit": column.unit}))
        arrays.append(pa.array(["" if _is_text(cells) and cell is None else cell for cell in cells], kind))
    return pa.Table.from_arrays(arrays, schema=pa.schema(fields))


def _is_text(cells: Sequence[TableCell]) -> bool:
    return any(isinstance(cell, str) for cell in cells)


def _is_whole(cells: Sequence[TableCell]) -> bool:
    return bool(cells) and all(isinstance(cell, int) for cell in cells)


def _values(cells: Sequence[TableCell]) -> Sequence[TableCell] | np.ndarray:
    if _is_text(cells):
        return [cell or "" for cell in cells]
    if _is_whole(cells):
        return np.array(cells, dtype=np.int64)
    return np.array([np.nan if cell is None else cell for cell in cells], dtype=np.float64)
