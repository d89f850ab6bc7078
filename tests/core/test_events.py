"""The lines of the tape."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.events import (
    Event,
    GaveUp,
    Lost,
    Missed,
    Note,
    Opened,
    Quiet,
    Received,
    Sent,
    Start,
    TapeError,
    Tick,
    parse_tape_line,
    tape_line,
)

EVENTS: list[Event] = [
    Start(1, {"framer": {"rest": "é\r"}, "poll": 3}),
    Opened(2, {"baud": 9600}),
    Lost(3, "pulled “out”\n"),
    Received(4, bytes(range(256))),
    Sent(5, b"FL?\r", 9, "loop/flow"),
    GaveUp(6, 9),
    Quiet(7),
    Missed(8, "loop/flow", 2),
    Tick(9),
    Note(10, "mark", "=1+1 😀"),
]


@pytest.mark.parametrize("event", EVENTS, ids=lambda event: event.kind)
def test_every_event_reads_back(event: Event) -> None:
    line = tape_line(17, "a/b “c”", event)
    assert "\n" not in line
    assert json.loads(line)["k"] == event.kind
    assert parse_tape_line(line) == (17, "a/b “c”", event)


@given(st.binary())
def test_bytes_read_back_exactly(data: bytes) -> None:
    assert parse_tape_line(tape_line(1, "x", Received(2, data)))[2] == Received(2, data)


@pytest.mark.parametrize(
    "line",
    ["", "{}", "[1]", '{"n":1,"t":2,"l":"x","k":"nonsense"}', '{"n":1,"t":2,"l":"x","k":"in"}', "torn"],
)
def test_what_is_no_line_is_refused(line: str) -> None:
    with pytest.raises(TapeError, match="not a line of a tape"):
        parse_tape_line(line)
