"""Links beside serial ports: all behave alike."""

import os
import socket
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from tests.conftest import Shop, wait_for
from tidybench.cluster import free_port
from tidybench.core.setup import FilePart, LinkPart, SerialPart, TcpPart, UdpPart
from tidybench.links import BegunAnew, Link, LinkError, open_link
from tidybench.standins.instruments import SealRig, SumpSonde


def collect(link: Link, enough: Callable[[bytes], bool], seconds: float = 5) -> bytes:
    got = b""
    until = time.monotonic() + seconds
    while not enough(got) and time.monotonic() < until:
        got += link.read(0.05)
    return got


@pytest.fixture
def listener() -> Iterator[socket.socket]:
    with socket.create_server(("127.0.0.1", 0)) as server:
        yield server


def test_tcp_there_and_back_and_lost(listener: socket.socket) -> None:
    part = TcpPart(kind="tcp", host="127.0.0.1", tcp_port=listener.getsockname()[1])
    link = open_link(part, None)
    peer, _ = listener.accept()
    link.write(b"*IDN?\n")
    assert peer.recv(100) == b"*IDN?\n"
    peer.sendall(b"+1.5E0\n")
    assert collect(link, lambda got: got.endswith(b"\n")) == b"+1.5E0\n"
    assert (link.waiting(), link.modem_lines()) == (0, None)
    peer.close()
    with pytest.raises(LinkError, match="is lost") as caught:
        collect(link, lambda got: False, 2)
    assert caught.value.trouble == "lost"
    link.close()


def test_tcp_that_nobody_answers() -> None:
    with pytest.raises(LinkError, match="nothing listens on its TCP port") as caught:
        open_link(TcpPart(kind="tcp", host="127.0.0.1", tcp_port=free_port()), None)
    assert caught.value.trouble == "refused"
    with pytest.raises(LinkError, match="There is no computer or device called"):
        open_link(TcpPart(kind="tcp", host="no.such.host.invalid", tcp_port=1), None)


def test_udp_listens_and_answers_whoever_sent_last() -> None:
    port = free_port()
    link = open_link(UdpPart(kind="udp", listen_port=port, listen_on="127.0.0.1"), None)
    link.write(b"into the air")  # nobody has sent yet
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sender:
        sender.settimeout(5)
        sender.sendto(b"T=18.4\r\n", ("127.0.0.1", port))
        assert collect(link, bool) == b"T=18.4\r\n"
        link.write(b"OK?\r")
        assert sender.recv(100) == b"OK?\r"
    with pytest.raises(LinkError, match="Another program listens") as caught:
        open_link(UdpPart(kind="udp", listen_port=port, listen_on="127.0.0.1"), None)
    assert caught.value.trouble == "in use"
    link.close()


def test_udp_sends_to_the_host_that_is_named() -> None:
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as other:
        other.bind(("127.0.0.1", 0))
        other.settimeout(5)
        part = UdpPart(
            kind="udp",
            listen_port=free_port(),
            listen_on="127.0.0.1",
            host="127.0.0.1",
            udp_port=other.getsockname()[1],
        )
        link = open_link(part, None)
        link.write(b"READ?\n")
        assert other.recv(100) == b"READ?\n"
        link.close()


def test_udp_takes_datagrams_of_the_host_that_is_named_alone() -> None:
    """Fault 19: from anybody, even with a host fixed; and from every network unless told otherwise."""
    assert UdpPart(kind="udp", listen_port=5005).listen_on == "127.0.0.1"
    port = free_port()
    part = UdpPart(kind="udp", listen_port=port, host="127.0.0.2", udp_port=5006)
    link = open_link(part, None)
    with (
        socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as stranger,
        socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as other,
    ):
        other.bind(("127.0.0.2", 0))
        stranger.sendto(b"T=99.9\r\n", ("127.0.0.1", port))
        other.sendto(b"T=18.4\r\n", ("127.0.0.1", port))
        assert collect(link, bool) == b"T=18.4\r\n"
    link.close()


def test_a_file_that_grows_is_followed_and_one_begun_anew_is_read_from_its_beginning(tmp_path: Path) -> None:
    path = tmp_path / "log.txt"
    path.write_bytes(b"old line\n")
    link = open_link(FilePart(kind="file", path=str(path)), None)
    assert link.read(0.1) == b""
    with open(path, "ab") as file:
        file.write(b"12.5\n")
    assert collect(link, bool) == b"12.5\n"
    fresh = tmp_path / "fresh.txt"
    fresh.write_bytes(b"1\n")
    os.replace(fresh, path)
    with pytest.raises(BegunAnew):
        collect(link, bool)
    assert collect(link, bool) == b"1\n"
    link.write(b"goes nowhere")
    path.unlink()
    with pytest.raises(LinkError, match="is gone"):
        collect(link, lambda got: False, 4)
    link.close()


