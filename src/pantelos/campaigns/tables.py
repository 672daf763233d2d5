"""What a campaign hands over: the table of its records, and the report with summary, trends, what is odd and what failed."""

import math
from collections.abc import Sequence

from pantelos.campaigns.conditions import standing
from pantelos.campaigns.rows import Known
from pantelos.campaigns.store import Campaign
from pantelos.campaigns.summary import summary_of, unlike_the_others
from pantelos.notation import counted
from pantelos.sheets.table import Provenance, Table, TableCell, TableColumn, TableSet
from pantelos.version import __version__


def records_table(campaign: Campaign, records: Sequence[Known]) -> Table:
    """Return records × values: each with its ±, the standing to its limit, and the sentence where there is no value."""
    names = [one.name for one in campaign.wanted]
    limits = {limit.name: limit for limit in campaign.limits}
    odd = unlike_the_others(names, campaign.records())
    units = {name: next((k.cells[name].unit for k in records if name in k.cells and k.cells[name].unit), "") for name in names}
    columns = [TableColumn("record", "record"), TableColumn("began", "began"), TableColumn("state", "state")]
    for name in names:
        columns += [TableColumn(name, name, units[name]), TableColumn(f"U_{name}", f"± {name}", units[name])]
        if name in limits:
            columns.append(TableColumn(f"standing_{name}", limits[name].text))
    columns += [TableColumn("odd", "unlike the others"), TableColumn("remark", "remark"), TableColumn("path", "path")]
    rows = []
    for known in records:
        row: list[TableCell] = [known.name, known.began, known.state]
        remarks = [known.sentence] if known.sentence else []
        for name in names:
            cell = known.cells.get(name)
            row += [None if cell is None else cell.value, None if cell is None else cell.expanded]
            if name in limits:
                row.append(str(standing(cell, limits[name])))
            if cell is not None and cell.value is None:
                remarks.append(f"{name}: {cell.remark}")
        rows.append((*row, odd.get(known.id, ""), "; ".join(remarks), known.path))
    method = [f"{one.name} = {one.expression}" for one in campaign.wanted]
    method += [f"{interval.name}: {interval.rule}" for interval in campaign.recipe.intervals if interval.rule]
    return Table(
        "campaign",
        "Records",
        f"{counted(len(rows), 'record')}; ± expanded uncertainty, k = 2",
        tuple(columns),
        tuple(rows),
        tuple(method),
    )


def summary_table(campaign: Campaign, records: Sequence[Known]) -> Table:
    """Return one row per value: n, mean, scatter, extremes with their record, worst ±, standing to limits."""
    columns = (
        TableColumn("value", "value"),
        TableColumn("unit", "unit"),
        TableColumn("n", "n"),
        TableColumn("mean", "mean"),
        TableColumn("s", "s"),
        TableColumn("min", "min"),
        TableColumn("min_in", "in"),
        TableColumn("max", "max"),
        TableColumn("max_in", "in"),
        TableColumn("worst_U", "worst ±"),
        TableColumn("inside", "inside"),
        TableColumn("outside", "outside"),
        TableColumn("undecided", "undecided"),
    )
    rows = []
    for one in campaign.wanted:
        of = summary_of(one.name, records, campaign.limits)
        limited = any(limit.name == one.name for limit in campaign.limits)
        numbers = [value if math.isfinite(value) else None for value in (of.mean, of.s, of.low, of.high, of.worst)]
        counts = (of.inside, of.outside, of.undecided) if limited else (None, None, None)
        rows.append(
            (of.name, of.unit, of.n, numbers[0], numbers[1], numbers[2], of.low_in, numbers[3], of.high_in, numbers[4], *counts)
        )
    return Table("campaign_summary", "All records", "s: standard deviation of single values", columns, tuple(rows), ())


def tables_of(campaign: Campaign, records: Sequence[Known]) -> TableSet:
    """Return what is exported."""
    facts = [("campaign", campaign.path.name), ("recipe", campaign.recipe.title), ("records", str(len(records)))]
    facts += [("limit", limit.text) for limit in campaign.limits]
    about = Provenance(campaign.recipe.title or campaign.path.stem, f"Pantelos {__version__}", tuple(facts))
    return TableSet((records_table(campaign, records), summary_table(campaign, records)), about)
