"""How everything was computed, and where the numbers come from."""

from pantelos.errors import StudyError
from pantelos.paper.paper import Role
from pantelos.sheets.blocks import Block, FactList, SectionHeading, Sheet, Words
from pantelos.tables.kind import Given, SheetLayout, TableKind
from pantelos.tables.provenance import provenance_of

_ON_TITLE = ("channel ", "formula ", "connection ", "interval ")  # facts that the title page tells
_TABLES = ("power", "chain", "harmonics", "quality", "disturbances", "accuracy")


def methods_sheet(given: Given) -> Sheet:
    """Return methods with their standards, sources with fingerprints, versions."""
    blocks: list[Block] = []
    told = set[str]()  # once is enough
    for id_ in _TABLES:
        try:
            table = given.table(id_)
        except StudyError:
            continue
        lines = [line for line in dict.fromkeys(table.method) if line and line not in told]
        told.update(lines)
        blocks += [SectionHeading(table.title), *(Words(line, Role.SOFT) for line in lines)]
    provenance = provenance_of(given.evaluation, given.places)
    titled = not given.report.sheets or any(choice.id == "title" and choice.on for choice in given.report.sheets)
    facts = (fact for fact in provenance.facts if not (titled and fact[0].startswith(_ON_TITLE)))
    blocks += [SectionHeading("Source"), FactList((("program", provenance.program), *facts))]
    return Sheet("methods", "Methods and sources", "standards, fingerprints, versions", tuple(blocks), abreast=2)


METHODS_SHEET = TableKind(
    "methods", "Methods and sources", "standards, fingerprints, versions", layout=SheetLayout(methods_sheet, place=50)
)