@pytest.mark.parametrize("after", [b"7.5\n", b"7.5\n8.5\n9.5\n10.5\n"])
def test_a_file_written_over_in_its_place_follows_nothing(tmp_path: Path, after: bytes) -> None:
    """Fault 7: the old tail 13 and the new head 7.5 became 137.5. Longer than before it is told by its bytes."""
    path = tmp_path / "log.txt"
    path.write_bytes(b"12.5\n13")
    link = open_link(FilePart(kind="file", path=str(path), begin="at its beginning"), None)
    assert link.follows == b""
    assert collect(link, bool) == b"12.5\n13"
    path.write_bytes(after)
    with pytest.raises(BegunAnew):
        collect(link, bool)
    assert link.follows == b""
    assert collect(link, bool) == after
    link.close()


def test_what_stands_before_the_end_of_a_file_is_told(tmp_path: Path) -> None:
    """Fault 7: started behind 14, and 8.27 came of 148.27."""
    path = tmp_path / "log.txt"
    path.write_bytes(b"12.5\n14")
    link = open_link(FilePart(kind="file", path=str(path)), None)
    assert link.follows == b"12.5\n14"
    link.close()


@pytest.mark.parametrize(
    ("pace", "least"),
    [("its own", 0.55), (10.0, 0.25), ("at once", 0.0), ("as it comes", 0.0)],
)
def test_a_file_that_stands_is_played(tmp_path: Path, pace: str | float, least: float) -> None:
    path = tmp_path / "run.csv"
    path.write_bytes(
        b"time,v\n2026-11-23T09:30:00.0+01:00,1\n2026-11-23T09:30:00.2+01:00,2\n2026-11-23T09:30:00.6+01:00,3\n"
    )
    link = open_link(FilePart(kind="file", path=str(path), begin="at its beginning", pace=pace), None)
    began = time.monotonic()
    got = collect(link, lambda got: got.count(b"\n") == 4)
    assert got == path.read_bytes()
    assert time.monotonic() - began >= least
    link.close()


def test_a_followed_file_that_is_none(tmp_path: Path) -> None:
    with pytest.raises(LinkError, match="There is no file"):
        open_link(FilePart(kind="file", path=str(tmp_path / "nothing")), None)
    with pytest.raises(LinkError, match="no file that could be followed"):
        open_link(FilePart(kind="file", path=str(tmp_path)), None)


def test_rfc_2217_carries_bytes_settings_and_modem_lines(shop: Shop) -> None:
    sonde = shop.plug_in(SumpSonde)
    link = open_link(SerialPart(port=sonde.port, baud=4800), shop.folder)
    assert collect(link, lambda got: got.count(b"\n") > 1).count(b"$YXXDR") >= 1
    lines = link.modem_lines()
    assert lines is not None
    assert (lines.cts, lines.ri) == (True, False)
    began = time.monotonic()
    threading.Timer(0.05, link.wake).start()
    while link.read(30):
        pass
    assert time.monotonic() - began < 10
    sonde.fault("unplugged")
    with pytest.raises(LinkError, match="is lost"):
        collect(link, lambda got: False, 5)
    link.close()


def test_with_rfc_2217_parity_matters(shop: Shop) -> None:
    rig = shop.plug_in(SealRig)
    right = SerialPart(port="simulated/seal-rig", baud=2400, data_bits=7, parity="even")
    wrong = SerialPart(port="simulated/seal-rig", baud=2400)
    link = open_link(wrong, shop.folder)
    got = collect(link, lambda got: len(got) > 40)
    link.close()
    assert any(byte & 0x80 for byte in got)
    assert b"T=" in bytes(byte & 0x7F for byte in got)
    wait_for(lambda: Path(shop.folder / "seal-rig").exists(), "the port")
    link = open_link(right, shop.folder)
    assert b"T=" in collect(link, lambda got: got.count(b"\n") > 1)
    link.close()
    assert rig.overrun == 0


@pytest.mark.parametrize("part", [SerialPart(port="rfc2217://127.0.0.1:1")])
def test_a_device_server_that_is_not_there(part: LinkPart) -> None:
    with pytest.raises(LinkError, match="Nothing answers at") as caught:
        open_link(part, None)
    assert caught.value.trouble == "missing"


def test_a_raw_tcp_port_is_no_device_server(listener: socket.socket) -> None:
    part = SerialPart(port=f"rfc2217://127.0.0.1:{listener.getsockname()[1]}")
    with pytest.raises(LinkError, match='use a link of the kind "tcp"'):
        open_link(part, None)
