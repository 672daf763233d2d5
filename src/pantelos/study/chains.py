"""Scaling chains as they are typed: a response may be named by the file of its certificate."""

import re
from pathlib import Path

from pantelos.formats.certificate import read_certificate
from pantelos.record.scaling import Scaling, parse_scaling
from pantelos.units import Unit

_OF_A_FILE = re.compile(r"""\bresponse\s+(?:"(?P<quoted>[^"]+)"|(?P<plain>[^\s,;"][^,;"]*\.[A-Za-z]{3,4}))\s*(?=,|$)""")


def read_chain(text: str, recorder_unit: Unit) -> Scaling:
    """Return the chain written as `text`; `response clamp.csv` stands for the rows of that file, which the study then holds.

    Raises
    ------
    ScalingError
        When a part is not understood or its unit does not fit, or when a file does not hold a table.
    """

    def rows(match: re.Match[str]) -> str:
        return read_certificate(Path(match["quoted"] or match["plain"].strip()).expanduser()).text

    return parse_scaling(_OF_A_FILE.sub(rows, text), recorder_unit)
