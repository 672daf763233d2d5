"""How everything was computed, and where the numbers come from."""

from pantelos.errors import StudyError
from pantelos.paper.paper import Role
from pantelos.sheets.blocks import Block, FactList, SectionHeading, Sheet, Words
from pantelos.tables.kind import Given, SheetLayout, TableKind
from pantelos.tables.provenance import provenance_of

_ON_TITLE = ("channel ", "formula ", "interval ")  # facts that the title page tells in every form
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
        blocks += [SectionHeading(table.title), *(Words(line, Role.SOFT) for line in lines)] if lines else []
    provenance = provenance_of(given.evaluation, given.places)
    titled = _ON_TITLE if "title" in given.beside else ()
    facts = (fact for fact in provenance.facts if not fact[0].startswith(titled))
    blocks += [SectionHeading("Source"), FactList((("program", provenance.program), *facts))]
    return Sheet("methods", "Methods and sources", "standards, fingerprints, versions", tuple(blocks), abreast=2)


METHODS_SHEET = TableKind(
    "methods", "Methods and sources", "standards, fingerprints, versions", layout=SheetLayout(methods_sheet, place=50)
)
