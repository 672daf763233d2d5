"""The report of a campaign: what was asked of which records, all values together, every record, each value over records."""

import math
from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np

from pantelos.campaigns.conditions import Limit, Standing, standing
from pantelos.campaigns.rows import Cell as Value
from pantelos.campaigns.rows import Known
from pantelos.campaigns.store import Campaign
from pantelos.campaigns.summary import summary_of, unlike_the_others
from pantelos.campaigns.words import said_in, unit_of
from pantelos.notation import MISSING, counted, from_to, number
from pantelos.paper.axis import value_ticks
from pantelos.paper.paper import Align, Box, Dash, Paper, Role, draw_value_axis
from pantelos.sheets.blocks import (
    Block,
    Cell,
    CellGrid,
    Composition,
    FactList,
    Figure,
    GridColumn,
    GridRow,
    SectionHeading,
    Sheet,
    Words,
)
from pantelos.tables.writing import without_commands, write_report
from pantelos.units import Unit, unit
from pantelos.version import __version__

_INKS = {Standing.OUTSIDE: Role.FAULT, Standing.UNDECIDED: Role.CAUTION}
_WIDE, _HIGH = 900.0, 220.0
LEFT, RIGHT = 80.0, 20.0  # of an area, pixels
_TOP, _BOTTOM = 26.0, 30.0
_MOST_NAMES = 24


def write_campaign_report(made: Campaign, records: Sequence[Known], path: Path) -> list[str]:
    """Write the report of some records; return the titles of its sheets."""
    of = composed(made, records)
    write_report(of, None, path)
    return [sheet.title for sheet in of.sheets]


def composed(made: Campaign, records: Sequence[Known]) -> Composition:
    """Return the report as sheets."""
    names = [one.name for one in made.wanted]
    odd = unlike_the_others(names, made.records())
    title = f"{made.recipe.title or made.path.stem}: {counted(len(records), 'record')}"
    sheets = (_overview(made, records, odd), _of_records(made, records, odd), _over_records(made, records))
    said = {made.recipe.title, *names, *(known.name for known in records)}
    return Composition(
        title, f"Pantelos {__version__}", sheets, (), made.recipe.report.paper, made.recipe.report.language, frozenset(said)
    )


def _overview(made: Campaign, records: Sequence[Known], odd: dict[int, str]) -> Sheet:
    states = {state: sum(known.state == state for known in records) for state in ("done", "failed", "waiting")}
    pairs = [("records", ", ".join(f"{n} {state}" for state, n in states.items() if n))]
    pairs += [(one.name, one.expression) for one in made.wanted if one.name != one.expression]
    pairs += [(f"place {one.name}", one.rule or from_to(one.start_s, one.stop_s)) for one in made.recipe.intervals]
    pairs += [("limit", limit.text) for limit in made.limits]
    heads = ("", "", "n", "mean", "s", "min", "in", "max", "in", "worst ±", "inside", "outside", "undecided")
    columns = tuple(GridColumn(head, right=head not in ("", "in")) for head in heads)
    rows = []
    for one in made.wanted:
        of = summary_of(one.name, records, made.limits)
        digits = ((of.mean, 5), (of.s, 3), (of.low, 5), (of.high, 5), (of.worst, 2))
        values = [Cell(number(value, n) if math.isfinite(value) else MISSING) for value, n in digits]
        limited = any(limit.name == one.name for limit in made.limits)
        counts = [Cell(str(n)) if limited else Cell() for n in (of.inside, of.outside, of.undecided)]
        counts[1] = Cell(counts[1].text, ink=Role.FAULT if of.outside else Role.INK, bold=bool(of.outside))
        cells = (
            Cell(one.name, bold=True),
            Cell(of.unit, ink=Role.SOFT),
            Cell(str(of.n)),
            *values[:3],
            Cell(of.low_in, ink=Role.SOFT),
            values[3],
            Cell(of.high_in, ink=Role.SOFT),
            values[4],
            *counts,
        )
        rows.append(GridRow(cells))
    blocks: list[Block] = [FactList(tuple(pairs)), SectionHeading("All records"), CellGrid(columns, tuple(rows))]
    named = {known.id: known.name for known in records}
    unlike = [Words(f"{named[id_]}: {said}", Role.CAUTION) for id_, said in odd.items() if id_ in named]
    blocks += [SectionHeading("Unlike the others"), *unlike] if unlike else []
    failed = [Words(f"{known.name}: {without_commands(_alone(known))}", Role.FAULT) for known in records if known.sentence]
    blocks += [SectionHeading("Without a row"), *failed] if failed else []
    return Sheet("campaign", "Campaign", "s: standard deviation of single values; ± expanded uncertainty, k = 2", tuple(blocks))


def _alone(known: Known) -> str:
    """Return the sentence of a record without the name of its file, which stands before it."""
    return known.sentence.removeprefix(f"{Path(known.path).name}: ")


