"""Names that formulas can use."""

import re

from pantelos.errors import StudyError
from pantelos.formula.functions import function_named
from pantelos.formula.syntax import KEYWORDS, NAME
from pantelos.study.model import Study


def checked_name(study: Study, name: str, but: str = "") -> str:
    """Return `name` if a channel or formula may be called so."""
    if not NAME.match(name):
        raise StudyError(f'"{name}" cannot be used in formulas. Use letters, digits and _, beginning with a letter.')
    if name in KEYWORDS or function_named(name) is not None:
        raise StudyError(f'"{name}" is a word of the formula language. Choose another name.')
    if name in study.names and name != but:
        raise StudyError(f'The name "{name}" is taken. Choose another one.')
    return name


def formula_name(text: str) -> str:
    """Return a name for formulas made of whatever a column is called."""
    name = re.sub(r"\W+", "_", text.strip()).strip("_") or "ch"
    name = f"ch{name}" if name[0].isdigit() else name
    taken = name in KEYWORDS or function_named(name) is not None
    return f"{name}_" if taken else name
