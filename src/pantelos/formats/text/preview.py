"""Find the dialect of a text file by looking at its beginning."""

import os
import re
from itertools import islice
from pathlib import Path
from typing import IO

import msgspec
import numpy as np

from pantelos.errors import FormatError, access_error
from pantelos.formats import header, remarks
from pantelos.formats.clock import JITTER, share_stamps
from pantelos.formats.dates import plainly
from pantelos.formats.dialect import Dialect, Preview, TimeForm, time_factor
from pantelos.formats.kinds import kind_of
from pantelos.formats.problems import problems_of
from pantelos.formats.text.beginning import Beginning
from pantelos.formats.text.conversion import seconds_of
from pantelos.formats.text.inside import opened_bytes, sheets_of
from pantelos.formats.text.layout import best_layout
from pantelos.formats.text.lines import LOOKED_AT, lines_of
from pantelos.notation import with_unit
from pantelos.notice import Notice
from pantelos.units import unit

_MOST_LOOKED_AT = 1 << 22  # where a line alone is longer than that
_SHOWN_ROWS = 30


def preview_text(path: Path, delimiter: str | None = None, decimal: str | None = None) -> Preview:
    """Return what can be understood of a text file from its beginning; a given separator or decimal sign is kept to.

    Raises
    ------
    FormatError
        When it is empty, not text, or holds no rows of numbers.
    FileAccessError
        When it cannot be read.
    """
    try:
        with opened_bytes(path) as file:
            size = file.seek(0, os.SEEK_END)
            file.seek(0)
            head = file.read(LOOKED_AT)
            if _n_ends(head) < 8:
                head += file.read(_MOST_LOOKED_AT)
            n_looked_at = len(head)
            n_lines_about = _lines_about(file, size)
    except OSError as cause:
        raise access_error(path, "read", cause) from cause
    text, encoding = _decoded(path, head)
    if encoding.startswith("utf-16"):
        n_lines_about = round(text.count("\n") * size / max(n_looked_at, 1))
    lines = lines_of(text)
    if n_looked_at < size and len(lines) > 1:
        lines.pop()  # cut in the middle
    found = Beginning(lines, best_layout(path, lines, delimiter, decimal), encoding)
    layout = found.layout
    body = islice((line for line in lines[layout.first :] if layout.fits(line)), _SHOWN_ROWS)
    rows = tuple(tuple(layout.style.split(line)) for line in body)
    preview = Preview(
        found.dialect,
        tuple(found.reasons),
        tuple(found.metadata),
        rows,
        n_rows_about=max(n_lines_about - layout.first, len(rows)),
        size_bytes=size,
        problems=tuple(map(str, problems_of(found.dialect))),
        began=found.began,
        beginning=found.beginning(),
        told=tuple(found.told),
    )
    preview = msgspec.structs.replace(_of_a_sheet(preview, sheets_of(path)), rate_hz=_rate_of(preview))
    return msgspec.structs.replace(preview, told=(*preview.told, *_miscount(preview), *_unevenness(preview)))


def _of_a_sheet(found: Preview, sheets: tuple[str, ...]) -> Preview:
    """Return the preview of the first of some sheets; the same where there are none."""
    if not sheets:
        return found
    others = [remarks.left_out([f'sheet "{name}"' for name in sheets[1:]], "the one with the most cells is read")]
    told = (*found.told, *(others if len(sheets) > 1 else []))
    return msgspec.structs.replace(found, reasons=(f'sheet "{sheets[0]}"', *found.reasons[1:]), told=told, textual=False)


def _miscount(found: Preview) -> list[Notice]:
    """Return what is to be said where the lines above the numbers speak of another number of samples than there are."""
    stated = header.stated_count(found.metadata)
    if stated is None or abs(found.n_rows_about - stated) <= max(0.02 * stated, 4):
        return []
    return [remarks.miscounted(stated, found.n_rows_about)]


def _n_ends(part: bytes) -> int:
    return max(part.count(b"\n"), part.count(b"\r"))


def _rate_of(found: Preview) -> float | None:
    """Return the rate as stated, or as the first rows suggest."""
    dialect = found.dialect
    at = dialect.time_column
    if at is None or dialect.columns[at].form is TimeForm.INDEX:
        return dialect.rate_hz
    times = seconds_of(list(found.rows), dialect)
    span = times[-1] - times[0] if len(times) > 1 else 0.0
    return float(f"{(len(times) - 1) / span:.5g}") if span > 0 else None


