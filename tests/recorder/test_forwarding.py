"""Corrected values handed on: from lines on one pseudo-terminal to another at 921 600 baud, to TCP, UDP and files."""

import itertools
import json
import os
import select
import socket
import struct
import time
import tty
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest
import serial

from tests.conftest import RecorderProcess, Shop, wait_for
from tests.recorder.handing_on import Meter, destination, put, stands, value_of
from tests.recorder.test_captures import recorder_there
from tidybench.core.setup.destinations import DestinationPart
from tidybench.links.link import LinkError
from tidybench.links.outlets import open_outlet
from tidybench.recorder.outlet import MOST_BYTES
from tidybench.wire.channels import ZeroChannel
from tidybench.wire.protocol import Answer


class Far:
    """The other end of a port: what has come."""

    def __init__(self) -> None:
        self.master, self.slave = os.openpty()
        tty.setraw(self.master)
        self.path = os.ttyname(self.slave)
        self.got = b""

    def read(self, seconds: float) -> bytes:
        until = time.monotonic() + seconds
        while (left := until - time.monotonic()) > 0:
            if select.select((self.master,), (), (), left)[0]:
                self.got += os.read(self.master, 65_536)
        return self.got

    def close(self) -> None:
        os.close(self.master)
        os.close(self.slave)


def test_every_reading_in_order_through_a_pattern_with_sign_and_zero(
    shop: Shop, meter: Meter, recorder: RecorderProcess
) -> None:
    far = Far()
    to = {"kind": "serial", "port": far.path, "baud": 921600}
    pattern = "N=<meter_n>;F=<meter_a:number 8.3>\r\n"
    assert put(recorder, destination(to=to, pattern=pattern, token="**")) == ""
    lines = far.read(2.0).decode().split("\r\n")[:-1]
    assert len(lines) > 100
    first = int(lines[0].partition(";")[0][2:])
    expected = [
        f"N={n};F={'**' if value_of(meter.sent[n]) is None else f'{value_of(meter.sent[n]):08.3f}'}"
        for n in range(first, first + len(lines))
    ]
    assert lines == expected
    assert any("F=-" in line for line in lines)
    assert any("F=**" in line for line in lines)
    one = stands(recorder)
    assert (one.state, one.dropped) == ("sending", 0)
    assert one.sent >= len(lines)
    # Zeroed here, zeroed there.
    answered = recorder.ask(ZeroChannel(channel="meter-a"))[0]
    assert isinstance(answered, Answer)
    assert not answered.trouble, answered.why
    wait_for(lambda: next(c for c in recorder.status().channels if c.id == "meter-a").zero, "the zero")
    zero = next(c for c in recorder.status().channels if c.id == "meter-a").zero
    far.got = b""
    far.read(0.3)  # what was on its way
    far.got = b""
    line = next(line for line in far.read(0.6).decode().split("\r\n")[1:-1] if "**" not in line)
    n = int(line.partition(";")[0][2:])
    there = value_of(meter.sent[n])
    assert there is not None
    assert float(line.partition("F=")[2]) == pytest.approx(there - zero, abs=0.0006)
    far.close()


def test_a_steady_rate_and_what_is_left_out(
    shop: Shop, meter: Meter, recorder: RecorderProcess, tmp_path: Path
) -> None:
    path = tmp_path / "values.jsonl"
    to = {"kind": "file", "path": str(path)}
    assert put(recorder, destination(to=to, every_s=0.05, missing="leave out")) == ""
    wait_for(lambda: path.exists() and path.read_text().count("\n") > 40, "its lines")
    found = [json.loads(line) for line in path.read_text().split("\n")[:-1]]
    for one in found:
        assert one["meter-a"] == value_of(meter.sent[int(one["meter-n"])])
        measured = datetime.fromtimestamp(meter.at[int(one["meter-n"])], UTC)
        assert measured <= datetime.fromisoformat(one["time"]), "nothing is from after its time"
    steps = [_seconds(b["time"]) - _seconds(a["time"]) for a, b in itertools.pairwise(found)]
    assert all(abs(step / 0.05 - round(step / 0.05)) < 0.001 for step in steps), "on its grid"
    assert sorted(steps)[len(steps) // 2] == pytest.approx(0.05, abs=1e-4)


def _seconds(text: str) -> float:
    hours, minutes, seconds = text[11:-1].split(":")
    return int(hours) * 3600 + int(minutes) * 60 + float(seconds)


def test_a_slow_one_drops_the_oldest_and_disturbs_nobody(
    shop: Shop, meter: Meter, recorder: RecorderProcess
) -> None:
    with socket.create_server(("127.0.0.1", 0)) as server:
        port = server.getsockname()[1]
        wide = "x" * 1900
        text = destination(
            to={"kind": "tcp", "host": "127.0.0.1", "tcp_port": port}, pattern=f"<meter_n> {wide}\n"
        )
        assert put(recorder, text) == ""
        end, _ = server.accept()
        end.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 4096)
        end.sendall(b"rubbish" * 100)
        wait_for(lambda: stands(recorder).answered == 700, "what it said")
        wait_for(lambda: stands(recorder).dropped > 20, "something to be dropped", 120)
        assert stands(recorder).waiting * 1900 < MOST_BYTES + 8000
        rate = recorder.status().instruments[0].messages_per_s
        assert rate > 60, "reading goes on"
        end.close()


