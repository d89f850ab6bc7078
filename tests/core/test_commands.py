"""Commands of a set-up: what is sent, what may be typed, what comes of it."""

import re
from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import setup_text
from tidybench.core.acting.act import STALE, InstrumentAct
from tidybench.core.compile.command import CommandError, CompiledCommand, compile_command
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links, same_work
from tidybench.core.exchange.link_talk import LinkTalk
from tidybench.core.framing import make_check, make_framer
from tidybench.core.protocols.modbus import seal
from tidybench.core.setup import Setup, SetupError
from tidybench.core.tape.events import CommandEnded, CommandGiven, Event, Opened, Received, Sent
from tidybench.core.values.origin import Acting, origin_of

SETUP = r"""
format = 1

[instrument]
id = "kiln"
name = "Kiln"

[link]
port = "COM9"

[framing]
terminator = "\r"

[[query]]
id = "temp"
send = "T?\r"
patterns = ["T=<temp>"]
errors = ["E<code:int>"]

[[channel]]
id = "kiln-temp"
name = "Kiln"
field = "temp"
unit = "°C"

[[command]]
id = "target"
name = "Set target"
send = "TS <target:number 6.1>\r"
patterns = ["TS OK <target>"]
argument = [{ field = "target", unit = "°C", lowest = 20, highest = 1250, default = 500 }]

[[command]]
id = "label"
name = "Write label"
send = "LB \"<text:text>\"\r"
patterns = ["OK"]

[[command]]
id = "mode"
name = "Mode"
send = "MD <mode:word>\r"
argument = [{ field = "mode", name = "Mode", choices = ["HEAT", "HOLD", "COOL"], default = "HOLD" }]
"""


def setup(more: str = "") -> Setup:
    return load(SETUP + more)


def command(which: str, text: str = SETUP) -> CompiledCommand:
    made = load(text)
    return compile_command(made, next(one for one in made.command if one.id == which))


def sent(which: str, **values: float | str) -> bytes:
    compiled = command(which)
    return compiled.data(compiled.values(values))


def test_arguments_become_bytes() -> None:
    assert sent("target", target=850.5) == b"TS 0850.5\r"
    assert sent("target") == b"TS 0500.0\r"
    assert sent("mode", mode="COOL") == b"MD COOL\r"
    assert sent("label", text="batch 7") == b'LB "batch 7"\r'


@pytest.mark.parametrize(
    ("which", "values", "sentence"),
    [
        ("target", {"target": 19.9}, "target is 19.9 °C: the lowest it can be is 20 °C."),
        ("target", {"target": 1250.1}, "target is 1250.1 °C: the highest it can be is 1250 °C."),
        ("target", {"target": 20.05}, "target is 20.05: it is sent with 1 digit behind the point."),
        ("target", {"goal": 1.0}, "“Set target” has no argument “goal”."),
        ("target", {"target": "hot"}, "target wants a number; 'hot' is none."),
        ("label", {}, "Give a value for text."),
        ("mode", {"mode": "MELT"}, "Mode is MELT: it can be HEAT, HOLD or COOL."),
    ],
)
def test_what_cannot_be_sent_is_said(which: str, values: dict[str, float | str], sentence: str) -> None:
    with pytest.raises(CommandError) as error:
        sent(which, **values)
    assert str(error.value) == sentence


@pytest.mark.parametrize("text", ["a\rTS 1250.0", "a\nb", "a;b", 'a" "b', "a\0", "a\x7f", "\x03"])
def test_an_argument_never_lets_a_second_command_through(text: str) -> None:
    with pytest.raises(CommandError, match="may not have"):
        sent("label", text=text)


@given(st.text(max_size=30))
def test_whatever_is_typed_one_command_goes_out(text: str) -> None:
    compiled = command("label")
    try:
        data = compiled.data(compiled.values({"text": text}))
    except CommandError:
        return
    assert data.startswith(b'LB "')
    assert data.endswith(b'"\r')
    body = data[4:-2]
    assert not any(byte in body for byte in b'\r\n;"\0')


