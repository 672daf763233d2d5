"""The command show: what a study holds."""

import math
from typing import Any

from pantelos.cli.command import say
from pantelos.cli.opened import AsJson, StudyPath, opened
from pantelos.cli.reporting import say_json
from pantelos.power.wirings import wiring
from pantelos.units import unit


def show(study: StudyPath, as_json: AsJson = False) -> None:
    """Show what a study holds: channels, wiring, intervals, formulas."""
    evaluation = opened(study)
    made, record = evaluation.study, evaluation.record
    content: dict[str, Any] = {
        "title": made.title,
        "record": {
            "file": record.source.name,
            "fingerprint": record.fingerprint,
            "samples": record.n_samples,
            "rate_hz": record.rate_hz,
            "duration_s": record.duration_s,
            "start_s": record.start_s,
            "time_zero": record.began.text() if record.began is not None else None,
        },
        "channels": [
            {
                "name": c.name,
                "column": c.column,
                "unit": evaluation.names.unit(c.name).symbol,
                "scaling": c.scaling.text(unit(c.recorder_unit)),
            }
            for c in made.channels
        ],
        "formulas": [
            {
                "name": f.name,
                "text": f.text,
                "problem": str(evaluation.names.broken[f.name]) if f.name in evaluation.names.broken else None,
            }
            for f in made.formulas
        ],
        "connections": [
            {
                "name": c.name,
                "wiring": c.wiring,
                "sockets": dict(c.sockets),
                "reference": evaluation.references.of_connection(c).channel,
            }
            for c in made.connections
        ],
        "intervals": [
            {
                "name": i.name,
                "start_s": i.start_s,
                "stop_s": i.stop_s,
                "cycles": evaluation.places.n_cycles(i.name),
                "rule": i.rule,
            }
            for i in made.intervals
        ],
        "active": made.active,
        "reference": evaluation.references.overall.channel,
    }
    if as_json:
        say_json(content)
        return
    say(
        f"{made.title}\nrecord: {record.source.name}, {record.n_samples} samples at {record.rate_hz:g} Hz, "
        f"{record.duration_s:g} s from {record.start_s:.9g} s, fingerprint {record.fingerprint[:12]}…"
    )
    if record.began is not None:
        say(f"time zero: {record.began.text(6)}")
    for channel in content["channels"]:
        say(f'channel {channel["name"]} [{channel["unit"]}] from "{channel["column"]}": {channel["scaling"]}')
    for formula in content["formulas"]:
        say(f"formula {formula['text']}" + (f"  ({formula['problem']})" if formula["problem"] else ""))
    for found in content["connections"]:
        sockets = ", ".join(f"{s}={c}" for s, c in found["sockets"].items())
        say(f"connection {found['name']}: {wiring(found['wiring']).title}, {sockets}")
    for place in content["intervals"]:
        mark = " (active)" if place["name"] == made.active else ""
        rule = f", {place['rule']}" if place["rule"] else ""
        cycles = f", {place['cycles']:.3f} cycles" if math.isfinite(place["cycles"]) else ""
        say(f"interval {place['name']}: {place['start_s']:.6f} s to {place['stop_s']:.6f} s{cycles}{mark}{rule}")
