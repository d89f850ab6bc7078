"""Readers that are no pattern, against the examples of their standards, and against noise."""

import json
import math
import re
import struct
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import TypeAdapter

from tidybench.core.protocols.modbus import frame
from tidybench.core.quality import Quality
from tidybench.core.reading.form import ErrorReply, Form, Learns
from tidybench.core.reading.forms import make_forms
from tidybench.core.reading.registers import RegistersForm, raw_registers, requests
from tidybench.core.reading.stop import Stop
from tidybench.core.setup import RegisterPart
from tidybench.core.setup.readers import ReaderPart
from tidybench.core.setup.talk import ListenPart

READER: TypeAdapter[ReaderPart] = TypeAdapter(ReaderPart)


def form(kind: str, wanted: str = "", encoding: str = "ascii", **keys: Any) -> Form:
    part = ListenPart(reader=READER.validate_python({"kind": kind, **keys}))
    return make_forms(part, encoding, wanted.split())[0]


def read(made: Form, message: str | bytes) -> dict[str, object] | str:
    got = made.read(message.encode("latin-1") if isinstance(message, str) else message)
    if isinstance(got, ErrorReply):
        return f"refused: {got.text}"
    if isinstance(got, Stop):
        return str(got)
    return {name: value if quality is Quality.OK else quality.code for name, (quality, value) in got.items()}


def test_columns_with_typed_counted_and_skipped_names() -> None:
    assert read(form("columns", names=["t", "-", "u"]), "1, 2 ,x") == {"t": 1.0, "u": "x"}
    assert read(form("columns", separator=";", decimal=","), "1,5;-2") == {"c1": 1.5, "c2": -2.0}
    assert read(form("columns", separator=" "), "  1   2\t3") == {"c1": 1.0, "c2": 2.0, "c3": 3.0}
    assert read(form("columns", names=["a"], none=["--"], over=["OL"]), "--") == {"a": "no-reading"}
    # RFC 4180, 2.6: a cell in quotes may hold the separator.
    assert read(form("columns"), '"a,b",5') == {"c1": "a,b", "c2": 5.0}


@pytest.mark.parametrize(
    ("message", "words"),
    [
        ("1,2,3", "a row of 2 columns was expected, one of 3 came"),
        ("1", "a row of 2 columns was expected, one of 1 came"),
        ("1,x2", "stops at character 3: a number (b) was expected, “x2” came"),
        ("1,", "a number (b) was expected, nothing came"),
    ],
)
def test_columns_that_do_not_fit_say_where(message: str, words: str) -> None:
    assert words in str(read(form("columns", wanted="a b", names=["a", "b"]), message))


def test_a_header_row_is_learnt_and_learnt_again() -> None:
    made = form("columns", wanted="SPEED", header=True)
    assert isinstance(made, Learns)
    assert "a header row" in str(read(made, "1,2"))
    assert not made.learn(b"1,2")
    assert not made.learn(b"SPEED,3")
    # What is no name of a column that is known is no header: an error message, or noise.
    assert not made.learn(b"ERROR,SENSOR")
    assert not made.learn(b"\xff\x00SPEED")
    assert made.learn(b"SPEED, TORQUE")
    assert read(made, "1,2") == {"SPEED": 1.0, "TORQUE": 2.0}
    assert made.learn(b"TORQUE,SPEED,TORQUE")
    assert read(made, "1,2,3") == {"TORQUE": 1.0, "SPEED": 2.0, "TORQUE 3": 3.0}
    assert made.learn(b"SPEED,LOAD")
    assert read(made, "1,2") == {"SPEED": 1.0, "LOAD": 2.0}
    # A column that a channel needs and that is gone is not made up from another.
    assert made.learn(b"LOAD,TORQUE")
    assert "a value for SPEED was expected" in str(read(made, "1,2"))
    made.restore({"names": ["TORQUE", "SPEED", "TORQUE 3"]})
    other = form("columns", header=True)
    assert isinstance(other, Learns)
    other.restore(made.state())
    assert read(other, "1,2,3") == read(made, "1,2,3")


