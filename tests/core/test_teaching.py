"""Teaching: what is proposed, what pointing makes of a pattern, what one press mends."""

import contextlib
import random
import re
from collections.abc import Callable
from dataclasses import replace
from functools import reduce
from operator import xor

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.compile.load import load
from tidybench.core.framing.check import CheckRule
from tidybench.core.reading.pattern import PatternError, compile_pattern
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.framing import CheckPart, FramingPart
from tidybench.core.teaching.alignment import align
from tidybench.core.teaching.checks import find_check
from tidybench.core.teaching.drafting import Exchanged, channels_of, draft
from tidybench.core.teaching.framings import BETTER_BY, propose_framing, score
from tidybench.core.teaching.pointing import Meaning, point
from tidybench.core.teaching.proposals import propose
from tidybench.core.teaching.remedies import remedies, token_remedies
from tidybench.core.teaching.running import Clock
from tidybench.core.teaching.source import source_of

RANDOM = random.Random(4)


def flows(count: int = 30) -> list[bytes]:
    return [f"FL={RANDOM.uniform(100, 200):+08.2f} L/min OK".encode() for _ in range(count)]


# ---- patterns written again


@pytest.mark.parametrize(
    "source",
    [
        "FL=<flow none(--------|x\\|y) [L/min]> L/min <state:word>",
        "<a 6.3><* 2><b:hex 4>;<?T=<t over(OL) under(-OL) flagged(~)>?>",
        "<v [V]> <u:unit(mV=0.001|V=1)>\\r<*>!<c:choice(A|B\\))>",
        "<d:datetime>\t<e:datetime(DD.MM.YY hh:mm:ss.f)>;<h:datetime 24>",
        "\\x02<p decimal(,)>\\<\\>\\\\<t:text>",
    ],
)
def test_elements_are_written_as_they_were_read(source: str) -> None:
    elements = compile_pattern(source).elements
    again = source_of(elements)
    assert source_of(compile_pattern(again).elements) == again
    # The same fields, wherever in the source they stand.
    read = [[replace(f, column=0) for f in compile_pattern(one).fields] for one in (source, again)]
    assert read[0] == read[1]


@given(st.text(alphabet=st.characters(codec="latin-1"), min_size=1, max_size=20))
def test_any_text_can_be_a_literal(text: str) -> None:
    message = text.encode("latin-1")
    source = point("", message, 0, len(message), "fixed", encoding="latin-1")
    assert not isinstance(compile_pattern(source, "latin-1").read(message), Stop)


# ---- pointing

MESSAGE = b"FL=+0148.27 L/min OK"


def test_a_pattern_grows_by_saying_what_parts_are() -> None:
    first = point("", MESSAGE, 3, 11, "number", "flow", "L/min")
    assert first == "FL=<flow [L/min]> L/min OK"
    second = point(first, MESSAGE, 18, 20, "word", "state")
    assert second == "FL=<flow [L/min]> L/min <state:word>"
    # What is known stays when a part is said to be something else, or called something else.
    third = point(second.replace("<flow", "<flow none(---)"), MESSAGE, 3, 11, "number", "flow", "m3/h")
    assert third == "FL=<flow none(---) [m3/h]> L/min <state:word>"
    assert point(second, MESSAGE, 3, 11, "number", "rate") == "FL=<rate> L/min <state:word>"
    assert point("FL=<flow> L/min", b"FL=5 L/min", 4, 10, "absent") == "FL=<flow><? L/min?>"
    assert point(second, MESSAGE, 3, 11, "fixed") == "FL=+0148.27 L/min <state:word>"
    assert point(second, MESSAGE, 0, 2, "skip") == "<*>=<flow [L/min]> L/min <state:word>"


def test_what_may_be_absent_stays_so_when_something_else_is_pointed_at() -> None:
    source = "FL=<flow><? L/min?>;<s:word>"
    for message in (b"FL=5 L/min;OK", b"FL=5;OK"):
        end = len(message)
        assert point(source, message, end - 2, end, "text", "state") == "FL=<flow><? L/min?>;<state:text>"
    # Pointed at, a part that was there is opened up.
    assert point("A<?;T=<t>?>", b"A;T=5", 4, 5, "int", "t") == "A;T=<t:int>"


def test_a_part_of_a_field_cuts_it() -> None:
    assert point("<v>", b"12.5", 0, 2, "int", "whole") == "<whole:int>.5"
    assert point("A <t:text>", b"A b=7", 4, 5, "number") == "A b=<v1>"


