"""The command campaign: a finished study done again on many records, its table, its report."""

from enum import StrEnum
from pathlib import Path
from typing import Annotated

import msgspec

from pantelos.campaigns.conditions import chosen, limit_from
from pantelos.campaigns.recipe import check_recipe
from pantelos.campaigns.report import write_campaign_report
from pantelos.campaigns.rows import Known, Row, Wanted
from pantelos.campaigns.running import run
from pantelos.campaigns.store import Campaign
from pantelos.campaigns.summary import unlike_the_others
from pantelos.campaigns.tables import tables_of
from pantelos.campaigns.watching import watch
from pantelos.cli.campaign_words import as_json_of, lines_of
from pantelos.cli.command import Argument, Option, say
from pantelos.cli.reporting import say_json, shown_progress
from pantelos.errors import StudyError
from pantelos.notation import counted
from pantelos.sheets.writers import write_tables
from pantelos.study.model import Study
from pantelos.study.parts import files_meant
from pantelos.study.storage import load_study

SOME_FAILED = 3  # exit code: there are rows, and records without


class Action(StrEnum):
    """What is to be done with a campaign."""

    NEW = "new"
    SET = "set"
    ADD = "add"
    RUN = "run"
    SHOW = "show"
    EXPORT = "export"
    REPORT = "report"
    WATCH = "watch"


def campaign(
    action: Annotated[Action, Argument(help="new, set, add, run, show, export, report or watch.", metavar="ACTION")],
    campaign: Annotated[Path, Argument(help="Campaign file (.campaign).", metavar="C")],
    record: Annotated[
        list[Path], Argument(help="For add: files, folders, or patterns such as 'runs/*.csv'.", metavar="RECORD")
    ] = [],  # noqa: B006
    recipe: Annotated[
        Path | None, Option("--recipe", help="The finished study that is done again on every record (new, set).")
    ] = None,
    value: Annotated[
        list[str] | None, Option("--value", help="What is taken of every record: 'eta = mean(p2) / mean(p1)' (new, set).")
    ] = None,
    limit: Annotated[list[str] | None, Option("--limit", help="What a value is held against: 'eta >= 92 %' (new, set).")] = None,
    alias: Annotated[
        list[str] | None, Option("--alias", help="What else a column may be called: 'U1 = UL1, U_L1' (new, set).")
    ] = None,
    workers: Annotated[
        int | None, Option("--workers", help="Processes at a time (run, watch); all processors when left out.")
    ] = None,
    scheduler: Annotated[
        str | None, Option("--scheduler", help="Address of a cluster's scheduler, tcp://HOST:8786 (run, watch).")
    ] = None,
    again: Annotated[bool, Option("--again", help="Take all records anew (run).")] = False,
    where: Annotated[
        str | None, Option("--where", help="Only these rows: 'eta < 92 %', 'failed', 'odd', 'outside' (show, export, report).")
    ] = None,
    sort: Annotated[
        str | None, Option("--sort", help="By this value, or record, began; 'largest eta' from the largest on (show, export).")
    ] = None,
    to: Annotated[
        Path | None, Option("--to", help="File to write: tables, or HTML, PDF, XLSX for a report (export, report).")
    ] = None,
    folder: Annotated[
        Path | None, Option("--folder", help="Folder whose new files are taken as they become whole (watch).")
    ] = None,
    once: Annotated[bool, Option("--once", help="Take what is there and end (watch).")] = False,
    as_json: Annotated[bool, Option("--json", help="Print as JSON.")] = False,
) -> int:
    """Do a finished study again on many records: pantelos campaign new C --recipe STUDY --value …, add C FILES, run C, show C."""
    asked = Asked(
        action, campaign, record, recipe, value, limit, alias, workers, scheduler, again, where, sort, to, folder, once, as_json
    )
    made = _new(asked) if action is Action.NEW else Campaign(campaign)
    try:
        _set(made, asked)
        if record:
            n = made.add(files_meant(record))
            say(f"{campaign}: {n} new, {made.count()} in all", err=as_json)
        return _DOES[action](made, asked)
    finally:
        made.close()


class Asked(msgspec.Struct, frozen=True):
    """What was asked for, as options give it."""

    action: Action
    path: Path
    record: list[Path]
    recipe: Path | None
    value: list[str] | None
    limit: list[str] | None
    alias: list[str] | None
    workers: int | None
    scheduler: str | None
    again: bool
    where: str | None
    sort: str | None
    to: Path | None
    folder: Path | None
    once: bool
    as_json: bool

    @property
    def target(self) -> Path:
        """The file to write."""
        if self.to is None:
            raise StudyError("Say where it is to be written: --to FILE.")
        return self.to