def test_pairs_in_any_order_and_number() -> None:
    made = form("pairs", wanted="P L", decimal=",", none=["--,--"])
    assert read(made, "T=500;P=3,25;L=0,1") == {"T": 500.0, "P": 3.25, "L": 0.1}
    assert read(made, "L=0,1 ;P=--,--") == {"L": 0.1, "P": "no-reading"}
    assert read(made, "P=3,25 bar;S=OK") == {"P": 3.25, "S": "OK"}
    assert read(form("pairs", between=" ", equals=":"), " T:20  RH:45 ") == {"T": 20.0, "RH": 45.0}


@pytest.mark.parametrize(
    ("message", "words"),
    [
        ("SEAL RIG READY", "“=” after a label was expected"),
        ("P=1;P=2", "every label once was expected, “P” again came"),
        ("T=1;P=1,2,3", "stops at character 7: a number (P) was expected, “1,2,3” came"),
        ("P=3 4 bar", "a number (P)"),
        (";;", "a label and its value"),
    ],
)
def test_pairs_that_do_not_fit_say_where(message: str, words: str) -> None:
    assert words in str(read(form("pairs", wanted="P", decimal=","), message))


def test_nmea_0183_sentences() -> None:
    # The XDR sentence of the standard's own form: type, value, unit, name (NMEA 0183, 6.3).
    made = form("nmea", wanted="WATER", sentences=["XDR"])
    got = read(made, "$YXXDR,D,1.234,M,LEVEL,C,,C,WATER,P,1.013,B,")
    assert isinstance(got, dict)
    assert (got["LEVEL"], got["WATER"], got["P3"], got["f2"]) == (1.234, "no-reading", 1.013, 1.234)
    assert read(made, "$IIMTW,18.5,C*17") == {}
    assert (
        read(made, "$YXXDR,C,x1,C,WATER") == "stops at character 10: a number (WATER) was expected, “x1” came"
    )
    depth = form("nmea", wanted="depth", sentences=["DBT"], talker="SD")
    assert read(depth, "$SDDBT,7.8,f,2.4,M,1.3,F") == {
        "f1": 7.8, "depth_ft": 7.8, "f2": "f", "f3": 2.4, "depth": 2.4, "f4": "M", "f5": 1.3, "depth_fathoms": 1.3, "f6": "F",
    }  # fmt: skip
    assert read(depth, "$IIDBT,7.8,f,2.4,M,1.3,F") == {}
    assert "a value for depth was expected, the end" in str(read(depth, "$SDDBT,7.8"))
    assert "“$” was expected" in str(read(depth, "SDDBT,7.8"))
    assert "a talker and a sentence" in str(read(depth, "$X,1"))


@pytest.mark.parametrize(
    ("message", "value"),
    [
        ("+5", 5.0), ("-1.25", -1.25), ("+1.25E-3", 0.00125), ("9.9E37", "over"), ("-9.900000E+37", "under"),
        ("9.91E37", "no-reading"), ("#H1F", 31.0), ("#q17", 15.0), ("#B101", 5.0),
    ],
)  # fmt: skip
def test_scpi_numbers(message: str, value: object) -> None:
    assert read(form("scpi", names=["v"]), message) == {"v": value}


@pytest.mark.parametrize(
    "message", ["1,2,3", "NAN,1", "#H,1", "#HG1,1", "#B" + "1" * 54 + ",1", "1,0x5", "1,"]
)
def test_what_is_no_scpi_number_stays_none(message: str) -> None:
    assert isinstance(read(form("scpi", names=["v", "w"]), message), str)


def test_json_by_path() -> None:
    made = form("json", wanted="a.t")
    assert read(made, '{"a": {"t": 20.5, "s": "OK"}, "v": [1, null, true], "n": "7"}') == {
        "a.t": 20.5, "a.s": "OK", "v.0": 1.0, "v.1": "no-reading", "v.2": 1.0, "n": 7.0,
    }  # fmt: skip
    for message, words in (
        ('{"a": {"t": "x"}}', "a number (a.t) was expected, “x” came"),
        ('{"a": NaN}', "not JSON"), ('{"a": 1e999}', ""), ("[" * 5000, "JSON"), ("5", "a JSON object"),
        ('{"a" 5}', "stops at character 6: JSON"), ("1" * 5000, ""),
    ):  # fmt: skip
        got = read(made, message)
        assert words in str(got)
        assert not isinstance(got, dict) or not any(isinstance(v, float) for v in got.values())


