"""The registry of checks."""

import re
from collections.abc import Iterable

import msgspec

from pantelos.checks.check import Check
from pantelos.engine.evaluation import Evaluation
from pantelos.notice import Notice
from pantelos.registry import Registry
from pantelos.study.finding import remedy_of

CHECKS = Registry.of_modules("check", Check, "pantelos.checks", "checks")


def run_checks(evaluation: Evaluation) -> tuple[Notice, ...]:
    """Return the findings of every check, in the order of the registry; those that found nothing say so."""
    return together(notice for check in CHECKS for notice in check.find(evaluation))


def together(notices: Iterable[Notice]) -> tuple[Notice, ...]:
    """Return findings, those that say the same of several channels as one: one cause is one line."""
    alike: dict[tuple[str, ...], list[Notice]] = {}
    for k, notice in enumerate(notices):
        shared = notice.channel is not None and notice.text.startswith(f"{notice.channel} ") and remedy_of(notice) is None
        said = notice.text.removeprefix(str(notice.channel))
        words = re.sub(r"[\d.,−]+", "#", said)  # figures differ from channel to channel
        key = (notice.severity, notice.code, words) if shared and notice.severity.asks else (str(k),)
        alike.setdefault(key, []).append(notice)
    return tuple(_as_one(same) for same in alike.values())


def _as_one(same: list[Notice]) -> Notice:
    first = same[0]
    channels = list(dict.fromkeys(str(one.channel) for one in same))
    if len(channels) < 2:
        return first
    text = f"{first.text}; likewise {', '.join(channels[1:])}"
    return msgspec.structs.replace(first, text=text, also=tuple(channels[1:]))


def concerns(notices: tuple[Notice, ...]) -> tuple[Notice, ...]:
    """Return those that ask for attention."""
    return tuple(notice for notice in notices if notice.severity.asks)
