"""Teaching: what is proposed, what pointing makes of a pattern, what one press mends."""

import contextlib
import random
import re
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.compile.load import load
from tidybench.core.framing.check import CheckRule
from tidybench.core.reading.pattern import PatternError, compile_pattern
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.framing import CheckPart
from tidybench.core.teaching.alignment import align
from tidybench.core.teaching.checks import find_check
from tidybench.core.teaching.drafting import draft
from tidybench.core.teaching.framings import propose_framing
from tidybench.core.teaching.patterns import infer_patterns
from tidybench.core.teaching.pointing import Meaning, point
from tidybench.core.teaching.proposals import propose
from tidybench.core.teaching.remedies import remedies, token_remedies
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


def test_a_label_a_unit_and_dashes_are_found() -> None:
    best = propose([*flows(), b"FL=-------- L/min --"])[0]
    assert best.reads == best.of == 31
    assert "labels stand before numbers: fl" in best.reasons
    assert any("stands where fl has no reading" in reason for reason in best.reasons)
    assert [(c.field, c.unit, c.decimals) for c in best.channels] == [("fl", "L/min", 2)]


@pytest.mark.parametrize(
    ("messages", "title", "fields"),
    [
        ([b"SPEED,TORQUE", b"1450.2,14.1", b"1449.8,14.2", b"1450.0,14.0"], "columns", ["SPEED", "TORQUE"]),
        ([b"1,2.5,3,4", b"2,2.6,3,5", b"3,2.4,4,9"], "columns", ["c1", "c2", "c3", "c4"]),
        ([b"T=1;P=2,5", b"P=2,6;T=2", b"T=3;P=2,4"], "labels and values", ["T", "P"]),
        ([b"$SDDBT,7.8,f,2.4,M,1.3,F*0D", b"$SDDBT,7.9,f,2.4,M,1.3,F*0C"], "NMEA 0183", ["depth_ft", "depth", "depth_fathoms"]),
        ([b"+2.26564E+03", b"-2.2E-02", b"+9.90000E+37"], "SCPI numbers", ["v1"]),
        ([b'{"t": 1.5, "ok": "x"}', b'{"t": 1.6, "ok": "x"}'], "JSON", ["t"]),
        ([b"TEMP 21.5 C", b"TEMP 21.6 C", b"TEMP -3.0 C"], "message pattern", ["temp"]),
        ([b"000312", b"000315", b"001310", b"------"], "message pattern", ["v1"]),
        ([b"P=3,25 bar", b"P=4,26 bar", b"P=3,99 bar"], "message pattern", ["p"]),
    ],
)  # fmt: skip
def test_each_kind_of_talk_gets_its_reader(messages: list[bytes], title: str, fields: list[str]) -> None:
    best = propose(messages * 3)[0]
    assert (best.title, [c.field for c in best.channels]) == (title, fields)
    assert best.reads == best.of
    assert best.reasons


def test_digits_without_a_point_have_a_width_and_dashes_are_no_reading() -> None:
    assert infer_patterns([b"000312", b"000415", b"------"]).sources == ["<v1 6 none(------)>"]
    assert infer_patterns([b"CH 1: 5.0 V", b"CH 1: 6.1 V"] * 3).sources == ["CH 1: <v1 [V]> V"]
    assert infer_patterns([b"\x00\xff"] * 3).sources == []


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
    for proposal in propose(messages):
        assert 0 < proposal.reads <= proposal.of
    propose_framing(b"\n".join(messages))


# ---- drafts


def test_a_draft_of_an_asked_instrument_has_its_queries() -> None:
    talk = [(b"", b"")]
    for message in flows(6):
        talk += [(b"FL?\r", message + b"\r\n"), (b"T?\r", f"T={RANDOM.uniform(20, 30):.1f} C\r\n".encode())]
    text, reasons = draft(talk, {"port": "/dev/x"}, "Meter")
    setup = load(text)
    assert [(q.send, q.patterns) for q in setup.query] == [
        ("FL?\r", ["FL=<fl [L/min]> L/min OK"]), ("T?\r", ["T=<t [C]> C"]),
    ]  # fmt: skip
    assert [(c.id, c.query) for c in setup.channel] == [("fl", "query-1"), ("t", "query-2")]
    assert re.search("framing: CR LF recurs", reasons[0])


def test_a_draft_of_noise_says_that_it_is_none() -> None:
    text, reasons = draft([(b"", b"abc")], {"port": "/dev/x"}, "Meter")
    assert text == ""
    assert "No messages could be made out" in reasons[0]
