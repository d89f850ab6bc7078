"""The lines of the tape."""

import json
from typing import get_args

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.tape.events import (
    CommandEnded,
    CommandGiven,
    Event,
    GaveUp,
    Hole,
    Identified,
    Lost,
    MarkCorrected,
    Missed,
    Note,
    Opened,
    PointTaken,
    Quiet,
    Reacted,
    ReactionsStand,
    Received,
    Sent,
    SetupsInForce,
    Start,
    Tick,
    Zeroed,
)
from tidybench.core.tape.lines import TapeError, parse_tape_line, tape_line
from tidybench.core.values.crossing import Crossing
from tidybench.core.values.mark import Mark
from tidybench.core.values.origin import (
    Acting,
    Asked,
    ByHand,
    Heard,
    IdentityQuery,
    ReleaseCommand,
    StartCommand,
    Triggered,
    origin_of,
)

FLOW = Asked("loop", "flow")
EVENTS: list[Event] = [
    Start(1, {"framer": {"rest": "é\r"}, "poll": 3}),
    Opened(2, {"baud": 9600}),
    Lost(3, "pulled “out”\n"),
    Received(4, bytes(range(256))),
    Sent(5, b"FL?\r", 9, FLOW),
    Sent(5, b"TR\r", 0, Triggered("loop", "flow")),
    Sent(5, b"ID\r", 0, ByHand(7)),
    Sent(5, b"ID\r", 0, IdentityQuery("command")),
    Sent(5, b"VP 060.0\r", 0, Acting("command", "start", 3)),
    CommandGiven(5, 3, "valve", "opening", {"opening": 60.5, "mode": "é\r"}, "M. Okafor", 4),
    Reacted(5, "low", "Sump low", "below", "good", 14.2, ["box.pump (on 0)"], ["box"]),
    Reacted(5, "low", "Sump low", "not measured", "", None, ["end the run"]),
    ReactionsStand(6, {"low": "below", "lamps": ""}),
    CommandEnded(6, 3, "valve", "opening", "answered", "answered “OK”", {"opening": 60.5}),
    Sent(5, b"ID\r", 0, StartCommand("command", 3)),
    Sent(5, b"ID\r", 0, ReleaseCommand("start", 2)),
    Sent(5, b"?\r"),
    GaveUp(6, 9),
    Quiet(7),
    Missed(8, FLOW, 2),
    Tick(9),
    Identified(9, "loop", True, "A\nB"),
    SetupsInForce(9, ["loop.setup.toml"], {"loop-flow": 3}),
    Zeroed(9, "loop-flow", 1.5, -2.0),
    PointTaken(9, {"number": 1, "name": "40 %", "means": [{"mean": 1.5, "sd": None}]}),
    Mark(10, "=1+1 😀", "M. Okafor"),
    MarkCorrected(11, 10, "two", "=1+1 😀"),
    Crossing(12, 3, "high", "within", 203.25, 200.0, "Loop flow", "Loop flow is above"),
    Hole(12, 3, 10, 4, 11),
    Note(13, "clock", "moved"),
]


@pytest.mark.parametrize("event", EVENTS, ids=lambda event: event.kind)
def test_every_event_reads_back(event: Event) -> None:
    line = tape_line(17, "a/b “c”", event)
    assert "\n" not in line
    assert json.loads(line)["k"] == event.kind
    assert parse_tape_line(line) == (17, "a/b “c”", event)


def test_every_kind_of_event_is_tried() -> None:
    assert {type(event) for event in EVENTS} == set(get_args(Event))


def test_a_tape_of_before_origins_were_keys_is_read() -> None:
    line = '{"n":1,"t":2,"l":"x","k":"out","b":"T\\r","p":0,"q":""}'
    assert parse_tape_line(line)[2] == Sent(2, b"T\r", 0, None)
    line = '{"n":1,"t":2,"l":"x","k":"set-up","files":["a.setup.toml"]}'
    assert parse_tape_line(line)[2] == SetupsInForce(2, ["a.setup.toml"])


def test_origins_are_told_apart_even_where_their_texts_are_alike() -> None:
    assert Asked("listen", "b") != Heard("b")
    assert origin_of("loop/identity", True) == Asked("loop", "identity")
    assert origin_of("loop/identity", False) == IdentityQuery("loop")
    assert len({Asked("a", "b"), Asked("a", "b"), Triggered("a", "b"), Heard("a")}) == 3


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
