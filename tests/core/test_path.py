"""The reading path: the right sentence for what was seen."""

from dataclasses import replace

import pytest

from tidybench.core.batch import Batch
from tidybench.core.channels.device_clock import DeviceClock
from tidybench.core.exchange.counts import LinkCounts
from tidybench.core.path import Facts, Stage, reading_path
from tidybench.core.reading.reader import Counts
from tidybench.core.reading.stop import Stop

S = 1_000_000
NOW = 100 * S


def well() -> Facts:
    return Facts(
        now=NOW,
        port_name="port 3",
        port_trouble="",
        port_sentence="",
        settings="9600 8-N-1",
        counts=LinkCounts(
            bytes_in=2200, messages=100, polls=100, opened_at=NOW - 20 * S, last_in=NOW - 50_000,
            last_message=NOW - 50_000, answer_time=29_000, recent=b"FL=+0148.27 L/min OK\r\n",
        ),
        readings=Counts(understood=100, recent_count=100),
        asked=True,
        interval_s=0.2,
        give_up_s=0.5,
        framing="end with CR LF",
        ending="CR LF",
        has_channels=True,
    )  # fmt: skip


def first_fault(stages: list[Stage]) -> Stage | None:
    """What the interface names beside the path: stopped before losses."""
    found = [s for state in ("stopped", "losses") for s in stages if s.state == state]
    return found[0] if found else None


def fault(facts: Facts) -> Stage:
    found = first_fault(reading_path(facts))
    assert found is not None
    return found


def test_all_passing() -> None:
    stages = reading_path(well())
    assert [s.state for s in stages] == ["passing"] * 5
    assert stages[2].sentence == "Messages end with CR LF, answers in 29 ms."


def test_what_is_said_of_a_device_s_clock() -> None:
    clock, out = DeviceClock(1), Batch()
    for n in range(20):
        clock.take(0, NOW - (20 - n) * S, n + 5.0, out)
    facts = replace(well(), clocks=(("Board time", clock),))
    assert reading_path(facts)[4].sentence.endswith("Board time runs like ours so far.")
    clock.take(0, NOW, 0.5, out)
    assert fault(facts).sentence.startswith(
        "Board time was set, stood still or began again 0.0 s ago (once so far)"
    )
    for n in range(20):
        clock.take(0, NOW + n, float(n * 7919 % 1000), out)
    assert fault(facts).words == "no clock"


def test_a_stopped_stage_blanks_what_follows() -> None:
    stages = reading_path(replace(well(), port_trouble="missing", port_sentence="There is no port 3."))
    assert [s.state for s in stages] == ["stopped", "nothing", "nothing", "nothing", "nothing"]
    assert stages[4].sentence == "Waits for Port."


def test_open_but_silent_from_the_beginning() -> None:
    facts = well()
    facts.counts.last_in = facts.counts.bytes_in = facts.counts.messages = 0
    found = fault(facts)
    assert (found.name, found.words) == ("Bytes", "silent")
    assert found.sentence.startswith(
        "No bytes for 20 s. The port is open. Check power, that the instrument's own output"
    )


def test_nothing_is_said_too_soon() -> None:
    facts = well()
    facts.counts.last_in = facts.counts.bytes_in = facts.counts.messages = 0
    facts.counts.opened_at = NOW - S
    facts = replace(facts, readings=Counts())
    assert [s.state for s in reading_path(facts)] == ["passing", "nothing", "nothing", "nothing", "nothing"]


@pytest.mark.parametrize("data", [bytes(range(128, 160)), b"\x00\xfe" * 20, b"A\x9c\x88" * 10])
def test_bytes_that_are_not_text_mean_other_settings(data: bytes) -> None:
    facts = well()
    facts.counts.recent = data
    found = fault(facts)
    assert (found.name, found.words) == ("Bytes", "not text")
    assert "9600 8-N-1" in found.sentence


def test_text_without_its_end_shows_what_recurs() -> None:
    facts = well()
    facts.counts.messages = 0
    facts.counts.recent = b"148.2\r148.3\r148.4\r"
    found = fault(facts)
    assert found.name == "Messages"
    assert "CR (3 times)" in found.sentence


def test_losses_have_a_notch_and_a_number() -> None:
    facts = well()
    facts.counts.gave_up, facts.counts.last_gave_up = 2, NOW - S
    assert (fault(facts).state, fault(facts).words) == ("losses", "2 no reply")
    facts.counts.late, facts.counts.worst_late = 2, 640_000
    assert "up to 640 ms" in fault(facts).sentence
    facts.counts.last_gave_up = NOW - 300 * S
    assert first_fault(reading_path(facts)) is None


def test_messages_not_understood_show_the_character() -> None:
    facts = well()
    facts.readings.recent, facts.readings.recent_count = 0b100, 100
    facts.readings.last_not_understood = b"FL=ERR"
    facts.readings.last_stop = Stop(4, "a number (flow)", "“E”")
    found = fault(facts)
    assert (found.name, found.state, found.words) == ("Readings", "losses", "1 not understood")
    assert "“FL=ERR” stops at character 4" in found.sentence
    facts.readings.recent = 0b111
    assert fault(facts).state == "stopped"


def test_dashes_are_the_instrument_s_own_word() -> None:
    facts = well()
    facts.readings.dashes = 2
    assert first_fault(reading_path(facts)) is None
    facts.readings.dashes = 40
    assert (fault(facts).state, fault(facts).words) == ("losses", "no reading")
    assert "the instrument itself has none" in fault(facts).sentence


def test_a_word_that_is_no_state_is_said() -> None:
    stage = fault(
        replace(well(), readings=Counts(understood=9, recent_count=9, last_odd="ALARM", last_odd_at=NOW - S))
    )
    assert (stage.name, stage.words) == ("Readings", "another word")
    assert "“ALARM”" in stage.sentence
