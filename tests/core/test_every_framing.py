"""Every framing: cut alike in pieces of any size, found again after noise, state on a tape, checks by their standards."""

from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.compile.load import load
from tidybench.core.framing import Framer, make_check, make_framer
from tidybench.core.framing.check import CHECKERS, CheckRule, lrc_of
from tidybench.core.framing.counted import Count, CountedFramer
from tidybench.core.framing.fixed import FixedFramer
from tidybench.core.framing.silence import SilenceFramer
from tidybench.core.protocols.crc import CRCS
from tidybench.core.setup import SetupError
from tidybench.core.setup.framing import CheckPart, FramingPart

BYTE = 1000  # microseconds


def talk(
    framer: Framer, pieces: list[tuple[int, bytes]], whole: bool = True
) -> tuple[list[bytes], list[int], int]:
    """Feed bytes with the time of each piece's last; deadlines pass when they are due."""
    framer.opened(0, whole)
    bodies: list[bytes] = []
    times: list[int] = []
    stray = 0
    for at, data in [*pieces, (pieces[-1][0] + 10_000_000, b"")]:
        first = at - len(data) * BYTE
        while (due := framer.deadline()) is not None and due <= first:
            cut = framer.passed(due)
            bodies, times, stray = bodies + cut.bodies, times + cut.times, stray + cut.stray
        if data:
            cut = framer.feed(data, at)
            bodies, times, stray = bodies + cut.bodies, times + cut.times, stray + cut.stray
    return bodies, times, stray + framer.pending


def single(data: bytes, gaps: dict[int, int] | None = None) -> list[tuple[int, bytes]]:
    """Byte by byte at the wire's pace, with silences before some of them."""
    at, out = 1_000_000, []
    for index, byte in enumerate(data):
        at += BYTE + (gaps or {}).get(index, 0)
        out.append((at, bytes([byte])))
    return out


def joined(bytes_: list[tuple[int, bytes]], sizes: list[int]) -> list[tuple[int, bytes]]:
    """The same bytes in pieces, as a read gives them: never across a pause."""
    out: list[tuple[int, bytes]] = []
    left = 0
    for at, byte in bytes_:
        if out and left > 0 and at - out[-1][0] == BYTE:
            out[-1] = at, out[-1][1] + byte
            left -= 1
        else:
            out.append((at, byte))
            left = sizes[len(out) % len(sizes)] - 1
    return out


MAKERS: dict[str, Callable[[], Framer]] = {
    "fixed with a start": lambda: FixedFramer(4, b"#", 20_000, BYTE),
    "fixed by silence": lambda: FixedFramer(3, b"", 20_000, BYTE),
    "silence": lambda: SilenceFramer(20_000, BYTE, longest=20),
    "counted": lambda: CountedFramer(Count(1, 1, plus=2), b"#", BYTE, longest=60),
    "counted in digits": lambda: CountedFramer(Count(1, 2, "decimal", 3), b"#", BYTE),
    "block": lambda: make_framer(FramingPart(kind="ieee 488.2", terminator="\n"), BYTE),
    "prompt": lambda: make_framer(FramingPart(terminator="\r\n", prompt="> "), BYTE),
    "modbus ascii": lambda: make_framer(FramingPart(kind="modbus ascii"), BYTE),
    "modbus tcp": lambda: make_framer(FramingPart(kind="modbus tcp"), BYTE),
}
PARTS = st.lists(
    st.sampled_from([b"#", b"#\x02ab", b"#05abcde", b"#14wxyz\n", b"12.5\n", b"\r\n", b"> ", b":0103\r\n", b"\0\1\0\0\0\3abc", b"xy", b"\xff"]),
    min_size=1, max_size=12,
)  # fmt: skip


