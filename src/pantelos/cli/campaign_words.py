"""What the command line says of a campaign: its table in lines, or as JSON."""

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import msgspec

from pantelos.campaigns.conditions import Limit, Standing, standing
from pantelos.campaigns.rows import Known
from pantelos.campaigns.store import Campaign
from pantelos.campaigns.summary import summary_of, unlike_the_others
from pantelos.campaigns.words import said
from pantelos.notation import number

_WIDEST = 40
_MARKED = (Standing.OUTSIDE, Standing.UNDECIDED)


def lines_of(made: Campaign, rows: Sequence[Known]) -> Iterator[str]:
    """Return a line for each record, one for each value over all of them, and how many are done."""
    names = [one.name for one in made.wanted]
    odd = unlike_the_others(names, made.records())
    limits = {limit.name: limit for limit in made.limits}
    table = [["record", *names, ""], *(_cells(known, names, odd.get(known.id, ""), limits) for known in rows)]
    full = [line for line in table if len(line) > 2]
    widths = [min(max(len(line[at]) for line in full), _WIDEST) for at in range(len(names) + 1)]
    for line in table:
        yield "  ".join(text.ljust(width) for text, width in zip(line, (*widths, 0), strict=False)).rstrip()
    for name in names:
        yield from _over_all(made, rows, name, limits)
    counts = {state: made.count(state) for state in ("done", "failed", "waiting")}
    yield ", ".join(f"{n} {state}" for state, n in counts.items() if n) or "no records"


def _cells(known: Known, names: Sequence[str], odd: str, limits: dict[str, Limit]) -> list[str]:
    """Return the texts of a record; one without a row says why."""
    if known.sentence:
        return [known.name, known.sentence.removeprefix(f"{Path(known.path).name}: ")]
    texts = []
    for name in names:
        cell = known.cells.get(name)
        stands = standing(cell, limits[name]) if name in limits else None
        texts.append(said(cell) + (f" {stands}" if stands in _MARKED else ""))
    why = [odd] if odd else []
    why += [f"{name}: {cell.remark}" for name, cell in known.cells.items() if cell.value is None]
    return [known.name, *texts, "; ".join(why) or ("waiting" if known.state == "waiting" else "")]


def _over_all(made: Campaign, rows: Sequence[Known], name: str, limits: dict[str, Limit]) -> Iterator[str]:
    of = summary_of(name, rows, made.limits)
    if not of.n:
        return
    text = f"{name}: n {of.n}, mean {number(of.mean, 5)} {of.unit}, s {number(of.s, 3)}, min {number(of.low, 5)} ({of.low_in}), "
    text += f"max {number(of.high, 5)} ({of.high_in}), worst ± {number(of.worst, 2)}"
    if name in limits:
        text += f"; {of.inside} inside, {of.outside} outside, {of.undecided} undecided of {limits[name].text}"
    yield text
    remarks = {cell.remark for known in rows if (cell := known.cells.get(name)) and cell.value is not None and cell.remark}
    for remark in sorted(remarks):
        yield f"  {name}: {remark}"


def as_json_of(made: Campaign, rows: Sequence[Known]) -> dict[str, Any]:
    """Return the table as JSON has it."""
    names = [one.name for one in made.wanted]
    odd = unlike_the_others(names, made.records())
    return {
        "values": [msgspec.to_builtins(one) for one in made.wanted],
        "limits": [limit.text for limit in made.limits],
        "records": [_json_of(made, known, odd.get(known.id, "")) for known in rows],
        "summary": [msgspec.to_builtins(summary_of(name, rows, made.limits)) for name in names],
    }


def _json_of(made: Campaign, known: Known, odd: str) -> dict[str, Any]:
    stands = {limit.name: str(standing(known.cells.get(limit.name), limit)) for limit in made.limits}
    return {
        "record": known.name,
        "path": known.path,
        "state": known.state,
        "began": known.began,
        "sentence": known.sentence,
        "odd": odd,
        "values": {name: msgspec.to_builtins(cell) for name, cell in known.cells.items()},
        "standing": stands if known.state == "done" else {},
    }
