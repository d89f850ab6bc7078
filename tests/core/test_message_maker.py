"""What destinations are sent, and when."""

import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tidybench.core.batch import Batch
from tidybench.core.forwarding.message_maker import MessageMaker, field_of
from tidybench.core.quality import Quality
from tidybench.core.setup.destinations import DestinationPart, load_destinations
from tidybench.core.setup.toml import SetupError
from tidybench.core.values.channel import Channel

SECOND = 1_000_000


def channel(number: int, key: str, **more: Any) -> Channel:
    plain: dict[str, Any] = {
        "unit": "V",
        "decimals": 2,
        "interval_s": 1.0,
        "instrument": "i",
        "low": None,
        "high": None,
    }
    return Channel(number=number, id=key, name=key, **(plain | more))


CHANNELS = {
    one.id: one
    for one in (channel(1, "loop-flow"), channel(2, "p.2"), channel(3, "mode", states=["HEAT", "HOLD"]))
}


def part(**more: Any) -> DestinationPart:
    to = {"kind": "udp", "host": "h", "udp_port": 5}
    return DestinationPart.model_validate(
        {"id": "a", "name": "A", "to": to, "channels": ["loop-flow", "p.2"]} | more
    )


def batch(*samples: tuple[int, int, float, int]) -> Batch:
    """Channel, time, value, quality."""
    made = Batch()
    for number, at, value, quality in samples:
        made.add(number, quality, at, value)
    return made


def test_the_values_of_one_message_go_out_together_each_message_by_itself() -> None:
    one = MessageMaker(part(pattern="<loop_flow> <p_2>\n"), CHANNELS)
    made = one.take(
        batch((1, 10, 1.0, 0), (2, 10, 5.0, 0), (1, 20, 2.0, 0), (2, 20, 6.0, 0), (9, 20, 7.0, 0))
    )
    assert made == [b"1 5\n", b"2 6\n"]
    assert one.take(batch((2, 30, 8.0, 0))) == []  # the first one leads
    assert one.take(batch((1, 40, 3.0, 0))) == [b"3 8\n"]
    assert one.take(batch((1, 50, 4.0, 0), (1, 50, 4.5, 0))) == [b"4 8\n", b"4.5 8\n"]


@pytest.mark.parametrize(
    ("missing", "expected"),
    [("token", b"-2.5;--"), ("leave out", None), ("last", b"-2.5;5")],
)
def test_what_is_missing_is_said_as_it_was_chosen(missing: str, expected: bytes | None) -> None:
    one = MessageMaker(part(pattern="<loop_flow>;<p_2>", missing=missing, token="--"), CHANNELS)
    one.take(batch((1, 0, 1.0, 0), (2, 0, 5.0, 0)))
    made = one.take(batch((1, SECOND, -2.5, 0), (2, SECOND, 0.0, int(Quality.OVER))))
    assert made == ([] if expected is None else [expected])


def test_an_old_value_is_missing_and_a_json_line_tells_its_age() -> None:
    one = MessageMaker(part(missing="last", every_s=1), CHANNELS)
    one.take(batch((1, 0, 1.0, 0), (2, 0, 5.0, 0), (1, 4 * SECOND, 2.0, 0)))
    told = json.loads(one.message(4 * SECOND) or b"")
    assert told == {"time": "1970-01-01T00:00:04.000000Z", "loop-flow": 2.0, "p.2": 5.0, "p.2 age_s": 4.0}
    plain = MessageMaker(part(every_s=1), CHANNELS)
    plain.take(batch((1, 0, 1.0, 0), (2, 0, 5.0, 0), (1, 4 * SECOND, 2.0, 0)))
    assert json.loads(plain.message(4 * SECOND) or b"")["p.2"] is None


def test_a_number_that_is_too_long_for_its_width_is_not_cut() -> None:
    one = MessageMaker(part(channels=["loop-flow"], pattern="<loop_flow:number 6.2>|"), CHANNELS)
    assert one.take(batch((1, 0, 123.456, 0))) == [b"123.46|"]
    assert one.take(batch((1, 1, 1234.5, 0))) == [b"NaN|"]
    assert one.take(batch((1, 2, -1.5, 0))) == [b"-01.50|"]


