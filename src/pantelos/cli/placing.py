"""Commands about places and single numbers: events of a study, and what stands behind a reading."""

from typing import Annotated

from pantelos.cli.command import Argument, say
from pantelos.cli.opened import AsJson, OneInterval, StudyPath, opened, within
from pantelos.cli.reporting import say_json, shown_progress
from pantelos.notation import counted, with_unit
from pantelos.study.sentences import search_from, sentence
from pantelos.tables.explaining import explain_expression


def events(
    study: StudyPath,
    what: Annotated[str, Argument(help="Events of the study by name, or a sentence such as 'u1 rises through 0 V'.")],
    as_json: AsJson = False,
) -> None:
    """List events; the study is not changed."""
    evaluation = opened(study)
    known = {search.name: search for search in evaluation.study.searches}
    search = known.get(what) or search_from(what, evaluation.names.types)
    with shown_progress("looking") as progress:
        found = evaluation.events.find(search, progress)
    instants = [evaluation.times.instant(position) for position in found.positions.tolist()]
    if as_json:
        say_json(
            {
                "sentence": sentence(search, evaluation.names.unit(search.channel)),
                "time_s": instants,
                "told": found.told,
                "values": (found.values / found.unit.factor).tolist(),
                "unit": found.unit.symbol,
            }
        )
        return
    for number, (instant, value) in enumerate(zip(instants, found.values.tolist(), strict=True), start=1):
        say(f"{number}\t{instant:.9g} s\t{with_unit(value, found.unit)}")
    say(counted(len(found), "event"), err=True)


def explain(
    study: StudyPath,
    reading: Annotated[
        str,
        Argument(
            help="A reading such as 'rms(u1)' or 'mean(p) in \"steady lift\"', a formula with one value, or a cell of the table "
            "of powers, as in 'P of L1 of mains in steady'."
        ),
    ],
    interval: OneInterval = None,
    as_json: AsJson = False,
) -> None:
    """Say what stands behind a number: place, method, standard, accuracy budget."""
    said = explain_expression(within(opened(study), interval), reading)
    if as_json:
        say_json(
            {
                "title": said.title,
                "value": said.value,
                "range": said.range,
                "facts": [list(fact) for fact in said.facts],
                "budget": [[line.input, line.shape, line.contribution, line.share] for line in said.budget],
            }
        )
    else:
        say(said.text)