def test_what_is_away_or_wrong_says_so_and_comes_back(
    shop: Shop, meter: Meter, recorder: RecorderProcess
) -> None:
    with socket.create_server(("127.0.0.1", 0)) as server:
        port = server.getsockname()[1]
    to = {"kind": "tcp", "host": "127.0.0.1", "tcp_port": port}
    assert put(recorder, destination(to=to)) == ""
    wait_for(lambda: stands(recorder).state == "away", "it to be away")
    assert "nothing listens" in stands(recorder).why
    with socket.create_server(("127.0.0.1", port)) as server:
        end, _ = server.accept()
        assert json.loads(end.makefile().readline())["meter-n"] >= 0
        end.close()
    assert put(recorder, destination(to=to, channels=["nowhere"])) == ""
    wait_for(lambda: stands(recorder).state == "wrong", "it to be wrong")
    assert stands(recorder).why == "There is no channel “nowhere” on this bench."
    assert "is none of its channels" in _why(recorder, destination(to=to, pattern="<b>"))
    assert put(recorder, "[[destination]]\n").startswith("destination.1.id: this key is missing")
    recorder.kill()
    recorder.start(carry_on=True)
    wait_for(lambda: recorder_there(recorder) and recorder.status().destinations, "it to be back")
    assert stands(recorder).why, "also after a kill"


def _why(recorder: RecorderProcess, text: str) -> str:
    assert put(recorder, text) == ""
    return stands(recorder).why


def test_udp_has_a_datagram_for_each_message(shop: Shop, meter: Meter, recorder: RecorderProcess) -> None:
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as end:
        end.bind(("127.0.0.1", 0))
        end.settimeout(20)
        to = {"kind": "udp", "host": "127.0.0.1", "udp_port": end.getsockname()[1]}
        assert put(recorder, destination(to=to, missing="last")) == ""
        got = [json.loads(end.recv(2000)) for _ in range(120)]
    numbers = [int(one["meter-n"]) for one in got]
    assert numbers == list(range(numbers[0], numbers[0] + 120))
    for one in got:
        sent = meter.sent[int(one["meter-n"])]
        if sent is not None:
            assert one["meter-a"] == value_of(sent)
        elif one["meter-a"] is not None:
            assert one["meter-a"] == value_of(meter.sent[int(one["meter-n"]) - 1])


def test_whoever_connects_gets_whole_messages(shop: Shop, meter: Meter, recorder: RecorderProcess) -> None:
    with socket.create_server(("127.0.0.1", 0)) as server:
        port = server.getsockname()[1]
    assert put(recorder, destination(to={"kind": "tcp server", "tcp_port": port})) == ""
    wait_for(lambda: stands(recorder).dropped > 5, "messages that nobody takes")
    assert (stands(recorder).state, stands(recorder).why) == ("sending", "Nobody takes it.")
    ends = [socket.create_connection(("127.0.0.1", port), 10) for _ in range(2)]
    for end in ends:
        lines = [json.loads(end.makefile().readline()) for _ in range(2)]
        assert [line["meter-a"] for line in lines] == [
            value_of(meter.sent[int(line["meter-n"])]) for line in lines
        ]
        end.close()
    wait_for(lambda: stands(recorder).why == "Nobody takes it.", "them to be gone")