def test_dashes_are_said_to_be_no_reading() -> None:
    source = "FL=<flow [L/min]> L/min"
    assert point(source, b"FL=------ L/min", 3, 9, "none") == "FL=<flow none(------) [L/min]> L/min"
    both = point("A=<a>;B=<b>", b"A=1;B=OL", 6, 8, "over")
    assert both == "A=<a>;B=<b over(OL)>"
    assert point(both, b"A=1;B=OL", 6, 8, "over") == both
    assert point(both, b"A=1;B=OL", 6, 8, "none") == "A=<a>;B=<b none(OL)>"


@pytest.mark.parametrize(
    ("start", "end", "meaning", "words"),
    [
        (3, 3, "number", "Mark some characters"),
        (0, 99, "number", "Mark some characters"),
        (0, 2, "none", "no number yet"),
        (3, 5, "number", "digits"),
    ],
)
def test_what_cannot_be_said_is_explained(start: int, end: int, meaning: Meaning, words: str) -> None:
    with pytest.raises(ValueError, match=words):
        point("", MESSAGE, start, end, meaning)


MEANINGS: list[Meaning] = [
    "number",
    "int",
    "hex",
    "bits",
    "word",
    "text",
    "fixed",
    "skip",
    "none",
    "over",
    "absent",
]


@given(st.sampled_from([b"A=1;B=2 ok", MESSAGE, b"\x02 12,5;--\xff"]), st.data())
def test_pointing_anywhere_gives_a_pattern_or_a_sentence(message: bytes, data: st.DataObject) -> None:
    source = data.draw(st.sampled_from(["", "A=<a>;B=<b> <w:word>", "FL=<flow> <*>", "<?A=<a>;?><t:text>"]))
    start = data.draw(st.integers(0, len(message) - 1))
    end = data.draw(st.integers(start + 1, len(message)))
    meaning = data.draw(st.sampled_from(MEANINGS))
    with contextlib.suppress(
        ValueError, PatternError
    ):  # said in a sentence; anything else is a fault of ours
        compile_pattern(point(source, message, start, end, meaning, encoding="latin-1"), "latin-1")


def test_alignment_covers_the_message() -> None:
    elements = compile_pattern("FL=<flow> L/min<? <state:word>?>").elements
    spans, whole = align(elements, MESSAGE)
    assert whole
    assert b"".join(MESSAGE[s.start : s.end] for s in spans) == MESSAGE
    spans, whole = align(elements, b"FL=x")
    assert (len(spans), whole) == (1, False)


# ---- remedies


def test_one_press_mends_what_was_not_understood() -> None:
    pattern = "FL=<flow> L/min <state:word>"
    found = remedies([pattern], b"FL=---- L/min --")
    assert found[0].words == "“----” is “no reading” (flow)"
    assert found[0].source == "FL=<flow none(----)> L/min <state:word>"
    assert found[0].number == 0
    over = remedies([pattern], b"FL=OL L/min HI")
    assert over[0].words == "“OL” is over range (flow)"
    absent = remedies(["FL=<flow> L/min;<state:word>"], b"FL=12;OK")
    assert [r.source for r in absent if "absent" in r.words] == ["FL=<flow><? L/min?>;<state:word>"]
    error = remedies([pattern], b"E2 RANGE")
    assert [(r.source, r.error) for r in error if r.error] == [("E<*>", True)]
    assert remedies([pattern], b"FL=12 L/min OK") == []
    assert next(r.words for r in remedies(["A=<a>"], b"READY")).startswith("“READY” says nothing")


@given(
    st.sampled_from(["FL=<flow> L/min <state:word>", "<a 4>;<b>", "<a>,<?x=<b>?>", "<*"]),
    st.binary(max_size=30),
)
def test_every_remedy_helps(source: str, message: bytes) -> None:
    for remedy in remedies([source], message, "latin-1"):
        assert not isinstance(compile_pattern(remedy.source, "latin-1").read(message), Stop)


def test_tokens_for_readers() -> None:
    assert [r.stands_for for r in token_remedies("--,--")] == ["none", "over", "under"]
    assert token_remedies("OL")[0].stands_for == "over"
    assert token_remedies("") == token_remedies("x" * 99) == []


# ---- proposals


def sources(messages: list[bytes]) -> list[str]:
    outcome = propose(messages)
    return outcome.proposals[0].listen.patterns if outcome.proposals else []


