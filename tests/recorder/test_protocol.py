"""The simulated recorder against its document and the standards, by an independent client: every command, limits, registers, errors."""

import re
from pathlib import Path

import pytest
import pyvisa

DOCUMENT = Path(__file__).parents[2] / "docs/recorder-protocol.md"
PARAMETERS = {  # what a command of the document is given where it is asked; others take MINimum
    "TYPE": "BAL", "COUPling": "AC", "SOURce": "IMM", "SLOPe": "POS", "AUTO": "ONCE", "USER[:DATA]": "1,2", "[:DATA]": "INT,16", "BORDer": "SWAP",
    "[:SHAPe]": "SIN", "SWEep": "1,2,3", "TONes": "1,2,3", "SCENe": '"mains"', "FAULt": "LATE,99", "[:STATe]": "1", "LOOP": "0",
    "*ESE": "32", "*SRE": "32", "ENABle": "1",
}  # fmt: skip
WITHOUT = ("*RST", "*CLS", "*OPC", "*WAI", "*TRG", "STATus:PRESet", "INITiate[:IMMediate]", "ABORt")
NO_QUERY = ("AUTO", "SWEep", "TONes", "USER[:DATA]", "FAULt", *WITHOUT)


def headers_of_the_document():
    table = DOCUMENT.read_text().partition("## Commands")[2].partition("## Rows")[0]
    cells = [line.split("|")[1] for line in table.splitlines() if line.startswith("| ") and "---" not in line]
    return [header for cell in cells for header in re.findall(r"`([^`]+)`", cell)]


@pytest.mark.parametrize("header", headers_of_the_document())
def test_the_server_knows_every_command_of_the_document(header, raw):
    """In long and short form, as a command and as a query, with the parameters that are written there."""
    for form in (header, "".join(sign for sign in header if not sign.islower())):
        plain = re.sub(r"[\[\]]", "", form).replace("#", "1")
        given = next((text for end, text in PARAMETERS.items() if header.endswith(end)), "MIN")
        if header.startswith("FETC"):
            raw.write("SWE:POIN 2;:INIT;*WAI")
        if header == "FETCh:BLOCk?":
            assert raw.block(f"{plain} 0,1")
        elif header.endswith("?"):
            assert raw.ask(plain)
        else:
            raw.write(plain if header in WITHOUT else f"{plain} {given}")
            assert header.endswith(NO_QUERY) or raw.ask(f"{plain}?")
        said = raw.ask("SYST:ERR?")
        assert said == '0,"No error"' or (header == "*TRG" and said.startswith("-211"))  # nothing goes on that it could start
        raw.write("ABOR;*RST;*CLS")


@pytest.mark.parametrize(
    ("message", "answer"),
    [
        ("SWE:POIN 100.6;POIN?", "101"), ("SWE:POIN? MAX", "1099511627776"), ("SWE:TINT? DEF", "0.0001"),
        ("SWE:TINT MAX;TINT?", "1"), ("SENS1:VOLT:RANG? MIN", "0"), ("TRIG:COUN DEF;COUN?", "1"), ("SOUR1:PULS:DCYC? DEF", "50"),
        ("*SRE 255;*SRE?", "191"), ("STAT:OPER:ENAB 65535;ENAB?", "32767"), ("FORM:BORD SWAP;BORD?", "SWAP"),
        ("FETC:ROOM?", str((64 << 20) // 12)),
    ],
)  # fmt: skip
def test_numbers_limits_and_registers_after_the_standard(message, answer, raw):
    assert raw.ask(message) == answer and raw.ask("SYST:ERR?") == '0,"No error"'


@pytest.mark.parametrize(
    ("message", "code"),
    [
        ("SWE:POIN 5,6", -108), ("*CLS 1", -108), ("INP:COUN? 3", -108), ("INIT 1", -108), ("FETC:BLOC? 1,2,3", -108),
        ("SWE:POIN", -109), ("*SRE 256", -222), ("STAT:QUES:ENAB 65536", -222), ("SIM:CLOC -1000000", -222),
        ("SIM:NOIS -1", -222), ("FORM:BORD NORM", -224), ("SWE:POIN? BIG", -224),
        ("TRIG:SOUR INT1;LEV 50;:INIT", -221), ("SWE:GATE 1;GATE:LEV -11;:INIT", -221),
    ],
)  # fmt: skip
def test_what_a_message_may_not_say_has_its_number(message, code, raw):
    raw.write(message)
    assert raw.ask("SYST:ERR?").startswith(f"{code},") and raw.ask("STAT:OPER:COND?") == "0"


def test_a_wait_for_the_end_of_a_recording_without_one_can_be_given_up(serving, raw, one_more):
    """By a device clear (HiSLIP), by going, or by ABORt from another connection; the recorder serves on."""
    raw.write("SWE:POIN 0;:INIT")
    there = pyvisa.ResourceManager("@py").open_resource(serving.addresses[1], open_timeout=3000)
    there.timeout = 300
    there.write("*OPC?")
    with pytest.raises(pyvisa.VisaIOError):
        there.read()
    there.clear()
    there.timeout = 5000
    assert there.query("*IDN?").startswith("Pantelos")
    there.close()
    gone = one_more()
    gone.write("*OPC?")
    gone.close()
    waits = one_more()
    waits.write("*OPC?")
    raw.write("ABOR")
    assert waits._file.readline() == b"1\n"
    waits.close()
