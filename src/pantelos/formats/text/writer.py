"""Writes text: a preamble of marked lines, names with units, time in the first column, numbers in full."""

from pathlib import Path
from typing import IO

from pantelos.formats.output import Output
from pantelos.progress import Progress


def write_text(path: Path, output: Output, progress: Progress) -> None:
    """Write samples as delimited text, comma or (for `.tsv`) tab, in UTF-8."""
    with path.open("wb") as file:
        write_text_into(file, "\t" if path.suffix.lower() == ".tsv" else ",", output, progress)


def write_text_into(file: IO[bytes], delimiter: str, output: Output, progress: Progress) -> None:
    """Write the same into a file that is open."""
    import pyarrow as pa  # here, for the sake of a quick start
    import pyarrow.csv as pacsv

    headings = ["t [s]", *(channel.heading for channel in output.channels)]
    schema = pa.schema([(name, pa.float64()) for name in headings])
    options = pacsv.WriteOptions(include_header=False, delimiter=delimiter)
    for key, value in output.statements:
        file.write(f"# {key}: {' '.join(value.split())}\n".encode())
    file.write((delimiter.join(f'"{name}"' if delimiter in name or '"' in name else name for name in headings) + "\n").encode())
    with pacsv.CSVWriter(file, schema, write_options=options) as out:
        for low, high in output.parts(progress):
            columns = [output.times(low, high), *(channel.read(low, high) for channel in output.channels)]
            out.write_table(pa.table([pa.array(column, from_pandas=True) for column in columns], schema=schema))
