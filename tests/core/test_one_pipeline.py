"""The same bytes give the same rows: live, from a tape, from plain bytes; and the preview says the same of each message."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.captures.capture import Capture
from tidybench.captures.readout import Readout, Row
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.preview import preview
from tidybench.core.quality import Quality
from tidybench.core.setup import Setup
from tidybench.core.tape.events import Event, Opened, Received, Sent
from tidybench.core.values.origin import Asked

SETUP = load(
    """[instrument]
id = "i"
name = "I"
talks = "on its own"
[link]
port = "none"
[framing]
terminator = "\\n"
check = { kind = "xor", before = "*" }
[listen]
patterns = ["T=<t over(OL)>;<v [V]> <u:unit(mV|V)>;<s:hex 2 bits(low|high)>", "P=<p flagged(~)>", "READY"]
errors = ["ERR <n:int>"]
[[channel]]
id = "high"
name = "High"
field = "high"
[[channel]]
id = "p"
name = "P"
field = "p"
[[channel.filter]]
kind = "median"
count = 3
[[channel]]
id = "v"
name = "V"
field = "v"
scale = 2.0
[[channel]]
id = "t"
name = "T"
field = "t"
[[channel.scaling]]
kind = "points"
points = [[0, 1], [1, 4]]
"""
)
TEXTS = (
    b"T=1.5;20 mV;01",
    b"T=OL;2 V;02",
    b"T=-3;0.5 V;FF",
    b"P=3",
    b"P=~900",
    b"P=4",
    b"READY",
    b"ERR 12",
    b"T=x;1 V;00",
)


def checked(text: bytes, good: bool) -> bytes:
    value = 0
    for byte in text:
        value ^= byte
    return text + b"*%02X\n" % (value if good else value ^ 1)


MESSAGES = st.lists(st.tuples(st.sampled_from(TEXTS), st.booleans()).map(lambda one: checked(one[0], one[1] or one[0] == b"P=3")), min_size=1, max_size=25)  # fmt: skip


def plain(rows: list[Row]) -> list[list[tuple[int, int, str]]]:
    """Rows without their times, so that rows of bytes without any can be compared; numbers as they are written."""
    return [[(index, quality, repr(value)) for index, quality, value in row.samples] for row in rows]


def live(setup: Setup, events: list[Event]) -> list[tuple[int, int, str]]:
    [plan] = plan_links([setup], {channel.id: n for n, channel in enumerate(setup.channel)})
    reader = LinkReader(plan)
    found = []
    for event in events:
        batch = reader.feed(event)
        if batch is not None:
            for word, value in zip(batch.words, batch.values, strict=True):
                found.append((word >> 8, word & 0xFF, repr(value)))
    return found


@given(MESSAGES, st.lists(st.integers(1, 40), max_size=60))
def test_the_same_bytes_give_the_same_rows_everywhere(messages: list[bytes], sizes: list[int]) -> None:
    data = b"".join(messages)
    events: list[Event] = [Opened(0, {"follows": ""})]
    at = place = 0
    for size in [*sizes, len(data)]:
        at += 1000
        if data[place : place + size]:
            events.append(Received(at, data[place : place + size]))
        place += size
    link = SETUP.link.address
    from_tape = list(Readout(SETUP, Capture("tape", lambda: [(link, event) for event in events])).rows())
    from_bytes = list(Readout(SETUP, Capture("plain bytes", data=data)).rows())
    flat = [sample for row in plain(from_bytes) for sample in row]
    assert [sample for row in plain(from_tape) for sample in row] == flat == live(SETUP, events)
    # A row is one message: each channel once, in the order of the channels.
    for row in from_bytes:
        order = [index for index, _, _ in row.samples]
        assert order == sorted(set(order))
    shown = preview(SETUP, events, most=10_000)
    assert len(shown) == len(messages)
    silent = [one for one in shown if one.understood and not one.fields]
    assert len(from_bytes) == len(shown) - len(silent)
    loud = [one for one in shown if not (one.understood and not one.fields)]
    for row, one in zip(from_bytes, loud, strict=True):
        qualities = {Quality(quality) for _, quality, _ in row.samples}
        unread = qualities & {Quality.NOT_UNDERSTOOD, Quality.BAD_CHECK}
        assert bool(unread) == (not one.understood)


ASKED = """[instrument]
id = "i"
name = "I"
[link]
port = "none"
{link}
[framing]
{framing}
[[query]]
id = "q"
send = "FL?\\r"
{query}
[[query]]
id = "r"
send = "TE?\\r"
patterns = ["T=<t>"]
[[channel]]
id = "v"
name = "V"
field = "v"
query = "q"
[[channel]]
id = "t"
name = "T"
field = "t"
query = "r"
"""
LINES = 'patterns = ["A=<v>", "B=<b>"]\n'


@pytest.mark.parametrize(
    ("keys", "q_answer", "r_answer"),
    [
        ({"link": "echo = true", "framing": 'terminator = "\\r\\n"', "query": 'patterns = ["<v>"]'}, b"FL?\r1.5\r\n", b"TE?\rT=20\r\n"),
        ({"link": "echo = true", "framing": 'terminator = "either"', "query": 'patterns = ["<v>"]'}, b"FL?\r1.5\r", b"TE?\rT=20\r"),
        ({"framing": 'terminator = "\\r\\n"\nprompt = "> "', "query": 'patterns = ["<v>"]'}, b"1.5\r\n> ", b"T=20\r\n> "),
        ({"framing": 'terminator = "\\n"', "query": "lines = 2\n" + LINES}, b"A=1\nB=2\n", b"T=20\n"),
        ({"framing": 'terminator = "\\n"', "query": 'until = "END"\n' + LINES}, b"A=1\nB=2\nA=3\nEND\n", b"T=20\n"),
    ],
)  # fmt: skip
def test_echoes_prompts_and_answers_of_several_lines_are_read_as_live(
    keys: dict[str, str], q_answer: bytes, r_answer: bytes
) -> None:
    setup = load(ASKED.format(**{"link": "", **keys}))
    link = setup.link.address
    events: list[Event] = [Opened(0, {})]
    data, at = b"", 0
    for poll in range(1, 9):
        key, sent, answer = ("q", b"FL?\r", q_answer) if poll % 2 else ("r", b"TE?\r", r_answer)
        at += 1_000_000
        events += [Sent(at, sent, poll, Asked("i", key)), Received(at + 9_000, answer)]
        data += answer
    from_tape = list(Readout(setup, Capture("tape", lambda: [(link, event) for event in events])).rows())
    readout = Readout(setup, Capture("plain bytes", data=data))
    from_bytes = list(readout.rows())
    assert plain(from_bytes) == plain(from_tape)
    assert readout.troubles == 0
    assert [one for row in plain(from_bytes) for one in row] == live(setup, events)
    assert len(from_bytes) >= 8
