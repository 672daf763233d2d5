"""Writes COMTRADE recordings of the 2013 edition: BINARY32 data, in two files or in one.

Source: IEEE C37.111-2013 (IEC 60255-24). Every channel is spread over the numbers of 32 bits, so that the
resolution is its range divided by 4e9; missing samples carry the code of the standard.
"""

import shutil
from datetime import UTC, datetime
from pathlib import Path

import numpy as np

from pantelos.formats.output import Output, OutputChannel
from pantelos.progress import Progress

_MOST = 2**31 - 1
_MISSING = -(2**31)
_LAST_STAMP = 2**32 - 2


def write_comtrade(path: Path, output: Output, progress: Progress) -> None:
    """Write a recording: `.cff` in one file; `.cfg` with the data beside it, under the same name as `.dat`."""
    scales = [_scale(channel) for channel in output.channels]
    text = configuration(output, scales).encode()
    data = path.with_suffix(".dat")
    multiplier = _multiplier(output)
    row = np.dtype([("n", "<u4"), ("t", "<u4"), ("a", "<i4", (len(output.channels),))])
    try:
        with data.open("wb") as file:
            for low, high in output.parts(progress):
                rows = np.empty(high - low, dtype=row)
                rows["n"] = np.arange(low + 1, high + 1)
                rows["t"] = np.round(np.arange(low, high) * (1e6 / output.rate_hz / multiplier))
                for k, (channel, (a, b)) in enumerate(zip(output.channels, scales, strict=True)):
                    values = channel.read(low, high)
                    numbers = np.round((np.nan_to_num(values, nan=b) - b) / a)
                    rows["a"][:, k] = np.where(np.isnan(values), _MISSING, np.clip(numbers, -_MOST, _MOST)).astype("<i4")
                file.write(rows.tobytes())
        with path.open("wb") as file:
            if path.suffix.lower() != ".cff":
                file.write(text)
                return
            notes = "".join(f"{key}={value}\r\n" for key, value in output.facts).encode()
            file.write(b"--- file type: CFG ---\r\n" + text)
            file.write(b"--- file type: INF ---\r\n" + notes + b"--- file type: HDR ---\r\n")
            file.write(f"--- file type: DAT BINARY32: {data.stat().st_size} ---\r\n".encode())
            with data.open("rb") as written:
                shutil.copyfileobj(written, file, 1 << 22)
    finally:
        if path.suffix.lower() == ".cff":
            data.unlink(missing_ok=True)


def configuration(output: Output, scales: list[tuple[float, float]]) -> str:
    """Return the configuration of a recording."""
    facts = dict(output.facts)
    n = len(output.channels)
    start = output.began.ns + round(output.start_s * 1e9) if output.began is not None else 0
    inside = output.start_s <= 0 < output.start_s + output.n_samples / output.rate_hz
    trigger = start - round(output.start_s * 1e9) if inside else start
    lines = [f"{_word(facts.get('title', 'study'))},{_word(facts.get('program', ''))},2013", f"{n},{n}A,0D"]
    for k, (channel, (a, b)) in enumerate(zip(output.channels, scales, strict=True), start=1):
        lines.append(f"{k},{_word(channel.name)},,,{_word(channel.unit)},{a!r},{b!r},0,{-_MOST},{_MOST},1,1,P")
    lines += [
        "0",
        "1",
        f"{output.rate_hz!r},{output.n_samples}",
        _date(start),
        _date(trigger),
        "BINARY32",
        f"{_multiplier(output):g}",
        "0,x",
        "F,3",
    ]
    return "\r\n".join(lines) + "\r\n"


def _scale(channel: OutputChannel) -> tuple[float, float]:
    """Return a and b: value = a * number + b, the range of the channel spread over the numbers."""
    low, high = channel.extent()
    if not np.isfinite([low, high]).all() or low == high:
        return 1.0, float(low) if np.isfinite(low) else 0.0
    return (high - low) / 2 / (_MOST - 1), (high + low) / 2


def _multiplier(output: Output) -> float:
    """Return what stamps are multiplied by: more than a microsecond only where they would not fit."""
    return float(max(np.ceil(output.n_samples * 1e6 / output.rate_hz / _LAST_STAMP), 1.0))


def _date(ns: int) -> str:
    whole, part = divmod(ns, 10**9)
    clock = f"{part // 1000:06d}" if part % 1000 == 0 else f"{part:09d}"  # many readers know microseconds only
    return datetime.fromtimestamp(whole, UTC).strftime("%d/%m/%Y,%H:%M:%S") + f".{clock}"


def _word(text: str) -> str:
    return text.replace(",", " ").replace("\r", " ").replace("\n", " ")
