"""The stand-ins behave as devices on a wire."""

import time
from pathlib import Path

import pytest
import serial
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import Shop, wait_for
from tidybench.standins.loop import Loop
from tidybench.standins.uart import LineFormat, misread


def ask(port: str, query: bytes, *, baud: int = 9600, timeout: float = 0.6) -> bytes:
    with serial.Serial(port, baud, timeout=timeout) as line:
        line.write(query)
        return line.read_until(b"\n")


def test_the_flow_meter_answers_its_query(shop: Shop) -> None:
    reply = ask(shop.flow.port, b"FL?\r")
    assert reply == shop.flow.sent[-1]
    assert reply.startswith(b"FL=+0")
    assert reply.endswith(b" L/min OK\r\n")


def test_it_says_who_it_is_in_several_lines(shop: Shop) -> None:
    with serial.Serial(shop.flow.port, 9600, timeout=1) as line:
        line.write(b"ID?\r")
        lines = [line.read_until(b"\n") for _ in range(3)]
    assert lines == [b"LOOP FLOW METER\r\n", b"SERIAL 20417\r\n", b"VERSION 3.2\r\n"]


def test_the_power_analyser_speaks_scpi(shop: Shop) -> None:
    assert ask(shop.power.port, b"*IDN?\n", baud=19200) == b"PUMP TEST SHOP,POWER ANALYSER,PA-0031,1.4\n"
    assert 500 < float(ask(shop.power.port, b"meas:pow?\n", baud=19200)) < 5000
    assert ask(shop.power.port, b"NONSENSE?\n", baud=19200, timeout=0.2) == b""


def test_bytes_take_their_time_on_the_wire(shop: Shop) -> None:
    with serial.Serial(shop.flow.port, 9600, timeout=1) as line:
        line.write(b"FL?\r")
        began = time.monotonic()
        reply = line.read_until(b"\n")
        took = time.monotonic() - began
    # Four bytes there, 22 back at 1.04 ms each, and 8 ms to answer.
    assert took > (4 + len(reply)) * 10 / 9600 + 0.008 - 0.002


@pytest.mark.parametrize("baud", [4800, 19200])
def test_at_a_wrong_baud_rate_nothing_is_understood_and_what_comes_is_garbled(shop: Shop, baud: int) -> None:
    reply = ask(shop.flow.port, b"FL?\r", baud=baud, timeout=0.3)
    assert reply
    assert b"FL=" not in reply
    assert shop.flow.queries == 0


@given(st.binary(min_size=1, max_size=40))
def test_at_the_right_baud_rate_a_receiver_reads_what_was_sent(data: bytes) -> None:
    own = LineFormat(9600)
    assert misread(data, own, LineFormat(9600, stop_bits=2)) == data
    assert misread(data, LineFormat(9600, 8, "even"), LineFormat(9600, 8, "even", 2)) == data


def test_faults(shop: Shop) -> None:
    shop.flow.fault("silent")
    assert ask(shop.flow.port, b"FL?\r", timeout=0.15) == b""
    shop.flow.fault("silent", False)
    shop.flow.fault("dashes")
    assert ask(shop.flow.port, b"FL?\r") == b"FL=-------- L/min --\r\n"
    shop.flow.fault("dashes", False)
    shop.flow.fault("cut short")
    assert ask(shop.flow.port, b"FL?\r", timeout=0.15) == shop.flow.sent[-1] != b""
    with pytest.raises(ValueError, match="no fault"):
        shop.flow.fault("haunted")


def test_unplugged_and_plugged_in_again(shop: Shop) -> None:
    shop.flow.fault("unplugged")
    wait_for(lambda: not Path(shop.flow.port).exists(), "the port to vanish")
    shop.flow.fault("unplugged", False)
    wait_for(lambda: Path(shop.flow.port).exists(), "the port to come back")
    assert ask(shop.flow.port, b"FL?\r").startswith(b"FL=")


def test_closing_the_valve_lowers_flow_and_shifts_power() -> None:
    now = [0.0]
    loop = Loop(clock=lambda: now[0])

    def settled(opening: float) -> tuple[float, float]:
        loop.set_valve(opening)
        loop.flow()
        now[0] += 60
        flow = loop.flow()
        assert flow is not None
        return flow, loop.power()

    wide, narrow = settled(0.8), settled(0.3)
    assert narrow[0] < wide[0] * 0.7
    assert narrow[1] != pytest.approx(wide[1], rel=0.02)
    loop.pipe_empty = True
    assert loop.flow() is None
