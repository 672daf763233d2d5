"""What is said of a file beside its numbers: what was left out, guessed, or odd. One wording, wherever it is told."""

from collections.abc import Sequence

from pantelos.formats.dialect import ColumnRole, Dialect
from pantelos.notice import Notice, Severity

UNEVEN = "record.uneven"  # of previews; the record itself says how uneven times are read
_NAMED = 8  # names in one sentence
_TIME, _TAKEN, _BASES = "record.time", "record.taken-for-time", "record.time-bases"
_SHOWN = 60  # letters of a line that is left out


def _said(text: str, detail: str = "", channel: str | None = None, code: str = "record.file") -> Notice:
    return Notice(Severity.CAUTION, code, text, detail, channel)


def _listed(names: Sequence[str]) -> str:
    shown = ", ".join(name[:_SHOWN] for name in names[:_NAMED])
    return shown + (f" and {len(names) - _NAMED} more" if len(names) > _NAMED else "")


def left_out(names: Sequence[str], why: str) -> Notice:
    """State that columns are not read."""
    return _said(f"left out: {_listed(names)}", why)


def changing() -> Notice:
    """State that a file was written to while it was read."""
    return _said("the file changed while it was read", "another program may still be writing it: read it again when it is done")


def cut_off(promised: int, there: int) -> Notice:
    """State that a file ends before what its header promises."""
    return _said(f"the header promises {promised} samples, the file holds {there}", "those are read: the file may be cut off")


def miscounted(stated: int, about: int) -> Notice:
    """State that a file speaks of another number of samples than it holds."""
    return _said(f"{stated} samples are spoken of, the file holds about {about}", "those are read: the file may be cut off")


def beyond_range(channel: str, n: int) -> Notice:
    """State that samples were beyond the range of the recorder."""
    samples = f"{n} sample of {channel} is" if n == 1 else f"{n} samples of {channel} are"
    detail = "they have no value; peaks and rms are only bounds there"
    return _said(f"{samples} beyond the range of the recorder", detail, channel, "record.overrange")


def repeated_header(n: int, first_line: int) -> Notice:
    """State that the header stands between the numbers again."""
    return _said(f"the header is repeated {n} {'time' if n == 1 else 'times'}, first in line {first_line}", "left out")


def behind_the_rows(n: int, first_line: int, text: str) -> Notice:
    """State that lines at the end are no rows of numbers."""
    shown = text.strip()[:_SHOWN]
    return _said(f"{n} {'line' if n == 1 else 'lines'} from line {first_line} on, behind the numbers, left out", f'"{shown}"')


def unlabelled(line: int, text: str) -> Notice:
    """State that numbers above the rows have no name."""
    return _said(f"line {line}, above the numbers, left out: nothing says what it states", f'"{text.strip()[:_SHOWN]}"')


def comments(n: int) -> Notice:
    """State that comments stand between the rows."""
    return Notice(Severity.FINE, "record.file", f"{n} {'comment' if n == 1 else 'comments'} between the rows left out")


def slow(columns: Sequence[str], every: int) -> Notice:
    """State that columns are filled in every so many rows only."""
    return Notice(Severity.FINE, _BASES, f"{_listed(columns)}: a value in every {every}th row, read at a rate of its own")


def between_rows(channel: str, n: int) -> Notice:
    """State that a slow channel has values beside its rows."""
    return _said(f"{n} values of {channel} between its own rows are left out", "it seemed to be filled evenly", channel)


def words_for_numbers(channel: str, n: int, line: int, words: Sequence[str]) -> Notice:
    """State that cells of a column hold words where others hold numbers."""
    listed = ", ".join(f'"{word[:_SHOWN]}"' for word in words)
    cells = "1 cell holds" if n == 1 else f"{n} cells hold"
    return _said(f"{channel}: {cells} {listed} in place of a number, first in line {line}", "they have no value", channel)


def unit_of_time_guessed(column: str) -> Notice:
    """State that no unit is given for the time."""
    named = None if column.startswith("column ") else column
    return _said(f'no unit is stated for the time in "{column}"', "seconds are taken", named, _TIME)


def taken_for_time(column: str) -> Notice:
    """State that a column whose name tells little is taken for the time."""
    return _said(f"{column} is taken for the time", "its values rise evenly; if it is a channel, say so", column, _TAKEN)


def still_true(told: Sequence[Notice], dialect: Dialect) -> tuple[Notice, ...]:
    """Return what is to be said of a file that is read with a dialect: without what was corrected."""
    times = {column.name for column in dialect.columns if column.role is ColumnRole.TIME}
    return tuple(
        notice
        for notice in told
        if (notice.code not in (_TAKEN, _TIME) or notice.channel is None or notice.channel in times)
        and (notice.code != _BASES or dialect.further)
    )


DATE_ORDER = "record.date-order"


def order_guessed(text: str, day_first: bool) -> Notice:
    """State that day and month could be the other way about."""
    first = "the day" if day_first else "the month"
    return _said(f"dates such as {text[:_SHOWN]} are read with {first} first", "nothing in the file tells", code=DATE_ORDER)


def clock_set_back(n: int) -> Notice:
    """State that the clock of the recorder was set back by an hour."""
    return _said(
        f"the clock was set back by an hour {n} {'time' if n == 1 else 'times'}", "time goes on there", code="record.time"
    )


def uneven(low: str, high: str) -> Notice:
    """State that times keep no even step."""
    return _said(f"time is not even, with steps from {low} to {high}", "kept as it is, and read on an even grid", code=UNEVEN)


def sides(channels: Sequence[str], recorded: str, ratio: float) -> Notice:
    """State on which side of an instrument transformer values were recorded, and as what they are read."""
    how = f": × {ratio:g} gives the primary ones" if recorded == "secondary" and ratio != 1 else ""
    return Notice(Severity.FINE, "record.side", f"{_listed(channels)}: recorded as {recorded} values{how}")


def shared_stamps() -> Notice:
    """State that several rows have one stamp."""
    return _said(
        "several rows share each time stamp", "they are taken to be even: the rate follows from their number", code=_TIME
    )


def stamps_disagree(how: str) -> Notice:
    """State that time stamps and stated rates tell different things."""
    return _said(f"the time stamps {how}", "the stated rates are taken", code="record.time")


def unknown_unit(channel: str, text: str) -> Notice:
    """State that a unit in the file is not known."""
    return _said(f'{channel} is in "{text[:_SHOWN]}", which is not a known unit', "read as a plain number", channel)


def several_rates(groups: Sequence[tuple[Sequence[str], str]]) -> Notice:
    """State that channels go by times of their own."""
    texts = "; ".join(f"{_listed(names)} {how}" for names, how in groups)
    return Notice(Severity.FINE, _BASES, f"{len(groups)} time bases: {texts}")


def not_ended() -> Notice:
    """State that a recording was not ended by its recorder."""
    return _said("the recording was not ended", "what had been written is read: the program may have been stopped in between")


def rows_lost(n: int, before: int) -> Notice:
    """State that rows of a recording never came."""
    return _said(f"{n} samples were lost while recording", f"before sample {before}: the recorder was faster than it was read")
