"""The table of scaling chains: what each cell says, and what typing into it means."""

import math
from collections.abc import Sequence

import msgspec
import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.notation import with_unit
from pantelos.record.scaling import Scaling
from pantelos.record.transducer import TransducerKind
from pantelos.study import operations as op
from pantelos.study.model import ChannelSetup, Study, sides_of
from pantelos.units import Unit, unit

COLUMNS = ("channel", "column", "recorder", "transducer", "direction", "full scale", "accuracy", "now")
EDITABLE = (0, 2, 3)
TRANSDUCER, DIRECTION, NOW = 3, 4, 7
_LOOKED_AT = 8000  # samples, to say what a channel reads about now


class ChainRow(msgspec.Struct, frozen=True):
    """One channel: the texts of its cells."""

    name: str
    cells: tuple[str, ...]
    reversed: bool


def chain_rows(evaluation: Evaluation) -> list[ChainRow]:
    """Return one row per recorded channel."""
    sides = sides_of(evaluation.study)
    return [_row(setup, sides.get(setup.column, "")) for setup in evaluation.study.channels]


def _row(setup: ChannelSetup, side: str) -> ChainRow:
    recorder, scaling = unit(setup.recorder_unit), setup.scaling
    _, _, shown = scaling.resolve(recorder)
    reach = f"±{scaling.recorder_range:g} {recorder.symbol}" if scaling.recorder_range is not None else recorder.symbol
    reach += f", {side}" if side else ""
    direct = scaling.transducer.kind is TransducerKind.DIRECT
    transducer = "direct" if direct else str(scaling.transducer)
    full = scaling.full_scale(recorder)
    offset_note = f", offset {scaling.offset:g} {recorder.symbol}" if scaling.offset else ""
    cells = (
        setup.name,
        setup.column,
        reach,
        ", ".join(part for part in (transducer + offset_note, scaling.corrections) if part),
        "reversed" if scaling.reversed else "as wired",
        f"±{with_unit(full, shown, 4)}" if full is not None else f"{shown.symbol}, no range",
        _accuracy(scaling, shown),
        "",
    )
    return ChainRow(setup.name, cells, scaling.reversed)


def _accuracy(scaling: Scaling, shown: Unit) -> str:
    """Return the limits of error of a chain in a few words."""
    stated, response = scaling.accuracy, scaling.response
    certified = [f"certificate {200 * response.u_gain:.2g} %"] if response is not None and response.u_gain else []
    if stated is None:
        return ", ".join(certified) or "not stated"
    parts = certified
    parts += [stated.grade.text] if stated.grade is not None else []
    if stated.gain_percent or stated.offset:
        offset = f" + {with_unit(stated.offset, shown, 2)}" if stated.offset else ""
        parts.append(f"{stated.gain_percent:g} %{offset}")
    parts += [f"{math.degrees(stated.phase.limit):.3g}°"] if stated.phase is not None else []
    return ", ".join(parts) or "in part"


def edited_all(study: Study, names: Sequence[str], column: int, text: str) -> Study:
    """Return the study after the same was typed into a cell of several rows; a name is given to one row only.

    Raises
    ------
    PantelosError
        What the operation raises when the text does not fit one of them.
    """
    if column == 0 and len(names) > 1:
        raise StudyError("A name belongs to one channel. Choose one row to rename it.")
    for name in names:
        study = edited(study, name, column, text)
    return study


def effect(evaluation: Evaluation, study: Study, name: str) -> str:
    """Return what a chain makes of a channel: its full scale, and what it reads about now."""
    changed = evaluation.on(study)
    setup = study.channel(name)
    full, shown = setup.scaling.full_scale(unit(setup.recorder_unit)), changed.names.unit(name)
    parts = [f"full scale ±{with_unit(full, shown, 4)}"] if full is not None else [f"in {shown.symbol}"]
    wave, (start, stop) = changed.samples.waveform(name), evaluation.times.span(None)
    first = int((start + stop) / 2)
    x = wave.read(first, min(first + _LOOKED_AT, int(stop), wave.n_samples))
    if np.isfinite(x).any():
        parts.append(f"rms about {with_unit(float(np.sqrt(np.nanmean(x * x))), shown, 3)} now")
    return f"{name}: {', '.join(parts)}"


def edited(study: Study, name: str, column: int, text: str) -> Study:
    """Return the study after a cell was changed; raises what the operation raises when the text does not fit."""
    setup = study.channel(name)
    if column == 0:
        return op.rename_channel(study, name, text.strip())
    if column == 2:
        return op.change_recorder(study, name, text)
    rest = [
        part
        for part in setup.scaling.text(unit(setup.recorder_unit)).split(", ")
        if part.split()[0] in ("reversed", "range", "accuracy") and part.split()[0] not in text
    ]
    return op.scale_channel(study, name, ", ".join([*rest, text]).replace("\N{MINUS SIGN}", "-"))


def editing_text(study: Study, name: str, column: int) -> str:
    """Return the text a cell is edited as."""
    setup = study.channel(name)
    if column == 2:
        reach = setup.scaling.recorder_range
        return f"{reach:g} {setup.recorder_unit}" if reach is not None else setup.recorder_unit
    if column == 3:
        parts = setup.scaling.text(unit(setup.recorder_unit)).split(", ")
        return ", ".join(part for part in parts if part.split()[0] not in ("reversed", "range", "accuracy")) or "direct"
    return name
