"""The message pattern language."""

import contextlib
import math
import time

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.quality import Quality
from tidybench.core.reading.pattern import PatternError, compile_pattern, walk
from tidybench.core.reading.stop import Stop

FLOW = "FL=<flow none(--------) [L/min]> L/min <state:word>"


def read(source: str, message: bytes) -> "dict[str, tuple[Quality, object]] | Stop":
    return compile_pattern(source).read(message)


def test_reads_numbers_words_literals_and_units() -> None:
    pattern = compile_pattern(FLOW)
    assert pattern.read(b"FL=+0148.27 L/min OK") == {
        "flow": (Quality.OK, 148.27),
        "state": (Quality.OK, "OK"),
    }
    assert pattern.fields[0].unit == "L/min"


@pytest.mark.parametrize(
    ("text", "value"),
    [("5", 5.0), ("+5.", 5.0), (".5", 0.5), ("-0.25", -0.25), ("1e3", 1000.0), ("1.5E-2", 0.015), ("- 7", -7.0), ("  +  7", 7.0), ("007", 7.0)],
)  # fmt: skip
def test_a_number_is_what_instruments_write(text: str, value: float) -> None:
    assert read("<v>", text.encode()) == {"v": (Quality.OK, value)}


@pytest.mark.parametrize(
    "text",
    [
        "1.2.3",
        "--5",
        "1e999",
        "-1e999",
        "NaN",
        "inf",
        "0x10",
        "1_000",
        "",
        ".",
        "+",
        "٣",
        "5e",
        "1,5",
        "\x005",
    ],
)
def test_what_is_no_number_never_becomes_one(text: str) -> None:
    assert isinstance(read("<v>", text.encode()), Stop)
    assert isinstance(read("a <*>;<v>", b"a b;" + text.encode()), Stop)


def test_tokens_stand_for_numbers() -> None:
    source = "<v over(OL|9.9E37) under(-OL) none(----|9.91E37) flagged(~)>"
    assert read(source, b"OL")["v"][0] is Quality.OVER  # type: ignore[index]
    assert read(source, b"-OL")["v"][0] is Quality.UNDER  # type: ignore[index]
    assert read(source, b"----")["v"][0] is Quality.NO_READING  # type: ignore[index]
    # Tokens that are numbers are compared by value, as SCPI instruments pad them.
    assert read(source, b"+9.90000E+37")["v"][0] is Quality.OVER  # type: ignore[index]
    assert read(source, b"9.910E37")["v"][0] is Quality.NO_READING  # type: ignore[index]
    assert read(source, b"~12.5") == {"v": (Quality.FLAGGED, 12.5)}
    assert math.isnan(read(source, b"OL")["v"][1])  # type: ignore[index, arg-type]


def test_the_longest_token_wins_over_a_number() -> None:
    assert read("<v over(0L)>", b"0L")["v"][0] is Quality.OVER  # type: ignore[index]
    assert read("<v over(0L)>", b"0") == {"v": (Quality.OK, 0.0)}


def test_a_message_that_stops_says_where() -> None:
    got = read(FLOW, b"FL=+0148.27 l/min OK")
    assert isinstance(got, Stop)
    assert str(got) == "stops at character 13: “L” was expected, “l” came"
    dashes = read("FL=<flow> L/min", b"FL=-------- L/min")
    assert isinstance(dashes, Stop)
    assert (dashes.column, dashes.expected) == (4, "a number (flow)")
    short = read(FLOW, b"FL=+0148")
    assert isinstance(short, Stop)
    assert short.found == "the end of the message"


def test_blanks_match_one_or_more() -> None:
    assert read("A <v>", b"A    5") == {"v": (Quality.OK, 5.0)}
    assert isinstance(read("A <v>", b"A5"), Stop)


def test_escapes() -> None:
    assert read(r"\x02<v>\<\>\\", b"\x025<>\\") == {"v": (Quality.OK, 5.0)}


@pytest.mark.parametrize(
    ("source", "column", "words"),
    [
        ("", 1, "empty"),
        ("<a><b>", 4, "touch"),
        ("<a:word>x", 9, "takes “x” too"),
        ("<a:text><b>", 9, "touch"),
        ("A=<a", 3, "never closed"),
        ("A=<a:sexagesimal>", 6, "not a kind"),
        ("<9>", 2, "begins with its name"),
        ("<a> <a>", 5, "used twice"),
        ("x>", 2, "without its"),
        ("<a over()>", 4, "empty text"),
        ("<a:word none(x)>", 9, "belongs to a number"),
        ("<a [V>", 4, "never closed"),
        (r"\q", 1, "not an escape"),
        ("<a>5", 4, "these digits too"),
        ("°", 1, "cannot be sent as ascii"),
        ("a" * 3000, 2000, "at most"),
    ],
)
def test_what_is_ambiguous_or_wrong_is_refused_with_its_column(source: str, column: int, words: str) -> None:
    with pytest.raises(PatternError) as caught:
        compile_pattern(source)
    assert caught.value.column == column
    assert words in str(caught.value)


@given(st.binary(max_size=40))
def test_the_compiled_form_and_the_plain_walk_agree(message: bytes) -> None:
    for source in (FLOW, "<v over(OL|0L) none(--)>", "A <x:int>;<t:text>;<*>=<y>", "<w:word> <n>"):
        pattern = compile_pattern(source)
        # Comparing as text: NaN is not equal to itself.
        assert repr(pattern.read(message)) == repr(walk(pattern.elements, message))


@given(st.floats(allow_nan=False, allow_infinity=False))
def test_any_number_reads_back(value: float) -> None:
    assert read("V=<v>;", f"V={value!r};".encode()) == {"v": (Quality.OK, value)}


@given(st.text(max_size=60))
def test_no_pattern_breaks_the_compiler(source: str) -> None:
    with contextlib.suppress(PatternError):
        compile_pattern(source)


@pytest.mark.parametrize("source", ["<*>;<v>", "<t:text>=<v> <*>", FLOW, "<a> <b> <c> <d>;"])
def test_time_is_linear_in_the_message(source: str) -> None:
    pattern = compile_pattern(source)
    for filler in (b" ", b"1", b";", b"=", b"F", b"1 "):
        began = time.perf_counter()
        assert isinstance(pattern.read(filler * (1_000_000 // len(filler))), Stop)
        assert time.perf_counter() - began < 2.0  # backtracking would take hours