def test_blocks_of_numbers() -> None:
    data = struct.pack(">3f", 3.0, -4.0, math.nan)
    made = form("block", numbers="float32", most=3)
    assert read(made, b"CURV #212" + data) == {
        "count": 3.0, "mean": -0.5, "rms": pytest.approx(math.sqrt(12.5)), "min": -4.0, "max": 3.0, "v1": 3.0, "v2": -4.0, "v3": "no-reading",
    }  # fmt: skip
    assert read(form("block", numbers="int16", order="low first"), b"#0\x01\x00\xff\xff") == {
        "count": 2.0, "mean": 0.0, "rms": 1.0, "min": -1.0, "max": 1.0,
    }  # fmt: skip
    assert read(form("block", numbers="text"), b"#14+1,2") == {
        "count": 2.0, "mean": 1.5, "rms": pytest.approx(math.sqrt(2.5)), "min": 1.0, "max": 2.0,
    }  # fmt: skip
    assert "numbers with commas" in str(read(form("block", numbers="text"), b"#13+1,"))
    for message, words in (
        (b"1.5", "begins with “#”"), (b"#x", "a digit"), (b"#3ab", "with 3 digits"), (b"#15abc", "a block of 5 bytes was expected, one of 3"),
        (b"#15abcde", "a multiple of 4"),
    ):  # fmt: skip
        assert words in str(read(made, message))


# ---- Modbus


def registers(*parts: dict[str, Any]) -> list[RegisterPart]:
    return [RegisterPart.model_validate(part) for part in parts]


MAP = registers(
    {"name": "p", "at": 0, "holds": "float32"},
    {"name": "q", "at": 2, "holds": "int32", "order": "low first"},
    {"name": "n", "at": 4, "holds": "int16", "none": [-32768]},
    {"name": "warm", "at": 5, "holds": "bit", "bit": 3},
    {"name": "far", "at": 100},
    {"name": "in", "at": 7, "table": "input"},
    {"name": "c0", "at": 3, "table": "coil"},
    {"name": "c9", "at": 12, "table": "coil"},
)


@pytest.mark.parametrize(
    ("order", "raw"),
    [
        ("high first", "3fc0 0000"),
        ("low first", "0000 3fc0"),
        ("high first, swapped", "c03f 0000"),
        ("low first, swapped", "0000 c03f"),
    ],
)
def test_a_float_stands_in_registers_in_four_orders(order: str, raw: str) -> None:
    [request] = requests(registers({"name": "p", "at": 0, "holds": "float32", "order": order}), 0)
    assert read(RegistersForm(1, request), bytes([1, 3, 4]) + bytes.fromhex(raw)) == {"p": 1.5}


def test_neighbouring_registers_are_fetched_together() -> None:
    made = requests(MAP, 8)
    assert [(r.function, r.first, r.count, len(r.registers)) for r in made] == [
        (1, 3, 10, 2), (3, 0, 6, 4), (3, 100, 1, 1), (4, 7, 1, 1),
    ]  # fmt: skip
    many = registers(*({"name": f"r{n}", "at": n} for n in range(300)))
    assert [r.count for r in requests(many, 0)] == [125, 125, 50]
    assert [r.first for r in requests(registers({"name": "a", "at": 0}, {"name": "b", "at": 2}), 0)] == [0, 2]


def test_registers_and_coils_are_read_by_their_map() -> None:
    coils, holding, *_ = (RegistersForm(11, request) for request in requests(MAP, 8))
    data = struct.pack(">f", 1.5) + struct.pack(">HH", 0x0001, 0x0002) + struct.pack(">hH", -5, 0b1000)
    assert read(holding, bytes([11, 3, 12]) + data) == {"p": 1.5, "q": 0x00020001, "n": -5.0, "warm": 1.0}
    # MODBUS Application Protocol 1.1b3, 6.1: the lowest bit of the first byte is the first coil.
    assert read(coils, bytes([11, 1, 2, 0b0000_0001, 0b10])) == {"c0": 1.0, "c9": 1.0}
    empty = struct.pack(">HH", 0x7FC0, 0) + bytes(4) + struct.pack(">hH", -32768, 0)
    assert read(holding, bytes([11, 3, 12]) + empty) == {
        "p": "no-reading",
        "q": 0.0,
        "n": "no-reading",
        "warm": 0.0,
    }
    assert read(holding, bytes([11, 0x83, 2])) == "refused: exception 2, illegal data address"
    assert "an answer of unit 11 was expected, one of 12" in str(read(holding, bytes([12, 3, 12]) + data))
    assert "function 3" in str(read(holding, bytes([11, 4, 12]) + data))
    assert "with 12 bytes was expected, one with 11" in str(read(holding, bytes([11, 3, 12]) + data[:-1]))


