"""One thread for all links: none of them may hold up another, whatever its port, the tape or its own code does."""

import os
import pty
import re
import termios
import threading
import time
import tty
from collections.abc import Iterator

import pytest

from tests.conftest import wait_for
from tidybench.core.acting.act import InstrumentAct
from tidybench.core.compile.command import compile_command
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.exchange.link_talk import LinkTalk
from tidybench.core.setup import SerialPart
from tidybench.core.tape.events import CommandGiven, Event, Lost, Opened, Received, Sent
from tidybench.links import READ_SIZE, Link, LinkError, SerialLink
from tidybench.recorder.clock import Clock
from tidybench.recorder.conversation import IN, KEPT_WITHIN, OUT, Conversation
from tidybench.recorder.event_loop import READ_LITTLE, EventLoop
from tidybench.recorder.journal import Journal
from tidybench.recorder.worker import Worker

SETUP = """
[instrument]
id = "box"
name = "Box"
[link]
port = "{port}"
[framing]
terminator = "\\n"
[[query]]
id = "q"
send = "Q?\\n"
every_s = {every}
give_up_after_s = 1.0
patterns = ["V=<v>"]
[[channel]]
id = "v"
name = "V"
field = "v"
[[command]]
id = "pump"
name = "Pump"
send = "P <on:int>\\n"
patterns = ["OK"]
"""


class Port:
    """A link without a system behind it: takes `room` bytes, gives what is put into `came`."""

    descriptor = 0
    follows: bytes | None = None

    def __init__(self) -> None:
        self.room, self.written, self.came = 1000, b"", b""

    def shared(self) -> "Port":
        return self

    def take(self, most: int = READ_SIZE) -> bytes:
        came, self.came = self.came, b""
        return came

    def send(self, data: bytes) -> bytes:
        went, self.room = data[: self.room], max(0, self.room - len(data))
        self.written += went
        return data[len(went) :]

    def stuck(self) -> LinkError:
        return LinkError("lost", "takes no bytes")

    def read(self, timeout: float | None) -> bytes:
        assert timeout == 0, "nothing may wait in the thread of all links"
        return self.take()


class Talking:
    """A conversation about a box, by a clock of its own. `talks`: it is not asked, and may fill its wire."""

    def __init__(self, talks: bool = False) -> None:
        text = SETUP.format(port="x", every=0.5)
        if talks:
            text = re.sub(r"\[\[query\]\].*?patterns", "[listen]\nevery_s = 0.1\npatterns", text, flags=re.S)
            text = text.replace('name = "Box"', 'name = "Box"\ntalks = "on its own"')
        self.setup = load(text)
        self.now, self.events, self.anew = 1_000_000, list[Event](), list[str]()
        self.port, self.journal = Port(), Journal()
        self.talk = LinkTalk(plan_links([self.setup], {"v": 1})[0], self.now)
        self.put(Opened(self.now, {}))
        self.talk.opened(self.now)
        link: Link = self.port  # type: ignore[assignment]
        self.conversation = Conversation(self, link, self.talk, self.journal, lambda: self.now)
        self.called = False

    def put(self, event: Event) -> int:
        self.events.append(event)
        return self.journal.put("box", event, self.talk.feed(event))

    def obey(self) -> None:
        """Nothing is ordered."""

    def answered(self) -> None:
        """No command by hand is given."""

    def begin_anew(self, why: str) -> None:
        self.anew.append(why)
        self.put(Opened(self.now, {}))
        self.talk.opened(self.now)

    def give(self) -> None:
        compiled = compile_command(self.setup, self.setup.command[0])
        self.talk.enqueue([InstrumentAct(compiled, 1, {"on": 1}, "M. Okafor", self.now).command()])

    def turn(self, ms: int = 0) -> None:
        """As the loop does it after so many milliseconds."""
        self.now += ms * 1000
        self.conversation.say()
        self.conversation.carry_on()

    def told(self, *kinds: type) -> list[Event]:
        return [event for event in self.events if isinstance(event, kinds)]


def test_a_query_that_its_port_takes_in_pieces_is_sent_when_it_has_gone_whole() -> None:
    one = Talking()
    one.port.room = 1
    one.turn()
    assert (one.port.written, one.told(Sent), one.conversation.wants) == (b"Q", [], OUT)
    one.port.came = b"V=1\n"  # somebody answers to half of it
    one.conversation.hear()
    assert one.told(Received) == []
    one.port.room = 100
    one.turn()
    assert one.port.written == b"Q?\n"
    assert len(one.told(Sent)) == 1
    one.conversation.hear()
    assert [type(event) for event in one.events] == [Opened, Sent, Received]


def test_a_port_that_takes_nothing_is_lost_after_a_while() -> None:
    one = Talking()
    one.port.room = 0
    one.turn()
    one.turn(1900)
    with pytest.raises(LinkError, match="takes no bytes"):
        one.turn(200)
    assert one.conversation.left() == []  # nothing was sent


def test_a_command_goes_out_when_it_stands_on_the_tape() -> None:
    one = Talking()
    one.give()
    one.turn()
    [given] = one.told(CommandGiven)
    assert one.port.written == b""
    one.port.came = b"V=7\n"
    one.conversation.hear()  # what comes meanwhile came before it
    told = threading.Event()
    one.journal.when_kept = told.set
    entries = one.journal.take()
    assert entries[-2].event is given
    one.journal.kept(entries[-1].sequence)
    assert told.is_set()
    assert one.conversation.settled(one.journal.newest_kept)
    one.turn()
    assert one.port.written == b"P 1\n"
    assert [type(event) for event in one.events] == [Opened, CommandGiven, Received, Sent]


