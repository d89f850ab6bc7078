"""The reading path: five stages that say, in words, where an instrument's way to its channels breaks.

A pure function of what was seen; no stage is shown as passing on trust. The guide has the same
sentences. The first stage that is not well has what to try.
"""

from dataclasses import dataclass, field, replace
from typing import Literal

from tidybench.core.channels.device_clock import DeviceClock
from tidybench.core.diagnosis.evidence import hex_of, parity_seen, recurring_end, unprintable_share
from tidybench.core.exchange.counts import LinkCounts
from tidybench.core.exchange.identity import Identity
from tidybench.core.reading.reader import Counts

StageName = Literal["Port", "Bytes", "Messages", "Readings", "Channels"]
StageState = Literal["passing", "losses", "stopped", "nothing"]
Offer = Literal["", "work out the settings", "take the port back", "give it more time", "remove the echo"]
"""What the interface can do about a fault with one press."""

NOT_TEXT = 0.1
"""Share of unprintable bytes among the last from which on they are not taken for text."""

RECENTLY = 60_000_000
"""Losses are shown on a bead for this long (microseconds)."""

FALLING_BEHIND = 2048
"""Bytes that wait in the port from which on readings grow old."""

STUCK = 50
"""Messages in a row, all alike to the last digit, after which that is said."""


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
    framing: str  # how a message is told from the next, as in "end with CR LF"
    ending: str  # what ends a message
    has_channels: bool
    serial: bool = True
    has_queries: bool = True
    has_patterns: bool = True
    silence_is_normal: bool = False
    shared: bool = False
    rs485: bool = False
    check: str = "none"
    waiting: int = 0
    pending: int = 0
    binary: bool = False
    identity: Identity = field(default_factory=Identity)
    command_trouble: str = ""
    bytes_in_per_s: float = 0.0
    bytes_out_per_s: float = 0.0
    messages_per_s: float = 0.0
    clocks: tuple[tuple[str, DeviceClock], ...] = ()  # with their channels' names


@dataclass(slots=True, frozen=True)
class Stage:
    """One stage: its state, a word or two for beside the bead, a whole sentence or more, what the
    interface can do about it, and its counts and rates."""

    name: StageName
    state: StageState
    words: str
    sentence: str
    offer: Offer = ""
    figures: str = ""


def reading_path(facts: Facts) -> list[Stage]:
    """The five stages in order. What follows a stopped stage has nothing to show."""
    stages: list[Stage] = []
    for make in (_port, _bytes, _messages, _readings, _channels):
        stage = make(facts)
        stage = replace(stage, figures=_figures(facts, stage.name))
        stages.append(stage)
        if stage.state == "stopped":
            rest: tuple[StageName, ...] = ("Port", "Bytes", "Messages", "Readings", "Channels")
            why = f"Waits for {stage.name}."
            stages += [Stage(name, "nothing", "", why) for name in rest[len(stages) :]]
            break
    return stages


def _figures(facts: Facts, stage: StageName) -> str:
    """What a stage counts, short."""
    counts, readings = facts.counts, facts.readings
    if stage == "Bytes" and (counts.bytes_in or counts.bytes_out):
        sent = f", {facts.bytes_out_per_s:.0f} B/s out" if counts.bytes_out else ""
        last = f", last byte {_ago(facts, counts.last_in)} ago" if counts.last_in else ""
        return f"{facts.bytes_in_per_s:.0f} B/s in{sent}{last}"
    if stage == "Messages" and counts.messages:
        answers = (
            f", answers in {counts.answer_time / 1000:.0f} ms" if facts.asked and counts.answer_time else ""
        )
        return f"{facts.messages_per_s:.1f}/s{answers}"
    if stage == "Readings" and readings.recent_count:
        return f"{readings.recent_count - readings.recent.bit_count()} of {readings.recent_count} understood"
    if stage == "Channels" and readings.understood:
        return f"last sample {_ago(facts, readings.last_at)} ago"
    return ""


def _port(facts: Facts) -> Stage:
    if facts.port_trouble:
        offer: Offer = "take the port back" if facts.port_trouble == "released" else ""
        return Stage("Port", "stopped", facts.port_trouble, facts.port_sentence, offer)
    if facts.command_trouble:
        return Stage("Port", "losses", "start command", facts.command_trouble)
    return Stage("Port", "passing", "open", f"{facts.port_name} is open at {facts.settings}.")


