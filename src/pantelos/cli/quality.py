"""The commands quality and limits: parameters of power quality, verdicts, and the limit sets there are."""

from pathlib import Path
from typing import Annotated, Any

import msgspec

from pantelos.changes.options import DECLARED
from pantelos.cli.command import Argument, Option, say
from pantelos.cli.opened import AsJson, StudyPath, opened
from pantelos.cli.reporting import say_json, say_table, shown_progress
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.sheets.table import Table
from pantelos.study import operations as op
from pantelos.study.model import Quality

Declares = Annotated[list[str] | None, Option("--declare", help=DECLARED)]
_READ = (
    "requirement",
    "statistic",
    "channel",
    "measured",
    "U",
    "limit",
    "margin",
    "verdict",
    "n_valid",
    "share_inside",
    "as_measured",
)
_JUDGED = _READ.index("verdict") + 1
_TABLES = ("quality", "disturbances", "dip_cells")
_VALUES = {"10 s": "ten_seconds", "10 min": "ten_minutes", "2 h": "two_hours"}


def quality(
    study: StudyPath,
    declare: Declares = None,
    values: Annotated[str | None, Option(help=f"Print values instead of verdicts: {', '.join(_VALUES)}.")] = None,
    as_json: AsJson = False,
    to: Annotated[Path | None, Option("--to", help="Write the tables to this file.")] = None,
    turns: Annotated[bool, Option("--turns", help="Say of each verdict what would turn it.")] = False,
) -> None:
    """Judge the quality of the supply: verdicts against limit sets, disturbances, values."""
    from pantelos.sheets.writers import json_of, write_tables
    from pantelos.tables.building import build_tables  # here, for the sake of a quick start

    evaluation = declared(opened(study), declare)
    if values is not None and values not in _VALUES:
        raise StudyError(f'There are no values of "{values}"; there are {", ".join(_VALUES)}.')
    wanted = (
        [_VALUES[values]] if values is not None else [id_ for id_ in _TABLES if evaluation.study.quality.sets or id_ != "quality"]
    )
    with shown_progress("computing") as progress:
        made = build_tables(evaluation, wanted, None, progress)
    for title, why in made.provenance.not_given:
        say(f"{title}: {why}", err=True)
    if to is not None:
        write_tables(made, to)
        say(f"{to}: {', '.join(t.id for t in made.tables)}", err=as_json)
    if as_json:
        say_json(json_of(made))
    elif to is None:
        for table in made.tables:
            say_table(_for_people(table, turns) if table.id == "quality" else table)
            say("")
    if values is None and "quality" in wanted and not any(table.id == "quality" for table in made.tables):
        raise StudyError("There are no verdicts; why is said above.")


def _for_people(table: Table, turns: bool) -> Table:
    """Return the verdicts with the columns that fit a line."""
    read = (*_READ[:_JUDGED], "turns") if turns else _READ
    kept = [k for k, column in enumerate(table.columns) if column.key in read]
    rows = tuple(tuple(row[k] for k in kept) for row in table.rows)
    return msgspec.structs.replace(table, columns=tuple(table.columns[k] for k in kept), rows=rows)


def declared(evaluation: Evaluation, texts: list[str] | None) -> Evaluation:
    """Return the evaluation with more declared of the supply."""
    if not texts:
        return evaluation
    of = evaluation.study.quality
    for text in texts:
        of = op.quality_from(of, text)
    _check_inputs(of, evaluation.study.quality.inputs)
    changes = {name: getattr(of, name) for name in of.__struct_fields__}
    return evaluation.on(op.set_quality(evaluation.study, **changes))


def _check_inputs(of: Quality, before: dict[str, float]) -> None:
    """Refuse what is declared now and no chosen limit set asks for."""
    from pantelos.quality.limits import limit_set  # here, for the sake of a quick start

    asked = [name for one in of.sets for name in limit_set(one).inputs]
    strange = [name for name in of.inputs if name not in before and name not in asked]
    if of.sets and strange:
        there = f"they ask for {', '.join(dict.fromkeys(asked))}" if asked else "they ask for nothing"
        raise StudyError(f'No chosen limit set asks for "{strange[0]}"; {there}.')


def limits(
    name: Annotated[
        str | None, Argument(help="Limit set, or a file of your own; all are listed when left out.", metavar="SET")
    ] = None,
    study: Annotated[Path | None, Option(help="Work in the inputs that this study states.")] = None,
    as_json: AsJson = False,
) -> None:
    """List the limit sets there are, or the limits of one."""
    from pantelos.quality.limits import known_sets, limit_set, limits_of

    if name is None:
        sets = {id_: limit_set(str(path)) for id_, path in known_sets().items()}
        if as_json:
            say_json([{"id": id_, "title": one.title, "edition": one.edition, "inputs": one.inputs} for id_, one in sets.items()])
            return
        for id_, one in sets.items():
            needs = f"; needs {', '.join(one.inputs)}" if one.inputs else ""
            say(f"{id_:28} {one.title} ({one.edition}){needs}")
        return
    of = limit_set(name)
    inputs = opened(study).study.quality.known_inputs if study is not None else {}
    rows: list[dict[str, Any]] = [
        {
            "id": limit.id, "title": limit.title, "low": limit.low, "high": limit.high, "unit": limit.requirement.unit,
            "statistic": limit.requirement.statistic, "share": limit.requirement.share, "base": limit.requirement.base,
            "to_confirm": limit.requirement.to_confirm,
        }
        for limit in limits_of(of, {name: inputs.get(name, 1.0) for name in of.inputs} if study is None else inputs)
    ]  # fmt: skip
    if as_json:
        say_json(
            {"id": of.id, "title": of.title, "source": of.source, "edition": of.edition, "inputs": of.inputs, "limits": rows}
        )
        return
    say(f"{of.title}: {of.source}, {of.edition}. {of.remark}")
    if of.inputs and study is None:
        say(f"shown with {', '.join(f'{key} = 1' for key in of.inputs)}; name a study to work its own in")
    for row in rows:
        bounds = " to ".join(f"{row[key]:g}" for key in ("low", "high") if row[key] is not None)
        mark = " ?" if row["to_confirm"] else ""
        say(f"{row['title']:36} {bounds} {row['unit']}, {row['statistic']} {row['share']:g} % of {row['base']}{mark}")
