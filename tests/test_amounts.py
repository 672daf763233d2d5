"""Amounts as they are typed: one rule, whichever place reads them."""

import math
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pantelos.amounts import amount, amount_of, figure
from pantelos.engine.filling import _EVERY
from pantelos.errors import PantelosError
from pantelos.power.over_time import cycles_of_step
from pantelos.record.alignment import alignment_from
from pantelos.record.scaling import parse_scaling
from pantelos.study import operations as op
from pantelos.study.model import EventSearch
from pantelos.study.sentences import search_from
from pantelos.study.shown import Look
from pantelos.study.spectral_words import fundamental_from, span_from
from pantelos.units import unit

PREFIXES = {"n": -9, "u": -6, "m": -3, "": 0, "k": 3, "M": 6}


@given(
    st.sampled_from(["", "+", "-", "\N{MINUS SIGN}"]), st.integers(0, 10**15), st.integers(0, 15), st.integers(-40, 40),
    st.sampled_from(sorted(PREFIXES)), st.sampled_from(["", " ", "  "]),
)  # fmt: skip
def test_an_amount_is_the_number_nearest_to_what_is_written(sign, digits, decimals, exponent, prefix, blank):
    text = str(digits).rjust(decimals + 1, "0")
    text = f"{text[: len(text) - decimals]}.{text[len(text) - decimals :]}" + (f"e{exponent}" if exponent else "")
    exact = Fraction(digits) * Fraction(10) ** (exponent - decimals + PREFIXES[prefix])
    wanted = float(-exact if sign in ("-", "\N{MINUS SIGN}") else exact)
    assert amount(f"{blank}{sign}{text}{blank}{prefix}V ", "V") == wanted
    assert amount(f"{sign}{text}", unit("V")) == figure(f"{sign}{text}")


def test_every_place_reads_a_time_and_a_level_by_the_same_rule():
    types = {"u": (None, unit("V"))}
    for text, seconds in (("20 us", 2e-5), ("20us", 2e-5), (".02 ms", 2e-5), ("2e-5 s", 2e-5), ("+20 us", 2e-5)):
        assert amount(text, "s") == op.time_from(text) == seconds
        assert op.rate_from(text) == 1 / seconds
        assert alignment_from(f"offset {text}").offset_s == seconds
        assert op.edges_from(f"{text} .. 1 s") == (seconds, 1.0)
        assert parse_scaling(f"lag {text}", unit("V")).lag_s == seconds
        assert search_from(f"u is missing longer than {text.lstrip('+')}", types).time_s == seconds
        assert _EVERY.fullmatch(f"every {text}")["length"] == text
    assert search_from("u rises through \N{MINUS SIGN}0.3 kV", types).level == search_from("u rises through -300 V", types).level
    assert op.look_from("x 10 - 30 mV", unit("V"), Look()) == Look(factor=10.0, offset=-0.03)
    assert op.look_from("\N{MINUS SIGN}0.03", unit("V"), Look()).offset == -0.03
    assert fundamental_from("16.7 Hz") == 16.7 and span_from("0 to 2.5 kHz") == (0.0, 2500.0)
    assert op.expected_from("0.4 kV, 16 A").voltage == 400.0 and cycles_of_step("200 ms", 50.0) == 10
    assert isinstance(search_from("u rises through 50 %", types), EventSearch)


@pytest.mark.parametrize(
    "text",
    [
        "",
        "V",
        "1e9999999 V",
        "1e99999999999999999999 V",
        "1,5 V",
        "1.2.3 V",
        "--3 V",
        "1e999 V",
        "nan",
        "inf V",
        "3 parsnips",
        "3 A",
        "1e V",
    ],
)
def test_what_is_no_amount_is_told_in_one_sentence(text):
    with pytest.raises(PantelosError) as told:
        amount(text, "V")
    assert str(told.value).endswith(".") and "\n" not in str(told.value)
    with pytest.raises(PantelosError, match=r"is no voltage\.$"):
        amount(text, "V", "is no voltage.")
    for read in (op.rate_from, op.time_from, op.edges_from, lambda text: cycles_of_step(text, 50.0), alignment_from):
        with pytest.raises(PantelosError):
            read(text)
    assert amount("1e-99999999999999999999 V", "V") == 0.0 == amount("0e99999999999999999999 V", "V")
    for look in ("-", "+", "x 10 +", "x 0", "x", "5 A"):
        with pytest.raises(PantelosError, match="no factor and offset"):
            op.look_from(look, unit("V"), Look())
    with pytest.raises(PantelosError, match="too large"):
        parse_scaling("accuracy 0.5 % + 1e999 V", unit("V"))
    assert math.isnan(figure("1,5")) and amount_of("3", "V") == (3.0, unit("V"))