def test_the_standards_own_example_request() -> None:
    # MODBUS Application Protocol 1.1b3, 6.3: registers 108 to 110 are read with 03 00 6B 00 03.
    three = registers(*({"name": f"r{n}", "at": n} for n in range(107, 110)))
    [request] = requests(three, 0)
    pdu = bytes([request.function]) + struct.pack(">HH", request.first, request.count)
    assert pdu.hex(" ") == "03 00 6b 00 03"
    assert read(RegistersForm(1, request), bytes.fromhex("01 03 06 02 2B 00 00 00 64")) == {
        "r107": 555.0, "r108": 0.0, "r109": 100.0,
    }  # fmt: skip
    assert frame("modbus ascii", 1, pdu) == b":0103006B00038E\r\n"
    assert frame("modbus tcp", 1, pdu, 7).hex() == "0007000000060103006b0003"


@given(st.sampled_from(MAP[:4]), st.floats(-30000, 30000, width=32))
def test_a_written_register_reads_back(one: RegisterPart, value: float) -> None:
    if one.holds != "float32":
        value = float(round(value)) if one.holds != "bit" else 8.0
    raw = b"".join(n.to_bytes(2, "big") for n in raw_registers(one, value))
    [request] = requests([one], 0)
    got = read(RegistersForm(1, request), bytes([1, 3, len(raw)]) + raw)
    assert got == {one.name: "no-reading" if value in one.none else 1.0 if one.bit is not None else value}


def test_what_a_register_cannot_hold_is_said() -> None:
    with pytest.raises(ValueError, match="does not fit n, which holds int16"):
        raw_registers(MAP[2], 40_000)
    with pytest.raises(ValueError, match="whole numbers"):
        raw_registers(MAP[2], 1.5)


# ---- all of them

FORMS: list[Form] = [
    form("columns", wanted="c1", header=True),
    form("columns", wanted="a", names=["a", "-"], none=["--"]),
    form("pairs", wanted="P", decimal=","),
    form("nmea", wanted="WATER", sentences=["XDR", "DBT"]),
    form("scpi", names=["v", "w"]),
    form("json", wanted="a"),
    form("block", numbers="float64", most=2),
    form("block", numbers="text"),
    *(RegistersForm(11, request) for request in requests(MAP, 8)),
]
MESSAGES = st.one_of(
    st.binary(max_size=80),
    st.lists(st.sampled_from(["$YXXDR", ",", "1.5", "-", "P=", ";", "1.2.3", "--5", "NaN", "1e999", "0x", "٣", "\x00", "#15", '"', "{", "a", ":", " "])).map(
        lambda parts: "".join(parts).encode("utf-8")
    ),
)  # fmt: skip


@given(st.integers(0, len(FORMS) - 1), MESSAGES)
def test_noise_never_breaks_a_reader_and_never_becomes_a_number(index: int, message: bytes) -> None:
    made = FORMS[index]
    got = made.read(message)
    if isinstance(got, dict):
        for quality, value in got.values():
            if isinstance(value, float) and quality.measured:
                assert math.isfinite(value)
                assert (
                    re.search(rb"\d|true|false", message)
                    or isinstance(made, RegistersForm)
                    or b"#" in message
                )


@given(
    st.dictionaries(
        st.text("abc", min_size=1, max_size=3), st.floats(allow_nan=False, allow_infinity=False), max_size=4
    )
)
def test_json_numbers_read_back(data: dict[str, float]) -> None:
    assert read(form("json"), json.dumps(data)) == data


def test_the_fuzzer_finds_nothing_in_a_second() -> None:
    from tests.fuzz import SEEDS, run

    assert run(1.0, seed=5) == 0
    assert len(SEEDS) > 5
