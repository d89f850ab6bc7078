"""Rows `read-four`, `read-eight`, `read-binary`, `hostile`, `propose` and `propose-odd`: from bytes to samples, without a port."""

import csv
import io
import random
import time
from collections.abc import Callable

import numpy as np

from measure.bench import setup
from measure.loops import scripted_stream
from measure.peers import STREAM, peer
from measure.result import Result, median
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.reading.pattern import compile_pattern
from tidybench.core.tape.events import Opened, Received
from tidybench.core.teaching.proposals import propose
from tidybench.core.values.origin import Heard

LINES = 100_000
CHUNK = 4096
ROUNDS = 5


def _lines(fields: int, count: int) -> bytes:
    chance = random.Random(7)
    return b"".join(
        b",".join(b"%.3f" % chance.uniform(-2000, 2000) for _ in range(fields)) + b"\r\n"
        for _ in range(count)
    )


def _ours(data: bytes, fields: int) -> float:
    """Lines a second through framing, pattern and channels, to batches of samples."""
    pattern = ",".join(f"<f{n}>" for n in range(fields))
    text = setup("s", "/dev/x", pattern, end="\r\n").text
    made = load(text)
    reader = LinkReader(plan_links([made], {c.id: n for n, c in enumerate(made.channel)})[0])
    reader.feed(Opened(0, {}))
    begin = 10**12
    began = time.perf_counter()
    for at in range(0, len(data), CHUNK):
        reader.feed(Received(begin + at, data[at : at + CHUNK]))
    seconds = time.perf_counter() - began
    counts = reader.plan.readers[Heard(made.instrument.id)].counts
    assert counts.not_understood == 0
    return counts.understood / seconds


FRAME = 14
"""Bytes: a mark, four 24-bit integers, their sum."""

BINARY = """[instrument]
id = "b"
name = "B"
talks = "on its own"
[link]
port = "/dev/x"
[framing]
kind = "fixed length"
length = 14
start = "\\u00AA"
check = { kind = "sum", written = "high first" }
[listen]
patterns = ["\\\\xAA<a:sint 3><b:sint 3><c:sint 3><d:sint 3>"]
""" + "".join(f'[[channel]]\nid = "{n}1"\nname = "{n}"\nfield = "{n}"\n' for n in "abcd")


def _frames(count: int) -> bytes:
    chance = random.Random(11)
    out = bytearray()
    for _ in range(count):
        body = b"\xaa" + b"".join(
            chance.randrange(-(1 << 23), 1 << 23).to_bytes(3, "big", signed=True) for _ in range(4)
        )
        out += body + bytes([sum(body) & 0xFF])
    return bytes(out)


def _by_hand(data: bytes) -> tuple[float, float]:
    """What a script does with numpy: a view of each frame, its sum, four numbers of it. Frames a second, and their total."""
    total = 0.0
    began = time.perf_counter()
    for at in range(0, len(data), FRAME):
        frame = np.frombuffer(data, np.uint8, FRAME, at)
        if frame[:13].sum() & 0xFF != frame[13]:
            continue
        parts = frame[1:13].reshape(4, 3).astype(np.int32)
        values = parts[:, 0] << 16 | parts[:, 1] << 8 | parts[:, 2]
        values[values >= 1 << 23] -= 1 << 24
        total += float(values.sum())
    return len(data) / FRAME / (time.perf_counter() - began), total


def read_binary() -> Result:
    """Frames of four 24-bit integers with a sum, a second, on one core."""
    data = _frames(60_000)
    made = load(BINARY)
    ours, by_hand = [], []
    for _ in range(ROUNDS):
        reader = LinkReader(plan_links([made], {c.id: n for n, c in enumerate(made.channel)})[0])
        reader.feed(Opened(0, {"follows": ""}))
        total, count = 0.0, 0
        began = time.perf_counter()
        batches = [
            reader.feed(Received(10**12 + at, data[at : at + CHUNK])) for at in range(0, len(data), CHUNK)
        ]
        seconds = time.perf_counter() - began
        for batch in batches:
            total += sum(batch.values) if batch is not None else 0.0
            count += len(batch.values) if batch is not None else 0
        speed, same = _by_hand(data)
        assert (count, total) == (240_000, same)
        ours.append(60_000 / seconds)
        by_hand.append(speed)
    value = median(ours)
    ratio = median([o / h for o, h in zip(ours, by_hand, strict=True)])
    return Result(
        "read-binary", value, "frames/s", "100 000, 0.5 x numpy by hand", value >= 100_000 and ratio >= 0.5,
        {"numpy by hand": median(by_hand)}, {"numpy by hand": ratio},
    )  # fmt: skip


def _chunked(data: bytes) -> float:
    """What a good script does: chunks, split, float, a time stamp, csv.writer."""
    out = io.StringIO()
    writer = csv.writer(out)
    rest, count = b"", 0
    began = time.perf_counter()
    for at in range(0, len(data), CHUNK):
        *lines, rest = (rest + data[at : at + CHUNK]).split(b"\r\n")
        for line in lines:
            writer.writerow([time.time(), *map(float, line.split(b","))])
            count += 1
    return count / (time.perf_counter() - began)


