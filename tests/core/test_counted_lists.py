"""Lists whose count stands in the message."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.captures.capture import Capture
from tidybench.captures.readout import Readout, Table
from tidybench.core.compile.load import load
from tidybench.core.reading.pattern import PatternError, compile_pattern
from tidybench.core.reading.stop import Stop
from tidybench.core.teaching.source import source_of

TEXT = "N=<n:int>:<ch[1..n] sep(;)>!"
BYTES = "<n:uint 1><v[1..n]:sint 2><end:uint 1>"


def read(source: str, message: bytes) -> dict[str, object] | str:
    got = compile_pattern(source, "latin-1").read(message)
    return str(got) if isinstance(got, Stop) else {name: value for name, (_, value) in got.items()}


@given(st.lists(st.integers(-32768, 32767), max_size=64))
def test_as_many_members_as_the_message_says(numbers: list[int]) -> None:
    named = {f"ch{n}": float(value) for n, value in enumerate(numbers, 1)}
    text = f"N={len(numbers)}:{';'.join(map(str, numbers))}!".encode()
    assert read(TEXT, text) == {"n": float(len(numbers)), **named}
    packed = b"".join(value.to_bytes(2, "big", signed=True) for value in numbers)
    data = bytes([len(numbers)]) + packed + b"\x07"
    binary = {f"v{n}": float(value) for n, value in enumerate(numbers, 1)}
    assert read(BYTES, data) == {"n": float(len(numbers)), **binary, "end": 7.0}
    for source, message in ((TEXT, text), (BYTES, data)):
        pattern = compile_pattern(source, "latin-1")
        got = pattern.read(message)
        assert not isinstance(got, Stop)
        assert pattern.write({name: value for name, (_, value) in got.items()}) == message


@pytest.mark.parametrize(
    ("message", "words"),
    [
        (b"N=3:1;2!", "stops at character 8: “;” was expected, “!” came"),
        (b"N=1:1;2!", "stops at character 6: “!” was expected, “;” came"),
        (b"N=65:1!", "a count from 0 to 64 before this (n)"),
        (b"N=-1:1!", "a count from 0 to 64 before this (n)"),
        (b"N=x:1!", "a whole number (n)"),
        (b"N=2:1;x!", "a number (ch2)"),
    ],
)
def test_a_count_that_is_not_kept_is_not_understood(message: bytes, words: str) -> None:
    assert words in str(read(TEXT, message))


@pytest.mark.parametrize(
    ("source", "words"),
    [
        ("<ch[1..n] sep(;)>", "no number “n” stands before this list"),
        ("<n:word> <ch[1..n] sep(;)>", "no number “n” stands before this list"),
        ("<n:int>;<ch[0..n] sep(;)>", "begins at 1"),
        ("<n:int>;<ch[1..n]:word sep(;)>", "holds numbers, not word"),
        ("<n:int>;<?A<ch[1..n] sep(;)>?>", "stands in no optional part"),
        ("<n:int>;<a[1..n] sep(;)>|<m:int>;<b[1..m] sep(;)>", "one list of a pattern"),
        ("<n:int>;<ch[1..n]>", "what stands between"),
        ("<n:int>;<ch[1..n] sep(;)>;", "takes"),
    ],
)
def test_what_no_list_can_be_is_refused(source: str, words: str) -> None:
    if words == "takes":  # what ends the list may be what parts it: the count tells them apart
        assert read(source, b"2;1;2;") == {"n": 2.0, "ch1": 1.0, "ch2": 2.0}
        return
    with pytest.raises(PatternError, match=words):
        compile_pattern(source)


@pytest.mark.parametrize("source", [TEXT, BYTES, "<n:int> <ch[1..n] none(--) [V] sep( )>"])
def test_it_is_written_as_it_was_read(source: str) -> None:
    again = source_of(compile_pattern(source, "latin-1").elements)
    assert source_of(compile_pattern(again, "latin-1").elements) == again
    assert len(again) < len(source) + 5


def test_channels_of_members_that_are_not_there_have_no_sample() -> None:
    setup = load(
        """[instrument]
id = "i"
name = "I"
talks = "on its own"
[link]
port = "none"
[framing]
terminator = "\\n"
[listen]
patterns = ["<n:int>;<ch[1..n] none(-) sep(;)>"]
"""
        + "".join(f'[[channel]]\nid = "c{n}"\nname = "C{n}"\nfield = "ch{n}"\n' for n in (1, 2, 3))
    )
    rows = Readout(setup, Capture("plain bytes", data=b"3;1;2;3\n1;4\n2;5;-\n0;\n")).rows()
    table = Table(setup, timed=False, as_json=False)
    assert [table.line(row) for row in rows] == ["1,1,2,3,\r\n", "2,4,,,\r\n", "3,5,,,C2=no-reading\r\n"]