def test_a_label_a_unit_and_dashes_are_found() -> None:
    best = propose([*flows(), *[b"FL=-------- L/min --"] * 2]).proposals[0]
    assert best.reads == best.of == 32
    assert "labels stand before numbers: fl" in best.reasons
    assert any("stands where fl has no reading" in reason for reason in best.reasons)
    assert [(c.field, c.unit, c.decimals) for c in best.channels if not c.states] == [("fl", "L/min", 2)]
    assert [c.states for c in best.channels if c.states] == [("--", "OK")]


@pytest.mark.parametrize(
    ("messages", "title", "fields"),
    [
        ([b"SPEED,TORQUE", *[b"%d.2,%d.1" % (1450 + n, 14 + n % 3) for n in range(8)]], "columns", ["SPEED", "TORQUE"]),
        ([b"%d,2.%d,%d,%d" % (7 * n % 5, n, n * 5 % 7, n * n % 11) for n in range(9)], "columns", ["c1", "c2", "c3", "c4"]),
        ([b"T=1;P=2,5", b"P=2,6;T=2", b"T=3;P=2,4"] * 3, "labels and values", ["T", "P"]),
        ([b"$SDDBT,7.8,f,2.4,M,1.3,F*0D", b"$SDDBT,7.9,f,2.4,M,1.3,F*0C"] * 3, "NMEA 0183", ["depth_ft", "depth", "depth_fathoms"]),
        ([b"+2.26564E+03", b"-2.2E-02", b"+9.90000E+37"] * 3, "SCPI numbers", ["v1"]),
        ([b'{"t": 1.5, "ok": "x"}', b'{"t": 1.6, "ok": "x"}'] * 3, "JSON", ["t"]),
        ([b"TEMP 21.5 C", b"TEMP 21.6 C", b"TEMP -3.0 C"] * 3, "message pattern", ["temp"]),
        ([b"000312", b"000315", b"001310", b"------"] * 3, "message pattern", ["v1"]),
        ([b"P=3,25 bar", b"P=4,26 bar", b"P=3,99 bar"] * 3, "message pattern", ["p"]),
    ],
)  # fmt: skip
def test_each_kind_of_talk_gets_its_reader(messages: list[bytes], title: str, fields: list[str]) -> None:
    best = propose(messages).proposals[0]
    assert (best.title, [c.field for c in best.channels]) == (title, fields)
    assert best.reads == best.of
    assert best.reasons


def test_digits_without_a_point_have_a_width_and_dashes_are_no_reading() -> None:
    assert sources([b"000312", b"000415", b"------"] * 3) == ["<v1 6 none(------)>"]
    assert sources([b"CH 1: 5.0 V", b"CH 1: 6.1 V"] * 3) == ["CH 1:<v1 [V]> V"]
    assert sources([b"\x00\xff"] * 6) == []
    assert propose([]).needs == "No message has come yet"


@pytest.mark.parametrize(
    "rule",
    [CheckRule("sum"), CheckRule("xor", skip=1), CheckRule("crc-16 ccitt", "high first"), CheckRule("crc-16 x25", "low first"), CheckRule("lrc", before=b"*")],
)  # fmt: skip
def test_check_characters_are_found(rule: CheckRule) -> None:
    found = find_check([rule.append_check(body) for body in flows(12)])
    assert found is not None
    part, checker, why = found
    assert isinstance(part, CheckPart)
    assert part.kind == rule.kind
    assert "on every message" in why
    assert checker(rule.append_check(b"FL=5")) == b"FL=5"


def test_what_only_looks_like_a_check_is_none() -> None:
    assert find_check(flows(12)) is None
    assert find_check([b"a00"]) is None


@pytest.mark.parametrize(
    ("data", "described"),
    [
        (b"\r\n".join(flows()) + b"\r\n", "end with CR LF"),
        (b"VP=1\rVP=2\rVP=3\r", "end with CR"),
        (b"x BM{V=1;}adc ok\r\nBM{V=2;}BM{V=3;}wdt BM{V=4;}\r\n", "stand between “BM{” and “}”"),
        (b"\x02123\x03\x02124\x03\x02125\x03", "end with ETX"),
        (bytes.fromhex("0b0304000100024533 0b03040001000385f3 0b030400010005") , None),
    ],
)  # fmt: skip
def test_framings_are_proposed(data: bytes, described: str | None) -> None:
    found = propose_framing(data)
    if described is not None:
        assert found[0].framing.described == described
        assert found[0].reason


def test_modbus_frames_are_known_by_their_crc() -> None:
    from tidybench.core.protocols.modbus import seal

    data = b"".join(seal(bytes([11, 3, 2, 0, n])) for n in range(6))
    assert propose_framing(data)[0].framing.kind == "modbus rtu"


