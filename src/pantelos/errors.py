"""The one family of errors that are meant for people.

Every message has the form *what: found; expected this. Next step.* Programming mistakes stay
`TypeError`, `ValueError` or `AssertionError` and are never caught.
"""

import errno
import os
import re
from pathlib import Path

LONGEST = 200  # letters of input that a message repeats


def clipped(text: str) -> str:
    """Return a text as a message may repeat it: in one line, without unseen signs; of what is longer, beginning and end."""
    text = " ".join(text.split()) if any(ord(sign) < 32 for sign in text) else text
    text = "".join(sign if sign.isprintable() else "\N{REPLACEMENT CHARACTER}" for sign in text)
    return text if len(text) <= LONGEST else f"{text[: LONGEST // 2]}…{text[-LONGEST // 4 :]}"


_ENDLESS = re.compile(rf'"[^"]{{{LONGEST + 1},}}"|\S{{{LONGEST + 1},}}')


def _short(message: str) -> str:
    """Return a message in which no quotation and no word is longer than may be repeated."""
    return _ENDLESS.sub(lambda match: clipped(match[0]), message)


class PantelosError(Exception):
    """Something the user can understand and put right; its text is one clear sentence or two."""

    def __str__(self) -> str:
        return _short(super().__str__())


class FormatError(PantelosError):
    """A file does not hold what its format promises."""

    def __init__(self, path: Path, found: str, expected: str, advice: str = "") -> None:
        super().__init__(path, found, expected, advice)  # whole args: survives pickling

    def __str__(self) -> str:
        path, found, expected, advice = self.args
        return _short(f"{Path(path).name}: {found}; expected {expected}. {advice}".rstrip())


class FileAccessError(PantelosError):
    """A file cannot be read or written, for a reason the operating system gives."""

    def __init__(self, path: Path, action: str, reason: str, advice: str) -> None:
        super().__init__(path, action, reason, advice)

    def __str__(self) -> str:
        path, action, reason, advice = self.args
        return _short(f"{path} cannot be {action}: {reason}. {advice}")


class UnitError(PantelosError):
    """A unit is unknown, or two units do not go together."""


class ScalingError(PantelosError):
    """A scaling chain cannot be read or does not lead to the stated unit."""


class FormulaError(PantelosError):
    """A formula cannot be computed; carries the place in its text."""

    def __init__(self, text: str, start: int, stop: int, message: str) -> None:
        super().__init__(text, start, stop, message)
        self.text, self.start, self.stop, self.message = text, start, stop, message

    def __str__(self) -> str:
        place = self.text[self.start : self.stop] or "the end"
        return _short(f'Formula "{clipped(self.text)}", at "{clipped(place)}": {self.message}')


class StudyError(PantelosError):
    """An operation does not fit the study it is applied to."""


class SwitchedOff(StudyError):
    """A formula is not computed because it, or one it uses, is switched off."""


class Cancelled(Exception):
    """A long computation was given up on request; never shown as a failure."""


def _number_within(said: str) -> int | None:
    """Return the number of an error that a library has put into words of its own, or None."""
    if re.search(r"\d+ requested and \d+ written", said):  # NumPy, of a disk that is full
        return errno.ENOSPC
    match = re.search(r"\[?errno(?: = |\s+)(\d+)", said, re.IGNORECASE)
    return int(match[1]) if match is not None else None


def access_error(path: Path, action: str, cause: OSError) -> FileAccessError:
    """Return the error that says why the operating system refused `path`."""
    advice = {
        "FileNotFoundError": "Check the name and the folder.",
        "PermissionError": "Check the permissions of the file and its folder.",
        "IsADirectoryError": "Give the name of a file.",
    }.get(type(cause).__name__, "")
    number = cause.errno or _number_within(str(cause))
    if number == errno.ENOSPC:
        advice = "Free some space or choose another disk; what was there before is untouched."
    reason = (cause.strerror or (os.strerror(number) if number else str(cause))).lower()
    return FileAccessError(path, action, reason, advice or "Try another place.")
