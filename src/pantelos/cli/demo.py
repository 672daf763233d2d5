"""The command that shows everything: writes the demo, and without a display the full example."""

import os
from pathlib import Path
from typing import Annotated

from pantelos.campaigns import Campaign
from pantelos.campaigns.report import write_campaign_report
from pantelos.campaigns.running import run
from pantelos.checks import run_checks
from pantelos.cli.command import Option, say
from pantelos.cli.display import has_display, open_window
from pantelos.cli.reporting import shown_progress
from pantelos.demo.lifts import ensure_campaign_demo
from pantelos.demo.small import SMALL_DEMOS, ensure_small_demo
from pantelos.demo.writing import ensure_demo
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.sheets.writers import WRITERS, write_tables
from pantelos.study.opening import record_of
from pantelos.study.storage import load_study
from pantelos.tables.building import build_tables
from pantelos.tables.composition import compose
from pantelos.tables.writing import WRITTEN, write_report


def demo(
    to: Annotated[Path | None, Option("--to", help="Folder for the demo (the cache folder).")] = None,
    which: Annotated[str, Option("--which", help="lift, " + ", ".join(demo.id for demo in SMALL_DEMOS) + ", campaign.")] = "lift",
    no_window: Annotated[bool, Option("--no-window", help="Write tables and pictures instead of opening the window.")] = False,
) -> int:
    """Open a demo: the goods lift acceptance run or a small one; without a display write its tables and pictures."""
    if which == "campaign":
        return _campaign(to, no_window)
    small = next((demo for demo in SMALL_DEMOS if demo.id == which), None)
    if small is None and which != "lift":
        raise StudyError(f'There is no demo "{which}"; there are lift, {", ".join(demo.id for demo in SMALL_DEMOS)}, campaign.')
    with shown_progress("writing the demo") as progress:
        study = ensure_small_demo(small, to, progress) if small is not None else ensure_demo(to, progress)
    say(f"study:    {study}")
    if no_window or not has_display():
        _without_window(study, pictures=small is None)
        return 0
    return open_window(study)


def _campaign(to: Path | None, no_window: bool) -> int:
    """Write the forty runs, take their values, and open the campaign or write its report."""
    with shown_progress("writing the demo") as progress:
        path = ensure_campaign_demo(to, progress)
    say(f"campaign: {path}")
    made = Campaign(path)
    with shown_progress("records") as progress:
        run(made, progress=progress)
    if no_window or not has_display():
        records = made.records()
        for suffix in WRITTEN:
            write_campaign_report(made, records, path.with_suffix(suffix))
            say(f"report:   {path.with_suffix(suffix)}")
        made.close()
        return 0
    made.close()
    return open_window(path)


def _without_window(study: Path, pictures: bool) -> None:
    """Write the tables and pictures of the demo beside the study and say where they are."""
    opened = load_study(study)
    evaluation = Evaluation(opened, record_of(opened))
    with shown_progress("computing") as progress:
        tables = build_tables(evaluation, progress=progress)
    for writer in (writer for writer in WRITERS if not writer.single):
        path = study.with_suffix(writer.suffix) if writer.suffix != ".csv" else study.with_name(f"{study.stem}-tables.csv")
        write_tables(tables, path)
        say(f"tables:   {path}")
    with shown_progress("composing") as progress:
        report = compose(evaluation, run_checks(evaluation), progress)
    for suffix in WRITTEN:
        path = study.with_name(f"{study.stem}-report{suffix}")
        write_report(report, evaluation, path)
        say(f"report:   {path}")
    if not pictures:
        return
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from pantelos.desktop.pictures.screenshots import take_screenshots

    for picture in take_screenshots(study, study.parent / "pictures", others=False):
        say(f"picture:  {picture}")