@given(st.lists(st.binary(max_size=40), max_size=12))
def test_nothing_that_comes_breaks_a_proposal(messages: list[bytes]) -> None:
    for proposal in propose(messages).proposals:
        assert 0 < proposal.reads <= proposal.of
    propose_framing(b"\n".join(messages))


# ---- drafts


def test_a_draft_of_an_asked_instrument_has_its_queries() -> None:
    talk = [Exchanged(b"", [])]
    for message in flows(6):
        temperature = f"T={RANDOM.uniform(20, 30):.1f} C\r\n".encode()
        talk += [
            Exchanged(b"FL?\r", [(0, message[:5]), (0, message[5:] + b"\r\n")]),
            Exchanged(b"T?\r", [(0, temperature)]),
        ]
    found = draft(talk, {"port": "/dev/x"}, "Meter")
    setup, reasons = load(found.text), found.reasons
    assert [(q.send, q.patterns) for q in setup.query] == [
        ("FL?\r", ["FL=<fl [L/min]> L/min OK"]), ("T?\r", ["T=<t [°C]> C"]),
    ]  # fmt: skip
    assert [(c.id, c.query) for c in setup.channel] == [("fl", "query-1"), ("t", "query-2")]
    assert re.search("framing: CR LF recurs", reasons[0])


def test_a_draft_of_noise_says_that_it_is_none() -> None:
    found = draft([Exchanged(b"", [(0, b"abc")])], {"port": "/dev/x"}, "Meter")
    assert found.text == ""
    assert "No messages could be made out" in found.needs


def test_bad_messages_among_checked_ones_are_said_to_be_bad() -> None:
    rule = CheckRule("xor")
    messages = [rule.append_check(body) for body in flows(20)]
    messages[7] = messages[7].replace(b"FL", b"FX")
    best = propose(messages).proposals[0]
    assert (best.reads, best.of, best.check) == (19, 19, "xor hex")
    assert any("on 19 of 20 messages: the others are bad" in one for one in best.reasons)


def test_an_error_number_is_no_channel() -> None:
    messages = [b"T=%d.5" % n if n % 7 else b"ERR 12" for n in range(1, 30)]
    best = propose(messages).proposals[0]
    assert [c.field for c in best.channels] == ["t"]
    assert best.listen.errors == ["ERR <n1:int>"]


def test_what_is_answered_decides() -> None:
    messages = [b"Q 1,%03d" % (n * 37 % 1000) for n in range(12)]
    [question] = propose(messages).questions
    assert {choice.key for choice in question.choices} == {"thousands", "decimal", "parts"}
    patterns = {
        choice.key: propose(messages, answers={question.key: choice.key}).proposals[0].listen.patterns
        for choice in question.choices
    }
    assert patterns == {
        "thousands": ["Q <q thousands(,)>"], "decimal": ["Q <q decimal(,)>"], "parts": ["Q 1,<v1>"],
    }  # fmt: skip
    assert propose(messages, answers={question.key: "nonsense"}).questions == [question]


def test_a_unit_that_changes_scales_though_some_messages_have_no_number() -> None:
    messages = [b"%d.5 mV" % n if n % 2 else b"OL V" if n % 3 else b"0.0%d V" % n for n in range(1, 30)]
    [question] = propose(messages).questions
    assert question.choices[0].shown == ("1.5 mV → 1.5 mV", "0.06 V → 60 mV")
    best = propose(messages, answers={question.key: "V"}).proposals[0]
    assert best.listen.patterns == ["<v1 over(OL) [V]> <v1_unit:unit(mV=0.001|V=1)>"]


def test_channels_that_nothing_names_are_called_by_what_they_measure() -> None:
    single = propose([b"%d.5" % (n * 7 % 9) for n in range(9)]).proposals[0]
    assert [c["name"] for c in channels_of(single, set(), None, "Old scale")] == ["Old scale"]
    assert [c["name"] for c in channels_of(single, set())] == ["V1"]
    messages = [b"%d.5 kPa;%d.1 mV;%d.2;%d.3 bar" % (n * 7 % 9, n % 4, n * 5 % 8, n % 5) for n in range(12)]
    several = propose(messages).proposals[0]
    named = channels_of(several, set(), None, "Rig")
    assert [c["name"] for c in named] == ["Pressure", "Voltage", "Rig 3", "Pressure 2"]
    assert [c["id"] for c in named] == ["pressure", "voltage", "rig-3", "pressure-2"]


