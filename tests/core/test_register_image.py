"""Registers that others read, held against the clauses and against bytes written by hand."""

import math
import struct

from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.forwarding.register_image import RegisterState, answer, register_image

NOW = 1_795_000_000_250_000


def test_the_image_by_hand() -> None:
    image = register_image(
        NOW, [(1.5, 200_000, 1_500_000), (-2.25, 9_000_000, 1_500_000), (None, NOW, 1_500_000)]
    )
    assert image.hex(" ", 2) == (
        "6afd 86c0 00fa 0003 "  # 1 795 000 000 s, 250 ms, three channels
        "3fc0 0000 0000 0002 "  # 1.5, measured 0.2 s ago
        "c010 0000 0001 005a "  # -2.25, the last one, 9 s old
        "7fc0 0000 0002 ffff"  # none
    )


def test_what_32_bits_cannot_hold_is_missing() -> None:
    image = register_image(NOW, [(1e300, 0, 1)])
    assert math.isnan(struct.unpack(">f", image[8:12])[0])
    assert image[13] == RegisterState.MISSING


def test_requests_by_the_clauses() -> None:
    image = register_image(NOW, [(1.5, 0, 1)])
    assert answer(image, bytes.fromhex("03 0004 0002")) == bytes.fromhex("03 04 3fc00000")
    assert answer(image, bytes.fromhex("04 0004 0002")) == bytes.fromhex("04 04 3fc00000")
    assert answer(image, bytes.fromhex("03 0007 0002")) == bytes.fromhex("83 02"), "one register too far"
    assert answer(image, bytes.fromhex("03 0000 0000")) == bytes.fromhex("83 03")
    assert answer(image, bytes.fromhex("03 0000 007e")) == bytes.fromhex("83 03"), "126 of them"
    assert answer(image, bytes.fromhex("03 00")) == bytes.fromhex("83 03")
    assert answer(image, bytes.fromhex("06 0004 0002")) == bytes.fromhex("86 01"), "nothing is written"
    assert answer(b"", bytes.fromhex("03 0000 0001")) == bytes.fromhex("83 06")


@given(st.binary(max_size=260), st.integers(0, 5))
def test_whatever_is_asked_is_answered(pdu: bytes, channels: int) -> None:
    said = answer(register_image(NOW, [(1.0, 0, 1)] * channels), pdu)
    assert 2 <= len(said) <= 253
    assert said[0] & 0x7F == (pdu[0] & 0x7F if pdu else 0)