def _of_records(made: Campaign, records: Sequence[Known], odd: dict[int, str]) -> Sheet:
    names, limits = [one.name for one in made.wanted], {limit.name: limit for limit in made.limits}
    columns = [GridColumn("record", right=False)]
    columns += [GridColumn(f"{name} {unit_of(name, records, made.limits).symbol}".removesuffix(" 1")) for name in names]
    columns.append(GridColumn("remark", right=False, share=0.3))
    rows = []
    for known in records:
        if known.sentence:
            rows.append(
                GridRow(
                    (
                        Cell(known.name, bold=True, ink=Role.FAULT),
                        *[Cell(MISSING, ink=Role.SOFT)] * len(names),
                        Cell("no row", ink=Role.FAULT),
                    )
                )
            )
            continue
        cells = [_value(known.cells.get(name), limits.get(name), unit_of(name, records, made.limits)) for name in names]
        why = [f"{name}: {cell.remark}" for name, cell in known.cells.items() if cell.value is None]
        said = "; ".join(([f"unlike the others: {odd[known.id]}"] if known.id in odd else []) + why) or (
            "waiting" if known.state == "waiting" else ""
        )
        rows.append(GridRow((Cell(known.name, bold=True), *cells, Cell(said, ink=Role.CAUTION))))
    return Sheet("campaign_records", "Records", counted(len(records), "record"), (CellGrid(tuple(columns), tuple(rows)),))


def _value(cell: Value | None, limit: Limit | None, shown: Unit) -> Cell:
    if cell is None or cell.value is None:
        return Cell(MISSING, ink=Role.SOFT)
    stands = standing(cell, limit) if limit is not None else None
    ink = _INKS.get(stands, Role.INK) if stands is not None else Role.INK
    value_text, _, within = said_in(cell, shown).partition(" ±")
    return Cell(value_text, f"±{within.strip()}" if within else "", ink, bold=ink is not Role.INK, value=cell.value)


def _over_records(made: Campaign, records: Sequence[Known]) -> Sheet:
    blocks: list[Block] = []
    for one in made.wanted:
        points = points_of(one.name, records)
        if points:
            limit = next((limit for limit in made.limits if limit.name == one.name), None)
            shown = unit_of(one.name, records, made.limits)
            draw = _drawing(points, limit, shown)
            blocks.append(Figure(f"{one.name} over the records, {shown.symbol}".removesuffix(", 1"), _WIDE, _HIGH, draw))
    return Sheet(
        "campaign_course", "Over the records", "each value with its ±, the mean dashed, the limit in full", tuple(blocks)
    )


def points_of(name: str, records: Sequence[Known]) -> list[tuple[str, float, float]]:
    """Return (record, value, ±) in SI of the records that have a value; NaN where no ± is stated."""
    found = []
    for known in records:
        cell = known.cells.get(name)
        if cell is not None and cell.value is not None:
            factor = unit(cell.unit or "1").factor
            found.append((known.name, cell.value * factor, math.nan if cell.expanded is None else cell.expanded * factor))
    return found


def _drawing(points: Sequence[tuple[str, float, float]], limit: Limit | None, shown: Unit) -> Callable[[Paper, Box], None]:
    return lambda paper, box: draw_points(paper, box, points, limit, shown)


def draw_points(paper: Paper, box: Box, points: Sequence[tuple[str, float, float]], limit: Limit | None, shown: Unit) -> None:
    """Draw values over records, their ± as whiskers, their mean dashed, the limit as a line with its words."""
    area = box.within(LEFT, _TOP, RIGHT, _BOTTOM)
    values = np.array([value for _, value, _ in points])
    half = np.nan_to_num(np.array([expanded for _, _, expanded in points]))
    ends = [float(np.min(values - half)), float(np.max(values + half)), *([limit.amount] if limit is not None else [])]
    room = 0.08 * (max(ends) - min(ends)) or 0.1 * abs(ends[0]) or 1.0
    scale = (min(ends) - room, max(ends) + room)
    marks, symbol = value_ticks(*scale, shown, max(area.height / 26, 2))
    draw_value_axis(paper, area, ((mark.value, mark.text) for mark in marks), scale)
    paper.words(Box(area.left, area.top - 18, 60, 14), symbol, Role.SOFT)
    across = area.x(np.arange(len(points), dtype=np.float64) + 0.5, (0.0, float(len(points))))
    up = area.y(values, scale)
    mean = float(area.y(np.array([np.mean(values)]), scale)[0])
    paper.rule(area.left, mean, area.right, mean, Role.SOFT, Dash.DASHED)
    if limit is not None:
        at = float(area.y(np.array([limit.amount]), scale)[0])
        paper.rule(area.left, at, area.right, at, Role.INK)
        paper.words(Box(area.left + 4, at - 15, 220, 14), f"limit {limit.sign_shown} {limit.written}", Role.INK, 8)
    every = max(math.ceil(len(points) / _MOST_NAMES), 1)
    for k, (name, value, expanded) in enumerate(points):
        beyond = limit is not None and not limit.holds(value)
        ink = Role.FAULT if beyond else Role.INK
        if math.isfinite(expanded):
            low, high = area.y(np.array([value - expanded, value + expanded]), scale)
            paper.rule(float(across[k]), float(low), float(across[k]), float(high), Role.SOFT)
        paper.bar(Box(float(across[k]) - 2.5, float(up[k]) - 2.5, 5, 5), ink)
        if k % every == 0:
            paper.words(Box(float(across[k]) - 30, area.bottom + 6, 60, 14), name[-8:], Role.SOFT, 7, align=Align.CENTRE)
