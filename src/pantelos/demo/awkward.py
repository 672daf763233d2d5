"""A recording as awkward as exports come, made up: to show and test what is understood of it."""

import math
from pathlib import Path


def write_awkward(path: Path) -> Path:
    """Write a recording as awkward as spreadsheets export them, made up: the brake of the goods lift.

    UTF-16, semicolons, decimal comma, thousands with points, elapsed time, ranges and units in the preamble, a name that
    stands there twice, cells beyond the range, a footer.
    """
    rows = []
    for n in range(600):
        t = n * 0.0005
        volts = 0.0 if t < 0.02 else 1190.0 * (1 - math.exp(-(t - 0.02) / 0.004))
        amps = 0.0 if t < 0.02 else 1.45 * (1 - math.exp(-(t - 0.02) / 0.03)) - 0.3 * math.exp(-(((t - 0.07) / 0.008) ** 2))
        cells = [
            f"0:01:{t + 12:09.6f}",
            f"{volts:,.2f}",
            "Overload" if 100 <= n < 104 else f"{1000 * amps:,.1f}",
            f"{20 + t:.2f}",
        ]
        rows.append(";".join(cell.translate(str.maketrans(",.", ".,")) for cell in cells))
    head = (
        "Recorder;made-up demo data",
        "Start time;2026-03-05 10:00:00",
        "Range;1.500 V;3.000 mA;100 °C",
        "Note;brake of the goods lift",
        "",
        "elapsed;brake;brake;coil",
        ";V;mA;°C",
    )
    path.write_text("\r\n".join([*head, *rows, ";;;", "600 rows, end of export"]) + "\r\n", encoding="utf-16")
    return path
