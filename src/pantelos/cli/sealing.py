"""The command that closes a report: its version stays as it is."""

from typing import Annotated

from pantelos.cli.command import Option, say
from pantelos.cli.opened import AsJson, StudyPath
from pantelos.cli.reporting import say_json
from pantelos.study import operations as op
from pantelos.study.storage import load_study, save_study


def seal(
    study: StudyPath,
    show: Annotated[bool, Option("--list", help="Say which versions there are, and close none.")] = False,
    as_json: AsJson = False,
) -> None:
    """Close the report of a study as its next version, which stays beside later ones; report --version writes it again."""
    found = load_study(study)
    if not show:
        found = op.seal(found)
        save_study(found, study)
    if as_json:
        say_json([{"version": one.version, "issued": one.issued, "mark": one.mark} for one in found.sealed])
    elif not found.sealed:
        say("No version was closed yet.")
    for one in found.sealed if not as_json else ():
        say(f"version {one.version}, issued {one.issued}, mark {one.mark}")
