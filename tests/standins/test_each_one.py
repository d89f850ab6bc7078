"""Each stand-in speaks as the scenario says, and spoils it as its faults say."""

import struct
import time
from collections.abc import Callable
from functools import reduce
from operator import xor

import pytest

from tests.conftest import Shop, wait_for
from tidybench.core.protocols.modbus import crc_good, read_registers, seal
from tidybench.core.setup import SerialPart
from tidybench.links import Link, open_link
from tidybench.standins.device import Device
from tidybench.standins.instruments import (
    ALL,
    BearingMonitor,
    ClearanceGauge,
    LoopFlowMeter,
    PowerAnalyser,
    PressurePair,
    SealRig,
    ShaftPickup,
    SumpSonde,
    ValvePositioner,
    WindingTester,
)
from tidybench.standins.loop import Loop
from tidybench.standins.uart import LineFormat, misread


class Line:
    """A client on a stand-in's port, with its own settings."""

    def __init__(self, shop: Shop, device: Device) -> None:
        own = device.line
        part = SerialPart(
            port=f"simulated/{device.name}",
            baud=own.baud,
            data_bits=own.data_bits,
            parity=own.parity,  # type: ignore[arg-type]
        )
        self.link: Link = open_link(part, shop.folder)

    def take(self, enough: Callable[[bytes], bool], seconds: float = 5) -> bytes:
        got, until = b"", time.monotonic() + seconds
        while not enough(got) and time.monotonic() < until:
            got += self.link.read(0.05)
        return got

    def ask(self, query: bytes, end: bytes = b"\n", count: int = 1) -> bytes:
        self.link.write(query)
        return self.take(lambda got: got.count(end) >= count)

    def frame(self, request: bytes) -> bytes:
        self.link.write(request)
        return self.take(lambda got: len(got) > 3 and crc_good(got), 2)


def on(shop: Shop, kind: type[Device]) -> tuple[Device, Line]:
    device = shop.plug_in(kind)
    return device, Line(shop, device)


def test_the_flow_meter_reads_in_cubic_metres_after_a_restart(shop: Shop) -> None:
    line = Line(shop, shop.flow)
    assert b" L/min OK" in line.ask(b"FL?\r")
    shop.flow.fault("restarted")
    wait_for(lambda: b" m3/h OK" in line.ask(b"FL?\r"), "the factory settings")
    assert line.ask(b"UN=LPM\r") == b"OK\r\n"
    assert b" L/min OK" in line.ask(b"FL?\r")
    assert line.ask(b"NO\r") == b"E1 UNKNOWN\r\n"
    shop.loop.pipe_empty = True
    assert b"FL=--------" in line.ask(b"FL?\r")
    line.link.close()


def test_the_power_analyser_queues_its_errors_and_sends_a_waveform(shop: Shop) -> None:
    line = Line(shop, shop.power)
    line.link.write(b"NONSENSE?\n")
    assert b"-113" in line.ask(b"SYST:ERR?\n")
    assert line.ask(b"SYST:ERR?\n").startswith(b'0,"No error"')
    assert line.ask(b"*OPC?\n") == b"1\n"
    line.link.write(b"CURV?\n")
    block = line.take(lambda got: len(got) >= 5 + 256 + 1)
    assert block[:5] == b"#3256"
    wave = struct.unpack(">64f", block[5:261])
    assert max(wave) == pytest.approx(-min(wave), rel=0.01)
    line.link.close()


def test_the_pressure_pair_speaks_modbus(shop: Shop) -> None:
    _, line = on(shop, PressurePair)
    values = {}
    for unit in (11, 12):
        reply = line.frame(read_registers(unit, 0, 4))
        assert reply[:3] == bytes([unit, 3, 8])
        value, hundredths, serial_number = struct.unpack(">fhH", reply[3:11])
        assert hundredths == pytest.approx(value * 100, abs=3)
        assert serial_number == 4100 + unit
        values[unit] = value
    assert values[12] > values[11] + 2  # discharge above suction
    assert line.frame(read_registers(11, 3, 2)) == seal(b"\x0b\x83\x02")  # illegal data address
    assert line.frame(seal(b"\x0b\x2b\x00\x00\x00\x00")) == seal(b"\x0b\xab\x01")  # illegal function
    zero = seal(b"\x0b\x05\x00\x00\xff\x00")
    assert line.frame(zero) == zero
    assert abs(struct.unpack(">f", line.frame(read_registers(11, 0, 2))[3:7])[0]) < 0.05
    assert line.frame(read_registers(9)) == b""
    line.link.close()


def test_the_pressure_pair_s_faults(shop: Shop) -> None:
    device, line = on(shop, PressurePair)
    device.fault("wrong checksum")
    spoilt = line.frame(read_registers(11))
    assert len(spoilt) == 7
    assert not crc_good(spoilt)
    device.fault("wrong checksum", False)
    device.fault("dashes")
    assert struct.unpack(">f", line.frame(read_registers(11, 0, 2))[3:7])[0] != 0.0  # not a number
    line.link.close()


