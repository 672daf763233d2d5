"""Output of the command line: progress, tables, machine-readable values."""

import json
import math
import sys
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from typing import Any

from pantelos.cli.command import say
from pantelos.notation import number
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.sheets.table import Table


@contextmanager
def shown_progress(title: str) -> Iterator[Progress]:
    """Show a bar on standard error while the work goes on; nothing where that is not a terminal."""
    if not sys.stderr.isatty():
        yield Progress()
        return
    from rich.console import Console  # here, for the sake of a quick start
    from rich.progress import BarColumn, TimeRemainingColumn
    from rich.progress import Progress as Bar

    with Bar(
        "{task.description}",
        BarColumn(),
        "{task.percentage:>3.0f} %",
        TimeRemainingColumn(),
        console=Console(stderr=True),
        transient=True,
    ) as bar:
        task = bar.add_task(title, total=1.0)
        yield Progress(lambda fraction: bar.update(task, completed=fraction))


def say_told(notices: Iterable[Notice]) -> None:
    """Print what is to be said of a recording: what was left out, guessed or done to it."""
    for notice in notices:
        say(f"  {'!' if notice.severity.asks else '·'} {notice.sentence}")


def say_json(content: Any) -> None:
    """Print machine-readable output; missing numbers are null."""
    say(json.dumps(_finite(content), ensure_ascii=False, indent=1))


def _finite(content: Any) -> Any:
    if isinstance(content, float):
        return content if math.isfinite(content) else None
    if isinstance(content, dict):
        return {key: _finite(value) for key, value in content.items()}
    if isinstance(content, list | tuple):
        return [_finite(value) for value in content]
    return content


def say_table(table: Table) -> None:
    """Print a table for people: columns that say nothing are left out, remarks stand below."""
    from rich.console import Console
    from rich.table import Table as Grid

    grid = Grid(title=f"{table.title} · {table.subtitle}", title_justify="left", box=None, pad_edge=False)
    shown = [
        k
        for k, column in enumerate(table.columns)
        if column.key != "remarks" and any(cell is not None for cell in table.column(column.key))
    ]
    for k in shown:
        numeric = not any(isinstance(cell, str) for cell in table.column(table.columns[k].key))
        grid.add_column(table.columns[k].heading, justify="right" if numeric else "left", no_wrap=True)
    for row in table.rows:
        cells = (row[k] for k in shown)
        grid.add_row(*(cell if isinstance(cell, str) else str(cell) if isinstance(cell, int) else number(cell) for cell in cells))
    console = Console(width=max(240, Console().width))
    console.print(grid)
    remarks = table.column("remarks") if any(column.key == "remarks" for column in table.columns) else ()
    said = dict.fromkeys((row[0], row[1], remark) for row, remark in zip(table.rows, remarks, strict=False))
    for place, subject, remark in said:
        if remark:
            console.print(f"! {place}, {subject}: {remark}")
