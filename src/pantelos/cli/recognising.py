"""The command wiring: what the channels of a study are, by names, units and waveforms."""

from typing import Annotated

from pantelos.cli.command import Option, say
from pantelos.cli.opened import AsJson, StudyPath, opened
from pantelos.cli.reporting import say_json
from pantelos.engine.proposal import left_over, proposals
from pantelos.study.storage import save_study
from pantelos.study.suggestion import Suggestion, follow_all


def wiring(
    study: StudyPath,
    take: Annotated[bool, Option("--take", help="Make the connections, and save the study.")] = False,
    as_json: AsJson = False,
) -> None:
    """Say what channels without a place look like, and how sure that is; with --take, connect them so."""
    evaluation = opened(study)
    found = proposals(evaluation)
    left = left_over(evaluation, found)
    if take and found:
        save_study(follow_all(evaluation.study, found), study)
    if as_json:
        say_json({"connections": [_row(one) for one in found], "left": left, "taken": bool(take and found)})
        return
    for one in found:
        say(f"{one.wiring.title}: {one.why}")
        for socket, channel in one.sockets.items():
            why = f"   {one.why_of[channel]}" if channel in one.why_of else ""
            say(f"  {socket:4} {channel}{why}")
    if not found:
        say("Nothing is clear enough to be proposed.")
    for name, why in left.items():
        say(f"  {'-':4} {name}   {why}")
    if take and found:
        say(f"Connected in {study}.")


def _row(one: Suggestion) -> dict[str, object]:
    return {"wiring": one.wiring.id, "sockets": one.sockets, "reversed": list(one.turned), "why": one.why, "why_of": one.why_of}
