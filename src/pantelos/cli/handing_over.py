"""The commands report and bundle: the hand-over as HTML, PDF or a workbook, and everything in one file."""

from pathlib import Path
from typing import Annotated

from pantelos.checks import run_checks
from pantelos.cli.command import Argument, Option, say
from pantelos.cli.opened import AsJson, StudyPath, opened
from pantelos.cli.reporting import say_json, shown_progress
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.sheets.columns import choice_of, column_titles
from pantelos.sheets.languages import check_language, languages
from pantelos.study import operations as op
from pantelos.study.model import Study
from pantelos.study.opening import recordings_of
from pantelos.study.storage import load_study, save_study
from pantelos.tables.composition import chosen_sheets, compose, whole_sheet
from pantelos.tables.kinds import SHEETS
from pantelos.tables.writing import WRITTEN, write_report


def report(
    study: StudyPath,
    to: Annotated[list[Path] | None, Option("--to", help=f"Write to this file: {', '.join(WRITTEN)}. Repeatable.")] = None,
    sheet: Annotated[
        list[str] | None, Option(help=lambda: f"Sheet: {', '.join(SHEETS.names)}; those of the study when left out. Repeatable.")
    ] = None,
    interval: Annotated[
        list[str] | None, Option("--interval", help="Interval as a column; those of the study when left out.")
    ] = None,
    template: Annotated[Path | None, Option(help="Take the report of this study.")] = None,
    fact: Annotated[list[str] | None, Option(help="Of the title block: 'order = 4711'. Repeatable.")] = None,
    equipment: Annotated[
        list[str] | None,
        Option(help="What was measured with: 'clamp; serial CL-207; calibrated 2025-12-03; due 2026-12-03'. Repeatable; 'none'."),
    ] = None,
    logo: Annotated[str | None, Option(help="Picture at the head of the title page, PNG or SVG; 'none'.")] = None,
    own: Annotated[list[str] | None, Option(help="A reading or formula on the sheet of own values. Repeatable.")] = None,
    columns: Annotated[
        list[str] | None,
        Option(help="Columns of a sheet in their order, others left out: 'power = total, L1'; 'power =': all. Repeatable."),
    ] = None,
    paper: Annotated[str | None, Option(help="A4 or Letter.")] = None,
    language: Annotated[str | None, Option(help=lambda: f"Language of the files: {', '.join(languages())}.")] = None,
    version: Annotated[int | None, Option("--version", help="Write this closed version, as it was.")] = None,
    keep: Annotated[bool, Option("--keep", help="Keep these choices in the study.")] = False,
    as_json: AsJson = False,
) -> None:
    """Compose the report of a study and write it; without --to say which sheets it has."""
    evaluation = opened(study)
    changed = evaluation.study
    if version is not None:
        if keep or logo is not None or any((interval, template, fact, equipment, own, columns, paper, language)):
            raise StudyError("A closed version is written as it was: --version goes with --to, --sheet and --json alone.")
        changed = op.sealed_version(changed, version)
        evaluation = Evaluation(changed, recordings_of(changed).record(changed.record))
    if template is not None:
        changed = op.with_template(changed, load_study(template).report)
    changed = _with_title(changed, fact or [], equipment or [], logo)
    changes: dict[str, object] = {"own": (*changed.report.own, *(own or []))}
    changes |= {name: said for name, said in (("paper", paper), ("language", language)) if said is not None}
    check_language(language or changed.report.language)
    changes |= {"intervals": tuple(interval)} if interval else {}
    changed = op.set_report(changed, **changes)
    unknown = [name for name in sheet or [] if name not in SHEETS.names]
    if unknown:
        raise StudyError(f'There is no sheet "{unknown[0]}"; there are {", ".join(SHEETS.names)}.')
    for text in columns or []:
        changed = _with_columns(evaluation.on(changed), text)
    if keep:
        save_study(changed, study)
    evaluation = evaluation.on(changed)
    with shown_progress("composing") as progress:
        made = compose(evaluation, run_checks(evaluation), progress, sheet)
    for title, why in made.not_given:
        say(f"{title}: not given: {why}", err=True)
    for path in to or []:
        write_report(made, evaluation, path)
        say(f"{path}: {', '.join(one.title for one in made.sheets)}", err=as_json)
    if as_json:
        say_json([{"id": one.id, "title": one.title, "subtitle": one.subtitle} for one in made.sheets])
    elif not to:
        there = {one.id: one for one in made.sheets}
        for kind, on in chosen_sheets(changed.report):
            mark = "in " if kind.id in there else "-- "
            say(f"{mark} {kind.id:14} {there[kind.id].subtitle if kind.id in there else kind.help if on else 'left out'}")


def _with_title(study: Study, fact: list[str], equipment: list[str], logo: str | None) -> Study:
    """Return the study with what its title page is told."""
    for text in fact:
        label, equals, said = (part.strip() for part in text.partition("="))
        if not equals or not label:
            raise StudyError(f'--fact "{text}": write a label and what it says, as in order = 4711.')
        study = op.set_report(study, facts=study.report.facts | {label: said})
    if equipment:
        study = op.set_equipment(
            study, [] if equipment == ["none"] else [*(one.text for one in study.report.equipment), *equipment]
        )
    return study if logo is None else op.set_logo(study, None if logo == "none" else Path(logo))


def _with_columns(evaluation: Evaluation, text: str) -> Study:
    """Return the study with the columns of a sheet as a text says."""
    id_, equals, wanted = (part.strip() for part in text.partition("="))
    if not equals or id_ not in SHEETS.names:
        raise StudyError(f'--columns "{text}": write a sheet and its columns, as in power = total, L1.')
    titles = column_titles(whole_sheet(id_, evaluation, run_checks(evaluation)))
    shown = list[str]()
    while wanted:
        title = max((one for one in titles if f"{wanted},".startswith(f"{one},")), key=len, default="")  # one may hold a comma
        if not title:
            raise StudyError(f'The sheet {id_} has no column "{wanted.partition(",")[0]}"; it has {"; ".join(titles)}.')
        shown.append(title)
        wanted = wanted.removeprefix(title).removeprefix(",").strip()
    return op.choose_columns(evaluation.study, id_, choice_of(titles, shown or titles))


def bundle(
    study: StudyPath,
    to: Annotated[Path, Argument(help="File to write (.pantelos-bundle).", metavar="FILE")],
    interval: Annotated[str | None, Option("--interval", help="Only this stretch of the recordings, as samples.")] = None,
) -> None:
    """Write study, recordings, tables and report into one file that opens elsewhere."""
    from pantelos.tables.bundle import write_bundle  # here, for the sake of a quick start

    evaluation = opened(study)
    with shown_progress("packing") as progress:
        names = write_bundle(evaluation, run_checks(evaluation), to, interval, progress)
    say(f"{to}: {', '.join(names)}")
