"""The tables there are, and what every export states about where its numbers come from."""

import math
from collections.abc import Sequence

from pantelos import __version__
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError, StudyError
from pantelos.power.wirings import wiring
from pantelos.progress import Progress
from pantelos.registry import Registry
from pantelos.report.sheets.sheet import TableKind
from pantelos.report.subjects import chosen_intervals
from pantelos.report.table import Provenance, TableSet
from pantelos.study.model import WHOLE_RECORD, sides_of
from pantelos.units import unit

TABLES = Registry.of_modules("table", TableKind, "pantelos.report.sheets", "tables")


def build_tables(
    evaluation: Evaluation,
    ids: Sequence[str] | None = None,
    intervals: Sequence[str] | None = None,
    progress: Progress | None = None,
    also: Sequence[str] = (),
) -> TableSet:
    """Return the tables asked for (all that the study can fill, and `also` some, when None), and their provenance.

    Of tables asked for by name those that cannot be filled are said in the provenance.

    Raises
    ------
    StudyError
        When none of the tables asked for by name can be filled.
    """
    progress = progress or Progress()
    places = chosen_intervals(evaluation.study, intervals)
    tables, refused = [], list[tuple[str, PantelosError]]()
    for at, id_ in enumerate(ids or [kind.id for kind in TABLES if not kind.on_request or kind.id in also]):
        kind = TABLES[id_]
        try:
            tables.append(kind.build(evaluation, places, progress.part(at / len(TABLES), (at + 1) / len(TABLES))))
        except PantelosError as error:
            refused.append((kind.title, error))
    if ids and not tables:
        raise refused[0][1]
    not_given = tuple((title, f"not given: {error}") for title, error in refused if ids or not isinstance(error, StudyError))
    not_given += tuple((f"formula {name}", f"not given: {error}") for name, error in evaluation.failing.items())
    return TableSet(tuple(tables), provenance_of(evaluation, places, not_given))


def provenance_of(evaluation: Evaluation, places: Sequence[str], not_given: tuple[tuple[str, str], ...] = ()) -> Provenance:
    """Return what an export states about where its numbers come from."""
    study, record = evaluation.study, evaluation.record
    facts = [
        *(fact for path, mark in record.sources for fact in (("source file", path.name), ("fingerprint (BLAKE2b-256)", mark))),
        ("record", f"{record.n_samples} samples at {record.rate_hz:.10g} Hz, {record.start_s:.6f} s to {record.stop_s:.6f} s"),
        *([("time zero", record.began.text())] if record.began is not None else []),
        *(("of the record", said.sentence) for said in record.told),
    ]
    sides = sides_of(study)
    for setup in study.channels:
        shown = setup.scaling.text(unit(setup.recorder_unit))
        side = f", {sides[setup.column]} values" if setup.column in sides else ""
        facts.append((f"channel {setup.name}", f'column "{setup.column}" in {setup.recorder_unit}{side}: {shown}'))
    facts += [(f"formula {formula.name}", formula.text) for formula in study.formulas]
    for connection in study.connections:
        sockets = ", ".join(f"{socket} = {channel}" for socket, channel in connection.sockets.items())
        facts.append((f"connection {connection.name}", f"{wiring(connection.wiring).title}: {sockets}"))
    facts += [("reference channel", f"{r.channel}: {r.why}") for r in evaluation.references.used() if r.channel]
    for name in places:
        place = evaluation.times.interval(None if name == WHOLE_RECORD and study.active is None else name)
        n = evaluation.places.n_cycles(name)
        cycles = f", {n:.4f} cycles" if math.isfinite(n) else ""
        facts.append((f"interval {name}", f"{place.start_s:.9g} s to {place.stop_s:.9g} s, {place.length_s:.9g} s{cycles}"))
    return Provenance(study.title, f"Pantelos {__version__}", (*facts, *not_given), not_given)
