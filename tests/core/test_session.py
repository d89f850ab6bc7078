"""One link's reader: events in, samples out."""

import math

import pytest

from tidybench.core.batch import Batch
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.quality import Quality
from tidybench.core.setup import Setup, SetupError
from tidybench.core.tape.events import Event, GaveUp, Lost, Missed, Opened, Quiet, Received, Sent, Start
from tidybench.core.values.origin import Asked

KEY = Asked("loop-flow-meter", "flow")
GOOD = b"FL=+0148.27 L/min OK\r\n"


@pytest.fixture
def reader(flow_setup: Setup) -> LinkReader:
    made = LinkReader(plan_links([flow_setup], {"loop-flow": 7})[0])
    made.feed(Opened(0, {}))
    return made


def samples(batch: Batch | None) -> list[tuple[int, str, int, float]]:
    if batch is None:
        return []
    return [
        (word >> 8, Quality(word & 0xFF).code, time, value)
        for word, time, value in zip(batch.words, batch.times, batch.values, strict=True)
    ]


def ask(reader: LinkReader, at: int, poll: int = 1) -> None:
    assert reader.feed(Sent(at, b"FL?\r", poll, KEY)) is None


def test_a_reply_becomes_a_sample_at_its_last_byte(reader: LinkReader) -> None:
    ask(reader, 1000)
    assert reader.exchange.outstanding == 1
    assert samples(reader.feed(Received(30_000, GOOD[:9]))) == []
    assert samples(reader.feed(Received(45_000, GOOD[9:]))) == [(7, "ok", 45_000, 148.27)]
    assert reader.exchange.outstanding == 0
    assert reader.counts.answer_time == 44_000


@pytest.mark.parametrize(
    ("reply", "code"),
    [
        (b"FL=-------- L/min --\r\n", "no-reading"),
        (b"E1 UNKNOWN\r\n", "not-understood"),
        (b"\xff\xfe\x00\r\n", "not-understood"),
    ],
)
def test_what_is_no_number_carries_none(reader: LinkReader, reply: bytes, code: str) -> None:
    ask(reader, 1000)
    [(channel, quality, at, value)] = samples(reader.feed(Received(40_000, reply)))
    assert (channel, quality, at) == (7, code, 40_000)
    assert math.isnan(value)


def test_no_reply_is_a_sample_too(reader: LinkReader) -> None:
    ask(reader, 1000)
    [(_, quality, at, value)] = samples(reader.feed(GaveUp(502_000, 1)))
    assert (quality, at) == ("no-reply", 502_000)
    assert math.isnan(value)


def test_a_late_reply_never_answers_the_next_query(reader: LinkReader) -> None:
    ask(reader, 1000)
    reader.feed(GaveUp(502_000, 1))
    assert reader.feed(Received(700_000, GOOD)) is None
    assert (reader.counts.late, reader.counts.worst_late) == (1, 699_000)
    reader.feed(Quiet(720_000))
    ask(reader, 800_000, 2)
    assert samples(reader.feed(Received(830_000, b"FL=+0001.00 L/min OK\r\n"))) == [(7, "ok", 830_000, 1.0)]


def test_one_query_has_one_reply(reader: LinkReader) -> None:
    ask(reader, 1000)
    assert len(samples(reader.feed(Received(40_000, GOOD + GOOD)))) == 1
    assert reader.counts.stray == len(GOOD) - 2


def test_a_lost_link_says_so_on_every_channel(reader: LinkReader) -> None:
    assert [s[1] for s in samples(reader.feed(Lost(5, "gone")))] == ["link-lost"]


def test_missed_slots_are_counted(reader: LinkReader) -> None:
    reader.feed(Missed(9, KEY, 3))
    assert reader.counts.missed == 3


def test_scale_and_offset(flow_setup: Setup) -> None:
    data = flow_setup.model_dump()
    data["channel"][0] |= {"scale": 0.06, "offset": -1.5}
    made = LinkReader(plan_links([Setup.model_validate(data)], {"loop-flow": 7})[0])
    made.feed(Opened(0, {}))
    ask(made, 1)
    assert samples(made.feed(Received(9, GOOD)))[0][3] == 148.27 * 0.06 - 1.5


def test_a_value_beyond_all_floats_is_not_understood(flow_setup: Setup) -> None:
    data = flow_setup.model_dump()
    data["channel"][0] |= {"scale": 1e300}
    made = LinkReader(plan_links([Setup.model_validate(data)], {"loop-flow": 7})[0])
    made.feed(Opened(0, {}))
    ask(made, 1)
    assert samples(made.feed(Received(9, b"FL=1e200 L/min OK\r\n")))[0][1] == "not-understood"


def test_a_state_read_back_goes_on_with_the_same_samples(reader: LinkReader) -> None:
    ask(reader, 1000)
    reader.feed(Received(30_000, GOOD[:9]))
    other = LinkReader(reader.plan)
    other.feed(Start(31_000, reader.state()))
    last: Event = Received(45_000, GOOD[9:])
    assert samples(other.feed(last)) == samples(reader.feed(last)) != []


STREAM = """
[instrument]
id = "pickup"
name = "Shaft pickup"
talks = "on its own"
[link]
port = "/dev/ttyX"
baud = 57600
[framing]
terminator = "\\n"
[listen]
every_s = 0.05
patterns = ["<speed>,<torque>"]
[[channel]]
id = "speed"
name = "Speed"
field = "speed"
[[channel]]
id = "torque"
name = "Torque"
field = "torque"
"""


def test_an_instrument_that_talks_on_its_own() -> None:
    made = LinkReader(plan_links([load(STREAM)], {"speed": 1, "torque": 2})[0])
    made.feed(Opened(0, {}))
    got = samples(made.feed(Received(50_000, b"50.0,2.5\n1450,3.5\nglitch\n")))
    # The first piece may have begun in the middle of a number: it is dropped.
    assert [(s[0], s[1], s[3]) for s in got[:2]] == [(1, "ok", 1450.0), (2, "ok", 3.5)]
    assert [s[1] for s in got[2:]] == ["not-understood", "not-understood"]


def test_instruments_that_disagree_about_a_shared_port_are_refused(flow_setup: Setup) -> None:
    other = flow_setup.model_dump()
    other["instrument"] |= {"id": "second", "name": "Second"}
    other["link"]["baud"] = 4800
    with pytest.raises(SetupError, match="share the port"):
        plan_links([flow_setup, Setup.model_validate(other)], {"loop-flow": 1})