def test_hexadecimal_digits_behind_a_name_are_one_number() -> None:
    """“U64” and “U6A” were a decimal number and a text that never changes."""
    messages = [b"CH1 U%02X" % (n * 11 % 120) for n in range(20)]
    assert propose(messages).proposals[0].listen.patterns == ["CH1 U<u:hex 2>"]
    # X1 may be the name, or X.
    assert "may belong to a name" in propose([b"X1%02X" % (n * 11 % 250) for n in range(20)]).needs


def test_a_check_of_few_different_messages_is_one_though_one_is_spoiled() -> None:
    rule = CheckRule("sum", before=b"*")
    messages = [rule.append_check(b"F=%d" % (n % 7)) for n in range(30)]
    messages[4] = messages[4].replace(b"*", b"\x01")
    best = propose(messages).proposals[0]
    assert isinstance(best.check, CheckPart)
    assert (best.check.kind, best.reads, best.of) == ("sum", 29, 29)


def test_a_date_is_one_and_what_only_looks_like_one_is_not() -> None:
    """“4433.29/00” was taken for a date."""
    for date in (b"25.11.2026", b"2026-11-25 10:00:%02d", b"11/25/26", b"2026-11-25T10:00:%02dZ"):
        messages = [(date % n if b"%" in date else date) + b";%d.5" % (n * 7 % 9) for n in range(20)]
        best = propose(messages).proposals[0]
        assert [c.clock is not None for c in best.channels] == [True, False][b"%" not in date :], date
    best = propose([b"%d.29/0%d" % (4433 + n * 37 % 100, n % 8) for n in range(20)]).proposals[0]
    assert best.listen.patterns == ["<v1>/<v2>"]


BEGUN = 1_795_655_000_000_000


def every(count: int, seconds: float, late: int = 2000) -> list[int]:
    """Arrival times, some of them a little late."""
    return [BEGUN + round(n * seconds * 1e6) + n * 37 % 11 * late for n in range(count)]


