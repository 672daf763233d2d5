"""Parameters of power quality over time: series like any other, made for every voltage at once and shown in one lane."""

from collections.abc import Collection

import msgspec

from pantelos.errors import StudyError
from pantelos.registry import Registry
from pantelos.study.model import Study
from pantelos.study.operations.arranging import show_channels
from pantelos.study.operations.formulas import set_formula


class Course(msgspec.Struct, frozen=True):
    """One parameter over one kind of stretch."""

    id: str
    title: str
    formula: str  # of one channel, {u}, or of three, {u1} to {u3}
    of_three: bool = False


COURSES = Registry(
    "course",
    lambda course: course.id,
    (
        Course("half", "U of each cycle, every half-cycle", "rms({u}) over half_cycles({u})"),
        Course("u200ms", "U over 10 cycles", "rms({u}) over blocks(10 cycles)"),
        Course("u10min", "U over 10 min", "rms({u}) over blocks(10 min)"),
        Course("thd200ms", "THD of subgroups over 10 cycles", "thd_s({u}) over blocks(10 cycles)"),
        Course("thd10min", "THD of subgroups over 10 min", "thd_s({u}) over blocks(10 min)"),
        Course("f10s", "f over 10 s", "frequency({u}) over blocks(10 s)"),
        Course("pst", "Pst over 10 min", "flicker({u}) over blocks(10 min)"),
        Course("u2", "unbalance over 10 cycles", "unbalance({u1}, {u2}, {u3}) over blocks(10 cycles)", of_three=True),
    ),
)


def show_course(study: Study, id_: str, voltages: Collection[str]) -> Study:
    """Return the study with a parameter of voltages as series, in one lane behind the others; series there are stay.

    Raises
    ------
    StudyError
        When it needs three voltages, or a name is taken by something else.
    """
    course = COURSES[id_]
    if course.of_three:
        if len(voltages) != 3:
            raise StudyError(f"{course.title} needs three voltages, the connection has {len(voltages)}.")
        made = {f"{course.id}_{'_'.join(voltages)}": course.formula.format(**{f"u{k}": u for k, u in enumerate(voltages, 1)})}
    else:
        made = {f"{u}_{course.id}": course.formula.format(u=u) for u in voltages}
    for name, expression in made.items():
        known = study.formula(name)
        if known is None:
            study = set_formula(study, f"{name} = {expression}")
        elif known.expression != expression:
            raise StudyError(f"{name} is another formula already: {known.expression}. Rename it first.")
    return show_channels(study, tuple(made), together=True)