def test_the_shaft_pickup_names_its_columns_once_at_power_up(shop: Shop) -> None:
    device, line = on(shop, ShaftPickup)
    got = line.take(lambda got: got.count(b"\n") > 6)
    speed, torque = map(float, got.split(b"\r\n")[2].split(b","))
    assert 1400 < speed < 1500
    assert 5 < torque < 30
    device.fault("restarted")
    got = line.take(lambda got: got.count(b"SPEED,TORQUE\r\n") == 1 and got.endswith(b"\n"))
    assert b"\xff" in got[: got.index(b"SPEED")]  # the glitch of stray bytes
    line.link.close()


def test_the_sonde_s_checksum_is_right_until_it_is_told_otherwise(shop: Shop) -> None:
    device = SumpSonde(shop.folder, Loop())
    for fault, right in (("", True), ("wrong checksum", False)):
        said = device.talk() if not fault else device.spoil_check(device.talk())
        body, digits = said.strip()[1:].split(b"*")
        assert (int(digits, 16) == reduce(xor, body)) is right
    device._faults.add("dashes")
    assert b",D,,M,LEVEL" in device.talk()


def test_the_bearing_monitor_s_messages_stand_between_debug_text(shop: Shop) -> None:
    _, line = on(shop, BearingMonitor)
    got = line.take(lambda got: got.count(b"}") > 6)
    assert b"adc ok" in got
    for piece in got.split(b"BM{")[1:-1]:
        body = piece.split(b"}")[0]
        assert int(body[-2:], 16) == reduce(xor, body[:-2])
        assert body.startswith(b"V=0")
    line.link.close()


def test_the_valve_is_set_and_refuses_what_is_out_of_range(shop: Shop) -> None:
    _, line = on(shop, ValvePositioner)
    assert line.ask(b"VP 060.0\r", b"\r") == b"OK\r"
    assert line.ask(b"VP?\r", b"\r") == b"VP=060.0\r"
    assert shop.loop.opening() == 0.6
    assert line.ask(b"VP 120\r", b"\r") == b"E2 RANGE 0-100\r"
    assert line.ask(b"VP wide\r", b"\r") == b"E1 SYNTAX\r"
    assert line.ask(b"VP AUTO\r", b"\r") == b"OK\r"
    line.link.close()


def test_the_gauge_speaks_when_its_key_is_pressed(shop: Shop) -> None:
    device, line = on(shop, ClearanceGauge)
    assert line.take(bool, 0.3) == b""
    device.press_key()
    got = line.take(lambda got: got.endswith(b"\r"))
    assert len(got) == 7
    assert 280 < int(got) < 340
    device.fault("dashes")
    device.press_key()
    assert line.take(lambda got: got.endswith(b"\r")) == b"------\r"
    line.link.close()


def test_the_winding_tester_sweeps(shop: Shop) -> None:
    _, line = on(shop, WindingTester)
    got = line.ask(b"SW 100 10000 5\n", b"END\r\n").decode().split("\r\n")
    assert got[:3] == ["BUSY 25%", "BUSY 50%", "BUSY 75%"]
    table = [tuple(map(float, row.split(","))) for row in got[3:8]]
    assert [round(row[0]) for row in table] == [100, 316, 1000, 3162, 10000]
    assert table[-1][1] < -20  # beyond its resonance it falls
    assert line.ask(b"SW 10 1 5\n") == b"ERR 3 RANGE\r\n"
    assert line.ask(b"SW\n") == b"ERR 2 SW FIRST LAST POINTS\r\n"
    assert line.ask(b"HELLO\n") == b"ERR 1 UNKNOWN\r\n"
    line.link.close()


def test_the_seal_rig_sends_its_pairs_in_any_order_with_a_decimal_comma(shop: Shop) -> None:
    _, line = on(shop, SealRig)
    got = line.take(lambda got: got.count(b"\n") > 3).decode().split("\r\n")[:4]
    orders = {"".join(pair[0] for pair in message.split(";")) for message in got}
    assert len(orders) > 1
    times = []
    for message in got:
        pairs = dict(pair.split("=") for pair in message.split(";"))
        assert set(pairs) == {"T", "P", "L"}
        assert "," in pairs["P"]
        times.append(int(pairs["T"]))
    assert times == sorted(set(times))  # its running time rises
    line.link.close()


@pytest.mark.parametrize("kind", ALL, ids=lambda kind: kind.name)
def test_faults_that_it_cannot_show_are_refused(shop: Shop, kind: type[Device]) -> None:
    device = kind(shop.folder, Loop())
    assert "unplugged" in kind.can_show()
    with pytest.raises(ValueError, match="known are"):
        device.fault("on fire")


def test_a_stuck_value_lets_go_again() -> None:
    meter = LoopFlowMeter.__new__(LoopFlowMeter)
    meter._faults, meter._stuck, meter.sent = {"stuck"}, None, []
    meter.send = lambda data: None  # type: ignore[method-assign]
    for reply in (b"1", b"2"):
        meter.emit(reply)
    meter._faults.clear()
    meter.emit(b"3")
    assert meter.sent == [b"1", b"1", b"3"]


def test_a_strict_receiver_drops_what_breaks_its_parity() -> None:
    sender, receiver = LineFormat(9600), LineFormat(9600, 7, "even")
    heard = misread(b"FL?\r", sender, receiver, strict=True)
    assert heard != b"FL?\r"
    assert misread(b"FL?\r", receiver, receiver, strict=True) == b"FL?\r"
    assert PowerAnalyser.line.character == pytest.approx(10 / 19200)
