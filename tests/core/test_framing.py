"""Cutting bytes into messages."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.framing import Cut, TerminatorFramer

BYTE = 1_000.0  # microseconds a byte: about 9600 baud


def asked(terminator: bytes | None = b"\r\n", **options: int) -> TerminatorFramer:
    framer = TerminatorFramer(terminator, BYTE, **options)
    framer.opened(0, whole=True)
    return framer


def cut(
    framer: TerminatorFramer, data: bytes, sizes: list[int], start: int = 1_000_000
) -> tuple[list[bytes], list[int], int]:
    """Feed `data` in pieces; every byte arrives one byte time after the one before."""
    bodies: list[bytes] = []
    times: list[int] = []
    overlong = position = 0
    for size in [*sizes, len(data)]:
        piece = data[position : position + size]
        if not piece:
            break
        position += len(piece)
        got = framer.feed(piece, start + round(position * BYTE))
        bodies += got.bodies
        times += got.times
        overlong += got.overlong
    return bodies, times, overlong


def test_a_message_is_what_stands_before_the_terminator() -> None:
    framer = asked()
    assert framer.feed(b"AB\r", 1).bodies == []
    assert framer.feed(b"\nC\r\n\r\nD", 2).bodies == [b"AB", b"C"]
    assert framer.pending == 1


@pytest.mark.parametrize("end", [b"\r", b"\n", b"\r\n", b"\n\r"])
def test_either_takes_every_line_end(end: bytes) -> None:
    framer = asked(None)
    assert framer.feed(b"A" + end + b"B" + end, 5).bodies == [b"A", b"B"]


def test_times_are_dated_back_by_the_wire() -> None:
    framer = asked(b"\n")
    got = framer.feed(b"ABC\nDE\nF", 100_000)
    assert got.times == [96_000, 99_000]


def test_no_time_lies_before_the_previous_read() -> None:
    framer = asked(b"\n")
    framer.feed(b"X", 99_500)
    assert framer.feed(b"ABC\nDE\nF", 100_000).times == [99_500, 99_500]


def test_nothing_is_dated_back_where_bytes_have_no_time() -> None:
    framer = TerminatorFramer(b"\n", 0.0)
    framer.opened(0, whole=True)
    assert framer.feed(b"A\nB\nC", 77).times == [77, 77]


def test_the_first_piece_in_the_middle_of_talk_is_dropped() -> None:
    framer = TerminatorFramer(b"\n", BYTE)
    framer.opened(0, whole=False)
    first = framer.feed(b"8.20\n148.21\n", 30_000)
    assert first.bodies == [b"148.21"]
    assert first.stray == 4


def test_after_silence_the_first_piece_is_whole() -> None:
    framer = TerminatorFramer(b"\n", BYTE)
    framer.opened(0, whole=False)
    assert framer.feed(b"148.21\n", 900_000).bodies == [b"148.21"]


def test_a_query_forgets_what_was_half_received() -> None:
    framer = asked()
    framer.feed(b"late and ha", 1)
    framer.asked(b"Q\r", 2)
    assert framer.feed(b"fresh\r\n", 3).bodies == [b"fresh"]


def test_a_message_without_end_keeps_no_memory() -> None:
    framer = asked(longest=100)
    total = Cut()
    for _ in range(1000):
        got = framer.feed(b"x" * 10_000, 1)
        total.overlong += got.overlong
        assert framer.pending <= 101
    assert total.overlong == 1
    assert framer.feed(b"x\r\nnext\r\n", 2).bodies == [b"next"]


def test_state_goes_on_where_it_was() -> None:
    one, other = asked(), asked()
    one.feed(b"half a mess", 5)
    other.restore(one.state())
    assert other.feed(b"age\r\n", 9).bodies == [b"half a message"]


@given(
    data=st.lists(st.sampled_from([b"\r", b"\n", b"\r\n", b"A", b"12.5", b"xxxxxxxxxxxx"]), max_size=30).map(
        b"".join
    ),
    sizes=st.lists(st.integers(1, 7), max_size=80),
    terminator=st.sampled_from([b"\r\n", b"\n", b"\r", None]),
)
def test_pieces_of_any_size_give_the_same_messages(
    data: bytes, sizes: list[int], terminator: bytes | None
) -> None:
    whole = cut(asked(terminator, longest=8), data, [])
    split = cut(asked(terminator, longest=8), data, sizes)
    assert split[0] == whole[0]
    assert split[2] == whole[2]
    assert all(abs(a - b) <= 1 for a, b in zip(split[1], whole[1], strict=True))


@given(st.binary(max_size=300), st.lists(st.integers(1, 50), max_size=10))
def test_noise_never_breaks_it_and_the_next_message_is_read(noise: bytes, sizes: list[int]) -> None:
    framer = asked()
    cut(framer, noise, sizes)
    assert cut(framer, b"\r\nGOOD\r\n", [], 2_000_000)[0][-1] == b"GOOD"


@pytest.mark.parametrize(
    ("before", "bodies"),
    [
        (b"12.5\n14", [b"9.1"]),
        (b"12.5\n", [b"8.27", b"9.1"]),
        (b"", [b"8.27", b"9.1"]),
        (None, [b"8.27", b"9.1"]),
    ],
)
def test_a_file_taken_up_in_the_middle_of_a_line_gives_no_half_number(
    before: bytes | None, bodies: list[bytes]
) -> None:
    """Fault 7: however long the pause before the rest of the line."""
    framer = TerminatorFramer(b"\n")
    framer.opened(0, whole=False)
    if before is not None:
        framer.follows(before)
    assert framer.feed(b"8.27\n9.1\n", 10_000_000).bodies == bodies
