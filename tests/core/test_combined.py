"""Two fields of a message that make one number."""

import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.test_states import channel
from tidybench.captures.capture import Capture
from tidybench.captures.readout import Readout
from tidybench.core.compile.load import load
from tidybench.core.setup import SetupError

HEAD = """[instrument]
id = "i"
name = "I"
talks = "on its own"
[link]
port = "none"
"""
WORDS = HEAD + '[framing]\nkind = "fixed length"\nlength = 5\nstart = "\\u00AA"\n[listen]\npatterns = ["\\\\xAA<lo:uint 2><hi:uint 2>"]\n'  # fmt: skip
TEXT = HEAD + '[framing]\nterminator = "\\n"\n[listen]\npatterns = ["<m>;<e none(-)>"]\n'


def values(text: str, data: bytes) -> list[float | None]:
    rows = Readout(load(text), Capture("plain bytes", data=data)).rows()
    return [value if quality <= 1 else None for row in rows for _, quality, value in row.samples]


@given(st.lists(st.integers(-(1 << 31), (1 << 31) - 1), min_size=1, max_size=8))
def test_a_high_and_a_low_word_are_one_number(numbers: list[int]) -> None:
    """Held against the standard library's own packing."""
    packed = [struct.pack(">i", number) for number in numbers]
    data = b"".join(b"\xaa" + one[2:] + one[:2] for one in packed)
    signed = channel("v", "lo", 'combine = { high = "hi", signed = true }')
    assert values(WORDS + signed, data) == [float(number) for number in numbers]
    plain = channel("v", "lo", 'combine = { high = "hi" }\nscale = 0.5')
    assert values(WORDS + plain, data) == [(number & 0xFFFFFFFF) / 2 for number in numbers]


def test_a_mantissa_and_its_exponent_are_one_number() -> None:
    text = TEXT + channel("v", "m", 'combine = { exponent = "e" }')
    assert values(text, b"1.25;3\n-7;-2\n5;-\n1;9\n") == [1250.0, -0.07, None, 1e9]
    # What makes no number is not understood, and none is made up.
    assert values(text, b"1;400\n") == [None]
    assert values(TEXT + channel("v", "m", 'combine = { high = "e" }'), b"1.5;2\n-1;2\n70000;1\n3;1\n") == [
        None, None, None, 65539.0,
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("keys", "words"),
    [
        ("combine = {}", "give a field with the higher bits"),
        ('combine = { high = "e", exponent = "e" }', "give a field with the higher bits"),
        ('combine = { exponent = "x" }', "no number is called “x”"),
        ('combine = { exponent = "e" }\nstates = ["a"]', "or second field"),
    ],
)
def test_what_cannot_be_combined_is_said(keys: str, words: str) -> None:
    with pytest.raises(SetupError, match=words):
        load(TEXT + channel("v", "m", keys))
