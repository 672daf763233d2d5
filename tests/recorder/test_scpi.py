"""The language: messages, headers, numbers, blocks, status. Expectations are those of IEEE 488.2 and SCPI-1999."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pantelos.scpi.message import MessageError, as_flag, as_number, as_string, as_word, commands
from pantelos.scpi.response import block, block_head, number
from pantelos.scpi.status import Status
from pantelos.scpi.tree import Tree


def test_units_of_a_message_go_on_from_the_branch_of_the_one_before():
    found = [(c.header, c.query, c.parameters) for c in commands("TRIG:SOUR INT1;LEV 1.5 V;:INP2 ON;*OPC?;:SWE:POIN?")]
    assert found == [
        ("TRIG:SOUR", False, ("INT1",)), ("TRIG:LEV", False, ("1.5 V",)), ("INP2", False, ("ON",)), ("*OPC", True, ()),
        ("SWE:POIN", True, ()),
    ]  # fmt: skip
    (quoted,) = commands('SIM:SCEN "a;b,c"')
    assert as_string(quoted.parameters[0]) == "a;b,c"
    for wrong in ("1 2", 'A "b', ";?"):
        with pytest.raises(MessageError):
            list(commands(wrong))


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [("1", "V", 1.0), ("1.5e-3", "", 1.5e-3), ("20 mV", "V", 0.02), ("3 MHZ", "HZ", 3e6), ("5 us", "S", 5e-6), ("2kV", "V", 2e3),
     ("MAX", "V", 10.0), ("minimum", "V", -10.0), (".5", "", 0.5)],
)  # fmt: skip
def test_numbers_have_suffixes(text, unit, value):
    assert as_number(text, unit, -10.0, 10.0) == pytest.approx(value)


def test_what_is_no_parameter_is_refused():
    for text, unit in (("1 A", "V"), ("ten", ""), ("", "V"), ("1..2", "")):
        with pytest.raises(MessageError):
            as_number(text, unit)
    assert as_flag("ON") and not as_flag("0") and as_word("pos", ("POSitive", "NEGative")) == "POSitive"
    with pytest.raises(MessageError):
        as_word("po", ("POSitive",))


def test_headers_have_long_and_short_forms_parts_left_out_and_numbers():
    tree, seen = Tree(), []
    tree.add("[SENSe#:]VOLTage[:DC]:RANGe[:UPPer]", lambda numbers, given: seen.append((numbers, given)), takes=1)
    for text in ("VOLT:RANG 5", "SENSE2:VOLTAGE:DC:RANGE:UPPER 5", "sens3:volt:rang 5"):
        (one,) = commands(text)
        assert tree.answer(one) is None
    assert [numbers for numbers, _ in seen] == [(1,), (2,), (3,)]
    for wrong, code in (("VOLTA:RANG 5", -113), ("VOLT:RANG?", -118), ("SENS:RANG 1", -113)):
        (one,) = commands(wrong)
        with pytest.raises(MessageError) as error:
            tree.answer(one)
        assert error.value.code == code


@given(st.binary(max_size=3000))
def test_a_block_says_its_length(content):
    made = block(content)
    digits = block_head(made[:2])
    assert int(made[2 : 2 + digits]) == len(content) and made[2 + digits :] == content


def test_the_queue_of_errors_and_the_status_byte():
    status, tree = Status(), Tree()
    status.enter(tree)

    def ask(text):
        (one,) = commands(text)
        return tree.answer(one)

    assert ask("*ESR?") == "128" and ask("SYST:ERR?") == '0,"No error"'
    ask("*ESE 32")
    ask("*SRE 32")
    status.fail(-113, 'a "word"')
    assert ask("*STB?") == str(4 + 32 + 64) and ask("SYST:ERR:COUN?") == "1"
    assert ask("SYST:ERR?") == '-113,"a ""word"""' and ask("*ESR?") == "32" and ask("*STB?") == "0"
    for _ in range(40):
        status.fail(-200, "x")
    assert ask("SYST:ERR:COUN?") == "32" and [ask("SYST:ERR?") for _ in range(32)][-1].startswith("-350")
    status.operation.set(8, on=True)
    assert ask("STAT:OPER:COND?") == "8" and ask("STAT:OPER?") == "8" and ask("STAT:OPER?") == "0"
    assert number(float("nan")) == "9.91E+37" and number(float("-inf")) == "-9.9E+37"
