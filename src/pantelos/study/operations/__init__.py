"""Operations: each takes a study and returns a new one. The window and the command line call the same ones."""

from pantelos.study.operations.channels import (
    change_channel,
    change_recorder,
    define_channel,
    open_record,
    rename_channel,
    reverse_channel,
    scale_channel,
    set_reference,
)
from pantelos.study.operations.formulas import remove_formula, set_formula
from pantelos.study.operations.intervals import (
    activate,
    add_interval,
    move_interval,
    new_interval_name,
    remove_interval,
    rename_interval,
)
from pantelos.study.operations.names import checked_name, formula_name
from pantelos.study.operations.records import join_file, move_zero, read_at, trim, untrim, with_shots
from pantelos.study.operations.showing import (
    add_panel,
    arrange_lanes,
    change_panel,
    fix_scale,
    hide_channel,
    resize_lane,
    show_alone,
    show_with,
    without_channel,
)
from pantelos.study.operations.texts import edges_from, panel_from, rate_from
from pantelos.study.operations.wiring import add_connection, change_wiring, place_channel, remove_connection, take_channel_out

__all__ = [
    "activate",
    "add_connection",
    "add_interval",
    "add_panel",
    "arrange_lanes",
    "change_channel",
    "change_panel",
    "change_recorder",
    "change_wiring",
    "checked_name",
    "define_channel",
    "edges_from",
    "fix_scale",
    "formula_name",
    "hide_channel",
    "join_file",
    "move_interval",
    "move_zero",
    "new_interval_name",
    "open_record",
    "panel_from",
    "place_channel",
    "rate_from",
    "read_at",
    "remove_connection",
    "remove_formula",
    "remove_interval",
    "rename_channel",
    "rename_interval",
    "resize_lane",
    "reverse_channel",
    "scale_channel",
    "set_formula",
    "set_reference",
    "show_alone",
    "show_with",
    "take_channel_out",
    "trim",
    "untrim",
    "with_shots",
    "without_channel",
]
