"""Marked messages and Modbus frames: the same cut in pieces of any size, and found again after noise."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.framing import Framer, make_check, make_framer
from tidybench.core.framing.check import xor_of
from tidybench.core.framing.marks import MarksFramer
from tidybench.core.framing.modbus_rtu import ModbusFramer
from tidybench.core.protocols.modbus import read_registers, seal
from tidybench.core.setup.framing import CheckPart, FramingPart

pieces = st.lists(st.integers(1, 9), min_size=1, max_size=60)
PARTS = st.lists(
    st.sampled_from([b"BM{", b"}", b"V=1;", b"B", b"M", b"{", b"adc ok\r\n", b"\xff"]), max_size=40
)


def cut(framer: Framer, data: bytes, sizes: list[int]) -> tuple[list[bytes], int]:
    bodies, stray, at = [], 0, 0
    for size in [*sizes, len(data) + 1]:
        got = framer.feed(data[at : at + size], 1000 + at)
        bodies += got.bodies
        stray += got.stray
        at += size
    return bodies, stray + framer.pending


@given(PARTS, pieces)
def test_marked_messages_in_pieces_of_any_size(parts: list[bytes], sizes: list[int]) -> None:
    data = b"".join(parts)
    whole = cut(MarksFramer(b"BM{", b"}"), data, [])
    assert cut(MarksFramer(b"BM{", b"}"), data, sizes) == whole
    bodies, rest = whole
    assert sum(len(body) + 4 for body in bodies) + rest == len(data)
    assert all(b"}" not in body and b"BM{" not in body for body in bodies)


def test_a_start_mark_begins_anew_and_what_is_outside_is_stray() -> None:
    framer = MarksFramer(b"BM{", b"}", byte_time=100.0)
    got = framer.feed(b"wdt BM{V=1BM{V=2}xBM{V=", 50_000)
    assert got.bodies == [b"V=2"]
    assert got.stray == len(b"wdt BM{V=1x")
    assert got.times == [50_000 - 6 * 100]
    other = MarksFramer(b"BM{", b"}")
    other.restore(framer.state())
    assert other.feed(b"3}", 60_000).bodies == [b"V=3"]
    assert framer.may_end(b"}")
    assert not framer.may_end(b"V=")
    assert framer.deadline() is None
    assert framer.passed(1).bodies == []


@given(st.lists(st.integers(1, 9), max_size=30))
def test_a_check_behind_the_end_mark_belongs_to_its_message(sizes: list[int]) -> None:
    part = FramingPart(
        kind="between marks", start="\x02", end="\x03", behind=1,
        check=CheckPart(kind="xor", written="high first", covers_before=True),
    )  # fmt: skip
    check = make_check(part)
    assert check is not None
    bodies = [b"+012.5", b"-000.3", b"+001.0"]
    sent = b"".join(b"\x02" + one + b"\x03" + bytes([xor_of(one + b"\x03")]) for one in bodies)
    found, rest = cut(make_framer(part, 0), b"noise" + sent, sizes)
    assert [check(one) for one in found] == bodies
    assert rest == 5
    assert check(found[0][:-1] + b"\xff") is None
    covered = CheckPart(kind="sum", written="high first", covers_before=True, covers_start=True)
    again = make_check(part.model_copy(update={"check": covered}))
    assert again is not None
    assert again(b"5\x03" + bytes([0x02 + 0x35 + 0x03])) == b"5"
    bare = make_check(part.model_copy(update={"check": "none"}))
    assert bare is not None
    assert bare(found[0]) == bodies[0]


@pytest.mark.parametrize(
    "keys",
    [
        {"kind": "ends with", "behind": 1},
        {"kind": "between marks", "start": "a", "end": "b", "behind": 1, "check": {"kind": "crc-16 x25"}},
    ],
)
def test_what_stands_behind_must_fit(keys: dict[str, object]) -> None:
    with pytest.raises(ValueError, match="behind"):
        FramingPart.model_validate(keys)


def test_a_message_without_end_is_given_up() -> None:
    framer = MarksFramer(b"<", b">", longest=10)
    got = framer.feed(b"<" + b"x" * 30, 1)
    assert (got.overlong, framer.pending) == (1, 0)
    assert framer.feed(b"<" + b"x" * 11 + b"><ok>", 2).bodies == [b"ok"]
    framer.feed(b"<half", 3)
    framer.asked(b"Q", 4)
    assert framer.pending == 0


REQUEST = read_registers(11, 0, 2)
REPLY = seal(b"\x0b\x03\x04\x3e\x62\x00\x00")


@given(st.binary(max_size=12).filter(lambda noise: 11 not in noise), pieces)
def test_a_modbus_reply_is_found_after_noise_in_pieces_of_any_size(noise: bytes, sizes: list[int]) -> None:
    framer = ModbusFramer()
    framer.asked(REQUEST, 0)
    bodies, stray = cut(framer, noise + REPLY, sizes)
    assert bodies == [REPLY]
    assert stray == len(noise)


@given(pieces)
def test_an_echo_of_the_request_is_cut_as_itself(sizes: list[int]) -> None:
    framer = ModbusFramer()
    framer.asked(REQUEST, 0)
    assert cut(framer, REQUEST + REPLY, sizes)[0] == [REQUEST, REPLY]


def test_exceptions_writes_and_half_frames() -> None:
    framer = ModbusFramer(byte_time=10.0)
    framer.opened(0, whole=True)
    framer.asked(REQUEST, 0)
    exception = seal(b"\x0b\x83\x02")
    assert framer.feed(exception, 100).bodies == [exception]
    write = seal(b"\x0b\x05\x00\x00\xff\x00")
    framer.asked(write, 200)
    assert framer.feed(write, 300).bodies == [write]  # the answer to a write is the write itself
    framer.asked(REQUEST, 400)
    assert framer.feed(REPLY[:4], 500).bodies == []
    assert framer.pending == 4
    other = ModbusFramer()
    other.restore(framer.state())
    assert other.feed(REPLY[4:], 600).bodies == [REPLY]
    framer.asked(REQUEST, 700)
    assert framer.pending == 0
    assert framer.may_end(b"x")
