"""A coverage-guided fuzzer of framers, readers, patterns and proposals: python -m tests.fuzz [SECONDS] [SEED].

Inputs that reach lines of the core no input reached before are kept and changed further. It looks for an
exception out of the core, for memory that grows, and for numbers where the message had none. What it finds
is printed as a line of Python to make a test of; the exit code is then 1.
"""

import random
import re
import sys
import time
from collections.abc import Callable
from types import FrameType
from typing import Any

from tidybench.core.framing import make_framer
from tidybench.core.framing.check import CHECKERS
from tidybench.core.reading.form import Form, Learns
from tidybench.core.reading.forms import make_forms
from tidybench.core.reading.pattern import PatternError, compile_pattern
from tidybench.core.setup.framing import CountPart, FramingPart
from tidybench.core.setup.talk import ListenPart
from tidybench.core.teaching.proposals import propose

FRAMINGS = [
    FramingPart(terminator="\r\n", prompt="> "),
    FramingPart(terminator="either"),
    FramingPart(kind="between marks", start="BM{", end="}"),
    FramingPart(kind="fixed length", length=5, start="#"),
    FramingPart(kind="silence"),
    FramingPart(kind="counted", start="#", count=CountPart(at=1, size=2, written="decimal")),
    FramingPart(kind="ieee 488.2", terminator="\n"),
    FramingPart(kind="modbus rtu"),
    FramingPart(kind="modbus ascii"),
    FramingPart(kind="modbus tcp"),
]
READERS: list[dict[str, Any]] = [
    {"kind": "columns", "header": True},
    {"kind": "pairs", "decimal": ",", "none": ["--"]},
    {"kind": "nmea", "sentences": ["XDR", "DBT"]},
    {"kind": "scpi", "names": ["a", "b"]},
    {"kind": "json"},
    {"kind": "block", "numbers": "float32", "most": 2},
    {"kind": "block", "numbers": "text"},
]
PATTERNS = [
    "FL=<flow none(--) over(OL|0L) flagged(~) [L/min]> <u:unit(mL/min|L/min)>", "<a 6.3><* 2><b:hex>;<?T=<t decimal(,)>?>", "<ch[1..4] sep(,)> <*>!<t:text>",
]  # fmt: skip
SEEDS = [
    b"FL=+0148.27 L/min\r\n", b"BM{V=1.5;S=0A;2C}", b"$YXXDR,C,18.4,C,WATER*1F\r\n", b"T=1;P=2,5;L=--\r\n", b"#15abcde\n", b"+1.5E3,9.9E37\n",
    b'{"a": {"b": [1, null]}}\r\n', b"\x0b\x03\x04\x12\x34\x56\x78\x00\x00", b":0103006B00038E\r\n", b"\0\1\0\0\0\5\1\3\2\0\1", b"SPEED,TORQUE\r\n1,2\r\n",
]  # fmt: skip
WORDS = [
    b"1.5",
    b"-",
    b"--",
    b"OL",
    b",",
    b";",
    b"=",
    b"#0",
    b"#9999999999",
    b"1e999",
    b"NaN",
    b"\r\n",
    b"\x00",
    b"\xff" * 3,
    b"{" * 50,
    b" " * 20,
    "٣".encode(),
]


def _forms() -> list[Form]:
    made = [make_forms(ListenPart.model_validate({"reader": reader}), "latin-1")[0] for reader in READERS]
    return [*made, *(compile_pattern(source, "latin-1") for source in PATTERNS)]


def check(data: bytes, chance: random.Random) -> None:
    """Everything that takes bytes takes these; raises AssertionError, or what the core raised."""
    for framing in FRAMINGS:
        framer = make_framer(framing, 100.0)
        framer.opened(0, whole=chance.random() < 0.5)
        at = 0
        while at < len(data):
            size = chance.randint(1, 40)
            cut = framer.feed(data[at : at + size], 1_000_000 + at * 100)
            assert len(cut.bodies) == len(cut.times)
            at += size
        framer.passed(10**12)
        assert framer.pending <= 70_000, (framing.kind, framer.pending)
        framer.restore(framer.state())
    for checker in CHECKERS.values():
        checker(data)
    for form in _forms():
        if isinstance(form, Learns):
            form.learn(data)
        got = form.read(data)
        if isinstance(got, dict):
            for quality, value in got.values():
                if isinstance(value, float) and quality.measured:
                    assert value == value, (form, data)
                    assert (
                        re.search(rb"\d|true|false", data) or b"#" in data or re.search(rb"[0-9A-Fa-f]", data)
                    ), (form, data)
    propose([data, *data.split(b"\n")][:20])
    try:
        pattern = compile_pattern(data.decode("latin-1")[:200], "latin-1")
    except PatternError:
        return
    pattern.read(data)


def changed(data: bytes, chance: random.Random, corpus: list[bytes]) -> bytes:
    """One of the usual changes."""
    at, to = sorted((chance.randint(0, len(data)), chance.randint(0, len(data))))
    kind = chance.randrange(5)
    if kind == 0:
        return data[:at] + bytes([chance.randrange(256)]) + data[at + 1 :]
    if kind == 1:
        return data[:at] + chance.choice(WORDS) + data[at:]
    if kind == 2:
        return data[:at] + data[to:]
    if kind == 3:
        return data[:to] + data[at:to] * chance.randint(1, 6) + data[to:]
    return data[:at] + chance.choice(corpus)[-200:]


def reached(act: Callable[[], None]) -> set[tuple[str, int]]:
    """The lines of the core that an action runs through."""
    seen: set[tuple[str, int]] = set()

    def trace(frame: FrameType, event: str, _: object) -> Any:
        name = frame.f_code.co_filename
        if "tidybench/core" not in name:
            return None
        if event == "line":
            seen.add((name, frame.f_lineno))
        return trace

    sys.settrace(trace)
    try:
        act()
    finally:
        sys.settrace(None)
    return seen


def run(seconds: float, seed: int) -> int:
    """Fuzz for so long; gives the number of faults found."""
    chance = random.Random(seed)
    corpus, seen, faults, tried = list(SEEDS), set[tuple[str, int]](), 0, 0
    until = time.monotonic() + seconds
    while time.monotonic() < until and faults < 5:
        data = corpus[tried] if tried < len(SEEDS) else changed(chance.choice(corpus), chance, corpus)[:4000]
        tried += 1
        try:
            lines = reached(lambda data=data: check(data, random.Random(1)))  # type: ignore[misc]
        except Exception as error:
            faults += 1
            print(f"{type(error).__name__}: {error}\n    check({data!r}, random.Random(1))")
            continue
        if lines - seen:
            seen |= lines
            corpus.append(data)
    print(f"{tried} inputs, {len(corpus)} kept, {len(seen)} lines of the core reached, {faults} faults")
    return faults


if __name__ == "__main__":
    sys.exit(
        1
        if run(
            float(sys.argv[1]) if len(sys.argv) > 1 else 60.0, int(sys.argv[2]) if len(sys.argv) > 2 else 1
        )
        else 0
    )
