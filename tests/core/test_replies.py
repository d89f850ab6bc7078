"""Answers of several lines, triggers, Modbus on a shared line, several talkers on one link, errors of the instrument's own."""

import json
import struct

import pytest

from tests.core.test_session import samples
from tidybench.core.compile.link_plan import LinkPlan
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.protocols.modbus import frame, seal
from tidybench.core.setup import SetupError
from tidybench.core.tape.events import GaveUp, Opened, Received, Sent, Start, Tick
from tidybench.core.values.origin import Asked, Heard, Triggered

HEAD = '[instrument]\nid = "{0}"\nname = "{0}"\n{1}[link]\nport = "/dev/x"\n'
CHANNEL = '[[channel]]\nid = "{0}"\nname = "{0}"\nfield = "{1}"\n'


def plan(*texts: str) -> LinkPlan:
    setups = [load(text) for text in texts]
    ids = [channel.id for setup in setups for channel in setup.channel]
    [made] = plan_links(setups, {key: n for n, key in enumerate(ids, 1)})
    return made


def asked(query: str, field: str = "v", framing: str = "") -> str:
    return (
        HEAD.format("i", "")
        + framing
        + '[[query]]\nid = "q"\nsend = "Q\\n"\n'
        + query
        + CHANNEL.format("c", field)
    )


def open_reader(made: LinkPlan) -> LinkReader:
    reader = LinkReader(made)
    reader.feed(Opened(0, {}))
    return reader


def ask(reader: LinkReader, at: int = 1000) -> None:
    reader.feed(Sent(at, b"Q\n", 1, Asked("i", "q")))


LF = '[framing]\nterminator = "\\n"\n'


def test_an_answer_ends_at_its_last_line() -> None:
    reader = open_reader(plan(asked('until = "END"\npatterns = ["<v>", "BUSY <p:int>%"]\n', framing=LF)))
    ask(reader)
    assert samples(reader.feed(Received(2000, b"BUSY 25%\n1.5\n"))) == [(1, "ok", 2000, 1.5)]
    assert (reader.exchange.outstanding, reader.exchange.lines) == (1, 2)
    # What follows the end was not asked for, and END itself is no message that is not understood.
    assert samples(reader.feed(Received(3000, b"2.5\nEND\n3.5\n"))) == [(1, "ok", 2000, 2.5)]
    assert reader.exchange.outstanding == 0
    assert reader.counts.unasked == 3
    assert reader.plan.readers[Asked("i", "q")].counts.not_understood == 0
    ask(reader, 9000)
    reader.feed(Received(9500, b"4.5\n"))
    assert samples(reader.feed(GaveUp(10_000, 1))) == [
        (1, "no-reply", 10_000, pytest.approx(float("nan"), nan_ok=True))
    ]


def test_an_answer_of_so_many_lines_or_until_it_is_quiet() -> None:
    reader = open_reader(plan(asked('lines = 2\npatterns = ["<v>"]\n', framing=LF)))
    ask(reader)
    reader.feed(Received(2000, b"1\n"))
    assert reader.exchange.outstanding == 1
    assert len(samples(reader.feed(Received(2500, b"2\n3\n")))) == 1
    assert reader.exchange.outstanding == 0

    reader = open_reader(plan(asked('quiet_ms = 50\npatterns = ["<v>"]\n', framing=LF)))
    ask(reader)
    assert reader.deadline() is None
    reader.feed(Received(2000, b"1\n"))
    assert reader.deadline() == 52_000
    reader.feed(Received(30_000, b"2"))  # half a line: it is not quiet
    assert reader.deadline() == 80_000
    other = LinkReader(plan(asked('quiet_ms = 50\npatterns = ["<v>"]\n', framing=LF)))
    other.feed(Start(31_000, reader.state()))
    for one in (reader, other):
        one.feed(Tick(79_000))
        assert one.exchange.outstanding == 1
        one.feed(Tick(80_000))
        assert one.exchange.outstanding == 0


def test_a_prompt_ends_an_answer() -> None:
    framing = '[framing]\nterminator = "\\n"\nprompt = "> "\n'
    reader = open_reader(plan(asked('lines = 0\nuntil = "never"\npatterns = ["<v>"]\n', framing=framing)))
    ask(reader)
    # A prompt that is still of before, in one piece with the first line, ends nothing.
    reader.feed(Received(2000, b"> 1\n2\n"))
    assert reader.exchange.outstanding == 1
    reader.feed(Received(2500, b"> "))
    assert reader.exchange.outstanding == 0


def test_an_answer_that_never_ends_is_refused() -> None:
    with pytest.raises(SetupError, match="nothing says when the answer is whole"):
        load(asked('lines = 0\npatterns = ["<v>"]\n'))


