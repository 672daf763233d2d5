"""The clock of the recorder: date and time of an instant, what is known of its offset taken off."""

from pantelos.engine.evaluation import Evaluation
from pantelos.record.timing import Began
from pantelos.study.model import Quality

_CLASS_A_CLOCK_S = 0.02  # IEC 61000-4-30: 20 ms at 50 Hz
_DAY_S = 86_400


def clock_at(evaluation: Evaluation, at_s: float, decimals: int = 0) -> str | None:
    """Return date and time of an instant of the record by the corrected clock; None where the record says no date."""
    began = _began(evaluation)
    return None if began is None else began.moved(round(at_s * 1e9)).text(decimals)


def _began(evaluation: Evaluation) -> Began | None:
    """Return when time zero of the record was, the offset of the recorder's clock taken off."""
    began, late = evaluation.record.began, evaluation.study.quality.clock_s
    return began if began is None or not late else began.moved(round(late * 1e9))


def clock_said(of: Quality) -> tuple[str, ...]:
    """Say what is known of the clock."""
    if not of.clock_s and of.clock_u_s is None:
        return ()
    within = "its uncertainty is not stated" if of.clock_u_s is None else f"within ± {of.clock_u_s:g} s"
    beyond = of.clock_u_s is not None and of.clock_u_s > _CLASS_A_CLOCK_S
    wide = f", more than the {1000 * _CLASS_A_CLOCK_S:g} ms of class A" if beyond else ""
    return (f"clock of the recorder corrected by {of.clock_s:+g} s, {within}{wide}",)


def into_day(evaluation: Evaluation) -> float | None:
    """Return what had passed of the day when the record began, s; None where it does not say."""
    record, began = evaluation.record, _began(evaluation)
    return None if began is None else (began.ns // 10**9) % _DAY_S + began.ns % 10**9 / 1e9 + record.start_s
