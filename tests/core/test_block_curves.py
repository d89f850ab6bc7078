"""Blocks of numbers that are curves, with their axis from a preamble."""

import math
import struct
from typing import Any

import pytest

from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.curves.block_gatherer import BlockGatherer
from tidybench.core.curves.piece import CurveEnded, CurvePiece, CurveRows
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.setup.toml import SetupError
from tidybench.core.tape.events import Opened, Received, Sent
from tidybench.core.values.origin import ByHand

SETUP = """
[instrument]
id = "scope"
name = "Scope"
[link]
port = "p"
[framing]
kind = "ends with"
terminator = "\\n"
[[curve]]
id = "wave"
name = "Waveform"
x = { field = "n", name = "Time", unit = "s" }
y = [{ field = "raw", name = "Voltage", unit = "V" }]
[curve.block]
numbers = "int16"
preamble = "<points:int>,<x0>,<dx>,<y0>,<dy>,<yref>"
points = "points"
begin = "x0"
step = "dx"
offset = "y0"
scale = "dy"
reference = "yref"
"""


def block(*numbers: int) -> bytes:
    data = struct.pack(f">{len(numbers)}h", *numbers)
    head = str(len(data))
    return f"#{len(head)}{head}".encode() + data


def gathered(*messages: bytes, **more: Any) -> list[CurvePiece]:
    setup = load(SETUP)
    one = BlockGatherer("scope", setup.curve[0].model_copy(update=more))
    for n, message in enumerate(messages):
        one.take(message, n)
    return one.pieces


def told(pieces: list[CurvePiece]) -> tuple[list[list[float]], str, str]:
    rows = [list(row) for p in pieces if isinstance(p, CurveRows) for row in zip(*p.values, strict=True)]
    [ended] = [p for p in pieces if isinstance(p, CurveEnded)]
    return rows, ended.state, ended.why


def test_a_waveform_stands_on_the_axis_of_its_preamble() -> None:
    rows, state, why = told(gathered(b"3,-1e-3,5e-4,0.25,0.01,100", block(100, 200, -300)))
    assert (state, why) == ("complete", "")
    # By hand: x = -1 ms + n 0.5 ms; y = (raw - 100) 10 mV + 0.25 V.
    expected = [[-1e-3, 0.25], [-5e-4, 1.25], [0.0, -3.75]]
    assert [pytest.approx(row) for row in expected] == rows


def test_the_preamble_may_stand_in_the_same_message() -> None:
    rows, state, _ = told(gathered(b"2,0,1,0,1,0;" + block(7, 8)))
    assert (rows, state) == ([[0.0, 7.0], [1.0, 8.0]], "complete")


@pytest.mark.parametrize(
    ("messages", "why"),
    [
        ([b"5,0,1,0,1,0", block(1, 2)], "2 of 5 points came"),
        ([block(1, 2)], "no preamble came that says x0"),
        ([b"2,0,1,0,1,0", b"#14abc"], "character 8: a block of 4 bytes is expected, one of 3 is there"),
        ([b"2,0,1,0,1,0", b"#13abc"], "a multiple of 2 bytes"),
        ([b"0,0,1,0,1,0", b"#10"], "it has no numbers"),
    ],
)
def test_what_is_wrong_with_a_block_is_said(messages: list[bytes], why: str) -> None:
    rows, state, said = told(gathered(*messages))
    assert state == "not whole"
    assert why.split(" is expected")[0].split("character 8: ")[-1] in said, said
    assert not rows or why == "2 of 5 points came"


def test_a_number_sign_alone_is_no_block() -> None:
    for message in (b"ERR #5 bad", b"#", b"# 12", b"ID #A17"):
        assert gathered(message) == []


def test_through_a_link_terminators_within_the_block_end_nothing() -> None:
    setup = load(SETUP.replace('kind = "ends with"', 'kind = "ieee 488.2"'))
    reader = LinkReader(plan_links([setup], {})[0])
    reader.feed(Opened(0, {}))
    reader.feed(Sent(1, b"WAV?\n", 0, ByHand(1)))
    data = b"3,0,1,0,1,0\n" + block(0x0A0A, 10, 0x0A) + b"\n"
    pieces = []
    for n, byte in enumerate(data):
        reader.feed(Received(2 + n, bytes([byte])))
        pieces += reader.take_pieces()
    rows, state, _ = told(pieces)
    assert (rows, state) == ([[0.0, 0x0A0A], [1.0, 10.0], [2.0, 10.0]], "complete")


def test_its_state_goes_on_and_infinite_values_are_none() -> None:
    one = BlockGatherer("scope", load(SETUP).curve[0])
    one.take(b"1,0,1,0,1e308,0", 0)
    other = BlockGatherer("scope", load(SETUP).curve[0])
    other.restore(one.state())
    other.take(block(30_000), 1)
    rows, _, _ = told(other.pieces)
    assert math.isnan(rows[0][1])


@pytest.mark.parametrize(
    ("old", "new", "why"),
    [
        ('begin = "x0"', 'begin = "x1"', "no number of the preamble is called “x1”"),
        ('field = "raw"', 'field = "y"', "one y with the field “raw”"),
        ("[curve.block]", 'row = "<a>"\n[curve.block]', "cannot|give how a row reads"),
    ],
)
def test_a_block_that_does_not_fit_together_is_refused(old: str, new: str, why: str) -> None:
    text = SETUP.replace(old, new)
    if old == "[curve.block]":
        text = SETUP.replace('name = "Waveform"', 'name = "Waveform"\nrow = "<a>"')
    with pytest.raises(SetupError, match=why):
        load(text)
