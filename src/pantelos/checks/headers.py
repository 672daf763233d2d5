"""Units and scalings agree with what the file says of its columns."""

import math
from collections.abc import Iterator

from pantelos.checks.check import Check
from pantelos.engine.evaluation import Evaluation
from pantelos.notice import Notice, Severity
from pantelos.units import unit


def against_headers(evaluation: Evaluation) -> Iterator[Notice]:
    """Check that units agree with what the files state: a shunt whose volts are declared amperes makes every current wrong."""
    stated = {column.name: column.unit for column in evaluation.record.columns}
    for setup in evaluation.study.channels:
        own = unit(setup.recorder_unit)
        header = stated.get(setup.column)
        if header is None or header.symbol == "1" or (header.like(own) and math.isclose(header.factor, own.factor)):
            continue
        declared = evaluation.names.unit(setup.name).symbol if setup.name in evaluation.names.types else own.symbol
        yield Notice(
            Severity.CAUTION,
            "record.unit",
            f"{setup.name} is recorded in {header.symbol}, declared as {own.symbol}",
            f"its values in {declared} rest on that: say what the recorder wrote, and state the shunt, clamp or factor",
            setup.name,
        )


CHECK = Check("headers", "Units agree with the header of the file", against_headers, place=3)