@pytest.mark.parametrize(
    ("more", "sentence"),
    [
        ('[[command]]\nid = "a"\nname = "A"\n', "give what is sent (send), or the register that is written"),
        ('[[command]]\nid = "a"\nname = "A"\nsend = "A <b"\n', "command “A”: column 3"),
        ('[[command]]\nid = "mode"\nname = "A"\nsend = "A"\n', "the id “mode” is used twice"),
        ('[[command]]\nid = "a"\nname = "A"\nwrites = "zero"\n', "the register map has no register “zero”"),
        (
            '[[command]]\nid = "a"\nname = "A"\nsend = "A <b>"\nargument = [{ field = "c" }]\n',
            "no field of what is sent is called “c” (there are: b)",
        ),
        (
            '[[command]]\nid = "a"\nname = "A"\nsend = "A <b>"\nargument = [{ field = "b", lowest = 3, highest = 2 }]\n',
            "b: the lowest value is above the highest",
        ),
        (
            '[[command]]\nid = "a"\nname = "A"\nsend = "A <b:number 4.1>"\nargument = [{ field = "b", highest = 1000 }]\n',
            "1000 is too long for b",
        ),
        (
            '[[command]]\nid = "a"\nname = "A"\nsend = "A <b>"\nargument = [{ field = "b", lowest = 1, default = 0 }]\n',
            "the default of b is 0: the lowest it can be is 1",
        ),
    ],
)
def test_a_set_up_whose_commands_cannot_be_is_refused(more: str, sentence: str) -> None:
    with pytest.raises(SetupError) as error:
        setup(more)
    assert sentence in str(error.value)


def test_commands_are_no_work_of_a_link() -> None:
    """A button that is added must not reopen the port."""
    assert same_work([setup()], [setup('[[command]]\nid = "a"\nname = "A"\nsend = "A\\r"\n')])


# ---- on a link


class Bench:
    """A link without a port: what is said is carried out at once, in steps of a millisecond."""

    def __init__(self, made: Setup) -> None:
        self.setup, self.now, self.events = made, 1_000_000, list[Event]()
        self.talk = LinkTalk(plan_links([made], {"kiln-temp": 1})[0], self.now)
        self._feed([Opened(self.now, {})])
        self.talk.opened(self.now)
        self.number = 0

    def _feed(self, events: list[Event] | list[Received]) -> None:
        for event in events:
            self.events.append(event)
            self.talk.feed(event)

    def give(self, which: str, **values: float | str) -> InstrumentAct:
        self.number += 1
        part = next(one for one in self.setup.command if one.id == which)
        act = InstrumentAct(compile_command(self.setup, part), self.number, values, "M. Okafor", self.now)
        self.talk.enqueue([act.command()])
        return act

    def passes(self, ms: int, answers: Callable[[bytes], bytes] = lambda _: b"", after: int = 5) -> None:
        """Time goes by; each thing that is sent is answered `after` so many milliseconds."""
        due: list[tuple[int, bytes]] = []
        for _ in range(ms):
            self.now += 1000
            if self.talk.may_speak and (at := self.talk.deadline()) is not None and at <= self.now:
                said = self.talk.speak(self.now)
                self._feed(said)
                for event in said:
                    if isinstance(event, Sent) and (answer := answers(event.data)):
                        due.append((self.now + after * 1000, answer))
            for at, data in [one for one in due if one[0] <= self.now]:
                due.remove((at, data))
                self._feed(self.talk.received(data, self.now))
            self._feed(self.talk.stop_waiting(self.now))

    def told(self, *kinds: type) -> list[Event]:
        return [event for event in self.events if isinstance(event, kinds)]


def polled(data: bytes) -> bytes:
    return b"T=+020.0\r" if data == b"T?\r" else b""


def answering(query: bytes, answer: bytes) -> Callable[[bytes], bytes]:
    return lambda data: answer if data == query else polled(data)


def test_a_command_goes_between_polls_with_its_line_before_it() -> None:
    bench = Bench(setup())
    bench.passes(100, polled)
    act = bench.give("target", target=850.0)
    bench.passes(200, answering(b"TS 0850.0\r", b"TS OK 0850.0\r"))
    given, out, ended = bench.told(CommandGiven, Sent, CommandEnded)[-3:]
    assert isinstance(given, CommandGiven)
    assert (given.instrument, given.command, given.values) == ("kiln", "target", {"target": 850.0})
    assert given.by == "M. Okafor"
    assert out == Sent(given.at, b"TS 0850.0\r", 0, Acting("kiln", "target", 1))
    assert origin_of(Acting("kiln", "target", 1).text, False) == Acting("kiln", "target", 1)
    assert isinstance(ended, CommandEnded)
    assert (ended.outcome, ended.fields) == ("answered", {"target": 850.0})
    assert ended.words == "answered “TS OK 0850.0”"
    assert ended.at == out.at + 5000, "what was waited for ends it at once"
    assert act.ended is ended