def _recipe(path: Path) -> Study:
    study = load_study(path)
    check_recipe(study)
    return study


def _new(asked: Asked) -> Campaign:
    if asked.recipe is None:
        raise StudyError("A campaign needs its recipe: --recipe STUDY.")
    study = _recipe(asked.recipe)
    wanted = [Wanted.from_text(text) for text in asked.value or []] or [Wanted(name, name) for name in study.report.own]
    return Campaign.new(asked.path, study, wanted)


def _set(made: Campaign, asked: Asked) -> None:
    """Take what new and set say of a campaign; what a value is called is known by then."""
    if asked.action is Action.SET:
        if asked.recipe is not None:
            made.set_recipe(_recipe(asked.recipe))
        if asked.value:
            made.set_wanted([Wanted.from_text(text) for text in asked.value])
    if asked.limit:
        limits = [limit_from(text) for text in asked.limit]
        names = [one.name for one in made.wanted]
        unknown = next((one.name for one in limits if one.name not in names), None)
        if unknown is not None:
            raise StudyError(f'The limit speaks of "{unknown}", which is not taken. Values are {", ".join(names) or "none"}.')
        made.set_limits(limits)
    if asked.alias:
        pairs = [text.partition("=") for text in asked.alias]
        made.set_aliases(made.aliases | {name.strip(): tuple(one.strip() for one in also.split(",")) for name, _, also in pairs})


def _told(path: Path, row: Row) -> None:
    if row.sentence:
        say(row.sentence if row.sentence.startswith(path.name) else f"{path.name}: {row.sentence}", err=True)


def _run(made: Campaign, asked: Asked) -> int:
    if not made.count():
        raise StudyError("There is no record in this campaign yet. Take some in: pantelos campaign add C FILES.")
    with shown_progress("records") as progress:
        done, failed = run(made, asked.workers, asked.scheduler, asked.again, progress, _told)
    n, without = made.count(), made.count("failed")
    say(f"{done} done, {failed} failed, {n - done - failed} as they were; {without} of {n} records have no row")
    return 0 if not without else SOME_FAILED if made.count("done") else 1


def _watch(made: Campaign, asked: Asked) -> int:
    if asked.folder is None:
        raise StudyError("Say which folder is watched: --folder FOLDER.")
    watch(made, asked.folder, asked.workers, asked.scheduler, _told, asked.once)
    return 0


def _show(made: Campaign, asked: Asked) -> int:
    rows = _rows(made, asked.where, asked.sort)
    if asked.as_json:
        say_json(as_json_of(made, rows))
    else:
        for line in lines_of(made, rows):
            say(line)
    return 0


def _export(made: Campaign, asked: Asked) -> int:
    rows = _rows(made, asked.where, asked.sort)
    write_tables(tables_of(made, rows), asked.target)
    say(f"{asked.target}: {counted(len(rows), 'record')}")
    return 0


def _report(made: Campaign, asked: Asked) -> int:
    rows = _rows(made, asked.where, asked.sort)
    say(f"{asked.target}: {', '.join(write_campaign_report(made, rows, asked.target))}")
    return 0


def _say_state(made: Campaign, asked: Asked) -> int:
    if not asked.record:
        say(f"{asked.path}: {counted(made.count(), 'record')}, {counted(len(made.wanted), 'value')}")
    return 0


_DOES = {
    Action.NEW: _say_state,
    Action.SET: _say_state,
    Action.ADD: _say_state,
    Action.RUN: _run,
    Action.SHOW: _show,
    Action.EXPORT: _export,
    Action.REPORT: _report,
    Action.WATCH: _watch,
}


def _rows(made: Campaign, where: str | None, sort: str | None) -> list[Known]:
    records = made.records()
    names = [one.name for one in made.wanted]
    if where:
        asked = chosen(where, unlike_the_others(names, records), made.limits)
        records = [known for known in records if asked(known)]
    if sort:
        backwards, name = sort.startswith("largest "), sort.removeprefix("largest ").strip()
        if name in ("record", "began"):
            return sorted(records, key=lambda known: known.name if name == "record" else known.began, reverse=backwards)
        if name not in names:
            raise StudyError(f'"{name}" is no value of this campaign; there are {", ".join(names)}, record and began.')
        given = [known for known in records if (cell := known.cells.get(name)) is not None and cell.value is not None]
        rest = [known for known in records if known not in given]
        return [*sorted(given, key=lambda known: known.cells[name].value or 0.0, reverse=backwards), *rest]
    return records
