"""Messages to samples: several patterns, several channels, tokens and flags."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.batch import Batch
from tidybench.core.quality import Quality
from tidybench.core.reading.pattern import compile_pattern
from tidybench.core.reading.reader import ChannelRule, MessageReader


def reader(*patterns: str, rules: list[ChannelRule] | None = None) -> MessageReader:
    default = [ChannelRule(1, "a"), ChannelRule(2, "b", 2.0, 1.0)]
    return MessageReader("i", [compile_pattern(p) for p in patterns], default if rules is None else rules)


def read(made: MessageReader, *messages: bytes) -> list[tuple[int, str, int, float]]:
    out = Batch()
    made.read(list(messages), list(range(10, 10 + len(messages))), out)
    return [
        (word >> 8, Quality(word & 0xFF).code, at, value)
        for word, at, value in zip(out.words, out.times, out.values, strict=True)
    ]


def test_one_message_feeds_several_channels() -> None:
    assert read(reader("<a>,<b>"), b"5,7") == [(1, "ok", 10, 5.0), (2, "ok", 10, 15.0)]


def test_one_field_may_feed_two_channels() -> None:
    rules = [ChannelRule(1, "a"), ChannelRule(2, "a", 0.1)]
    assert read(reader("<a>", rules=rules), b"20") == [(1, "ok", 10, 20.0), (2, "ok", 10, 2.0)]


def test_patterns_are_tried_in_order() -> None:
    made = reader("A <a>", "B <b>", "ERR <code:int>")
    assert read(made, b"A 1", b"B 2", b"ERR 7") == [(1, "ok", 10, 1.0), (2, "ok", 11, 5.0)]
    assert made.counts.understood == 3
    assert made.counts.not_understood == 0


def test_what_no_pattern_reads_is_said_on_every_channel() -> None:
    made = reader("A <a>", "B <b>")
    got = read(made, b"B x2")
    assert [(c, q, at) for c, q, at, _ in got] == [(1, "not-understood", 10), (2, "not-understood", 10)]
    assert all(math.isnan(value) for _, _, _, value in got)
    stop = made.counts.last_stop
    assert stop is not None
    # The pattern that came furthest says where.
    assert (stop.column, stop.expected) == (3, "a number (b)")


def test_a_field_without_channel_must_be_a_number_all_the_same() -> None:
    rules = [ChannelRule(1, "a")]
    assert [q for _, q, _, _ in read(reader("<a>,<b>", rules=rules), b"1,1e999", b"1,2")] == [
        "not-understood",
        "ok",
    ]


def test_half_a_message_leaves_nothing_behind() -> None:
    """The first field was a number already when the second turned out to be none."""
    got = read(reader("<a>,<b>"), b"5,1e999")
    assert [q for _, q, _, _ in got] == ["not-understood", "not-understood"]
    mixed = reader("<a>,<b over(OL)>")
    assert [q for _, q, _, _ in read(mixed, b"5,1e999")] == ["not-understood", "not-understood"]


def test_tokens_and_flags_reach_the_sample() -> None:
    rules = [ChannelRule(1, "a", 10.0)]
    made = reader("<a none(---) over(OL) under(-OL) flagged(~)>", rules=rules)
    got = read(made, b"1.5", b"~1.5", b"---", b"OL", b"-OL")
    assert [q for _, q, _, _ in got] == ["ok", "flagged", "no-reading", "over", "under"]
    assert [value for _, _, _, value in got[:2]] == [15.0, 15.0]
    assert all(math.isnan(value) for _, _, _, value in got[2:])
    assert made.counts.dashes == 3
    read(made, b"2.5")
    assert made.counts.dashes == 0


def test_the_last_two_hundred_messages_are_counted() -> None:
    made = reader("<a>,<b>")
    read(made, *[b"1,2"] * 150, *[b"x"] * 3, *[b"1,2"] * 100)
    assert (made.counts.recent_count, made.counts.recent.bit_count()) == (200, 3)
    read(made, *[b"1,2"] * 100)
    assert made.counts.recent.bit_count() == 0


def test_nothing_of_a_very_long_message_is_kept_but_its_beginning() -> None:
    made = reader("<a>,<b>")
    read(made, b"x" * 100_000)
    assert made.counts.last_not_understood == b"x" * 200


@pytest.mark.parametrize("scale", [0.0, -1.0, 1e-300])
def test_any_finite_scale_does(scale: float) -> None:
    assert read(reader("<a>", rules=[ChannelRule(1, "a", scale)]), b"5")[0][3] == 5.0 * scale


@given(st.lists(st.binary(max_size=30), max_size=20))
def test_noise_never_becomes_a_number_that_was_not_there(messages: list[bytes]) -> None:
    made = reader("V=<a>;<b>")
    for _, quality, _, value in read(made, *messages):
        if quality == "ok":
            assert math.isfinite(value)
        else:
            assert math.isnan(value)
    assert made.counts.understood + made.counts.not_understood == len(messages)