def test_a_state_is_its_word() -> None:
    words = MessageMaker(part(channels=["mode"], pattern="<mode:word> |"), CHANNELS)
    assert words.take(batch((3, 0, 1.0, 0))) == [b"HOLD |"]
    numbers = MessageMaker(part(channels=["mode"], pattern="<mode:int>!"), CHANNELS)
    assert numbers.take(batch((3, 0, 1.0, 0))) == [b"1!"]
    assert (
        json.loads(MessageMaker(part(channels=["mode"]), CHANNELS).take(batch((3, 0, 0.0, 0)))[0])["mode"]
        == "HEAT"
    )


@given(st.floats(allow_nan=False, allow_infinity=False, width=64))
def test_a_plain_number_reads_back_as_the_same(value: float) -> None:
    one = MessageMaker(part(channels=["loop-flow"], pattern="<loop_flow>"), CHANNELS)
    [made] = one.take(batch((1, 0, value, 0)))
    assert float(made) == value
    assert (
        json.loads(MessageMaker(part(channels=["loop-flow"]), CHANNELS).take(batch((1, 0, value, 0)))[0])[
            "loop-flow"
        ]
        == value
    )


@pytest.mark.parametrize(
    ("more", "why"),
    [
        ({"channels": ["nowhere"]}, "There is no channel “nowhere”"),
        ({"pattern": "<flow>"}, "“flow” is none of its channels"),
        ({"pattern": "hello"}, "has no channel in it"),
        ({"pattern": "<loop_flow"}, "column"),
        ({"pattern": "<loop_flow>|<?<p_2>?>"}, "what may be absent"),
    ],
)
def test_what_does_not_fit_says_why(more: dict[str, Any], why: str) -> None:
    with pytest.raises(ValueError, match=why):
        MessageMaker(part(**more), CHANNELS)


def test_names_that_a_pattern_can_have() -> None:
    assert [field_of(key) for key in ("loop-flow", "p.2", "2nd")] == ["loop_flow", "p_2", "_2nd"]


@pytest.mark.parametrize(
    "text",
    [
        "[[destination]]\n",
        '[[destination]]\nid="a"\nname="A"\nto={kind="pigeon"}\nchannels=["x"]\n',
        '[[destination]]\nid="a"\nname="A"\nto={kind="udp",host="h",udp_port=0}\nchannels=["x"]\n',
        '[[destination]]\nid="a"\nname="A"\nto={kind="udp",host="h",udp_port=1}\nchannels=["x","x"]\n',
        '[[destination]]\nid="a"\nname="A"\nto={kind="udp",host="h",udp_port=1}\nchannels=["x"]\nevery_s=0.0001\n',
        "destination = 5",
        "not toml",
    ],
)
def test_a_document_that_is_wrong_is_refused_in_a_sentence(text: str) -> None:
    with pytest.raises(SetupError):
        load_destinations(text)


def test_channels_must_be_named() -> None:
    with pytest.raises(ValidationError):
        part(channels=[])


@pytest.mark.parametrize(
    ("to", "said"),
    [
        (
            '{ kind = "modbus", prot = 5 }',
            "destination.1.to.prot: there is no such key. Check its spelling against docs/formats/destinations.md.",
        ),
        (
            '{ kind = "mqtt", host = "h", topic = "a/#" }',
            "destination.1.to.topic: a topic to publish under has neither + nor # in it.",
        ),
        ('{ kind = "mqtt", host = "h", topic = "a", state_topic = "a" }', "values and state need two topics"),
        (
            '{ kind = "mqtt", host = "h", topic = "a", user = "u", password_file = "word" }',
            "give the whole path of a file",
        ),
        ('{ kind = "mqtt", host = "h", topic = "a", password_file = "/word" }', "a password needs a user"),
        ('{ kind = "mqtt", host = "h", topic = "a", ca_file = "/c" }', "only used with TLS"),
        ('{ kind = "modbus" }', "registers are made anew at a steady rate"),
    ],
)
def test_brokers_and_registers_that_do_not_go(to: str, said: str) -> None:
    text = f'[[destination]]\nid = "a"\nname = "A"\nchannels = ["b"]\nto = {to}\n'
    with pytest.raises(SetupError) as wrong:
        load_destinations(text)
    assert said in str(wrong.value)
