"""What people write for a transducer, and what is made of it: the factors by hand."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pantelos.errors import PantelosError
from pantelos.record.scaling import parse_scaling
from pantelos.units import unit


@pytest.mark.parametrize(
    ("text", "recorder", "gain", "symbol", "reads"),
    [
        ("200:1", "V", 200, "V", "divider 200:1"),
        ("1000/10", "V", 100, "V", "divider 100:1"),
        ("100/5", "A", 20, "A", "transformer 20:1"),
        ("100 A/5 A", "A", 20, "A", "transformer 20:1"),
        ("20 kV/100 V", "V", 200, "V", "transformer 200:1"),
        ("transformer 20 kV/100 V", "V", 200, "V", "transformer 200:1"),
        ("10 mV/A", "V", 100, "A", "clamp 10 mV/A"),
        ("10mV/A", "mV", 0.1, "A", "clamp 10 mV/A"),
        ("60 mV/240 A", "V", 4000, "A", "clamp 0.25 mV/A"),
        ("shunt 60 mV / 240 A", "mV", 4, "A", "clamp 0.25 mV/A"),
        ("0.25 ohm", "V", 4, "A", "shunt 0.25 Ω"),
        ("250 mohm", "mV", 0.004, "A", "shunt 250 mΩ"),
        ("10 A/V", "V", 10, "A", "factor 10 A/V"),
        ("100 °C/V", "V", 100, "°C", "factor 100 degC/V"),
        ("10 mV/degC", "V", 100, "°C", None),
        ("sensor 10 mV/bar", "V", 1e7, "bar", None),
        ("−200:1", "V", -200, "V", "divider -200:1"),
    ],
)
def test_a_figure_is_understood_from_its_unit_and_the_recorders(text, recorder, gain, symbol, reads):
    found = parse_scaling(text, unit(recorder))
    made, _, shown = found.resolve(unit(recorder))
    assert made == pytest.approx(gain, rel=1e-12)
    assert shown.symbol == symbol or shown.like(unit(symbol))
    if reads is not None:
        assert found.text(unit(recorder)) == reads
    again = parse_scaling(found.text(unit(recorder)), unit(recorder))
    assert again.resolve(unit(recorder))[0] == pytest.approx(gain, rel=1e-6)  # what is shown means the same when it is typed


@pytest.mark.parametrize(
    ("text", "recorder", "said"),
    [
        ("200", "V", "may mean many things. Write for example 200:1"),
        ("1:200", "V", "Write 200:1"),
        ("10 mV/A", "A", "gives volts, but the recorder reads in A"),
        ("4 kg", "V", "is no transducer"),
        ("4 kg/m", "V", "one of the two units must be a V"),
        ("0:1", "V", "must not be zero"),
        ("0 ohm", "V", "must not be zero"),
        ("0 mV/A", "V", "must not be zero"),
        ("5 A/0 V", "V", "must not be zero"),
        ("0.5 ohm", "A", "Set the recorder unit"),
        ("10 mV/A, accuracy 0.1 % + 300 mV", "V", "stated in mV, but the channel reads in A"),
        ("fast", "V", "is not a part of a scaling chain"),
    ],
)
def test_what_fits_no_transducer_says_why(text, recorder, said):
    with pytest.raises(PantelosError, match=said.replace("(", r"\(").replace("?", r"\?")):
        parse_scaling(text, unit(recorder))


@given(st.text(alphabet="0123456789.:/ -+eEmVAkohm°C,", max_size=24))
def test_whatever_is_typed_is_a_chain_or_a_sentence(text):
    try:
        parse_scaling(text, unit("V")).resolve(unit("V"))
    except PantelosError as error:
        assert str(error)
