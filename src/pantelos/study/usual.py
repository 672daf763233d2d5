"""What the settings say where a file or a chain says nothing: the order of dates that may be read both ways, limits of error.

It acts wherever a recording is understood or imported, in the window and on the command line alike, and is told or stands in the
chain of the channel: nothing is supposed in silence.
"""

import contextlib

import msgspec

from pantelos.errors import PantelosError
from pantelos.formats.dialect import Preview
from pantelos.settings import load_settings
from pantelos.study import operations
from pantelos.study.model import Study
from pantelos.units import unit


def with_usual_dates(found: Preview) -> Preview:
    """Return what was understood with dates that may be read both ways as the settings say, and said so."""
    from pantelos.formats import remarks  # here, for the sake of a quick start: opening a study understands no file
    from pantelos.formats.dates import DAY_FIRST, MONTH_FIRST

    first = {"day": DAY_FIRST, "month": MONTH_FIRST}.get(load_settings().dates)
    if first is None or all(notice.code != remarks.DATE_ORDER for notice in found.told):
        return found
    said = remarks.order_guessed(found.rows[0][found.dialect.time_column or 0] if found.rows else "", first == DAY_FIRST)
    said = msgspec.structs.replace(said, detail="nothing in the file tells; your settings say so")
    columns = tuple(msgspec.structs.replace(c, order=first) if c.order else c for c in found.dialect.columns)
    told = tuple(said if notice.code == remarks.DATE_ORDER else notice for notice in found.told)
    return msgspec.structs.replace(found, dialect=msgspec.structs.replace(found.dialect, columns=columns), told=told)


def with_usual_accuracy(study: Study, before: frozenset[str] = frozenset()) -> Study:
    """Return the study with the limits that the settings give to channels that were not there before and state none."""
    usual = load_settings().accuracy
    for channel in study.channels if usual else ():
        if channel.name not in before and channel.scaling.accuracy is None:
            chain = channel.scaling.text(unit(channel.recorder_unit))
            with contextlib.suppress(PantelosError):  # a limit in A says nothing of volts
                study = operations.scale_channel(study, channel.name, f"{chain}, accuracy {usual}")
    return study
