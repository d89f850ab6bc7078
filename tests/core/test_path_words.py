"""Every sentence of the reading path that test_path does not have: what was seen, what is said, what is offered."""

from dataclasses import replace

import pytest

from tests.core.test_path import NOW, S, fault, first_fault, well
from tidybench.core.exchange.counts import LinkCounts
from tidybench.core.exchange.identity import Identity
from tidybench.core.path import Facts, reading_path
from tidybench.core.reading.reader import Counts


def silent(**more: object) -> Facts:
    facts = replace(well(), counts=LinkCounts(opened_at=NOW - 60 * S), readings=Counts())
    return replace(facts, **more)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("facts", "words"),
    [
        (silent(), "another baud rate or terminator stays silent too"),
        (silent(has_queries=False), "nothing is asked yet: type its query below"),
        (silent(asked=False, has_queries=False), "it may need to be asked"),
        (silent(rs485=True), "exchange A and B"),
        (silent(shared=True), "check the bus address"),
        (silent(serial=False, asked=False), "The connection stands. Check that the instrument is on"),
    ],
)
def test_silence_is_told_with_what_to_try(facts: Facts, words: str) -> None:
    found = fault(facts)
    assert (found.name, found.words) == ("Bytes", "silent")
    assert words in found.sentence
    assert found.offer == ("work out the settings" if facts.serial else "")


def test_silence_after_talk_is_another_thing() -> None:
    facts = well()
    facts.counts.last_in = NOW - 30 * S
    assert "It answered before" in fault(facts).sentence
    assert "It talked before" in fault(replace(facts, asked=False)).sentence
    assert "what carries its bytes, has stopped" in fault(replace(facts, serial=False)).sentence


def test_silence_on_a_key_is_normal_and_half_a_message_is_not() -> None:
    facts = replace(well(), asked=False, silence_is_normal=True)
    facts.counts.last_in = facts.counts.last_message = NOW - 900 * S
    assert first_fault(reading_path(facts)) is None
    assert "silence is normal" in reading_path(facts)[1].sentence
    assert fault(replace(facts, pending=4)).words == "no terminator"


def test_a_released_port_offers_to_be_taken_back() -> None:
    found = fault(replace(well(), port_trouble="released", port_sentence="It was released."))
    assert (found.words, found.offer) == ("released", "take the port back")
    assert fault(replace(well(), port_trouble="searching", port_sentence="A search has it.")).offer == ""


def test_a_start_command_that_went_wrong_stands_at_the_port() -> None:
    found = fault(replace(well(), command_trouble="The start command … did not answer."))
    assert (found.name, found.state, found.words) == ("Port", "losses", "start command")


def test_bytes_that_wait_mean_falling_behind() -> None:
    found = fault(replace(well(), waiting=4000))
    assert (found.name, found.words) == ("Bytes", "falling behind")
    assert "4000 bytes wait" in found.sentence


def test_seven_bits_with_parity_are_named() -> None:
    facts = well()
    facts.counts.recent = bytes(b | (0x80 if b.bit_count() & 1 else 0) for b in b"FL=+0148.27 L/min OK\r\n")
    found = fault(facts)
    assert "7 data bits and even parity fit all" in found.sentence
    assert found.offer == "work out the settings"
    assert first_fault(reading_path(replace(facts, binary=True))) is None


def test_an_echo_is_named_and_can_be_removed() -> None:
    facts = well()
    facts.counts.echoes, facts.counts.last_echo = 5, NOW - S
    found = fault(facts)
    assert (found.name, found.words, found.offer) == ("Messages", "echo", "remove the echo")
    facts.counts.last_echo = NOW - 90 * S
    assert first_fault(reading_path(facts)) is None


def test_who_answers_matters_where_someone_is_expected() -> None:
    stranger = Identity("SERIAL 2", ("METER", "SERIAL 1"), heard=True, matches=False)
    found = fault(replace(well(), identity=stranger))
    assert (found.words, found.state) == ("another one", "stopped")
    assert "“METER / SERIAL 1”" in found.sentence
    nobody = Identity("SERIAL 2", (), heard=False, matches=False)
    assert fault(replace(well(), identity=nobody)).words == "unknown"
    assert first_fault(reading_path(replace(well(), identity=Identity("", ("X",), True, True)))) is None


def test_late_replies_say_what_would_do() -> None:
    facts = well()
    facts.counts.late, facts.counts.worst_late, facts.counts.last_gave_up = 3, 640_000, NOW - S
    found = fault(facts)
    assert (found.words, found.offer) == ("3 late", "give it more time")
    assert "850 ms would do" in found.sentence
    facts.counts.messages, facts.counts.gave_up = 0, 3
    assert fault(facts).state == "stopped"


@pytest.mark.parametrize(
    ("counts", "words", "sentence"),
    [
        (
            {"unasked": 60, "last_unasked": NOW - S},
            "unasked bytes",
            "60 bytes came that no query had asked for",
        ),
        (
            {"doubled": 4, "last_doubled": NOW - S, "recent_doubles": 0b10101010101010},
            "doubled",
            "one right after the other",
        ),
        ({"overlong": 2}, "2 too long", "given up without CR LF"),
        ({"missed": 1, "last_missed": NOW - S}, "1 missed", "1 poll was missed"),
        ({"missed": 7, "last_missed": NOW - S}, "7 missed", "7 polls were missed"),
    ],
)
def test_losses_between_bytes_and_readings(counts: dict[str, int], words: str, sentence: str) -> None:
    facts = well()
    for name, value in counts.items():
        setattr(facts.counts, name, value)
    found = fault(facts)
    assert (found.name, found.state, found.words) == ("Messages", "losses", words)
    assert sentence in found.sentence


def test_bad_checksums_are_counted_and_shown() -> None:
    facts = well()
    facts.readings.bad_checks, facts.readings.last_bad_check = 1, NOW - S
    facts.readings.last_bad_body = b"$YXXDR*00"
    assert fault(facts).words == "1 bad checksum"
    facts.readings.bad_checks = 2
    assert "“$YXXDR*00”" in fault(facts).sentence


def test_a_reading_that_never_moves_is_mentioned_and_not_blamed() -> None:
    facts = well()
    facts.readings.same = 80
    stage = reading_path(facts)[3]
    assert stage.state == "passing"
    assert "alike to the last digit" in stage.sentence


def test_what_is_not_set_up_yet_is_hollow_not_wrong() -> None:
    facts = silent(has_queries=False, has_patterns=False)
    facts.counts.opened_at = facts.counts.last_in = NOW - S
    facts.counts.bytes_in = 10
    facts.counts.recent = b"V=1.5\r\n"
    stages = reading_path(facts)
    assert [s.state for s in stages[:4]] == ["passing", "passing", "nothing", "nothing"]
    assert "add a query" in stages[2].sentence
    assert "say how a message reads" in stages[3].sentence


def test_each_stage_has_its_figures() -> None:
    facts = replace(well(), bytes_in_per_s=115.2, bytes_out_per_s=20.0, messages_per_s=5.02)
    facts.counts.bytes_out, facts.counts.last_in = 400, NOW - 2 * S
    facts.readings.last_at = NOW - S
    figures = [stage.figures for stage in reading_path(facts)]
    assert figures == [
        "",
        "115 B/s in, 20 B/s out, last byte 2.0 s ago",
        "5.0/s, answers in 29 ms",
        "100 of 100 understood",
        "last sample 1.0 s ago",
    ]
