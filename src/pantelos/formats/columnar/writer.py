"""Writes Parquet and Arrow IPC: time and channels as columns of float64, facts in the metadata of the table."""

from pathlib import Path

from pantelos.formats.output import Output
from pantelos.progress import Progress


def write_columnar(path: Path, output: Output, progress: Progress) -> None:
    """Write samples as a table; missing ones are null."""
    import pyarrow as pa  # here, for the sake of a quick start
    import pyarrow.parquet as pq

    headings = ["t [s]", *(channel.heading for channel in output.channels)]
    schema = pa.schema([(name, pa.float64()) for name in headings], metadata=dict(output.statements))
    writer = pq.ParquetWriter(path, schema) if path.suffix.lower() == ".parquet" else pa.ipc.new_file(path, schema)
    with writer as out:
        for low, high in output.parts(progress):
            columns = [output.times(low, high), *(channel.read(low, high) for channel in output.channels)]
            out.write_table(pa.table([pa.array(column, from_pandas=True) for column in columns], schema=schema))