def test_a_pseudo_terminal_of_our_own_is_opened_like_a_port(
    shop: Shop, meter: Meter, recorder: RecorderProcess, tmp_path: Path
) -> None:
    path = tmp_path / "handed-on"
    assert (
        put(recorder, destination(to={"kind": "pty", "path": str(path)}, pattern="<meter_n>\n", every_s=0.02))
        == ""
    )
    wait_for(path.is_symlink, "its link")
    with serial.Serial(str(path), 9600, timeout=10) as port:
        port.reset_input_buffer()
        port.readline()
        numbers = [int(port.readline()) for _ in range(20)]
    assert numbers == sorted(numbers)
    assert numbers[0] < numbers[-1]
    assert put(recorder, "") == ""
    wait_for(lambda: not path.is_symlink(), "its link to be gone")


def request(transaction: int, pdu: str) -> bytes:
    """A request of a Modbus TCP client, by hand (Messaging on TCP/IP 1.0b, 3.1.3)."""
    body = bytes([9]) + bytes.fromhex(pdu)
    return struct.pack(">HHH", transaction, 0, len(body)) + body


def reply(end: socket.socket) -> tuple[int, bytes]:
    """Transaction and PDU."""
    with end.makefile("rb", buffering=0) as file:
        transaction, protocol, length = struct.unpack(">HHH", file.read(6) or b"")
        assert protocol == 0
        body = b""
        while len(body) < length:
            body += file.read(length - len(body)) or b""
    assert body[0] == 9
    return transaction, body[1:]


def test_registers_are_read_by_a_peer_of_our_own(shop: Shop, meter: Meter, recorder: RecorderProcess) -> None:
    with socket.create_server(("127.0.0.1", 0)) as server:
        port = server.getsockname()[1]
    to = {"kind": "modbus", "tcp_port": port}
    assert put(recorder, destination(to=to, every_s=0.02, missing="last")) == ""
    wait_for(lambda: stands(recorder).sent > 5, "registers")
    with (
        socket.create_connection(("127.0.0.1", port), 10) as end,
        socket.create_connection(("127.0.0.1", port), 10) as other,
    ):
        seen = set()
        for transaction in range(200):
            end.sendall(request(transaction, "03 0000 000c"))
            number, pdu = reply(end)
            assert (number, pdu[:2]) == (transaction, b"\x03\x18")
            seconds, millis, count, n, state, age, a, a_state, _ = struct.unpack(">IHHfHHfHH", pdu[2:])
            assert abs(seconds + millis / 1000 - time.time()) < 2
            assert (count, state) == (2, 0)
            assert age < 10
            sent = meter.sent[int(n)]
            if sent is not None:
                assert (a, a_state) == (value_of(sent), 0)
            else:
                assert (a, a_state) == (value_of(meter.sent[int(n) - 1]), 0), "old only after a while"
            seen.add(n)
            time.sleep(0.005)
        assert len(seen) > 10
        # In pieces, two at once, and what is none of it.
        piece = request(1, "04 0004 0002")
        for byte in piece:
            other.sendall(bytes([byte]))
        other.sendall(request(2, "10 0000 0001 02 0000") + request(3, "03 000c 0001"))
        assert reply(other)[1][:2] == b"\x04\x04"
        assert reply(other) == (2, b"\x90\x01")
        assert reply(other) == (3, b"\x83\x02")
        other.sendall(b"GET / HTTP/1.1\r\n\r\n")
        assert other.recv(100) == b"", "no Modbus: hung up"
        end.sendall(request(7, "03 0000 0001"))
        assert reply(end)[0] == 7
        meter.stop_talking()
        time.sleep(2)
        end.sendall(request(8, "03 0004 0004"))
        assert struct.unpack(">HH", reply(end)[1][6:]) == (1, pytest.approx(19, abs=6)), (
            "the last one, and how old"
        )
    assert "steady rate" in put(recorder, destination(to=to))
    assert put(recorder, "") == ""
    with pytest.raises(ConnectionRefusedError):
        socket.create_connection(("127.0.0.1", port), 1)


@pytest.mark.parametrize(
    "to",
    [
        {"kind": "udp", "host": "a" * 70, "udp_port": 5},
        {"kind": "mqtt", "host": "a" * 70, "topic": "t"},
        {"kind": "modbus", "listen_on": "a..b", "tcp_port": 1502},
    ],
)
def test_a_name_that_no_computer_can_have_is_said(to: dict[str, Any]) -> None:
    with pytest.raises(LinkError, match="There is no computer or device called a"):
        open_outlet(
            DestinationPart.model_validate(
                {"id": "x", "name": "X", "channels": ["a"], "every_s": 1, "to": to}
            ).to,
            None,
            "x",
        )
