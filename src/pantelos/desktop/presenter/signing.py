"""What keeps a report from being signed, and what each decision rule would say."""

from collections.abc import Sequence

import msgspec

from pantelos.checks.calibrations import calibrations
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.quality import judged_sets
from pantelos.errors import PantelosError
from pantelos.notation import counted
from pantelos.notice import Notice, Severity
from pantelos.quality.rules import RULES
from pantelos.quality.verdicts import Verdict
from pantelos.study import operations as op

_NEEDED = ("object", "customer", "order", "place", "tester")
_COUNTED = (Verdict.INSIDE, Verdict.UNDECIDED, Verdict.OUTSIDE)


class Signing(msgspec.Struct, frozen=True):
    """How many verdicts each rule gives, and the open points."""

    counts: dict[str, tuple[int, int, int]]  # by rule: inside, undecided, outside; empty without limits
    points: tuple[Notice, ...]


def signing(evaluation: Evaluation, notices: Sequence[Notice]) -> Signing:
    """Return what stands between a report and its signature; `notices` is what the checks found."""
    counts = dict[str, tuple[int, int, int]]()
    points = list(_facts(evaluation))
    study = evaluation.study
    try:
        for rule in RULES if study.quality.sets else ():
            found = [one for of in judged_sets(evaluation.on(op.set_quality(study, rule=rule))) for one in of.judged]
            inside, undecided, outside = (sum(one.verdict is verdict for one in found) for verdict in _COUNTED)
            counts[rule] = inside, undecided, outside
            if rule == study.quality.rule:
                points += _verdicts(len(found), inside, undecided, outside)
    except PantelosError as error:
        points.append(Notice(Severity.CAUTION, "report.verdicts", "there are no verdicts", str(error)))
    points += calibrations(evaluation)
    asking = [notice for notice in notices if notice.severity.asks and not notice.code.startswith("report.")]
    if asking:
        said = "; ".join(notice.text for notice in asking[:3])
        points.append(Notice(Severity.CAUTION, "report.checks", f"checks that ask for attention: {len(asking)}", said))
    return Signing(counts, tuple(sorted(points, key=lambda one: not one.severity.asks)))


def _facts(evaluation: Evaluation) -> list[Notice]:
    report = evaluation.study.report
    missing = [name for name in _NEEDED if not report.facts.get(name)]
    found = [Notice(Severity.CAUTION, "report.facts", f"not stated: {', '.join(missing)}", "")] if missing else []
    if not report.equipment:
        found.append(Notice(Severity.CAUTION, "report.equipment", "no equipment is stated", "with serial number and calibration"))
    return found


def _verdicts(n: int, inside: int, undecided: int, outside: int) -> list[Notice]:
    found = []
    if outside or undecided:
        said = f"{outside} outside, {undecided} undecided"
        found.append(Notice(Severity.CAUTION, "report.verdicts", f"{said}: the customer has to be told", "it is on the page"))
    if n > inside + undecided + outside:
        left = n - inside - undecided - outside
        found.append(
            Notice(Severity.NOTE, "report.verdicts", f"{counted(left, 'requirement')} not judged", "why stands on the page")
        )
    elif n:
        found.append(Notice(Severity.FINE, "report.verdicts", "every requirement has a verdict", f"{n} of {n}"))
    return found