def _unevenness(found: Preview) -> list[Notice]:
    """Return what is to be said where the first times keep no even step."""
    at = found.dialect.time_column
    if at is None:
        return []
    times = np.asarray(seconds_of(list(found.rows), found.dialect))
    if share_stamps(times):
        return [remarks.shared_stamps()]
    steps = np.diff(times)
    if len(steps) < 2 or steps.min() <= 0:
        return []
    low, high = float(steps.min()), float(steps.max())
    if high - low <= 2 * JITTER * low + 2 * time_resolution(found.rows, found.dialect):
        return []
    return [remarks.uneven(with_unit(low, unit("s"), 3), with_unit(high, unit("s"), 3))]


def _lines_about(file: IO[bytes], size: int) -> int:
    """Return about how many lines a file has, from looks at places spread over it."""
    n_looks = 16 if size > 16 * LOOKED_AT else 1
    length = LOOKED_AT // 4 if n_looks > 1 else size
    n_found = n_bytes = 0
    for look in range(n_looks):
        file.seek((size - length) * look // max(n_looks - 1, 1))
        part = file.read(length)
        n_found += _n_ends(part)
        n_bytes += len(part)
    return round(n_found * size / max(n_bytes, 1))


def _decoded(path: Path, head: bytes) -> tuple[str, str]:
    if not head.strip():
        raise FormatError(path, "the file is empty", "rows of numbers", "Record or export it again.")
    if (what := kind_of(head)) is not None:
        raise _no_text(path, f"this is {what}")
    wide = _wide(head)
    if wide is not None:
        return head[: len(head) // 2 * 2].decode(wide, errors="replace").lstrip("\ufeff"), wide
    control = sum(head.count(byte) for byte in range(32) if byte not in b"\t\n\r\f")
    if b"\0" in head or control > len(head) // 100:
        raise _no_text(path, "this is not a text file, and no recording of a known kind")
    for cut in range(4):  # a character may be cut at the end of what was looked at
        try:
            return head[: len(head) - cut].decode("utf-8-sig"), "utf-8"
        except UnicodeDecodeError:
            continue
    return head.decode("latin-1"), "latin-1"


def _no_text(path: Path, said: str) -> FormatError:
    return FormatError(path, said, "rows of numbers as text", "Export the samples as text.")


def _wide(head: bytes) -> str | None:
    """Return the UTF-16 encoding of a text, by its mark or by where its zero bytes stand."""
    for mark, encoding in ((b"\xff\xfe", "utf-16-le"), (b"\xfe\xff", "utf-16-be")):
        if head.startswith(mark):
            return encoding
    sample = np.frombuffer(head[:4096], dtype=np.uint8)
    even, odd = (np.count_nonzero(sample[at::2] == 0) / max(len(sample[at::2]), 1) for at in (0, 1))
    if odd > 0.8 and even < 0.01:
        return "utf-16-le"
    return "utf-16-be" if even > 0.8 and odd < 0.01 else None


def time_resolution(rows: tuple[tuple[str, ...], ...], dialect: Dialect) -> float:
    """Return the step of the last decimal that the times are printed with, s."""
    at = dialect.time_column
    assert at is not None
    form = dialect.columns[at].form
    written = form in (TimeForm.STAMP, TimeForm.CLOCK, TimeForm.ELAPSED)
    decimals = 0
    for row in rows:
        cell = row[at].strip(' "') if len(row) > at else ""
        if written:
            found = re.search(r":\d\d[.,](\d+)", plainly(cell))
            decimals = max(decimals, len(found[1]) if found is not None else 0)
            continue
        match = re.fullmatch(
            rf"[-+]?\d*(?:{re.escape(dialect.decimal)}(?P<behind>\d*))?(?:[eE](?P<exponent>[-+]?\d{{1,3}}))?", cell
        )
        if match is not None:
            decimals = max(decimals, len(match["behind"] or "") - int(match["exponent"] or 0))
    if form is TimeForm.DAYS:
        return max(float(86_400 * 10.0**-decimals), 2e-6)  # a day number has no more digits than that
    if form is TimeForm.INDEX:
        return 0.0
    unit_s = time_factor(dialect) if form in (TimeForm.NUMBER, TimeForm.SINCE_1970) else 1.0
    return float(unit_s * 10.0**-decimals)