def _ago(facts: Facts, at: int) -> str:
    seconds = max(0.0, (facts.now - at) / 1e6)
    if seconds < 10:
        return f"{seconds:.1f} s"
    if seconds < 120:
        return f"{seconds:.0f} s"
    return f"{seconds / 60:.0f} min" if seconds < 7200 else f"{seconds / 3600:.0f} h"


def patience(interval: float, give_up: float) -> int:
    """Microseconds without news after which what comes every `interval` seconds has stopped; `give_up`: how long an answer is
    waited for, in seconds."""
    return round(max(2.0, 3 * interval + 2 * give_up) * 1e6)


def _patience(facts: Facts) -> int:
    return patience(facts.interval_s, facts.give_up_s)


def _bytes(facts: Facts) -> Stage:
    counts = facts.counts
    since = counts.last_in or counts.opened_at
    if facts.now - since > _patience(facts):
        if facts.silence_is_normal:
            last = f"The last byte came {_ago(facts, since)} ago." if counts.last_in else "Nothing came yet."
            return Stage(
                "Bytes", "passing", "", f"{last} It sends when its key is pressed: silence is normal."
            )
        return Stage("Bytes", "stopped", "silent", _silent(facts, since), _settings_offer(facts))
    if not counts.last_in:
        return Stage("Bytes", "nothing", "", "Nothing has arrived yet.")
    if facts.waiting > FALLING_BEHIND:
        return Stage(
            "Bytes",
            "losses",
            "falling behind",
            f"{facts.waiting} bytes wait in the port to be read: this computer does not keep up. End other "
            "programs on it, or have the instrument send less often.",
        )
    if not facts.binary and len(counts.recent) >= 4 and unprintable_share(counts.recent[-64:]) > NOT_TEXT:
        return Stage("Bytes", "stopped", "not text", _not_text(facts), _settings_offer(facts))
    if facts.binary:
        return Stage("Bytes", "passing", "", f"Last byte {_ago(facts, counts.last_in)} ago.")
    odd = (
        f"{counts.unprintable} of {counts.bytes_in} not printable" if counts.unprintable else "all printable"
    )
    return Stage("Bytes", "passing", "", f"Last byte {_ago(facts, counts.last_in)} ago, {odd}.")


def _settings_offer(facts: Facts) -> Offer:
    return "work out the settings" if facts.serial else ""


def _silent(facts: Facts, since: int) -> str:
    """Open, and nothing comes: what to try, the likeliest first."""
    counts = facts.counts
    what = f"No bytes for {_ago(facts, since)}. "
    if not facts.serial:
        return what + (
            "The connection stands. Check that the instrument is on and sends to this computer."
            if not counts.last_in
            else "The connection stands. The instrument, or what carries its bytes, has stopped."
        )
    what += "The port is open. "
    if counts.last_in:
        return what + (
            "It answered before: check its power and the cable. It may have been restarted with other settings."
            if facts.asked
            else "It talked before: check its power and the cable. It may have stopped talking on its own."
        )
    tries = [
        "Check power, that the instrument's own output is set to serial, and whether the cable is crossed"
    ]
    if facts.rs485 or facts.shared:
        tries.append("exchange A and B of the RS-485 pair")
        tries.append("check the bus address it is asked by")
    if not facts.asked:
        tries.append("it may need to be asked: type its query below")
    elif not facts.has_queries:
        tries.append("nothing is asked yet: type its query below")
    else:
        tries.append("an instrument that hears another baud rate or terminator stays silent too")
    if len(tries) == 1:
        return what + tries[0] + "."
    return what + tries[0] + "; " + "; ".join(tries[1:]) + "."


def _not_text(facts: Facts) -> str:
    recent = facts.counts.recent[-64:]
    seen = parity_seen(recent)
    if seen is not None:
        return (
            f"Bytes come, and they are text with one bit too many: 7 data bits and {seen} parity fit all of the "
            f"last {len(recent)}. The port is open at {facts.settings}."
        )
    return (
        f"Bytes come, but they are not text ({hex_of(recent)}). The baud rate, the data bits or the parity "
        f"differ from the instrument's: it is read at {facts.settings}."
    )