def test_a_full_wire_does_not_send_a_command_before_it_stands_on_the_tape() -> None:
    """A link that rests is looked at again after four milliseconds: that is not what the command waits for."""
    one = Talking(talks=True)
    for _ in range(40):  # 9600 baud carry nine bytes in ten milliseconds
        one.port.came = b"V=123456\n"
        one.conversation.hear()
        one.turn(10)
    one.give()
    one.turn()
    for _ in range(20):
        one.port.came = b"V=123456\n"
        one.conversation.hear()
        one.turn(10)
    assert one.talk.gathering.full
    assert one.port.written == b""
    one.turn(50)
    assert one.port.written == b"P 1\n"


def test_a_tape_that_hangs_does_not_hold_up_a_command_for_ever() -> None:
    one = Talking()
    one.give()
    one.turn()
    one.turn(KEPT_WITHIN // 1000 - 1)
    assert one.port.written == b""
    one.turn(1)
    assert one.port.written == b"P 1\n"


def test_what_waited_for_the_tape_does_not_go_out_after_the_clock_was_set_back() -> None:
    one = Talking()
    one.give()
    one.turn()
    one.now -= 100_000
    one.conversation.begin_anew("The clock was set back meanwhile.")
    for _ in range(5):
        one.turn(100)
    assert b"P" not in one.port.written


# ---- with ports of the system


class Line:
    """A pseudo-terminal, and a worker on it that polls ten times a second."""

    def __init__(self, loop: EventLoop, journal: Journal, clock: Clock, every: float = 0.1) -> None:
        self.master, self.slave = pty.openpty()
        tty.setraw(self.slave)
        self.path = os.ttyname(self.slave)
        setup = load(SETUP.format(port=self.path, every=every))
        plan = plan_links([setup], {"v": 1})[0]
        self.link: SerialLink | None = None
        self.worker = Worker(plan, self._open, journal, clock, loop)
        self.worker.start()
        wait_for(lambda: self.worker.is_open, "the port")

    def _open(self) -> SerialLink:
        self.link = SerialLink(self.path, "box", SerialPart(port=self.path))
        return self.link

    def close(self) -> None:
        self.worker.stop()
        os.close(self.master)
        os.close(self.slave)


@pytest.fixture
def loop() -> Iterator[tuple[EventLoop, Journal, Clock]]:
    journal, clock = Journal(), Clock()
    made = EventLoop(journal, clock)
    yield made, journal, clock
    made.stop()


def test_a_link_whose_code_fails_or_whose_port_is_full_holds_up_no_other(
    loop: tuple[EventLoop, Journal, Clock], monkeypatch: pytest.MonkeyPatch
) -> None:
    good, full, bad = Line(*loop), Line(*loop), Line(*loop)
    assert bad.link is not None
    termios.tcflow(full.slave, termios.TCOOFF)  # as flow control does: it takes nothing
    monkeypatch.setattr(bad.link, "send", lambda data: 1 / 0)
    os.set_blocking(good.master, False)
    until, heard, gaps = time.monotonic() + 1.5, time.monotonic(), list[float]()
    while time.monotonic() < until:
        time.sleep(0.002)
        try:
            asked = os.read(good.master, 100)
        except BlockingIOError:
            continue
        gaps.append(time.monotonic() - heard)
        heard = time.monotonic()
        os.write(good.master, b"V=1\n" * asked.count(b"\n"))
    assert len(gaps) >= 10
    assert full.worker.is_open  # its two seconds are not over
    lost: list[tuple[str, str]] = []

    def losses(path: str) -> list[str]:
        lost.extend((e.link, e.event.reason) for e in loop[1].take() if isinstance(e.event, Lost))
        return [why for whose, why in lost if whose == path]

    wait_for(lambda: losses(full.path), "its loss", 10)
    for one in (good, full, bad):
        one.close()
    assert losses(good.path) == ["The recorder ends."]
    assert "takes no bytes" in losses(full.path)[0]
    assert "division by zero" in losses(bad.path)[0]


class Always:
    """A conversation whose descriptor is ready until it was heard, and that wants to be looked at so soon; what it was asked to read."""

    wants, parted, failure = IN, False, None

    def __init__(self, clock: Clock, soon: int) -> None:
        self.descriptor, self._full = os.pipe()
        os.write(self._full, b"x" * READ_SIZE)
        self._clock, self._soon = clock, soon
        self.over, self.asked, self.owner, self.called = threading.Event(), list[int](), self, False

    @property
    def due(self) -> int:
        return self._clock.now() + self._soon

    def hear(self, most: int) -> None:
        self.asked.append(most)
        os.read(self.descriptor, most)

    def settled(self, kept: int) -> None:
        """It waits for no tape."""


def test_little_is_read_at_once_where_a_poll_is_due_soon(loop: tuple[EventLoop, Journal, Clock]) -> None:
    """4 kB took a millisecond to read, and a poll of another link waited for that."""
    for soon, wanted in ((1_000, [READ_LITTLE] * (READ_SIZE // READ_LITTLE)), (1_000_000, [READ_SIZE])):
        one = Always(loop[2], soon)
        threading.Thread(target=loop[0].converse, args=(one,), daemon=True).start()
        wait_for(lambda one=one: sum(one.asked) >= READ_SIZE, "it to be read")  # type: ignore[misc]
        assert one.asked == wanted
        one._soon = 3_600_000_000
        loop[0].wake()


def test_orders_are_heeded_at_once_by_links_that_wait(loop: tuple[EventLoop, Journal, Clock]) -> None:
    one = Line(*loop, every=3600)
    began = time.monotonic()
    one.worker.release()
    wait_for(lambda: not one.worker.is_open, "the port to be free", 5)
    assert time.monotonic() - began < 2
    one.worker.take_back()
    wait_for(lambda: one.worker.is_open, "the port again", 5)
    one.close()
