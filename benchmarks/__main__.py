"""Run all benchmarks and print (or record) a table of ratios."""

import argparse
import os
import platform
import sys
import tempfile
from pathlib import Path

from benchmarks import campaigns, formulas, long_record, placing, quality, recording, spectra, starting
from benchmarks.cases import CASES
from benchmarks.measuring import Result


def main() -> int:
    """Run the benchmarks; return 1 when a bound is broken in a full run."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--small", action="store_true", help="small sizes, to see that everything runs; no bounds")
    parser.add_argument("--record", type=Path, help="write the table into this file")
    parser.add_argument("--only", help="run the cases whose name holds this text")
    chosen = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
        os.environ["PANTELOS_CACHE"] = str(Path(folder) / "cache")
        results = []
        for case in (
            *CASES,
            *formulas.CASES,
            *spectra.CASES,
            *quality.CASES,
            *recording.CASES,
            *starting.CASES,
            *placing.CASES,
            *campaigns.CASES,
            *long_record.CASES,
        ):
            if chosen.only is None or chosen.only in case.__name__:
                os.sync()  # what the case before wrote must not go to the disk while this one is timed
                found = case(Path(folder), chosen.small)
                print(found.line(bounded=not chosen.small), flush=True)
                results.append(found)
    if chosen.record is not None and not chosen.small:
        chosen.record.write_text(_page(results), encoding="utf-8")
    broken = [] if chosen.small else [result for result in results if not result.kept]
    for result in broken:
        print(f"above its bound: {result.what}", file=sys.stderr)
    return 1 if broken else 0


def _page(results: list[Result]) -> str:
    lines = [
        "# Benchmarks", "",
        "Made by `make bench`. Every figure is a ratio to a plain baseline measured in the same run, the median over",
        "interleaved repetitions. This run: "
        f"{os.cpu_count()} cores, Python {platform.python_version()}, {platform.machine()}.", "",
        "| what | baseline | ours | baseline time | ratio | bound |", "|---|---|---|---|---|---|",
        *(result.row() for result in results), "",
    ]  # fmt: skip
    return "\n".join(lines)


if __name__ == "__main__":
    sys.exit(main())
