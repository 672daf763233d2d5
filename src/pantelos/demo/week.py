"""A made-up week at the supply of a joinery: values of a logger, every 10 s and every 10 min, with known answers.

Every value follows from the formulas here: the voltage has a working-day swing and 40 values above +10 %, distortion rises from
Monday to Sunday, the goods lift makes the light flicker on working days.
"""

import math

import numpy as np

from pantelos.signal.arrays import FloatArray
from pantelos.study import operations as op
from pantelos.study.model import Study
from pantelos.study.recordings import Recordings

RATE_HZ = 0.1
BEGAN = "2026-03-02 00:00:00"  # a Monday
N_TENS, N_TEN_MINUTES, N_TWO_HOURS = 60_480, 1008, 84
U_DIN = 230.0
HIGH_U, N_HIGH = 254.5, 40  # values of L2 above +10 %, in the night to Sunday
THD_FIRST, THD_LAST = 2.5, 6.0  # % of L3, a straight line over the week
U11_USUAL, U11_HIGH, SHARE_HIGH = 2.0, 3.7, 0.10  # % of U_din on L1: high in one tenth of all values
PLT_AT_WORK, PLT_ELSE = 0.92, 0.45
U2_MEAN, U2_SWING = 0.6, 0.25
F_SWING = 0.03
UNITS = {"f": "Hz", "U": "V", "THD": "%", "U5": "%", "U7": "%", "U11": "%", "u2": "%", "Pst": "1", "Plt": "1"}
_CONDUCTORS = (1, 2, 3)


def _columns() -> dict[str, str]:
    """Return the unit of each column."""
    single = {name: UNITS[name] for name in ("f", "u2")}
    return single | {f"{name}_{k}": UNITS[name] for name in UNITS if name not in single for k in _CONDUCTORS}


COLUMNS = _columns()


def ten_minutes() -> dict[str, FloatArray]:
    """Return the values of 10 min by column, (1008,) each; those of 2 h stand twelve times."""
    k = np.arange(N_TEN_MINUTES)
    hour, day = (k / 6) % 24, k // 144
    at_work = (hour >= 7) & (hour < 17) & (day < 5)
    found: dict[str, FloatArray] = {"u2": U2_MEAN + U2_SWING * np.sin(2 * math.pi * hour / 24)}
    for c in _CONDUCTORS:
        u = 231.0 + 0.5 * c + 3.0 * np.cos(2 * math.pi * (hour - 3) / 24) - 4.0 * at_work
        if c == 2:
            u[864 : 864 + N_HIGH] = HIGH_U
        rising = THD_FIRST + (THD_LAST - THD_FIRST) * k / (N_TEN_MINUTES - 1)
        thd = np.asarray(rising if c == 3 else 2.0 + 0.2 * c + 0.5 * at_work, dtype=np.float64)
        high = (k % 10 == 0) if c == 1 else np.zeros(N_TEN_MINUTES, dtype=bool)
        plt = np.repeat(np.where(at_work.reshape(-1, 12).any(axis=1), PLT_AT_WORK - 0.02 * c, PLT_ELSE), 12)
        found |= {
            f"U_{c}": u,
            f"THD_{c}": thd,
            f"U5_{c}": 0.55 * thd,
            f"U7_{c}": 0.35 * thd,
            f"U11_{c}": np.where(high, U11_HIGH, U11_USUAL),
            f"Pst_{c}": plt * (1 + 0.1 * np.sin(k)),
            f"Plt_{c}": plt,
        }
    return found


def recorded_volts() -> dict[str, FloatArray]:
    """Return what the logger put down every 10 s, values of 10 min sixty times."""
    f = 50.0 + F_SWING * np.sin(2 * math.pi * np.arange(N_TENS) / 360.0)
    return {"f": f} | {name: np.repeat(values, 60) for name, values in ten_minutes().items()}


def build(study: Study, recordings: Recordings) -> Study:
    """Return the study: each column a trend of its parameter, judged as a public low-voltage supply."""
    of = study.quality
    for text in (f"U_din = {U_DIN:g} V", "limits = en50160-lv", "trend = f = f every 10 s", "trend = u2 = u2 every 10 min"):
        of = op.quality_from(of, text)
    for name in ("U", "THD", "U5", "U7", "U11", "Pst", "Plt"):
        base = "2 h" if name == "Plt" else "10 min"
        for c in _CONDUCTORS:
            of = op.quality_from(of, f"trend = {name} L{c} = {name}_{c} every {base}")
    for c in _CONDUCTORS:
        study = op.scale_channel(study, f"U_{c}", "direct, accuracy 0.1 %")
    study = op.set_quality(study, **{name: getattr(of, name) for name in of.__struct_fields__})
    return op.arrange_lanes(study, [tuple(f"{name}_{c}" for c in _CONDUCTORS) for name in ("U", "THD", "Plt")] + [("f",)])