@pytest.mark.parametrize(
    ("answer", "outcome", "words"),
    [
        (b"E7\r", "refused", "refused with “E7”"),
        (b"??\r", "not understood", "answered “??”, which is none of the answers it can have"),
        (b"", "no answer", "no answer within 1 s: it is not known whether it was done"),
        (b"T=+020.0\rTS OK 0850.0\r", "answered", "answered “TS OK 0850.0”"),
    ],
)
def test_what_comes_of_it(answer: bytes, outcome: str, words: str) -> None:
    bench = Bench(setup())
    act = bench.give("target", target=850)
    bench.passes(1300, answering(b"TS 0850.0\r", answer))
    assert act.ended is not None
    assert (act.ended.outcome, act.ended.words) == (outcome, words)


def test_where_nothing_need_come_a_refusal_is_seen_all_the_same() -> None:
    bench = Bench(setup())
    quiet, refused = bench.give("mode"), bench.give("mode", mode="HEAT")
    bench.passes(900, answering(b"MD HEAT\r", b"E3\r"))
    assert quiet.ended is not None
    assert quiet.ended.outcome == "sent"
    assert refused.ended is not None
    assert refused.ended.words == "refused with “E3”"


def test_the_error_queue_is_asked_until_it_is_empty() -> None:
    made = load(SETUP.replace("[[query]]", '[error_queue]\nsend = "ERR?\\r"\n\n[[query]]', 1))
    bench = Bench(made)
    queue = [b'0,"No error"\r', b'-222,"Data out of range"\r', b'-113,"Undefined header"\r']

    def answers(data: bytes) -> bytes:
        return queue.pop() if data == b"ERR?\r" else b"TS OK 0850.0\r" if data[:2] == b"TS" else polled(data)

    act = bench.give("target", target=850)
    bench.passes(500, answers)
    assert act.ended is not None
    assert act.ended.outcome == "refused"
    assert act.ended.words == (
        'answered “TS OK 0850.0”; its error queue says “-113,"Undefined header"” / “-222,"Data out of range"”'
    )
    assert queue == []


def test_nothing_goes_out_that_nobody_expects_any_more() -> None:
    bench = Bench(setup())
    act = bench.give("target", target=850)
    bench.now += STALE
    bench.passes(10)
    assert act.ended is not None
    assert act.ended.outcome == "not sent"
    assert not [event for event in bench.told(Sent) if event.origin == Acting("kiln", "target", 1)]


def test_a_register_is_written_and_the_device_says_so() -> None:
    text = (
        setup_text("pressure-pair-discharge") + '\n[[command]]\nid = "tare"\nname = "Tare"\nwrites = "zero"\n'
    )
    compiled = command("tare", text)
    data = compiled.data(compiled.values({"value": 1}))
    assert data == bytes.fromhex("0c 05 00 00 ff 00 8d 27") == seal(bytes.fromhex("0c 05 00 00 ff 00"))
    assert compiled.came_to(data, [data]).outcome == "answered"
    refused = seal(bytes.fromhex("0c 85 02"))
    assert compiled.came_to(data, [refused]).words == "refused: exception 2, illegal data address"
    assert compiled.came_to(data, [seal(bytes.fromhex("0b 05 00 00 ff 00"))]).outcome == "not understood"
    with pytest.raises(CommandError, match="0 or 1; 2 is neither"):
        compiled.data({"value": 2})


@pytest.mark.parametrize("value", [float("nan"), float("inf"), -float("inf")])
def test_what_is_no_number_never_goes_into_a_register(value: float) -> None:
    """A float register takes it, and a range does not notice it: both comparisons are false."""
    text = setup_text("pressure-pair-discharge").replace(
        'table = "coil"\nwritable', 'holds = "float32"\nwritable'
    )
    compiled = command("zero", text.replace("choices = [1, 0], default = 1", "lowest = 0, highest = 1"))
    with pytest.raises(CommandError, match="Zero is no number"):
        compiled.data(compiled.values({"value": value}))


