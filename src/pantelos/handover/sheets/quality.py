"""Quality of the supply: a row for each requirement, its value drawn against the limit, the verdict in words."""

import math

from pantelos.engine.quality import JudgedSet, judged_sets, surveyed
from pantelos.handover.blocks import About, Bar, Block, Cell, CellGrid, GridColumn, GridRow, SectionHeading, Sheet, Words
from pantelos.handover.numbers import beside_limit
from pantelos.handover.sheets.sheet import Given, SheetKind
from pantelos.notation import MISSING, counted, minus
from pantelos.paper.paper import Ink, Role
from pantelos.quality.verdicts import Judged, Verdict

INKS: dict[Verdict, Ink] = {
    Verdict.INSIDE: Role.INK,
    Verdict.OUTSIDE: Role.FAULT,
    Verdict.UNDECIDED: Role.CAUTION,
    Verdict.INSUFFICIENT: Role.SOFT,
    Verdict.NOT_JUDGED: Role.CAUTION,
}


def quality_sheet(given: Given) -> Sheet:
    """Return the verdicts of every chosen set."""
    evaluation = given.evaluation
    sets = judged_sets(evaluation, None, given.progress)
    blocks: list[Block] = []
    for of in sets:
        blocks += _of_set(of, headed=len(sets) > 1)
    seen = {one.verdict for of in sets for one in of.judged}
    if any(one.limit.requirement.to_confirm for of in sets for one in of.judged):
        blocks.append(
            Words("? this limit is to be confirmed against the edition you hold; it never turns outside into inside.", Role.SOFT)
        )
    if Verdict.UNDECIDED in seen:
        blocks.append(Words("undecided: the limit lies within the uncertainty of the measured value.", Role.SOFT))
    wrong = [f"{one.limit.title}: {one.why[0]}" for of in sets for one in of.judged if one.verdict is Verdict.NOT_JUDGED]
    blocks += [Words(text, Role.CAUTION) for text in dict.fromkeys(wrong)]
    return Sheet("quality", "Quality of the supply", _subtitle(given, sets), tuple(blocks))


def _subtitle(given: Given, sets: list[JudgedSet]) -> str:
    said = [of.of.title for of in sets]
    if any(not one.limit.requirement.formula for of in sets for one in of.judged):
        found = surveyed(given.evaluation).survey
        said.append(f"U_din {found.declared.voltage:g} V")
        ten = found.levels.get("10 min")
        if ten is not None:
            flagged = int(ten.flagged.sum())
            said.append(f"{counted(len(ten.span), 'value')} of 10 min" + (f", {flagged} flagged" if flagged else ""))
        said.append("clock aligned" if found.aligned else "not clock aligned")
    return " · ".join([*said, "each phase judged, the worst is shown"])


def _of_set(of: JudgedSet, headed: bool) -> list[Block]:
    columns = (
        GridColumn("requirement", right=False), GridColumn("statistic", right=False), GridColumn("measured"), GridColumn("limit"),
        GridColumn("0 … limit", right=False, share=0.2), GridColumn("margin"), GridColumn("verdict", right=False),
    )  # fmt: skip
    judged = [one for one in of.judged if one.verdict is not Verdict.INSUFFICIENT]
    rows = [_row(of, one) for one in judged]
    short = [one for one in of.judged if one.verdict is Verdict.INSUFFICIENT]
    blocks: list[Block] = [SectionHeading(of.of.title)] if headed else []
    if rows:
        blocks.append(CellGrid(columns, tuple(rows)))
    if short:
        whys: dict[str, list[str]] = {}
        for one in short:
            whys.setdefault(one.why[0] if one.why else "", []).append(one.limit.title)
        blocks += [Words(f"insufficient data — {why}: {', '.join(names)}", Role.SOFT) for why, names in whys.items()]
    edition = f"{of.of.source}, {of.of.edition}. {of.of.remark}".strip()
    return [*blocks, Words(edition, Role.SOFT)]


def _row(of: JudgedSet, one: Judged) -> GridRow:
    ink, strong = INKS[one.verdict], one.verdict in (Verdict.OUTSIDE, Verdict.UNDECIDED)
    unit = one.limit.requirement.unit
    text, within = beside_limit(one.measured, one.within)
    heads = (("set", of.of.title), ("id", one.limit.id), ("requirement", one.limit.title))
    about = About("quality", heads, "measured")
    statistic = one.statistic + (f", {one.channel}" if one.channel else "")
    mark = " ?" if one.limit.requirement.to_confirm else ""
    share = 1 - one.margin if math.isfinite(one.margin) else math.nan
    return GridRow(
        (
            Cell(one.limit.title, bold=True),
            Cell(statistic, ink=Role.SOFT),
            Cell(
                f"{text} {unit}".strip(),
                within,
                ink,
                strong,
                about=about,
                value=one.measured if math.isfinite(one.measured) else None,
            ),
            Cell(one.text + mark, ink=Role.SOFT),
            Cell(bar=Bar(share, _as_share(one), ink) if math.isfinite(share) else None),
            Cell(minus(f"{one.margin:.2f}") if math.isfinite(one.margin) else MISSING, ink=ink),
            Cell(str(one.verdict), ink=ink, bold=strong, about=about),
        )
    )


def _as_share(one: Judged) -> float:
    """Return the uncertainty as a share of the limit."""
    low, high = one.limit.low, one.limit.high
    size = 0.5 * (high - low) if low is not None and high is not None else abs(high if high is not None else low or 0.0)
    return one.within / size if size and math.isfinite(one.within) else 0.0


QUALITY_SHEET = SheetKind(
    "quality", "Quality of the supply", "verdicts, each value against its limit", quality_sheet, of_supply=True, place=6
)
