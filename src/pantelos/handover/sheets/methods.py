"""How everything was computed, and where the numbers come from."""

from pantelos.errors import StudyError
from pantelos.handover.blocks import Block, FactList, SectionHeading, Sheet, Words
from pantelos.handover.sheets.sheet import Given, SheetKind
from pantelos.paper.paper import Role
from pantelos.report.registry import TABLES, build_tables, provenance_of

_TABLES = ("power", "chain", "harmonics", "quality", "disturbances", "accuracy")


def methods_sheet(given: Given) -> Sheet:
    """Return methods with their standards, sources with fingerprints, versions."""
    blocks: list[Block] = []
    for id_ in _TABLES:
        try:
            table = build_tables(given.evaluation, [id_], list(given.places) or None, given.progress.quiet()).tables[0]
        except StudyError:
            continue
        lines = dict.fromkeys(line for line in table.method if line)
        blocks += [SectionHeading(TABLES[id_].title), *(Words(line, Role.SOFT) for line in lines)]
    provenance = provenance_of(given.evaluation, given.places)
    blocks += [SectionHeading("Source"), FactList((("program", provenance.program), *provenance.facts))]
    return Sheet("methods", "Methods and sources", "standards, fingerprints, versions", tuple(blocks))


METHODS_SHEET = SheetKind("methods", "Methods and sources", "standards, fingerprints, versions", methods_sheet, place=50)
