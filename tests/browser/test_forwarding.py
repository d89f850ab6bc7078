"""Values handed on, set up in a real browser: to a pseudo-terminal at 921 600 baud."""

import os
import re
import select
import socket
import struct
import tty

import pytest

from tests.browser.page import Page
from tests.conftest import Server, wait_for
from tidybench.cluster import free_port

pytestmark = pytest.mark.browser


def test_flow_goes_on_to_another_port(page: Page, server: Server) -> None:
    wait_for(lambda: server.recorder.all_passing(), "the instruments")
    master, slave = os.openpty()
    tty.setraw(master)
    page.open("/instruments/handed-on")
    page.see("None yet.")
    page.press("Add a destination")
    page.choose("To", "serial port")
    page.type_into("Port", os.ttyname(slave))
    page.type_into("Baud rate", "921600")
    page.type_into("Written as", "F=<loop_floww:number 8.2>\\r\\n")
    page.see("is none of its channels (there are: loop_flow)")
    page.type_into("Written as", "F=<loop_flow:number 8.2>\\r\\n")
    page.see("F=00001.50")
    page.accessible()
    page.press("Keep")
    page.see("1 of 1 sending")
    page.see("none dropped")
    got = b""
    while got.count(b"\n") < 5:
        assert select.select((master,), (), (), 20)[0]
        got += os.read(master, 4096)
    lines = got.decode().split("\r\n")[:5]
    assert all(re.fullmatch(r"F=\d{5}\.\d{2}", line) for line in lines), lines
    assert page.driver.execute_script("return document.documentElement.scrollWidth") <= 1280
    port = free_port()
    page.choose("To", "Modbus registers")
    page.type_into("Port number", str(port))
    page.see("4 Loop flow")
    page.press("Keep")
    page.see("1 of 1 sending")
    wait_for(lambda: server.recorder.status().destinations[0].sent, "its registers")
    with socket.create_connection(("127.0.0.1", port), 10) as end:
        end.sendall(bytes.fromhex("0001 0000 0006 01 03 0004 0003"))
        wait_for(lambda: len(end.recv(15, socket.MSG_PEEK)) == 15, "the answer")
        value, state = struct.unpack(">fH", end.recv(15)[9:])
    flow = next(one for one in server.recorder.status().channels if one.id == "loop-flow")
    assert state == 0
    assert (flow.low or 0) < value < (flow.high or 0)
    page.no_complaints()
    page.choose("To", "MQTT broker")
    page.type_into("Topic", "shop/#")
    page.see("a topic to publish under has neither + nor # in it")
    page.type_into("Topic", "shop/flow")
    page.type_into("User", "loop")
    page.tick("TLS")
    page.accessible()
    page.type_into("Port number", str(free_port()))
    page.press("Keep")
    page.see("Nothing listens at 127.0.0.1")
    page.press("Remove")
    page.press("Keep")
    page.see("None yet.")
    os.close(master)
    os.close(slave)