def test_the_answer_to_a_trigger_is_not_taken_for_the_reading() -> None:
    made = plan(
        asked('every_s = 1.0\ntrigger = "T\\n"\ntrigger_wait_s = 0.2\npatterns = ["<v>"]\n', framing=LF)
    )
    # The trigger's own answer is not taken for the reading.
    reader = open_reader(made)
    reader.feed(Sent(1000, b"T\n", 0, Triggered("i", "q")))
    assert samples(reader.feed(Received(1100, b"7\n"))) == []
    reader.feed(Sent(2000, b"Q\n", 1, Asked("i", "q")))
    assert samples(reader.feed(Received(2100, b"8\n"))) == [(1, "ok", 2100, 8.0)]


def test_the_instruments_own_error_is_no_reading_and_named() -> None:
    reader = open_reader(plan(asked('patterns = ["<v>"]\nerrors = ["E<code:int> <why:text>"]\n', framing=LF)))
    ask(reader)
    [(_, code, _, _)] = samples(reader.feed(Received(2000, b"E2 RANGE\n")))
    counts = reader.plan.readers[Asked("i", "q")].counts
    assert (code, counts.refusals, counts.last_refusal, counts.not_understood) == (
        "no-reading",
        1,
        "E2 RANGE",
        0,
    )


def modbus(unit: int, kind: str = "rtu") -> str:
    registers = '[[modbus.registers]]\nname = "p"\nat = 0\nholds = "float32"\n[[modbus.registers]]\nname = "n"\nat = 50\n'
    text = (
        HEAD.format(f"u{unit}", "")
        + f'[framing]\nkind = "modbus {kind}"\n[modbus]\nunit = {unit}\nevery_s = 0.5\n{registers}'
    )
    return text + CHANNEL.format(f"u{unit}-p", "p") + CHANNEL.format(f"u{unit}-n", "n")


def test_two_modbus_devices_share_a_line() -> None:
    made = plan(modbus(11), modbus(12))
    assert [q.key.text for q in made.queries] == [
        "u11/modbus-1",
        "u11/modbus-2",
        "u12/modbus-1",
        "u12/modbus-2",
    ]
    assert made.queries[2].data == seal(bytes([12, 3, 0, 0, 0, 2]))
    reader = open_reader(made)
    reply = seal(bytes([12, 3, 4]) + struct.pack(">f", 2.5))
    reader.feed(Sent(1000, made.queries[2].data, 1, made.queries[2].key))
    assert samples(reader.feed(Received(9000, b"\x00" + reply))) == [(3, "ok", 9000, 2.5)]
    reader.feed(Sent(10_000, made.queries[3].data, 2, made.queries[3].key))
    [(channel, code, _, _)] = samples(reader.feed(Received(19_000, seal(bytes([12, 0x83, 2])))))
    assert (channel, code) == (4, "no-reading")
    assert made.readers[Asked("u12", "modbus-2")].counts.last_refusal == "exception 2, illegal data address"
    reader.feed(Sent(20_000, made.queries[2].data, 3, made.queries[2].key))
    [(channel, code, _, _)] = samples(reader.feed(Received(29_000, reply[:-1] + b"\x00")))
    assert (channel, code) == (3, "bad-check")


@pytest.mark.parametrize("kind", ["ascii", "tcp"])
def test_modbus_ascii_and_tcp(kind: str) -> None:
    made = plan(modbus(11, kind))
    query = made.queries[0]
    assert query.data == frame(f"modbus {kind}", 11, bytes([3, 0, 0, 0, 2]))
    reader = open_reader(made)
    reader.feed(Sent(1000, query.data, 1, query.key))
    reply = frame(f"modbus {kind}", 11, bytes([3, 4]) + struct.pack(">f", 2.5))
    assert samples(reader.feed(Received(9000, reply))) == [(1, "ok", 9000, 2.5)]


def talker(key: str, listen: str) -> str:
    text = HEAD.format(key, 'talks = "on its own"\n') + LF + f'[listen]\n{listen}patterns = ["<*>=<v>"]\n'
    return text + CHANNEL.format(key, "v")


def test_talkers_on_one_link_are_told_apart() -> None:
    made = plan(talker("a", 'begins = "A1"\n'), talker("b", 'contains = "id7"\n'), talker("c", ""))
    reader = LinkReader(made)
    reader.feed(Opened(0, {}))
    got = samples(reader.feed(Received(2_000_000, b"A1=1\nx id7=2\nz=3\n")))
    assert [(channel, value) for channel, _, _, value in got] == [(1, 1.0), (2, 2.0), (3, 3.0)]
    reader = LinkReader(plan(talker("a", 'begins = "A1"\n'), talker("b", 'begins = "B1"\n')))
    reader.feed(Opened(0, {}))
    assert samples(reader.feed(Received(2_000_000, b"Z1=3\nB1=4\n"))) == [(2, "ok", 2_000_000, 4.0)]
    assert reader.counts.unasked == 4
    with pytest.raises(SetupError, match="a and b share the port /dev/x and both talk by themselves"):
        plan(talker("a", ""), talker("b", ""))


