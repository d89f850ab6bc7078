"""Values handed on, set up in a real browser: to a pseudo-terminal at 921 600 baud."""

import os
import re
import select
import tty

import pytest

from tests.browser.page import Page
from tests.conftest import Server, wait_for

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
    page.press("Remove")
    page.press("Keep")
    page.see("None yet.")
    page.no_complaints()
    os.close(master)
    os.close(slave)
