"""Verdicts of limit sets, a row for each requirement."""

import math
from collections.abc import Iterable, Sequence

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.quality import JudgedSet, judged_sets, surveyed
from pantelos.notation import MISSING, counted, minus
from pantelos.notice import Notice
from pantelos.paper.paper import Ink, Role
from pantelos.progress import Progress
from pantelos.quality.rules import RULES
from pantelos.quality.survey import SupplySurvey
from pantelos.quality.turning import turning
from pantelos.quality.verdicts import AS_MEASURED, Judged, Verdict
from pantelos.sheets.blocks import About, Bar, Block, Cell, CellGrid, GridColumn, GridRow, SectionHeading, Sheet, Words
from pantelos.sheets.numbers import beside_limit
from pantelos.sheets.table import Table, TableCell, TableColumn, cell
from pantelos.study.model import Study
from pantelos.tables.explaining import Explanation
from pantelos.tables.kind import Given, Heads, SheetLayout, TableKind

_AS_MEASURED = "No period is full, so this is no verdict: what was measured, held against the limits of a whole one."
SPREAD = ("least", "0.5 %", "5 %", "50 %", "95 %", "99 %", "largest")


def quality_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return the verdict on every limit of the chosen sets over the whole record, the worst channel of each."""
    sets = judged_sets(evaluation, None, progress)
    columns = (
        TableColumn("set", "limit set"),
        TableColumn("requirement", "requirement"),
        TableColumn("id", "id", "", "of the requirement in its set"),
        TableColumn("statistic", "statistic"),
        TableColumn("channel", "worst", "", "the channel that governs"),
        TableColumn("measured", "measured", "", "what the statistic leaves, nearest to a limit"),
        TableColumn("U", "±", "", "expanded uncertainty of the measured value, k = 2"),
        TableColumn("unit", "unit"),
        TableColumn("low", "low limit"),
        TableColumn("high", "high limit"),
        TableColumn("limit", "limit"),
        TableColumn("margin", "margin", "", "share of the limit that is left, negative beyond it"),
        TableColumn("verdict", "verdict"),
        TableColumn("share_inside", "inside", "%", "share of the valid values inside the limits"),
        TableColumn("n_total", "values"),
        TableColumn("n_valid", "valid", "", "whole and not flagged"),
        TableColumn("n_flagged", "flagged", "", "taken during a dip, swell or interruption"),
        *(TableColumn(f"spread_{k}", title, "", "of the valid values of the worst channel") for k, title in enumerate(SPREAD)),
        TableColumn("remarks", "remarks", "", "why, and what a review should know"),
        TableColumn("period", "period", "", "the one that governs, of the whole ones in the record"),
        TableColumn("turns", "what would turn it", "", "the smallest change of the values or of their accuracy"),
        TableColumn("as_measured", "as measured", "", "would be, if a whole period were as what was measured: no verdict"),
    )
    rows = [_row(of, one) for of in sets for one in of.judged]
    outside = sum(one.verdict is Verdict.OUTSIDE for of in sets for one in of.judged)
    subtitle = f"{counted(len(rows), 'requirement')}, {outside} outside"
    return Table("quality", "Quality of the supply", subtitle, columns, tuple(rows), tuple(_method(evaluation, sets)))


def _row(of: JudgedSet, one: Judged) -> tuple[TableCell, ...]:
    limit = one.limit
    mark = " ?" if limit.requirement.to_confirm else ""
    spread = [cell(x) for x in one.spread] or [None] * len(SPREAD)
    return (
        of.of.title, limit.title, limit.id, one.statistic, one.channel or None, cell(one.measured), cell(one.within),
        limit.requirement.unit or None, limit.low, limit.high, one.text + mark, cell(one.margin), str(one.verdict),
        cell(one.share_inside), one.n_total, one.n_valid, one.n_flagged, *spread, "; ".join(one.why) or None,
        one.period or None, turning(one) or None, f"would be {one.would}" if one.would is not None else None,
    )  # fmt: skip


def _method(evaluation: Evaluation, sets: list[JudgedSet]) -> list[str]:
    """Return what stands behind all verdicts."""
    said = [f"{one.of.title}: {one.of.source}, {one.of.edition}. {one.of.remark}".strip() for one in sets]
    if any(not one.limit.requirement.formula for of in sets for one in of.judged):
        found = surveyed(evaluation)
        said += [f"of {found.source}", *survey_method(found.survey)]
    inputs = evaluation.study.quality.inputs
    if inputs:
        said.append("stated: " + ", ".join(f"{name} = {value:g}" for name, value in inputs.items()))
    return [
        *said,
        f"decision rule: {RULES[evaluation.study.quality.rule].sentence}",
        "the share of values inside decides, not a percentile between two of them; the worst channel governs",
        "?: to be confirmed against the edition you hold; it never turns outside into inside",
    ]


def survey_method(found: SupplySurvey) -> list[str]:
    """Return how parameters were taken."""
    of = found.declared
    beside = "not clock aligned: the record says no date, or begins beside the ticks"
    aligned = "aligned to the clock" if found.aligned else beside
    return [
        f"U_din {of.voltage:g} V, {of.frequency_hz} Hz; dip below {100 * of.thresholds.dip:g} %, swell above "
        f"{100 * of.thresholds.swell:g} %, interruption below {100 * of.thresholds.interruption:g} %, hysteresis "
        f"{100 * of.thresholds.hysteresis:g} %, against the {'sliding' if of.sliding else 'declared'} voltage",
        f"windows of 10 or 12 cycles, aggregated by root mean square to 3 s, 10 min and 2 h (IEC 61000-4-30), {aligned}",
        f"flicker of a lamp of {of.lamp} V (IEC 61000-4-15); subgroups of lines (IEC 61000-4-7)",
        *found.remarks,
    ]


def explained_quality(evaluation: Evaluation, heads: Heads, key: str, notices: Iterable[Notice]) -> Explanation | None:
    """Return what stands behind a verdict."""
    for of in judged_sets(evaluation):
        for one in of.judged:
            if of.of.title == heads["set"] and one.limit.id == heads["id"]:
                return _explained(of, one)
    return None


def _explained(of: JudgedSet, one: Judged) -> Explanation:
    unit = one.limit.requirement.unit
    behind = f" {unit}" if unit else ""
    figure, sure = beside_limit(one.measured, one.within)
    said = figure + behind if math.isfinite(one.measured) else MISSING
    within = f"{sure}{behind} (k = 2)" if sure else "its accuracy is not stated"
    facts = [
        ("verdict", f"{one.verdict}, limit {one.text}"),
        *([("as measured here", f"would be {one.would} if it stayed so")] if one.would is not None else []),
        *([("period", one.period)] if one.period else []),
        *([("what would turn it", turning(one))] if turning(one) else []),
        ("statistic", f"{one.statistic}{f' of {one.channel}, the worst channel' if one.channel else ''}"),
        ("values", f"{one.n_valid} of {one.n_total} are whole and not flagged; {one.n_flagged} flagged"),
        *(("spread", ", ".join(f"{title} {x:.5g}" for title, x in zip(SPREAD, one.spread, strict=True))) for _ in one.spread[:1]),
        *(("why", line) for line in one.why),
        (
            "after",
            f"{of.of.source}, {of.of.edition}" + (f", {one.limit.requirement.clause}" if one.limit.requirement.clause else ""),
        ),
    ]
    return Explanation(minus(one.limit.title), minus(said), minus(within), tuple(facts), (), (), "")


# as a sheet


INKS: dict[Verdict, Ink] = {
    Verdict.INSIDE: Role.INK,
    Verdict.OUTSIDE: Role.FAULT,
    Verdict.UNDECIDED: Role.CAUTION,
    Verdict.INSUFFICIENT: Role.SOFT,
    Verdict.NOT_JUDGED: Role.CAUTION,
}


def _lacking(study: Study) -> str:
    return "" if study.quality.sets else "No limit set is chosen. Choose one on the Tables page."


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
    blocks += [Words(RULES[evaluation.study.quality.rule].sentence, Role.SOFT)] if seen - {Verdict.INSUFFICIENT} else []
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
    judged = [one for one in of.judged if one.verdict is not Verdict.INSUFFICIENT]
    here = [one for one in of.judged if one.would is not None]
    blocks: list[Block] = [SectionHeading(of.of.title)] if headed else []
    if judged:
        blocks.append(verdict_grid([(of, one) for one in judged], "verdict"))
        blocks += [Words(text, Role.SOFT) for text in dict.fromkeys(map(_periods, judged)) if text]
    if here:
        blocks += [
            SectionHeading("As measured here"),
            Words(_AS_MEASURED, Role.SOFT),
            verdict_grid([(of, one) for one in here], "no verdict"),
        ]
    whys: dict[str, list[str]] = {}
    for one in of.judged:
        if one.verdict is Verdict.INSUFFICIENT:
            whys.setdefault(one.why[0] if one.why else "", []).append(one.limit.title)
    blocks += [Words(f"insufficient data — {why}: {', '.join(names)}", Role.SOFT) for why, names in whys.items()]
    edition = f"{of.of.source}, {of.of.edition}. {of.of.remark}".strip()
    return [*blocks, Words(edition, Role.SOFT)]


def _periods(one: Judged) -> str:
    """Return which period governs, and what the others say; empty where a verdict is of no period of the clock."""
    if not one.period:
        return ""
    rest = f"; {'; '.join(one.others)}" if one.others else ""
    return f"of {one.period}{', the worst' if one.others else ''}{rest}"


def verdict_grid(some: Sequence[tuple[JudgedSet, Judged]], last: str) -> CellGrid:
    """Return verdicts as rows: each value against its limit, drawn, with its margin."""
    columns = (
        GridColumn("requirement", right=False), GridColumn("statistic", right=False), GridColumn("measured"), GridColumn("limit"),
        GridColumn("0 … limit", right=False, share=0.2), GridColumn("margin"), GridColumn(last, right=False),
    )  # fmt: skip
    return CellGrid(columns, tuple(_laid_row(of, one) for of, one in some))


def _laid_row(of: JudgedSet, one: Judged) -> GridRow:
    """Return a row; of what is no verdict, in soft ink."""
    ink, strong = INKS[one.verdict], one.verdict in (Verdict.OUTSIDE, Verdict.UNDECIDED)
    unit = one.limit.requirement.unit
    text, within = beside_limit(one.measured, one.within)
    about = About("quality", (("set", of.of.title), ("id", one.limit.id), ("requirement", one.limit.title)), "measured")
    statistic = one.statistic.removesuffix(AS_MEASURED) + (f", {one.channel}" if one.channel else "")
    mark = " ?" if one.limit.requirement.to_confirm else ""
    share = 1 - one.margin if math.isfinite(one.margin) else math.nan
    value = one.measured if math.isfinite(one.measured) else None
    said = f"would be {one.would} if it stayed so" if one.would is not None else str(one.verdict)
    return GridRow(
        (
            Cell(one.limit.title, bold=True),
            Cell(statistic, ink=Role.SOFT),
            Cell(f"{text} {unit}".strip(), within, ink, strong, about=about, value=value),
            Cell(one.text + mark, ink=Role.SOFT),
            Cell(bar=Bar(share, _as_share(one), ink) if math.isfinite(share) else None),
            Cell(minus(f"{one.margin:.2f}") if math.isfinite(one.margin) else MISSING, ink=ink),
            Cell(said, ink=ink, bold=strong, about=about),
        )
    )


def _as_share(one: Judged) -> float:
    """Return the uncertainty as a share of the limit."""
    low, high = one.limit.low, one.limit.high
    size = 0.5 * (high - low) if low is not None and high is not None else abs(high if high is not None else low or 0.0)
    return one.within / size if size and math.isfinite(one.within) else 0.0


QUALITY_TABLE = TableKind(
    "quality",
    "Quality of the supply",
    "limits, what was measured, verdicts",
    quality_table,
    explained_quality,
    SheetLayout(quality_sheet, help="verdicts, each value against its limit", of_supply=True, place=6, lacks=_lacking),
    place=5,
)
