"""Registers and coils written: the frames of the standard, refusals, and what is read back."""

import struct

import pytest

from tidybench.core.acting.act import InstrumentAct
from tidybench.core.compile.command import compile_command
from tidybench.core.compile.load import load
from tidybench.core.exchange.command import Command
from tidybench.core.protocols.modbus import seal
from tidybench.core.reading.register_writing import write_pdu
from tidybench.core.setup import RegisterPart
from tidybench.core.tape.events import CommandEnded

SETUP = """
format = 1

[instrument]
id = "drive"
name = "Drive"

[link]
port = "COM3"

[framing]
kind = "modbus rtu"

[modbus]
unit = 11
registers = [{ name = "speed", at = 1, writable = true }, { name = "run", at = 5, table = "coil", writable = true }]

[[command]]
id = "speed"
name = "Set speed"
writes = "speed"

[[channel]]
id = "speed"
name = "Speed"
field = "speed"
"""


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

    def __init__(self, keeps: int | None = None, refuses: bool = False, silent_after: int = 9) -> None:
        self.value, self.keeps, self.refuses, self.left = 0, keeps, refuses, silent_after

    def hear(self, data: bytes) -> list[bytes]:
        self.left -= 1
        if self.left < 0:
            return []
        unit, function = data[0], data[1]
        if function == 6:
            if self.refuses:
                return [seal(bytes([unit, function | 0x80, 4]))]
            self.value = self.keeps if self.keeps is not None else int.from_bytes(data[4:6], "big")
            return [data]
        assert data[:-2] == bytes([11, 3, 0, 1, 0, 1]), "the register alone is read back"
        return [seal(bytes([unit, function, 2]) + struct.pack(">H", self.value))]


@pytest.mark.parametrize(
    ("device", "outcome", "back", "words"),
    [
        (Device(), "answered", 7.0, "written, and reads back as 7"),
        (Device(keeps=5), "refused", 5.0, "written as 7, but it reads back as 5"),
        (Device(refuses=True), "refused", None, "refused: exception 4, device failure"),
        (Device(silent_after=0), "no answer", None, "no answer within 1 s: it is not known whether it was done"),
        (Device(silent_after=1), "answered", None, "written, and the device says so; it could not be read back"),
    ],
)  # fmt: skip
def test_what_is_written_is_read_back(device: Device, outcome: str, back: float | None, words: str) -> None:
    made = load(SETUP)
    act = InstrumentAct(compile_command(made, made.command[0]), 1, {"value": 7.0}, "M. Okafor", 0)
    next_: Command | CommandEnded = act.command()
    now = 0
    while isinstance(next_, Command):
        now += 1000
        lines = device.hear(next_.data)
        assert all(act.is_answer(line) for line in lines)
        next_ = act.heard(lines, now)
    assert (next_.outcome, next_.words) == (outcome, words)
    assert next_.fields == ({} if back is None else {"value": back})


def test_one_that_falls_back_by_itself_is_not_read_back() -> None:
    made = load(SETUP.replace('writes = "speed"', 'writes = "speed"\nread_back = false'))
    act = InstrumentAct(compile_command(made, made.command[0]), 1, {"value": 7.0}, "M. Okafor", 0)
    ended = act.heard([act.sent], 1)
    assert isinstance(ended, CommandEnded)
    assert (ended.outcome, ended.words) == ("answered", "written, and the device says so")


def test_an_answer_to_something_else_is_none() -> None:
    made = load(SETUP)
    act = InstrumentAct(compile_command(made, made.command[0]), 1, {"value": 7.0}, "M. Okafor", 0)
    other = seal(bytes([11, 6, 0, 9, 0, 7]))
    assert not act.is_answer(other)
    ended = act.heard([other], 1)
    assert isinstance(ended, CommandEnded)
    assert ended.outcome == "not understood"
    act = InstrumentAct(compile_command(made, made.command[0]), 2, {"value": 7.0}, "M. Okafor", 0)
    asks = act.heard([act.sent], 1)
    assert isinstance(asks, Command)
    assert not act.is_answer(seal(bytes([11, 3, 4, 0, 7, 0, 0]))), "two registers, where one was asked for"
    assert not act.is_answer(bytes([11, 3, 2, 0, 7, 0, 0])), "a bad check"
    assert act.is_answer(seal(bytes([11, 3, 2, 0, 7])))
