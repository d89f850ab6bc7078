"""Registers and coils written: the frames of the standard, refusals, read-back."""

import struct

import pytest

from tidybench.core.acting.register_write import write_pdu, write_register
from tidybench.core.protocols.modbus import frame
from tidybench.core.setup import RegisterPart


def register(**keys: object) -> RegisterPart:
    return RegisterPart.model_validate({"name": "r", "at": 1, "writable": True, **keys})


@pytest.mark.parametrize(
    ("one", "value", "pdu"),
    [
        # The examples of MODBUS Application Protocol 1.1b3, 6.5, 6.6 and 6.12.
        (register(at=0xAC, table="coil"), 1, "05 00 ac ff 00"),
        (register(), 3, "06 00 01 00 03"),
        (register(holds="uint32"), 0x000A0102, "10 00 01 00 02 04 00 0a 01 02"),
        (register(holds="float32", order="low first"), 1.5, "10 00 01 00 02 04 00 00 3f c0"),
        (register(holds="float32", order="high first, swapped"), 1.5, "10 00 01 00 02 04 c0 3f 00 00"),
        (register(holds="float32", order="low first, swapped"), 1.5, "10 00 01 00 02 04 00 00 c0 3f"),
        (register(holds="int16"), -1, "06 00 01 ff ff"),
    ],
)
def test_the_standards_frames(one: RegisterPart, value: float, pdu: str) -> None:
    assert write_pdu(one, value).hex(" ") == pdu


@pytest.mark.parametrize(
    ("one", "value", "words"),
    [
        (register(writable=False), 1, "not marked as one that may be written"),
        (register(table="coil"), 2, "a coil: 0 or 1"),
        (register(holds="bit", bit=2), 1, "single bit"),
        (register(), 70_000, "does not fit"),
        (register(), 1.5, "whole numbers"),
    ],
)
def test_what_cannot_be_written_is_said(one: RegisterPart, value: float, words: str) -> None:
    with pytest.raises(ValueError, match=words):
        write_pdu(one, value)


class Device:
    """Answers as a device with one register would."""

    def __init__(self, keeps: float | None = None, refuses: bool = False, silent_after: int = 9) -> None:
        self.value, self.keeps, self.refuses, self.left = 0, keeps, refuses, silent_after

    def __call__(self, data: bytes) -> bytes | None:
        self.left -= 1
        if self.left < 0:
            return None
        unit, function = data[0], data[1]
        if function in (5, 6):
            if self.refuses:
                return bytes([unit, function | 0x80, 4])
            self.value = int(self.keeps) if self.keeps is not None else int.from_bytes(data[4:6], "big")
            return data[:-2]
        return bytes([unit, function, 2]) + struct.pack(">H", self.value)


@pytest.mark.parametrize(
    ("device", "good", "back", "words"),
    [
        (Device(), True, 7.0, "r is 7 now, read back."),
        (Device(keeps=5), False, 5.0, "written as 7, but reads back as 5"),
        (Device(refuses=True), False, None, "refuses to write r: exception 4, device failure"),
        (Device(silent_after=0), False, None, "it is not known whether it was done"),
        (Device(silent_after=1), True, None, "could not be read back"),
    ],
)
def test_a_write_is_read_back(device: Device, good: bool, back: float | None, words: str) -> None:
    done = write_register("modbus rtu", 11, register(), 7, device)
    assert (done.good, done.read_back) == (good, back)
    assert words in done.sentence


def test_an_answer_to_something_else_is_none() -> None:
    done = write_register("modbus rtu", 11, register(), 7, lambda _: bytes([11, 6, 0, 9, 0, 7]))
    assert "is no answer to it (0b 06 00 09 00 07)" in done.sentence
    assert frame("modbus rtu", 11, b"\x06\x00\x01\x00\x07")[:1] == b"\x0b"