def read_four() -> Result:
    """Lines of four numbers a second on one core."""
    data = _lines(4, LINES)
    ours, chunked = [], []
    for _ in range(ROUNDS):
        ours.append(_ours(data, 4))
        chunked.append(_chunked(data))
    with peer(STREAM, r"+0148.27,12.345,-7.25,1013.2\n", "20000") as (paths, _):
        readline = scripted_stream(paths[0], 20_000)
    value = median(ours)
    to_chunked = median([o / c for o, c in zip(ours, chunked, strict=True)])
    return Result(
        "read-four", value, "lines/s", "15 x readline, 2 x chunked",
        value >= 15 * readline and to_chunked >= 2,
        {"readline": readline, "chunked": median(chunked)}, {"readline": value / readline, "chunked": to_chunked},
    )  # fmt: skip


def read_eight() -> Result:
    """Lines of eight numbers a second on one core."""
    data = _lines(8, LINES // 2)
    ours, chunked = [], []
    for _ in range(ROUNDS):
        ours.append(_ours(data, 8))
        chunked.append(_chunked(data))
    value = median(ours)
    ratio = median([o / c for o, c in zip(ours, chunked, strict=True)])
    return Result(
        "read-eight", value, "lines/s", "2 x chunked", ratio >= 2, {"chunked": median(chunked)}, {"chunked": ratio}
    )  # fmt: skip


HOSTILE_PATTERNS = (
    "<a> <b> <c> <d>;", "<*>;<v>", "<t:text>=<v> <*>", "<w:word> <n>", "<?A=<a>?><?B=<b>?>;<*>Z", "<c[1..200] sep(,)>", "<a over(OL|0L) none(--) flagged(~)>",
)  # fmt: skip
HOSTILE_FILLERS = (b" ", b"1", b";", b"=", b"A", b"1,", b"--", b"0L", b"~ ", b"a=", b"\xff")


def hostile() -> Result:
    """The slowest message of 1 MB, over patterns and fillings, until it is read or refused."""
    worst, which = 0.0, ""
    for source in HOSTILE_PATTERNS:
        pattern = compile_pattern(source)
        for filler in HOSTILE_FILLERS:
            message = filler * (1_000_000 // len(filler))
            seconds = min(_timed(lambda p=pattern, m=message: p.read(m)) for _ in range(3))  # type: ignore[misc]
            if seconds > worst:
                worst, which = seconds, f"{source} of {filler!r}"
    walked = min(_timed(lambda: b"a" * 1_000_000 in b"ab" * 500_000) for _ in range(3))
    return Result(
        "hostile", worst * 1000, "ms (1 MB)", "50 ms", worst <= 0.05,
        {"find": walked * 1000}, {"find": worst / max(walked, 1e-9)}, f"slowest: {which}",
    )  # fmt: skip


def propose_200() -> Result:
    """A proposal from 200 messages."""
    chance = random.Random(3)
    kinds: dict[str, Callable[[], bytes]] = {
        "label": lambda: b"FL=%+08.2f L/min OK" % chance.uniform(0, 200),
        "columns": lambda: b",".join(b"%.2f" % chance.random() for _ in range(8)),
        "pairs": lambda: b";".join(chance.sample([b"T=%d" % chance.randrange(9999), b"P=1,5", b"L=0,25"], 3)),
        "noise": lambda: bytes(chance.randrange(256) for _ in range(60)),
    }
    worst, which = 0.0, ""
    for name, make in kinds.items():
        messages = [make() for _ in range(200)]
        seconds = min(_timed(lambda m=messages: propose(m)) for _ in range(3))  # type: ignore[misc]
        if seconds > worst:
            worst, which = seconds, name
    baseline = _timed(lambda: [m.split(b",") for m in messages])
    return Result(
        "propose", worst * 1000, "ms", "300 ms", worst <= 0.3, {"split": baseline * 1000}, {"split": worst / max(baseline, 1e-9)},
        f"slowest: {which}",
    )  # fmt: skip


def _timed(act: Callable[[], object]) -> float:
    began = time.perf_counter()
    act()
    return time.perf_counter() - began


def propose_odd() -> Result:
    """A proposal from 200 messages of random bytes: quickly none."""
    chance = random.Random(17)
    messages = [bytes(chance.randrange(256) for _ in range(chance.randrange(5, 90))) for _ in range(200)]
    outcome = propose(messages)
    assert not outcome.proposals
    assert outcome.needs
    worst = max(_timed(lambda: propose(messages)) for _ in range(5))
    baseline = _timed(lambda: [m.split(b",") for m in messages])
    return Result(
        "propose-odd", worst * 1000, "ms", "300 ms", worst <= 0.3, {"split": baseline * 1000}, {"split": worst / max(baseline, 1e-9)}
    )  # fmt: skip
