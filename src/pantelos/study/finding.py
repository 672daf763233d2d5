"""A notice about a study, with what can be done about it at once."""

from collections.abc import Callable

import msgspec

from pantelos.notice import Notice
from pantelos.study.model import Study


class Remedy(msgspec.Struct, frozen=True):
    """What mends a finding: as a button says it, and the change, or the formula that the user has to write anew."""

    title: str
    change: Callable[[Study], Study] | None = None  # raises StudyError where the study has changed too much since
    formula: str = ""

    @property
    def action(self) -> str:
        """What it is called in the history."""
        return self.title[:1].lower() + self.title[1:]


class Finding(Notice, frozen=True):
    """A notice that may say how it is mended."""

    remedy: Remedy | None = None


def remedy_of(notice: Notice) -> Remedy | None:
    """Return what mends what a notice tells; None where only the user can."""
    return notice.remedy if isinstance(notice, Finding) else None