def _messages(facts: Facts) -> Stage:
    counts, readings = facts.counts, facts.readings
    recent = facts.now - RECENTLY
    if facts.asked and not facts.has_queries and not counts.messages:
        return Stage("Messages", "nothing", "", "Nothing is asked yet. Type a command below, or add a query.")
    who = facts.identity
    if who.expected and not who.matches:
        return Stage("Messages", "stopped", *_wrong_identity(who))
    if counts.last_echo > recent and counts.echoes > 2:
        return Stage(
            "Messages",
            "stopped",
            "echo",
            "Our own query comes back before the reply: the line or the adapter echoes what is sent. Let the "
            "echo be removed, or switch it off at the instrument or adapter.",
            "remove the echo",
        )
    if not counts.messages or (
        facts.now - counts.last_message > _patience(facts) and not facts.silence_is_normal
    ):
        if counts.late and counts.late >= counts.gave_up - 2:
            return _late(facts)
        if counts.bytes_in and (counts.overlong or facts.now - counts.opened_at > _patience(facts)):
            return Stage("Messages", "stopped", "no terminator", _no_terminator(facts))
        return Stage("Messages", "nothing", "", "No whole message yet.")
    if facts.silence_is_normal and facts.pending and facts.now - counts.last_in > 1_000_000:
        return Stage("Messages", "stopped", "no terminator", _no_terminator(facts))
    if counts.overlong:
        words = f"{counts.overlong} too long"
        return Stage("Messages", "losses", words, f"{words}: given up without {facts.ending}.")
    if readings.last_bad_check > recent:
        words = f"{readings.bad_checks} bad checksum{'s' if readings.bad_checks > 1 else ''}"
        return Stage(
            "Messages",
            "losses",
            words,
            f"{words}, the last in “{readings.last_bad_body.decode('latin-1')}”. Bytes are disturbed on the way: "
            "check the cable, its shield and the ground; a slower baud rate helps.",
        )
    if counts.late and counts.last_gave_up > recent:
        return _late(facts)
    if facts.asked and counts.unasked > 20 and counts.last_unasked > facts.now - 10_000_000:
        return Stage(
            "Messages",
            "losses",
            "unasked bytes",
            f"{counts.unasked} bytes came that no query had asked for; they are on the tape and were not read. "
            "The instrument sends replies twice, or talks on its own as well: set it to talk only when asked.",
        )
    if counts.last_gave_up > recent:
        return Stage(
            "Messages",
            "losses",
            f"{counts.gave_up} no reply",
            f"{counts.gave_up} of {counts.polls} queries had no reply in {facts.give_up_s * 1000:.0f} ms.",
        )
    doubles = counts.recent_doubles.bit_count()
    if (
        doubles > 2
        and doubles >= 0.3 * min(20, counts.messages)
        and counts.last_doubled > facts.now - 10_000_000
    ):
        return Stage(
            "Messages",
            "losses",
            "doubled",
            f"{counts.doubled} messages came twice, one right after the other. Is the instrument set to repeat, or does the "
            "line echo?",
        )
    if counts.last_missed > recent:
        return Stage(
            "Messages",
            "losses",
            f"{counts.missed} missed",
            f"{counts.missed} poll{'s were' if counts.missed > 1 else ' was'} missed: the link was busy when due, with another "
            "query or a command. Ask less often if that goes on.",
        )
    answers = f", answers in {counts.answer_time / 1000:.0f} ms" if facts.asked and counts.answer_time else ""
    sealed = "" if facts.check == "none" else ", checksums right"
    return Stage("Messages", "passing", "", f"Messages {facts.framing}{answers}{sealed}.")


def _wrong_identity(who: Identity) -> tuple[str, str]:
    if not who.heard:
        return (
            "unknown",
            f"It has not said who it is: “{who.expected}” is awaited in its answer. No sample is taken until it does. "
            "Check the identity query, or whether another instrument is on this port.",
        )
    said = " / ".join(who.lines) or "nothing"
    return (
        "another one",
        f"Another instrument answers: it says “{said}”, and “{who.expected}” was expected. Its samples are withheld. "
        "Two adapters may have changed places: choose the other port, or expect this one from now on.",
    )