CHECKS = {
    "nmea": ('terminator = "\\r\\n"\ncheck = "nmea"', "$KTS,<to:number 4.0>\\r\\n", b"$KTS,0400*64\r\n"),
    "xor": ('terminator = "\\r"\ncheck = "xor hex"', "TS <to:number 4.0>\\r", b"TS 040023\r"),
    "sum after a slash": (
        'terminator = "\\r"\ncheck = { kind = "sum", before = "/" }',
        "TS <to:number 4.0>\\r",
        b"TS 0400/8B\r",
    ),
    "either end": ('terminator = "either"\ncheck = "xor hex"', "TS <to:number 4.0>\\r\\n", b"TS 040023\r\n"),
    "between marks": (
        'kind = "between marks"\nstart = "\\u0002"\nend = "\\u0003"\ncheck = { kind = "lrc" }',
        "\\u0002TS <to:number 4.0>\\u0003",
        b"\x02TS 040075\x03",
    ),
    "behind the end mark": (
        'kind = "between marks"\nstart = "\\u0002"\nend = "\\u0003"\nbehind = 1\n'
        'check = { kind = "xor", written = "high first", covers_before = true }',
        "\\u0002TS <to:number 4.0>\\u0003",
        b"\x02TS 0400\x03\x20",
    ),
}


@pytest.mark.parametrize("which", CHECKS)
def test_what_is_sent_has_check_characters_as_replies_have(which: str) -> None:
    """Worked out by hand; and what the framer and the check of the replies make of it is the command again."""
    framing, send, sent = CHECKS[which]
    made = load(
        SETUP.split("[framing]")[0]
        + f"[framing]\n{framing}\n"
        + '[[query]]\nid = "temp"\nsend = "T?\\r"\npatterns = ["T=<temp>"]\n'
        + f'[[command]]\nid = "to"\nname = "To"\nsend = "{send}"\nwith_check = true\n'
        + '[[channel]]\nid = "kiln-temp"\nname = "Kiln"\nfield = "temp"\n'
    )
    compiled = compile_command(made, made.command[0])
    assert compiled.data({"to": 400.0}) == sent
    framer, check = make_framer(made.framing, 0), make_check(made.framing)
    framer.opened(0, whole=True)
    [body] = framer.feed(sent, 1000).bodies
    assert check is not None
    assert check(body) is not None
    assert b"0400" in check(body)  # type: ignore[operator]
    assert check(body.replace(b"0400", b"0500")) is None


@pytest.mark.parametrize(
    ("framing", "send", "why"),
    [
        ('terminator = "\\r"', "TS <to>\\r", "the messages have no check characters: give them in the framing first"),
        ('terminator = "\\r"\ncheck = "xor hex"', "TS <to>\\n", "what is sent ends with CR, as replies do"),
        ('kind = "between marks"\nstart = "<"\nend = ">"\ncheck = "xor hex"', "TS <to>\\r", "what is sent stands between the same marks as replies"),
    ],
)  # fmt: skip
def test_check_characters_that_replies_do_not_have_are_said(framing: str, send: str, why: str) -> None:
    text = (
        SETUP.split("[framing]")[0]
        + f"[framing]\n{framing}\n"
        + f'[[command]]\nid = "to"\nname = "To"\nsend = "{send}"\nwith_check = true\n'
        + '[[query]]\nid = "temp"\nsend = "T?\\r"\npatterns = ["T=<temp>"]\n'
        + '[[channel]]\nid = "kiln-temp"\nname = "Kiln"\nfield = "temp"\n'
    )
    with pytest.raises(ValueError, match=re.escape(why)):
        load(text)


def test_no_text_ends_a_message_between_marks_and_begins_another() -> None:
    text = (
        SETUP.split("[framing]")[0]
        + '[framing]\nkind = "between marks"\nstart = "{"\nend = "}"\n'
        + '[[command]]\nid = "label"\nname = "Label"\nsend = "{LB <text:text>}"\n'
        + '[[query]]\nid = "temp"\nsend = "{T?}"\npatterns = ["T=<temp>"]\n'
        + '[[channel]]\nid = "kiln-temp"\nname = "Kiln"\nfield = "temp"\n'
    )
    made = load(text)
    compiled = compile_command(made, made.command[0])
    assert compiled.data({"text": "batch 7"}) == b"{LB batch 7}"
    for bad in ("7}{ON", "7}", "{7"):
        with pytest.raises(CommandError, match="may not have"):
            compiled.data({"text": bad})
