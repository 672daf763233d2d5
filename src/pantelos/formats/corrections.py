"""What a user corrects of a dialect, on the command line and in the window alike; which time a channel goes by follows."""

from msgspec.structs import replace

from pantelos.formats.dialect import Column, ColumnRole, Dialect, TimeBase, TimeForm


def with_column(dialect: Dialect, at: int, changed: Column) -> Dialect:
    """Return the dialect with another column at place `at`. A new time takes the place of the one its channels went by."""
    columns = list(dialect.columns)
    if changed.role is ColumnRole.TIME and columns[at].role is not ColumnRole.TIME:
        for k, other in enumerate(columns):
            if other.role is ColumnRole.TIME and other.base == changed.base:
                columns[k] = replace(other, role=ColumnRole.CHANNEL if other.form is TimeForm.NUMBER else ColumnRole.SKIP)
    columns[at] = changed
    return rebased(replace(dialect, columns=tuple(columns)))


def rebased(dialect: Dialect) -> Dialect:
    """Return the dialect without time bases that have lost their time: their channels go by the one before, or else behind."""
    bases = (TimeBase(dialect.rate_hz, dialect.start_s), *dialect.further)
    timed = {column.base for column in dialect.columns if column.role is ColumnRole.TIME}
    alive = [at for at, base in enumerate(bases) if at in timed or base.rate_hz or base.every > 1]
    serving = [at for at in alive if any(c.base == at and c.role is ColumnRole.CHANNEL for c in dialect.columns)]
    lent = [0] if any(bases[at].every > 1 for at in serving) and 0 in alive else []  # slow columns go by the time of the first
    alive = sorted({*lent, *serving}) or alive[:1] or [0]
    goes_by = {at: max((k for k in alive if k <= at), default=alive[0]) for at in range(len(bases))}
    columns = tuple(replace(column, base=alive.index(goes_by.get(column.base, alive[0]))) for column in dialect.columns)
    columns = tuple(
        replace(column, role=ColumnRole.SKIP)
        if column.role is ColumnRole.TIME and dialect.columns[k].base not in alive
        else column
        for k, column in enumerate(columns)
    )
    first, *further = (bases[at] for at in alive)
    return replace(dialect, columns=columns, rate_hz=first.rate_hz, start_s=first.start_s, further=tuple(further))
