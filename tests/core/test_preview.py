"""What a set-up would make of bytes that have come; and when lines of a recording were written."""

import pytest

from tests.conftest import setup_text
from tidybench.core.compile.load import from_data, load
from tidybench.core.pace import time_at_head
from tidybench.core.preview import preview
from tidybench.core.tape.events import Event, Opened, Received, Sent
from tidybench.core.values.origin import Asked, ByHand

FLOW = load(setup_text("loop-flow-meter"))
GOOD = b"FL=+0148.27 L/min OK\r\n"


def polls(count: int, reply: bytes = GOOD) -> list[Event]:
    events: list[Event] = [Opened(0, {})]
    for n in range(1, count + 1):
        events += [
            Sent(n * 1000, b"FL?\r", n, Asked("loop-flow-meter", "flow")),
            Received(n * 1000 + 500, reply),
        ]
    return events


def test_the_newest_two_hundred_are_shown() -> None:
    rows = preview(FLOW, polls(300))
    assert len(rows) == 200
    assert rows[-1].at == 300_500
    assert rows[-1].fields == {"flow": "148.27", "state": "OK"}
    assert rows[-1].understood


def test_what_is_not_understood_says_where() -> None:
    [row] = preview(FLOW, polls(1, b"FL=ERROR\r\n"))
    assert not row.understood
    assert row.why.startswith("stops at character 4")


def test_dashes_are_shown_as_what_they_mean() -> None:
    [row] = preview(FLOW, polls(1, b"FL=-------- L/min --\r\n"))
    assert row.fields["flow"] == "no-reading"


def test_answers_to_commands_are_not_readings() -> None:
    events = [*polls(1), Sent(5000, b"ID?\r", 0, ByHand(1)), Received(6000, b"LOOP FLOW METER\r\n")]
    assert [row.message for row in preview(FLOW, events)] == ["FL=+0148.27 L/min OK"]


def test_a_query_that_was_never_asked_is_judged_by_all_patterns() -> None:
    query = FLOW.query[0].model_copy(update={"id": "new"})
    rows = preview(FLOW.model_copy(update={"query": [query], "channel": []}), polls(2))
    assert [row.understood for row in rows] == [True, True]


def test_without_a_pattern_messages_are_shown_all_the_same() -> None:
    query = FLOW.query[0].model_copy(update={"patterns": []})
    [row] = preview(FLOW.model_copy(update={"query": [query], "channel": []}), polls(1))
    assert (row.message, row.why) == ("FL=+0148.27 L/min OK", "no message pattern yet")


def test_check_characters_count() -> None:
    setup = from_data(
        {
            "instrument": {"id": "n", "name": "N", "talks": "on its own"},
            "link": {"kind": "udp", "listen_port": 5005},
            "framing": {"check": "nmea"},
            "listen": {"patterns": ["$A<v>"]},
        }
    )
    rows = preview(setup, [Received(1, b"$A1*70\r\n$A1*71\r\n")])
    assert [row.why for row in rows] == ["", "checksum mismatch"]
    assert rows[0].fields == {"v": "1"}


@pytest.mark.parametrize(
    ("line", "seconds"),
    [
        (b"12.5,3\n", 12.5),
        (b"12,3\n", 12.0),
        (b'"09:30:00.25";1\n', 34200.25),
        (b"09:30:00,5 x\n", 34200.5),
        (b"hello\n", None),
        (b"2026-13-45T00:00:00,1\n", None),
        (b"", None),
    ],
)
def test_the_time_at_the_head_of_a_line(line: bytes, seconds: float | None) -> None:
    assert time_at_head(line) == seconds


def test_iso_times_differ_by_what_passed() -> None:
    first, second = time_at_head(b"2026-11-23T09:30:00+01:00,1"), time_at_head(b"2026-11-23T08:30:01.5Z,2")
    assert first is not None
    assert second is not None
    assert second - first == 1.5
