"""How everything was computed, and where the numbers come from."""

from pantelos.errors import StudyError
from pantelos.paper.paper import Role
from pantelos.sheets.blocks import Block, FactList, SectionHeading, Sheet, Words
from pantelos.tables.kind import Given, SheetLayout, TableKind
from pantelos.tables.provenance import provenance_of

_TABLES = ("power", "chain", "harmonics", "quality", "disturbances", "accuracy")


def methods_sheet(given: Given) -> Sheet:
    """Return methods with their standards, sources with fingerprints, versions."""
    blocks: list[Block] = []
    for id_ in _TABLES:
        try:
            table = given.table(id_)
        except StudyError:
            continue
        lines = dict.fromkeys(line for line in table.method if line)
        blocks += [SectionHeading(table.title), *(Words(line, Role.SOFT) for line in lines)]
    provenance = provenance_of(given.evaluation, given.places)
    blocks += [SectionHeading("Source"), FactList((("program", provenance.program), *provenance.facts))]
    return Sheet("methods", "Methods and sources", "standards, fingerprints, versions", tuple(blocks))


METHODS_SHEET = TableKind(
    "methods", "Methods and sources", "standards, fingerprints, versions", layout=SheetLayout(methods_sheet, place=50)
)