@pytest.mark.parametrize("kind", MAKERS)
@given(
    parts=PARTS,
    sizes=st.lists(st.integers(1, 9), min_size=1, max_size=5),
    pauses=st.lists(st.integers(0, 60), max_size=3),
)
def test_pieces_of_any_size_give_the_same_messages(
    kind: str, parts: list[bytes], sizes: list[int], pauses: list[int]
) -> None:
    stream = single(b"".join(parts), dict.fromkeys(pauses, 50000))
    bodies, times, stray = talk(MAKERS[kind](), stream)
    assert talk(MAKERS[kind](), joined(stream, sizes)) == (bodies, times, stray)
    assert times == sorted(times)


@pytest.mark.parametrize("kind", MAKERS)
@given(data=st.binary(max_size=60), cut=st.integers(0, 60))
def test_a_tape_that_begins_anywhere_goes_on_alike(kind: str, data: bytes, cut: int) -> None:
    one, other = MAKERS[kind](), MAKERS[kind]()
    one.opened(0, whole=False)
    one.feed(data[:cut], 30_000)
    other.restore(one.state())
    a, b = one.feed(data[cut:], 60_000), other.feed(data[cut:], 60_000)
    assert (a.bodies, a.times, a.stray) == (b.bodies, b.times, b.stray)
    assert one.pending == other.pending
    assert one.deadline() == other.deadline()


@pytest.mark.parametrize("kind", MAKERS)
@given(noise=st.binary(max_size=200))
def test_noise_breaks_nothing_and_memory_stays_bounded(kind: str, noise: bytes) -> None:
    framer = MAKERS[kind]()
    framer.opened(0, whole=False)
    for n in range(4):
        framer.feed(noise, 1000 * n)
    assert framer.pending <= 1_048_576


def test_a_fixed_length_is_found_again_by_its_start_and_by_silence() -> None:
    assert talk(MAKERS["fixed with a start"](), single(b"xx#12a#12b?#12c#1"))[0] == [
        b"#12a",
        b"#12b",
        b"#12c",
    ]
    # The second message lost a byte: the silence after it sets things right.
    stream = single(b"abcdeabc", {3: 50_000, 5: 50_000})
    assert talk(MAKERS["fixed by silence"](), stream)[0] == [b"abc", b"abc"]
    # Opened in the middle of talk: nothing counts before a silence.
    late = [(at - 1_000_000, byte) for at, byte in single(b"bcabc", {2: 50_000})]
    assert talk(MAKERS["fixed by silence"](), late, whole=False)[0] == [b"abc"]


def test_silence_ends_a_message_and_its_time_is_its_last_bytes() -> None:
    bodies, times, stray = talk(MAKERS["silence"](), single(b"12.5ab", {4: 30_000}))
    assert (bodies, stray) == ([b"12.5", b"ab"], 0)
    assert times == [1_000_000 + 4 * BYTE, 1_000_000 + 6 * BYTE + 30_000]
    framer = SilenceFramer(20_000, BYTE, longest=4)
    assert framer.feed(b"abcdef", 10_000).overlong == 1
    assert framer.passed(10_000).bodies == []


def test_a_count_that_is_none_costs_one_byte() -> None:
    assert talk(MAKERS["counted"](), single(b"#\xff#\x02ab#\x01c"))[0] == [b"#\x02ab", b"#\x01c"]
    assert talk(MAKERS["counted in digits"](), single(b"#0x#03abc"))[0] == [b"#03abc"]


def test_ieee_488_2_blocks_may_hold_the_terminator() -> None:
    # IEEE 488.2, 8.7.9: #, one digit, the length, the bytes.
    stream = b"+1.5E0\n#15ab\ncd\nCURV #210\n\n\n\n\n\n\n\n\n\n;1\n#0ab\n#H1F,2\n# 5\n"
    assert talk(MAKERS["block"](), single(stream))[0] == [
        b"+1.5E0", b"#15ab\ncd", b"CURV #210" + b"\n" * 10 + b";1", b"#0ab", b"#H1F,2", b"# 5",
    ]  # fmt: skip


