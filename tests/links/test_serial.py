"""Serial links over real pseudo-terminals."""

import os
import pty
import subprocess
import sys
import threading
import time
import tty
from pathlib import Path

import pytest

from tests.conftest import Shop, wait_for
from tidybench.core.setup import SerialPart
from tidybench.links import LinkError, SerialLink, serial_port
from tidybench.links.holders import holders
from tidybench.links.ports import device_of, ports
from tidybench.wire.places import Places

SETTINGS = SerialPart(port="x", baud=9600)


def test_bytes_there_and_back(shop: Shop) -> None:
    link = SerialLink(shop.flow.port, "flow", SETTINGS)
    link.write(b"FL?\r")
    got = b""
    until = time.monotonic() + 2
    while not got.endswith(b"\n") and time.monotonic() < until:
        got += link.read(0.1)
    link.close()
    assert got == shop.flow.sent[-1]


def test_a_port_that_is_not_there() -> None:
    with pytest.raises(LinkError, match=r"There is no port COM9\. Plug") as caught:
        SerialLink("/dev/nowhere", "COM9", SETTINGS)
    assert caught.value.trouble == "missing"


def test_a_port_in_use_names_its_holder(shop: Shop) -> None:
    code = (
        "import serial, sys, time\n"
        "s = serial.Serial(sys.argv[1], 9600, exclusive=True)\n"
        "print('held', flush=True)\ntime.sleep(60)\n"
    )
    other = subprocess.Popen([sys.executable, "-c", code, shop.flow.port], stdout=subprocess.PIPE)
    try:
        assert other.stdout is not None
        assert other.stdout.readline() == b"held\n"
        with pytest.raises(LinkError) as caught:
            SerialLink(shop.flow.port, "flow", SETTINGS)
        assert caught.value.trouble == "in use"
        assert f"(process {other.pid})" in str(caught.value)
        assert [h.pid for h in holders(shop.flow.port)] == [other.pid]
    finally:
        other.kill()
        other.wait()
    SerialLink(shop.flow.port, "flow", SETTINGS).close()


def test_a_thing_that_is_no_port(tmp_path: Path) -> None:
    file = tmp_path / "file"
    file.write_text("")
    with pytest.raises(LinkError):
        SerialLink(str(file), "file", SETTINGS)


def test_an_unplugged_port_is_lost(shop: Shop) -> None:
    link = SerialLink(shop.flow.port, "flow", SETTINGS)
    shop.flow.fault("unplugged")

    def read_on() -> None:
        for _ in range(100):
            link.read(0.1)

    with pytest.raises(LinkError) as caught:
        read_on()
    assert caught.value.trouble == "lost"
    link.close()


def test_wake_ends_a_wait(shop: Shop) -> None:
    link = SerialLink(shop.flow.port, "flow", SETTINGS)
    threading.Timer(0.05, link.wake).start()
    began = time.monotonic()
    assert link.read(30) == b""
    assert time.monotonic() - began < 10
    link.close()


def test_stand_ins_appear_as_ports(shop: Shop, places: Places) -> None:
    names = {port.name for port in ports(places.simulated)}
    assert {"simulated/loop-flow-meter", "simulated/power-analyser"} <= names
    assert device_of("simulated/loop-flow-meter", places.simulated) == shop.flow.port
    assert device_of("/dev/ttyS0", places.simulated) == "/dev/ttyS0"
    shop.flow.fault("unplugged")
    wait_for(lambda: not os.path.exists(shop.flow.port), "the port to vanish")
    assert "simulated/loop-flow-meter" not in {port.name for port in ports(places.simulated)}


def test_waking_a_closed_link_touches_nobody_else_s_file(shop: Shop, tmp_path: Path) -> None:
    link = SerialLink(shop.flow.port, "flow", SETTINGS)
    link.close()
    files = [
        os.open(tmp_path / str(n), os.O_WRONLY | os.O_CREAT) for n in range(5)
    ]  # they take the freed numbers
    link.wake()
    link.close()
    for n, file in enumerate(files):
        os.close(file)
        assert (tmp_path / str(n)).read_bytes() == b""


def test_a_line_that_takes_no_bytes_is_lost_not_waited_for(monkeypatch: pytest.MonkeyPatch) -> None:
    """As with flow control on, and an instrument that is off."""
    monkeypatch.setattr(serial_port, "WRITE_PATIENCE", 0.2)
    master, slave = pty.openpty()
    tty.setraw(slave)
    link = SerialLink(os.ttyname(slave), "flow", SETTINGS)
    with pytest.raises(LinkError, match=r"takes no bytes\. Check the flow control"):
        link.write(b"x" * 1_000_000)
    link.close()
    os.close(master)
    os.close(slave)
