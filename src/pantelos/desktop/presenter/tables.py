"""What stands behind a cell of a table."""

from collections.abc import Iterable

from pantelos.notice import Notice
from pantelos.reading.kinds import reading_kind
from pantelos.study.evaluation import Evaluation
from pantelos.study.explaining import Explanation, explain_power, explain_reading, explain_value


def explained_cell(
    evaluation: Evaluation, table: str, keys: dict[str, str], column: str, notices: Iterable[Notice]
) -> Explanation | None:
    """Return the explanation of a number; None for tables whose method stands below them."""
    interval = keys.get("interval")
    match table:
        case "readings" | "comparison":
            kind = reading_kind(keys.get("reading", column))
            place = interval if table == "readings" else column
            known = kind is not None and (table == "readings" or any(i.name == column for i in evaluation.study.intervals))
            return explain_reading(evaluation, kind, [keys["channel"]], place, notices) if kind is not None and known else None
        case "readouts":
            return explain_value(evaluation, keys["name"], notices)
        case "power":
            connection = evaluation.study.connection(keys["connection"])
            return explain_power(evaluation, connection, keys["element"], column, interval, notices)
    return None