@pytest.mark.parametrize(
    ("make", "seconds", "clock"),
    [
        (lambda n: b"%d;%d.5" % (50_210 + n * 100 + n % 3, n * 7 % 9), 0.1, Clock(0.001)),
        (lambda n: b"%d;%d.5" % (n * 250_000, n * 7 % 9), 0.25, Clock(1e-6)),
        (lambda n: b"UP=%d.%02d P=%d.5" % (n // 4, n % 4 * 25, n * 7 % 9), 0.25, Clock(1.0)),
        (lambda n: b"09%02d%02d.00,%d.5" % (n // 60, n % 60, n * 7 % 9), 1.0, Clock(1.0, 86_400.0)),
        (lambda n: b"1131%02d,%d.5" % (n % 60, n * 7 % 9), 1.0, None),
        (lambda n: b"%d ms %d.5" % (n * 100, n * 7 % 9), 0.1, Clock(0.001)),
        (lambda n: b"%02d:%02d:%02d %d.5" % (23 + (58 + n // 60) // 60, (58 + n // 60) % 60, n % 60, n * 7 % 9), 1.0, Clock(1.0, 86_400.0)),
        (lambda n: b"26.11.2026 01:%02d:%02d;%d.5" % (n // 60, n % 60, n * 7 % 9), 1.0, Clock(1.0)),
        (lambda n: b"2026/11/26 01:%02d:%02d;%d.5" % (n // 60, n % 60, n * 7 % 9), 1.0, Clock(1.0)),
        (lambda n: b"%d;%d.5" % (BEGUN // 10**6 + n, n * 7 % 9), 1.0, Clock(1.0)),
        (lambda n: b'{"ts":%d,"t":%d.5}' % (BEGUN // 1000 + n * 500, n * 7 % 9), 0.5, Clock(0.001)),
        (lambda n: b'{"ms":%d,"t":%d.5}' % (n * 500, n * 7 % 9), 0.5, Clock(0.001)),
        (lambda n: b"ms=%d;T=%d.5" % (n * 500, n * 7 % 9) if n % 2 else b"T=%d.5;ms=%d" % (n * 7 % 9, n * 500), 0.5, Clock(0.001)),
        (lambda n: b'{"level":%d,"t":%d.5}' % (n * 500, n * 7 % 9), 0.5, None),
        (lambda n: b'{"seq":%d,"t":%d.5}' % (n + 3, n * 7 % 9), 1.0, None),
        # A count of messages once a second, readings that rise, a clock of another speed: none is its time.
        (lambda n: b"%d;%d.5" % (n + 7, n * 7 % 9), 1.0, None),
        (lambda n: b"LEVEL=%d;P=%d.5" % (n * 1000, n * 7 % 9), 1.0, None),
        (lambda n: b"%d bar;%d.5" % (n * 1000, n * 7 % 9), 1.0, None),
        (lambda n: b"%d;%d.5" % (n * 137, n * 7 % 9), 1.0, None),
        (lambda n: b"12:%02d:%02d %d.5" % (n * 7 // 60, n * 7 % 60, n * 7 % 9), 1.0, None),
        (lambda n: b"%02d/11/2026 01:%02d:%02d;%d.5" % (5, n // 60, n % 60, n * 7 % 9), 1.0, None),
    ],
)  # fmt: skip
def test_what_runs_with_the_time_is_the_device_s_own(
    make: Callable[[int], bytes], seconds: float, clock: Clock | None
) -> None:
    """Its own clock was passed over: now it is kept beside the arrival, where that proves it."""
    messages = [make(n) for n in range(40)]
    outcome = propose(messages, times=every(40, seconds))
    assert outcome.proposals, outcome
    assert [one.clock for one in outcome.proposals[0].channels if one.clock] == ([clock] if clock else [])
    readings = [one for one in outcome.proposals[0].channels if one.clock is None]
    assert readings[-1].decimals == 1


@pytest.mark.parametrize(
    ("answer", "clock", "fields"),
    [("time", Clock(1.0), ["t", "p"]), ("count", None, ["p"]), ("reading", None, ["t", "p"])],
)
def test_a_reading_that_may_rise_with_the_time_is_asked_about(
    answer: str, clock: Clock | None, fields: list[str]
) -> None:
    messages = [b"T=%d.%d;P=%d.5" % (20 + n // 2, n % 2 * 5, n * 37 % 50) for n in range(40)]
    outcome = propose(messages, times=every(40, 0.5))
    [question] = outcome.questions
    assert question.words == "“20.0” rises by 1 a second. What is it?"
    told = propose(messages, times=every(40, 0.5), answers={question.key: answer}).proposals[0]
    assert [one.field for one in told.channels] == fields
    assert told.channels[0].clock == clock


def test_a_last_letter_that_never_changes_is_no_check() -> None:
    """All that changes was left out of the “XOR”, which was the “r” of bar."""
    messages = [b"%d.000000000D+00bar" % n for n in (5, 9, 6, 8, 2, 1, 3, 4, 7) * 3]
    [proposal] = propose(messages).proposals
    assert (proposal.check, proposal.channels[0].unit) == ("none", "bar")


def test_a_counter_of_a_seldom_kind_may_miss_some() -> None:
    numbers = [10, 19, 22, 25, 37, 40, 43, 46]
    messages = [
        b"%05d Q= %d.5" % (n, n * 7 % 9) if n in numbers else b"%05d P= %d.25" % (n, n * 7 % 9)
        for n in range(9, 47)
    ]
    [proposal] = propose(messages).proposals
    assert [one.field for one in proposal.channels] == ["p", "q"]


W = [round(20 + n * 7 % 11 + n / 10, 1) for n in range(30)]
TWO = [b"mV" if n % 3 else b"V" for n in range(30)]


@pytest.mark.parametrize(
    ("messages", "asked"),
    [
        ([b"%s,%.1f" % (b"TEMP" if n % 3 else b"PRES", W[n]) for n in range(30)], "“PRES” and “TEMP” say"),
        ([b"%d;%s;%.1f" % (n + 100, b"T" if n % 3 else b"P", W[n]) for n in range(30)], "“P” and “T” say"),
        ([b"CH%d,%.1f" % (n % 3 + 1, W[n]) for n in range(30)], "“CH1” and “CH2” and “CH3” in front"),
        ([b"#%02d %.1f" % (n % 3 + 1, W[n]) for n in range(30)], "“01” and “02” and “03” in front"),
        ([b"%05d %d|%.1f" % (n + 7, n % 2 + 2, W[n]) for n in range(30)], "“2” and “3” in front of the other numbers"),
        ([b"R;%d;%.1f" % (n % 4, W[n]) for n in range(30)], "in front of the other numbers"),
        ([b"%.1f,%s" % (W[n], TWO[n]) for n in range(30)], "unit changes"),
        ([b"%s,%.1f" % (TWO[n], W[n]) for n in range(30)], "unit changes"),
        ([b"%d.5 %s %.1f" % (n, TWO[n], W[n]) for n in range(30)], "Which number do “V” and “mV” belong to"),
        ([b"ERR,%d.5,%d" % (n, n) if n % 9 == 4 else b"%.1f,%d.5,%d" % (W[n], n, n * 7 % 5) for n in range(30)], "What is “ERR"),
        ([b"%s%03d" % (b"ABCDE"[n % 5 : n % 5 + 1], n * 37 % 500) for n in range(30)], "What is “E"),
    ],
)  # fmt: skip
def test_what_only_a_person_knows_is_asked(messages: list[bytes], asked: str) -> None:
    """Two quantities in one channel, sensors by number, millivolts among volts: all were proposed without a word."""
    outcome = propose(messages)
    assert outcome.proposals == []
    assert any(asked in question.words for question in outcome.questions), outcome


@pytest.mark.parametrize(
    ("messages", "why"),
    [
        ([b"%.1fx10^%d" % (W[n], n % 3) for n in range(30)], "power of ten"),
        ([b"%.1f E+%02d" % (W[n], n % 3) for n in range(30)], "power of ten"),
        ([b"%d.5'%d\"" % (5 + n, n * 5 % 12) for n in range(30)], "feet and inches"),
        ([b"OLV" if n % 7 == 3 else b"%.1f%s" % (W[n], b"V" if n % 2 else b"A") for n in range(30)], "not always there"),
        ([b"2 -%d.5" % n if n % 2 else b"+%d 8.1" % (n * 7) for n in range(30)], "two things may stand here"),
        ([b"2;%d.5" % n if n % 2 else b"%d;OK" % (n * 7) for n in range(30)], "a state stands where"),
        ([b"2;%d.5;%d" % (n, n * 7) if n % 2 else b"%d;%d.1;kPa" % (n * 7, n) for n in range(30)], "a unit stands where"),
        ([b"%d;2, +%d.683" % (n, n) if n % 2 else b"%d;-30%d.481, -%d.5" % (n, n * 7 % 90 + 10, n) for n in range(30)], "two things may stand here"),
        ([b"BB|%d.5" % n if n % 2 else b"%02X|%d.1" % (n * 7 % 200 + 20, n) for n in range(30)], "a word stands where"),
    ],
)  # fmt: skip
def test_what_belongs_together_and_cannot_be_said_is_refused(messages: list[bytes], why: str) -> None:
    outcome = propose(messages)
    assert outcome.proposals == []
    assert why in outcome.needs, outcome


def test_an_uncertainty_behind_a_number_is_not_below_zero() -> None:
    best = propose([b"%.1f +/- 0.%d" % (W[n], n % 9 + 1) for n in range(30)]).proposals[0]
    assert best.listen.patterns == ["<v1> +/-<v2>"]


def test_a_number_that_only_counts_is_passed_over_when_a_person_says_so() -> None:
    messages = [b"%d %.1f" % (n % 4 + 1, W[n]) for n in range(30)]
    [question] = propose(messages).questions
    best = propose(messages, answers={question.key: "counts"}).proposals[0]
    assert [c.field for c in best.channels] == ["v2"]
    best = propose(messages, answers={question.key: "sensors"}).proposals[0]
    assert best.listen.patterns == ["1 <v1>", "2 <v2>", "3 <v3>", "4 <v4>"]


def test_a_unit_in_front_scales_the_number_behind_it() -> None:
    messages = [b"%s %.1f" % (TWO[n], W[n]) for n in range(30)]
    [question] = propose(messages).questions
    best = propose(messages, answers={question.key: "V"}).proposals[0]
    assert best.listen.patterns == ["<value_unit:unit(V=1|mV=0.001) of(v1)> <v1 [V]>"]


# ---- bytes that are no text


def frames_of_one_length(count: int = 40) -> list[bytes]:
    bodies = [bytes([0xAA, n * 7 % 256, n * 113 % 256, 0x00, n % 3]) for n in range(count)]
    return [body + bytes([sum(body) & 0xFF]) for body in bodies]


def frames_with_a_count(count: int = 40) -> list[bytes]:
    return [bytes([0x7E, 2 * (n % 4) + 2, *([n * 37 % 256] * (2 * (n % 4) + 2)), 0x55]) for n in range(count)]


@pytest.mark.parametrize(
    ("frames", "described", "reason"),
    [
        (frames_of_one_length(), "are 6 characters long", "40 frames of 6 bytes begin with AA"),
        (frames_with_a_count(), "say themselves how long they are", "byte 2 says how long each one is"),
    ],
)
@pytest.mark.parametrize("cut", [0, 2])
def test_frames_of_bytes_are_cut_where_that_is_proved(
    frames: list[bytes], described: str, reason: str, cut: int
) -> None:
    """A line end among bytes was taken for the end of messages."""
    best = propose_framing(b"".join(frames)[cut:])[0]
    assert best.framing.described == described
    assert reason.split(" begin")[0][3:] in best.reason
    wanted = frames[1:] if cut else frames
    assert best.bodies[-len(wanted) + 1 :] == wanted[-len(best.bodies[-len(wanted) + 1 :]) :]
    # Nothing said where the first bytes stand in their frame; from the second one on all are whole.
    assert set(best.bodies[1:]) <= set(frames)


def test_no_length_is_proposed_for_text_or_noise() -> None:
    noise = bytes(random.Random(3).randrange(256) for _ in range(3000))
    numbers = b"".join(b"+%06.2f" % (n * 7 % 100) for n in range(100))
    tabs = b"".join(b"AA\tX1= %+06.2f\tST\r\n" % (n * 7 % 9) for n in range(40))
    for data in (noise, numbers, tabs, b"\x00" * 2000, b"\xaa\x55" * 800):
        kinds = {one.framing.kind for one in propose_framing(data)}
        assert not kinds & {"fixed length", "counted"}, data[:40]


def test_many_numbers_without_a_unit_say_how_large_they_are() -> None:
    """All were drawn in one lane from 0 to 400 000, and all curves were flat."""
    data = b"".join(
        b"%d.5;%d;%d;-%d.5;%d\r\n" % (n % 7, 400_000 - n, n * 5 % 11, n % 3, n * 7 % 13) for n in range(20)
    )
    setup = load(draft([Exchanged(b"", [(0, data)])], {"port": "none"}, "Board").text)
    assert [channel.usual for channel in setup.channel] == [
        [0.5, 6.5], [399_981, 400_000], [0, 10], [-2.5, -0.5], [0, 12],
    ]  # fmt: skip
    few = b"".join(b"%d.5;%d\r\n" % (n % 7, 400_000 - n * 7 % 5) for n in range(20))
    assert [
        c.usual for c in load(draft([Exchanged(b"", [(0, few)])], {"port": "none"}, "Board").text).channel
    ] == [None, None]


@pytest.mark.parametrize("count", [12, 30, 60, 300])
def test_marks_are_found_however_long_one_has_listened(count: int) -> None:
    """Debug text between marked messages has line ends: cut by those, each piece is some messages and none, and in the long
    run the pieces look alike."""
    between = (b"adc ok\r\n", b"tmp 41\r\n", b"", b"wdt kick ", b"")
    bodies = [f"V={1.4 + n * 7 % 5 / 100:05.2f};S=04;".encode() for n in range(count)]
    data = b"".join(between[n % 5] + b"BM{" + b + b"%02X}" % reduce(xor, b) for n, b in enumerate(bodies, 1))
    [first, *_] = propose_framing(data)
    assert (first.framing.kind, first.framing.start, first.framing.end) == ("between marks", "BM{", "}")
    assert first.score > score(FramingPart(), data) + BETTER_BY


def test_groups_in_brackets_are_no_messages() -> None:
    for lines in (b"(1.2)(3.4)(5.6)\r\n", b'{"a": [1, 2], "b": [3]}\r\n'):
        assert propose_framing(lines * 30)[0].framing.terminator == "\r\n"


@pytest.mark.parametrize(
    ("message", "pattern", "states", "later"),
    [
        (
            b"pump=ON flow=%.1f",
            "pump=<pump:word> flow=<flow>",
            [("pump", ("ON", "OFF"))],
            b"pump=OFF flow=0.0",
        ),
        (b"pump:on;T:%.1f", "pump:<pump:text>;T:<t>", [("pump", ("on", "off"))], b"pump:off;T:1.5"),
        (b"valve=OPEN,P=%.1f", "valve=<valve:text>,P=<p>", [], b"valve=SHUT,P=0.2"),
        # What says whether a number is good, or what it is in, must not change unseen.
        (b"ST=OK T=%.1f", "ST=OK T=<t>", [], None),
        (b"UNIT=C T=%.1f", "UNIT=C T=<t>", [], None),
        (b"ON T=%.1f", "ON T=<t>", [], None),
    ],
)
def test_a_word_that_can_be_switched_is_not_taken_for_fixed(
    message: bytes, pattern: str, states: list[tuple[str, tuple[str, ...]]], later: bytes | None
) -> None:
    got = propose([message % (12 + n / 7) for n in range(12)])
    best = got.proposals[0]
    assert best.listen.patterns == [pattern]
    assert [(one.field, one.states) for one in best.channels if one.states] == states
    if later is not None:
        read = compile_pattern(pattern).read(later)
        assert not isinstance(read, Stop), "it is read when it has been switched"
