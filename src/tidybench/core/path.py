"""The reading path: five stages that say, in words, where an instrument's way to its channels breaks.

A pure function of what was seen; no stage is shown as passing on trust. docs in MESSAGES and
the guide use the same sentences.
"""

from collections import Counter
from dataclasses import dataclass
from typing import Literal

from tidybench.core.reading.reader import Counts
from tidybench.core.session import LinkCounts

StageName = Literal["Port", "Bytes", "Messages", "Readings", "Channels"]
StageState = Literal["passing", "losses", "stopped", "nothing"]
NOT_TEXT = 0.1
"""Share of unprintable bytes among the last from which on they are not taken for text."""

RECENTLY = 60_000_000
"""Losses are shown on a bead for this long (microseconds)."""


@dataclass(slots=True, frozen=True)
class Facts:
    """What is known of one instrument and its link. Times in microseconds, intervals in seconds."""

    now: int
    port_name: str
    port_trouble: str  # "" when open
    port_sentence: str
    settings: str
    counts: LinkCounts
    readings: Counts
    asked: bool
    interval_s: float
    give_up_s: float
    terminator: str
    has_channels: bool
    pending: int = 0


@dataclass(slots=True, frozen=True)
class Stage:
    """One stage: its state, a word or two for beside the bead, and a whole sentence or more."""

    name: StageName
    state: StageState
    words: str
    sentence: str


def reading_path(facts: Facts) -> list[Stage]:
    """The five stages in order. What follows a stopped stage has nothing to show."""
    stages: list[Stage] = []
    for make in (_port, _bytes, _messages, _readings, _channels):
        stage = make(facts)
        stages.append(stage)
        if stage.state == "stopped":
            rest: tuple[StageName, ...] = ("Port", "Bytes", "Messages", "Readings", "Channels")
            why = f"Waits for {stage.name}."
            stages += [Stage(name, "nothing", "", why) for name in rest[len(stages) :]]
            break
    return stages


def _port(facts: Facts) -> Stage:
    if facts.port_trouble:
        return Stage("Port", "stopped", facts.port_trouble, facts.port_sentence)
    return Stage("Port", "passing", "open", f"{facts.port_name} is open at {facts.settings}.")


def _ago(facts: Facts, at: int) -> str:
    seconds = max(0.0, (facts.now - at) / 1e6)
    if seconds < 10:
        return f"{seconds:.1f} s"
    if seconds < 120:
        return f"{seconds:.0f} s"
    return f"{seconds / 60:.0f} min" if seconds < 7200 else f"{seconds / 3600:.0f} h"


def _patience(facts: Facts) -> int:
    return round(max(2.0, 3 * facts.interval_s + 2 * facts.give_up_s) * 1e6)


def _bytes(facts: Facts) -> Stage:
    counts = facts.counts
    since = counts.last_in or counts.opened_at
    if facts.now - since > _patience(facts):
        try_this = "Check power, that the instrument's own output is set to serial, and whether the cable is crossed."
        if counts.last_in:
            try_this = "Check power and the cable. " + (
                "Its settings may have changed." if facts.asked else "It may have stopped talking on its own."
            )
        return Stage(
            "Bytes", "stopped", "silent", f"No bytes for {_ago(facts, since)}. The port is open. {try_this}"
        )
    if not counts.last_in:
        return Stage("Bytes", "nothing", "", "Nothing has arrived yet.")
    if len(counts.recent) >= 4 and _unprintable(counts.recent) > NOT_TEXT:
        sample = counts.recent[-8:].hex(" ").upper()
        return Stage(
            "Bytes",
            "stopped",
            "not text",
            f"Bytes come, but they are not text ({sample}). The baud rate, the data bits or the parity "
            f"differ from the instrument's: it is read at {facts.settings}.",
        )
    odd = (
        f"{counts.unprintable} of {counts.bytes_in} not printable" if counts.unprintable else "all printable"
    )
    return Stage("Bytes", "passing", "", f"Last byte {_ago(facts, counts.last_in)} ago, {odd}.")


def _unprintable(data: bytes) -> float:
    tail = data[-64:]
    return sum(not (0x20 <= b < 0x7F or b in b"\r\n\t") for b in tail) / len(tail)


def _messages(facts: Facts) -> Stage:
    counts = facts.counts
    if not counts.messages or facts.now - counts.last_message > _patience(facts):
        if counts.bytes_in and (counts.overlong or facts.now - counts.opened_at > _patience(facts)):
            return Stage("Messages", "stopped", "no end", _no_terminator(facts))
        return Stage("Messages", "nothing", "", "No whole message yet.")
    recent = facts.now - RECENTLY
    if counts.overlong:
        words = f"{counts.overlong} too long"
        return Stage("Messages", "losses", words, f"{words}: given up without {facts.terminator}.")
    if counts.late and counts.last_gave_up > recent:
        return Stage(
            "Messages",
            "losses",
            f"{counts.late} late",
            f"{counts.late} replies came late, up to {counts.worst_late / 1000:.0f} ms after the query; it is given up "
            f"after {facts.give_up_s * 1000:.0f} ms. Give it more time.",
        )
    if counts.last_gave_up > recent:
        return Stage(
            "Messages",
            "losses",
            f"{counts.gave_up} no reply",
            f"{counts.gave_up} of {counts.polls} queries had no reply in {facts.give_up_s * 1000:.0f} ms.",
        )
    if counts.last_missed > recent:
        return Stage(
            "Messages",
            "losses",
            f"{counts.missed} missed",
            f"{counts.missed} polls were missed: the link was busy when they were due. Ask less often.",
        )
    answers = f", answers in {counts.answer_time / 1000:.0f} ms" if facts.asked else ""
    return Stage("Messages", "passing", "", f"Messages end at {facts.terminator}{answers}.")


def _no_terminator(facts: Facts) -> str:
    recent = facts.counts.recent
    names = {13: "CR", 10: "LF", 3: "ETX", 0: "NUL", 59: "a semicolon"}
    controls = Counter(b for b in recent if b in names)
    if controls:
        byte, count = controls.most_common(1)[0]
        name = names[byte]
        return f"Text comes, but no {facts.terminator} ends it. What does recur is {name} ({count} times): is that the end?"
    return f"{facts.counts.bytes_in} bytes came without {facts.terminator}. Compare the end of the messages with the tape."


def _readings(facts: Facts) -> Stage:
    counts = facts.readings
    if not counts.recent_count:
        return Stage("Readings", "nothing", "", "No message has been read yet.")
    wrong = counts.recent.bit_count()
    if wrong:
        text = counts.last_not_understood.decode("latin-1")
        where = f"“{text}” {counts.last_stop}."
        if wrong == counts.recent_count or counts.recent & 0b111 == 0b111:
            return Stage("Readings", "stopped", "not understood", where)
        return Stage(
            "Readings",
            "losses",
            f"{wrong} not understood",
            f"{wrong} of the last {counts.recent_count} messages were not understood; the last, {where}",
        )
    if counts.dashes >= 3:
        return Stage(
            "Readings",
            "losses",
            "no reading",
            f"The last {counts.dashes} messages were understood, and say that there is no reading: the "
            "instrument itself has none. Check its sensor and its range.",
        )
    return Stage("Readings", "passing", "", f"The last {counts.recent_count} messages were understood.")


def _channels(facts: Facts) -> Stage:
    if not facts.has_channels:
        return Stage("Channels", "nothing", "", "No channels are made from its fields yet.")
    if not facts.readings.understood:
        return Stage("Channels", "nothing", "", "No sample yet.")
    return Stage("Channels", "passing", "", "Samples go to their lanes and to the run.")