def test_a_prompt_is_taken_off_and_counted() -> None:
    framer = make_framer(FramingPart(terminator="\r\n", prompt="> "), 0)
    framer.opened(0, whole=True)
    cut = framer.feed(b"> FL=1\r\nOK\r\n> ", 1000)
    assert (cut.bodies, cut.prompts, framer.pending) == ([b"FL=1", b"OK"], 1, 0)
    assert framer.may_end(b" ")


@pytest.mark.parametrize(
    ("kind", "check"),
    [
        ("crc-8", 0xF4), ("crc-16 modbus", 0x4B37), ("crc-16 arc", 0xBB3D), ("crc-16 ccitt", 0x29B1),
        ("crc-16 xmodem", 0x31C3), ("crc-16 x25", 0x906E), ("crc-32", 0xCBF43926),
    ],
)  # fmt: skip
def test_crcs_give_the_check_value_their_standards_give(kind: str, check: int) -> None:
    assert CRCS[kind].of(b"123456789") == check


@given(
    body=st.binary(min_size=2, max_size=30),
    kind=st.sampled_from(["xor", "sum", "lrc", *CRCS]),
    written=st.sampled_from(["hex", "high first", "low first", "decimal"]),
    skip=st.integers(0, 2),
    before=st.sampled_from([b"", b"*"]),
    covers=st.booleans(),
    negated=st.booleans(),
    bit=st.integers(0, 7),
)
def test_what_is_sealed_is_good_and_one_flipped_bit_is_bad(
    body: bytes, kind: str, written: str, skip: int, before: bytes, covers: bool, negated: bool, bit: int
) -> None:
    rule = CheckRule(kind, written, skip, before, covers, negated)  # type: ignore[arg-type]
    sealed = rule.append_check(body)
    assert rule(sealed) == body
    spoiled = bytearray(sealed)
    spoiled[skip if skip < len(body) else -1] ^= 1 << bit
    if len(body) > skip:
        assert rule(bytes(spoiled)) is None
    assert rule(sealed[: rule.size - 1]) is None


def test_modbus_ascii_and_tcp_frames() -> None:
    # MODBUS over Serial Line 1.02, 2.5.2.2: colon, hexadecimal digits, LRC, CR LF.
    frame = bytes([0x0B, 0x03, 0x04, 0x12, 0x34, 0x56, 0x78])
    line = frame.hex().upper().encode() + f"{lrc_of(frame):02X}".encode()
    assert CHECKERS["modbus lrc"](line) == frame
    assert CHECKERS["modbus lrc"](line[:-1] + b"0") is None
    assert CHECKERS["modbus lrc"](b"0B:3") is None
    assert talk(MAKERS["modbus ascii"](), single(b"x:" + line + b"\r\n"))[0] == [line]
    packet = bytes([0, 7, 0, 0, 0, 5, 11, 3, 2, 0, 1])
    assert talk(MAKERS["modbus tcp"](), single(packet * 2))[0] == [packet] * 2
    assert CHECKERS["modbus tcp"](packet) == packet[6:]
    assert CHECKERS["modbus tcp"](b"\0\7\1\0\0\2\1\3") is None


def test_a_set_up_names_its_framing_and_check() -> None:
    check = make_check(FramingPart(check=CheckPart(kind="sum", before="/")))
    assert check is not None
    assert check(b"AB/83") == b"AB"
    assert make_check(FramingPart()) is None
    assert FramingPart(kind="modbus tcp").checked_by == "modbus tcp"


@pytest.mark.parametrize(
    ("framing", "words"),
    [
        ('kind = "fixed length"', "need it: length"),
        ('kind = "counted"', "where the count stands"),
        ('kind = "between marks"', "need both"),
        ('check = { kind = "crc-17" }', "crc-17"),
        ('kind = "silence"\nsilence_ms = 0', "silence_ms"),
        ('prompt = "→"', "made of bytes"),
    ],
)
def test_a_framing_that_lacks_something_says_what(framing: str, words: str) -> None:
    text = f'[instrument]\nid = "a"\nname = "A"\n[link]\nport = "/dev/x"\n[framing]\n{framing}\n'
    with pytest.raises(SetupError, match=words):
        load(text)