def test_learnt_names_are_on_the_tape() -> None:
    text = (
        HEAD.format("i", 'talks = "on its own"\n')
        + LF
        + '[listen]\nreader = { kind = "columns", header = true }\n'
        + CHANNEL.format("c", "T")
    )
    first, later = LinkReader(plan(text)), LinkReader(plan(text))
    first.feed(Opened(0, {}))
    first.feed(Received(2_000_000, b"P,T\n"))
    later.feed(Start(3_000_000, first.state()))
    for reader in (first, later):
        assert samples(reader.feed(Received(4_000_000, b"1,2\n"))) == [(1, "ok", 4_000_000, 2.0)]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        (modbus(11).replace('kind = "modbus rtu"', 'terminator = "x"'), r"\[modbus\]: its messages need"),
        (modbus(11).replace('field = "p"', 'field = "x"'), "no number is called “x”"),
        (modbus(11).replace('name = "n"\nat', 'name = "p"\nat'), "register name “p” is used twice"),
        (modbus(11).replace("at = 50", "at = 65536"), r"modbus.registers.2.at"),
        (modbus(11).replace("at = 50", 'at = 50\ntable = "coil"\nholds = "int16"'), "a coil is one bit"),
        (modbus(11).replace("at = 50", 'at = 50\nholds = "bit"'), "say which bit"),
        (modbus(11).replace("at = 50", 'at = 50\ntable = "input"\nwritable = true'), "can only be read"),
        (asked('patterns = ["<v:word>"]\n'), "“v” is a word, no number: give it states"),
        (asked('patterns = ["<v"]\n'), "query “q”: pattern 1: column 1: this “<” is never closed"),
        (asked('errors = ["<v"]\npatterns = ["<v>"]\n'), "error pattern 1"),
        (asked('reader = { kind = "pairs", between = ",", decimal = "," }\n'), "must differ"),
        (asked('reader = { kind = "table" }\n'), "table"),
        (asked('reader = { kind = "nmea", sentences = ["xdr"] }\n'), "sentences"),
    ],
)  # fmt: skip
def test_slips_in_readers_are_sentences(text: str, words: str) -> None:
    with pytest.raises(SetupError, match=words):
        load(text)


def test_an_instrument_called_listen_and_a_listener_called_as_its_query_both_have_their_readers() -> None:
    """Keys were texts split at “/”: the reader of the query “b” of “listen” was the one of the listener “b”."""
    asking = (
        asked('patterns = ["<v>"]\n', framing=LF)
        .replace('id = "i"', 'id = "listen"')
        .replace('id = "q"', 'id = "b"')
    )
    made = plan(
        asking, talker("a", 'begins = "A"\n').replace('id = "v"', 'id = "x"'), talker("b", 'begins = "B"\n')
    )
    assert set(made.readers) == {Asked("listen", "b"), Heard("a"), Heard("b")}
    reader = open_reader(made)
    reader.feed(Sent(2_000_000, b"Q\n", 1, Asked("listen", "b")))
    got = samples(reader.feed(Received(2_100_000, b"1.5\nB=2\nA=3\n")))
    assert [(channel, quality, value) for channel, quality, _, value in got] == [
        (1, "ok", 1.5), (3, "ok", 2.0), (2, "ok", 3.0),
    ]  # fmt: skip


def test_what_two_of_such_learnt_stands_apart_on_the_tape() -> None:
    columns = 'reader = { kind = "columns", header = true }\n'
    asking = asked(columns, "T", LF).replace('id = "i"', 'id = "listen"').replace('id = "q"', 'id = "b"')
    texts = [
        asking,
        HEAD.format("a", 'talks = "on its own"\n')
        + LF
        + '[listen]\nbegins = "A"\n'
        + columns
        + CHANNEL.format("a", "U"),
        HEAD.format("b", 'talks = "on its own"\n')
        + LF
        + '[listen]\nbegins = "B"\n'
        + columns
        + CHANNEL.format("b", "V"),
    ]
    first, later = open_reader(plan(*texts)), LinkReader(plan(*texts))
    first.feed(Sent(1000, b"Q\n", 1, Asked("listen", "b")))
    first.feed(Received(2_000_000, b"P,T\n"))
    first.feed(Received(2_100_000, b"B,V\nA,U\n"))
    later.feed(Start(3_000_000, json.loads(json.dumps(first.state()))))
    for reader in (first, later):
        reader.feed(Sent(3_500_000, b"Q\n", 2, Asked("listen", "b")))
        got = samples(reader.feed(Received(4_000_000, b"1,2\nA5,6\nB3,4\n")))
        assert [(channel, value) for channel, _, _, value in got] == [(1, 2.0), (2, 6.0), (3, 4.0)]
