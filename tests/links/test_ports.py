"""The list of ports: what is known of each, and names that survive replugging."""

import os
import subprocess
import sys
from pathlib import Path

import pytest
from serial.tools.list_ports_common import ListPortInfo

from tests.conftest import Shop, wait_for
from tidybench.links import ports as listing
from tidybench.links.ports import PortWatch, device_of, ports, stable_name, with_holders
from tidybench.links.serial_port import remedy
from tidybench.standins.instruments import SumpSonde


def adapter(device: str, serial_number: str | None, location: str) -> ListPortInfo:
    port = ListPortInfo(device)
    port.vid, port.pid = 0x1209, 0x2303
    port.serial_number, port.location = serial_number, location
    port.manufacturer, port.product, port.description = "Workshop", "USB to serial", "USB to serial"
    return port


def test_a_usb_adapter_has_a_name_that_does_not_depend_on_the_order_of_plugging(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(listing, "BY_ID", Path("/nonexistent"))
    plugged = [adapter("/dev/ttyUSB0", "A7", "1-2")]
    monkeypatch.setattr(listing.list_ports, "comports", lambda: plugged)
    [port] = ports(None)
    assert port.name == "usb/1209:2303/A7"
    assert (port.maker, port.usb_ids, port.serial_number, port.place) == (
        "Workshop",
        "1209:2303",
        "A7",
        "1-2",
    )
    assert device_of(port.name, None) == "/dev/ttyUSB0"
    plugged[:] = [adapter("/dev/ttyUSB0", "B9", "1-1"), adapter("/dev/ttyUSB1", "A7", "1-2")]
    assert device_of("usb/1209:2303/A7", None) == "/dev/ttyUSB1"
    assert not os.path.exists(device_of("usb/1209:2303/C1", None))


def test_identical_adapters_without_serial_numbers_are_told_apart_by_their_place(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(listing, "BY_ID", Path("/nonexistent"))
    for number in (None, "0001"):  # cheap ones all have the same
        twins = [adapter("/dev/ttyUSB0", number, "1-1"), adapter("/dev/ttyUSB1", number, "1-2")]
        monkeypatch.setattr(listing.list_ports, "comports", lambda twins=twins: twins)
        assert [port.name for port in ports(None)] == ["usb/1209:2303@1-1", "usb/1209:2303@1-2"]
    assert device_of("usb/1209:2303@1-2", None) == "/dev/ttyUSB1"


def test_the_system_s_own_stable_name_is_taken_where_there_is_one(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    device = tmp_path / "ttyUSB3"
    device.touch()
    by_id = tmp_path / "by-id"
    by_id.mkdir()
    (by_id / "usb-Workshop-if00").symlink_to(device)
    monkeypatch.setattr(listing, "BY_ID", by_id)
    assert stable_name(adapter(str(device), "A7", "1-2")) == str(by_id / "usb-Workshop-if00")
    assert stable_name(ListPortInfo("/dev/ttyS9")) == "/dev/ttyS9"


def test_stand_ins_on_the_network_are_ports_too(shop: Shop) -> None:
    sonde = shop.plug_in(SumpSonde)
    found = {port.name: port for port in ports(shop.folder)}
    assert (
        found["simulated/sump-sonde"].device == sonde.port == device_of("simulated/sump-sonde", shop.folder)
    )


def test_who_holds_a_port_is_said_beside_it(shop: Shop) -> None:
    code = (
        "import serial, sys, time; s = serial.Serial(sys.argv[1]); print('held', flush=True); time.sleep(60)"
    )
    other = subprocess.Popen([sys.executable, "-c", code, shop.flow.port], stdout=subprocess.PIPE)
    try:
        assert other.stdout is not None
        assert other.stdout.readline() == b"held\n"
        held = {port.name: port.holder for port in with_holders(ports(shop.folder))}
        assert f"(process {other.pid})" in held["simulated/loop-flow-meter"]
        assert held["simulated/power-analyser"] == ""
    finally:
        other.kill()
        other.wait()


def test_new_and_vanished_ports_are_seen_without_asking(shop: Shop) -> None:
    watch = PortWatch(shop.folder)
    watch.start()

    def names() -> set[str]:
        return {port.name for port in watch.now}

    wait_for(lambda: "simulated/loop-flow-meter" in names(), "the port")
    shop.flow.fault("unplugged")
    wait_for(lambda: "simulated/loop-flow-meter" not in names(), "it to vanish", 3)
    shop.flow.fault("unplugged", False)
    wait_for(lambda: "simulated/loop-flow-meter" in names(), "it to come back", 3)
    watch.stop()


def test_the_remedy_for_a_forbidden_port_is_exact(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setenv("USER", "mira")
    device = tmp_path / "port"
    device.touch()
    device.chmod(0o600)
    assert "sudo chmod 660" in remedy(str(device))
