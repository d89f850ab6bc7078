"""Row `curve`: a sweep of 10 000 rows from bytes to a curve, without a port."""

import io
import time

import numpy as np

from measure.reading import CHUNK, ROUNDS
from measure.result import Result, median
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.curves.gatherer import CurveGatherer
from tidybench.core.curves.piece import CurveEnded, CurveRows
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.tape.events import Opened, Received

ROWS = 10_000
SETUP = """[instrument]
id = "s"
name = "S"
talks = "on its own"
[link]
port = "/dev/x"
baud = 921600
[framing]
terminator = "\\n"
[[curve]]
id = "sweep"
name = "Sweep"
row = "<f>,<g>,<p>"
ends = "END"
x = { field = "f" }
y = [{ field = "g" }, { field = "p" }]
"""


def curve() -> Result:
    """Rows a second that are parsed, as messages that came in pieces as from a port, beside numpy.loadtxt of the same rows; and the same with the
    framing and all else that a byte goes through."""
    data = b"".join(b"%.3f,%.3f,%.2f\n" % (20 + n / 10, -n / 1000, n % 180) for n in range(ROWS))
    made = load(SETUP)
    ours, parsed, theirs = [], [], []
    pieces = [data[at : at + CHUNK].split(b"\n")[1:-1] for at in range(0, len(data), CHUNK)]
    for _ in range(ROUNDS):
        reader = LinkReader(plan_links([made], {})[0])
        reader.feed(Opened(0, {"follows": ""}))
        rows = 0
        began = time.perf_counter()
        for at in range(0, len(data), CHUNK):
            reader.feed(Received(at, data[at : at + CHUNK]))
            rows += sum(len(p.values[0]) for p in reader.take_pieces() if isinstance(p, CurveRows))
        ours.append(rows / (time.perf_counter() - began))
        reader.feed(Received(len(data), b"END\n"))
        [ended] = [p for p in reader.take_pieces() if isinstance(p, CurveEnded)]
        assert (ended.state, rows) == ("complete", ROWS), (ended, rows)
        gatherer = CurveGatherer("s", made.curve[0])
        gatherer.take(b"0,0,0", 0)
        count = 0
        began = time.perf_counter()
        for n, bodies in enumerate(pieces):
            assert gatherer.take_rows(bodies, [n])
            count += len(bodies)
        parsed.append(count / (time.perf_counter() - began))
        began = time.perf_counter()
        table = np.loadtxt(io.BytesIO(data), delimiter=",")
        theirs.append(len(table) / (time.perf_counter() - began))
    value, base, whole = median(parsed), median(theirs), median(ours)
    return Result(
        "curve",
        value,
        "rows/s",
        "0.5 x numpy.loadtxt",
        value >= 0.5 * base,
        {"numpy.loadtxt": base},
        {"numpy.loadtxt": value / base},
        f"{ROWS} rows of three numbers in pieces of {CHUNK} bytes; with framing {whole / base:.2f} x ({whole:,.0f} rows/s)",
    )
