"""What an export states about where its numbers come from."""

import math
from collections.abc import Sequence

from pantelos.engine.evaluation import Evaluation
from pantelos.notation import from_to
from pantelos.power.wirings import wiring
from pantelos.sheets.table import Provenance
from pantelos.study.model import WHOLE_RECORD, sides_of
from pantelos.units import unit
from pantelos.version import __version__


def provenance_of(evaluation: Evaluation, places: Sequence[str], not_given: tuple[tuple[str, str], ...] = ()) -> Provenance:
    """Return what an export states about where its numbers come from."""
    study, record = evaluation.study, evaluation.record
    facts = [
        *(fact for path, mark in record.sources for fact in (("source file", path.name), ("fingerprint (BLAKE2b-256)", mark))),
        ("record", f"{record.n_samples} samples at {record.rate_hz:.10g} Hz, {from_to(record.start_s, record.stop_s, '.6f')}"),
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
        facts.append((f"interval {name}", f"{from_to(place.start_s, place.stop_s, '.9g')}, {place.length_s:.9g} s{cycles}"))
    return Provenance(study.title, f"Pantelos {__version__}", (*facts, *not_given), not_given)