def _late(facts: Facts) -> Stage:
    counts = facts.counts
    worst = counts.worst_late / 1000
    better = -(-worst * 1.3 // 50) * 50
    state: StageState = "losses" if counts.messages else "stopped"
    withheld = (
        f" {counts.doubted} that could have been another query's {'was' if counts.doubted == 1 else 'were'} left out."
        if counts.doubted
        else ""
    )
    return Stage(
        "Messages",
        state,
        f"{counts.late} late",
        f"{counts.late} repl{'ies' if counts.late > 1 else 'y'} came late, up to {worst:.0f} ms after the query; it is given up "
        f"after {facts.give_up_s * 1000:.0f} ms. Give it more time: {better:.0f} ms would do.{withheld}",
        "give it more time",
    )


def _no_terminator(facts: Facts) -> str:
    found = recurring_end(facts.counts.recent)
    if found is not None and found[0] != facts.ending and not facts.binary:
        name, count = found
        return f"Text comes, but no {facts.ending} ends it. What does recur is {name} ({count} times): is that the end?"
    return (
        f"{facts.counts.bytes_in} bytes came without {facts.ending}. Messages may be cut short, or end with "
        "something else: compare the end of the messages with the tape."
    )


def _readings(facts: Facts) -> Stage:
    counts = facts.readings
    if not facts.has_patterns:
        return Stage(
            "Readings", "nothing", "", "No message pattern yet: say how a message reads to get numbers."
        )
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
    if counts.last_refused > facts.now - RECENTLY:
        times = f"{counts.refusals} times" if counts.refusals > 1 else "once"
        return Stage(
            "Readings",
            "losses",
            "its own error",
            f"The instrument answers with an error of its own, {times}: “{counts.last_refusal}”. Its manual says what that means; "
            "compare the query with it.",
        )
    if counts.last_odd_at > facts.now - RECENTLY:
        return Stage(
            "Readings",
            "losses",
            "another word",
            f"“{counts.last_odd}” stands where one of a channel's states is expected. If it is a state, add it to them.",
        )
    if counts.dashes >= 3:
        return Stage(
            "Readings",
            "losses",
            "no reading",
            f"The last {counts.dashes} messages were understood, and say that there is no reading: the "
            "instrument itself has none. Check its sensor and its range.",
        )
    if counts.same >= STUCK:
        return Stage(
            "Readings",
            "passing",
            "",
            f"The last {counts.same} messages were understood, and are alike to the last digit. If this reading "
            "should move: is the instrument on hold, or its sensor unplugged?",
        )
    return Stage("Readings", "passing", "", f"The last {counts.recent_count} messages were understood.")


def _channels(facts: Facts) -> Stage:
    if not facts.has_channels:
        return Stage("Channels", "nothing", "", "No channels are made from its fields yet.")
    if not facts.readings.understood:
        return Stage("Channels", "nothing", "", "No sample yet.")
    if facts.clocks:
        return _clocks(facts)
    return Stage("Channels", "passing", "", "Samples go to their lanes and to the run.")


def _clocks(facts: Facts) -> Stage:
    """What is to be said of the device's own clocks."""
    said = []
    for name, clock in facts.clocks:
        if clock.resets > 5 and clock.resets * 4 > clock.samples:
            return Stage(
                "Channels",
                "losses",
                "no clock",
                f"{name} does not run like a clock: {clock.resets} of {clock.samples} times did not follow the one before. Is it "
                "the time, and does its scale make seconds of it?",
            )
        if clock.resets and clock.last_reset > facts.now - RECENTLY:
            return Stage(
                "Channels",
                "losses",
                "clock began again",
                f"{name} was set, stood still or began again {_ago(facts, clock.last_reset)} ago ({_times(clock.resets)} so far). Its "
                "times are realigned.",
            )
        drift = f"{abs(clock.drift) * 1e6:.0f} µs a second too {'fast' if clock.drift > 0 else 'slow'}"
        again = f", and began again {_times(clock.resets)}" if clock.resets else ""
        said.append(f"{name} runs {drift if clock.drift else 'like ours so far'}{again}.")
    return Stage("Channels", "passing", "", f"Samples go to their lanes and to the run. {' '.join(said)}")


def _times(count: int) -> str:
    return "once" if count == 1 else f"{count} times"
