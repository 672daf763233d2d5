"""No number of the made-up benches changes unnoticed: what the program says of them is what was recorded.

That the numbers are right is shown elsewhere, against truths; here a change that nobody meant is seen, and one that was meant
shows in the difference of the recorded file. `make numbers` records them anew.
"""

import json
import math
from pathlib import Path

import pytest
from benches import BENCHES, said_of

RECORDED = Path(__file__).with_name("recorded")
_DIGITS = 8
_SAME = 2e-7  # of a number: machines differ in the last digits of a transform
_NOTHING = 1e-9  # of the largest number of its line: what is left of a zero


def rounded(told):
    if isinstance(told, dict):
        return {name: rounded(one) for name, one in told.items()}
    if isinstance(told, list | tuple):
        return [rounded(one) for one in told]
    return float(f"{told:.{_DIGITS}g}") if isinstance(told, float) else told


def sizes(told):
    """Yield the magnitudes in what was told."""
    if isinstance(told, dict | list):
        for one in told.values() if isinstance(told, dict) else told:
            yield from sizes(one)
    elif isinstance(told, float) and math.isfinite(told):
        yield abs(told)


def differs(told, recorded, nothing):
    """Return where what is told differs from what was recorded; empty where it does not."""
    if isinstance(recorded, float) and isinstance(told, float | int):
        same = (math.isnan(told) and math.isnan(recorded)) or math.isclose(told, recorded, rel_tol=_SAME, abs_tol=nothing)
        return "" if same else f"{told!r}, recorded {recorded!r}"
    if isinstance(recorded, dict) and isinstance(told, dict) and list(recorded) == list(told):
        return "; ".join(f"{name}: {found}" for name in told if (found := differs(told[name], recorded[name], nothing)))
    if isinstance(recorded, list) and isinstance(told, list) and len(recorded) == len(told):
        return "; ".join(found for a, b in zip(told, recorded, strict=True) if (found := differs(a, b, nothing)))
    return "" if told == recorded else f"{told!r}, recorded {recorded!r}"


@pytest.mark.parametrize("bench", BENCHES)
def test_what_is_said_of_a_bench_is_what_was_recorded(bench):
    recorded = dict(json.loads(line) for line in (RECORDED / f"{bench}.jsonl").read_text(encoding="utf-8").splitlines())
    told = {asked: rounded(one) for asked, one in said_of(bench)}
    assert list(told) == list(recorded)
    found = {
        asked: where
        for asked, one in told.items()
        if (where := differs(one, recorded[asked], _NOTHING * max(sizes(one), default=0)))
    }
    assert not found, "\n".join(f"{asked}: {where[:300]}" for asked, where in list(found.items())[:12])


def record():
    """Write what is said now."""
    RECORDED.mkdir(exist_ok=True)
    for bench in BENCHES:
        lines = (json.dumps([asked, rounded(one)], ensure_ascii=False) for asked, one in said_of(bench))
        (RECORDED / f"{bench}.jsonl").write_text("\n".join(lines) + "\n", encoding="utf-8")


if __name__ == "__main__":
    record()
