"""The table of scaling chains: what each cell says, and what typing into it means."""

import msgspec

from pantelos.engine.evaluation import Evaluation
from pantelos.notation import with_unit
from pantelos.record.scaling import TransducerKind
from pantelos.study import operations as op
from pantelos.study.model import ChannelSetup, Study, sides_of
from pantelos.units import unit

COLUMNS = ("channel", "column", "recorder", "transducer", "direction", "full scale", "accuracy", "now")
EDITABLE = (0, 2, 3)
DIRECTION, NOW = 4, 7


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
    accuracy = "not stated"
    if scaling.accuracy is not None:
        offset = f" + {with_unit(scaling.accuracy.offset, shown, 2)}" if scaling.accuracy.offset else ""
        accuracy = f"{scaling.accuracy.gain_percent:g} %{offset}"
    offset_note = f", offset {scaling.offset:g} {recorder.symbol}" if scaling.offset else ""
    cells = (
        setup.name,
        setup.column,
        reach,
        transducer + offset_note,
        "reversed" if scaling.reversed else "as wired",
        f"±{with_unit(full, shown, 4)}" if full is not None else f"in {shown.symbol}",
        accuracy,
        "",
    )
    return ChainRow(setup.name, cells, scaling.reversed)


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
        if part.split()[0] in ("reversed", "range", "accuracy")
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
