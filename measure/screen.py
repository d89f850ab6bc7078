"""Rows `frames`, `frames-128`, `window-30d`, `pixel-latency` and `page-memory`: what a person sees, and how soon."""

import http.server
import tempfile
import threading
import time
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path

import psycopg

from measure.bench import setup
from measure.browser import browser, build_page
from measure.peers import COUNTING, peer
from measure.result import Result, median, percentile
from measure.stack import stack

DAY = 86_400_000_000
MONTH = 30 * DAY
ROUNDS, EACH = 6, 50
HOURS = 2


@contextmanager
def _page() -> Iterator[str]:
    """The measuring page by itself, from a server of its own; gives its address."""
    with tempfile.TemporaryDirectory() as folder:
        build_page(Path(folder))
        handler = partial(_Quiet, directory=folder)
        server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), handler)
        threading.Thread(target=server.serve_forever, daemon=True).start()
        try:
            yield f"http://127.0.0.1:{server.server_address[1]}/"
        finally:
            server.shutdown()
            server.server_close()


class _Quiet(http.server.SimpleHTTPRequestHandler):
    def log_message(self, format: str, *args: object) -> None:
        pass


def frames() -> Result:
    """Sixteen channels at 20 Hz in eight lanes over an hour, drawn 300 times, beside bare charts of the same data."""
    script, bare, found = _drawn("", EACH)
    ratio = _frame_ratio(found)
    return Result(
        "frames",
        script,
        "ms (95 %)",
        "script of a draw at most 1.3 x bare charts; frames at most 1.1 x",
        script / bare <= 1.3 and ratio <= 1.1,
        {"bare charts": bare},
        {"bare charts": script / bare},
        _frame_note(found),
    )


def frames_many() -> Result:
    """128 channels of 32 stations at 10 Hz in four lanes over five minutes, beside bare charts of the same pixels."""
    script, bare, found = _drawn("?many", 10)
    ratio = _frame_ratio(found)
    return Result(
        "frames-128",
        ratio,
        "x (frames)",
        "frames at most 1.2 x bare charts",
        ratio <= 1.2,
        {"bare charts": bare},
        {"bare charts": script / bare},
        _frame_note(found),
    )


def _drawn(scene: str, each: int) -> tuple[float, float, dict[str, list[float]]]:
    """A scene of the measuring page: what 95 % of the draws take at most in script, ours and bare, and every one."""
    with _page() as address, browser(address + scene) as driver:
        time.sleep(2)
        found = driver.execute_async_script(
            f"const done = arguments[0]; measured.frames({ROUNDS}, {each}).then(done)"
        )
    return percentile(found["ours"], 0.95), percentile(found["bare"], 0.95), found


def _frame_ratio(found: dict[str, list[float]]) -> float:
    return sum(found["ourFrames"]) / sum(found["bareFrames"])


def _frame_note(found: dict[str, list[float]]) -> str:
    mean = sum(found["ourFrames"]) / len(found["ourFrames"])
    return f"frames {mean:.1f} ms, {_frame_ratio(found):.2f} x bare; median {median(found['ours']):.1f} ms"


def page_memory() -> Result:
    """The page's heap after two more hours of sixteen channels at 20 Hz, time sped up, beside after the first."""
    heap = "gc(); return performance.memory.usedJSHeapSize"
    with _page() as address, browser(address) as driver:
        time.sleep(2)
        held = []
        for _ in range(HOURS + 1):
            driver.execute_async_script("const done = arguments[0]; measured.pass(1).then(done)")
            time.sleep(1)
            held.append(driver.execute_script(heap) / 2**20)
    growth = held[-1] / held[0]
    return Result(
        "page-memory",
        held[-1],
        "MB",
        "flat: at most 1.05 x after an hour more",
        growth <= 1.05,
        {"after the first hour": held[0]},
        {"after the first hour": growth},
        ", ".join(f"{one:.0f}" for one in held) + " MB, hour by hour",
    )


SUMMARIES = """
INSERT INTO summary (run_id, number, width, start, count, measured, minimum, maximum, total, worst)
SELECT %(run)s, n, %(width)s, %(start)s + i * %(width)s::bigint, 600, 600, 5 - random(), 5 + random(), 3000, 0
FROM generate_series(1, 16) AS n, generate_series(0::bigint, %(count)s) AS i
"""


def _fill(url: str, bench: int, start: int) -> None:
    """A run of 30 days with 16 channels, as its summaries; of the finest ones a day."""
    run = str(uuid.uuid4())
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute(
            "INSERT INTO run (id, bench_id, name, item, operator, row_rule, begun_at, ended_at, status, reason, folder, csv, "
            "followed, complete, counts, repairs) VALUES (%s, %s, 'm', '', '', 'steady rows', %s, %s, 'ended', '', '', '', 0, "
            "true, '{}', '[]')",
            (run, bench, start, start + MONTH),
        )
        for number in range(1, 17):
            connection.execute(
                "INSERT INTO run_channel (run_id, number, position, key, name, unit, instrument, decimals, interval_s) "
                "VALUES (%s, %s, %s, %s, 'c', 'V', 'm', 2, 1)",
                (run, number, number, f"m-v{number}"),
            )
        for width, span in ((10_000_000, DAY), (600_000_000, MONTH), (14_400_000_000, MONTH)):
            values = {"run": run, "width": width, "start": start // width * width, "count": span // width}
            connection.execute(SUMMARIES, values)
        connection.execute("ANALYZE summary")


OURS = "const [start, end, done] = arguments; measured.month(start, end).then(done)"
BARE = "const [start, end, done] = arguments; measured.bareMonth(start, end).then(done)"


def window_30d() -> Result:
    """A month of sixteen channels: from the request until it is painted, in turn with a bare fetch into bare charts. Beside it, the database's part alone."""
    pattern = ",".join(f"<v{n}>" for n in range(1, 17))
    with tempfile.TemporaryDirectory() as folder:
        build_page(Path(folder))
        quiet = setup("m", "nowhere", pattern)
        with stack([quiet], Path(folder)) as bench:
            end = time.time_ns() // 1000
            with psycopg.connect(bench.database, autocommit=True) as connection:
                [found] = connection.execute("SELECT id FROM bench").fetchone() or [1]
            _fill(bench.database, found, end - MONTH)
            with browser(bench.page) as driver:
                time.sleep(2)
                shown = (end - MONTH) / 1000, end / 1000
                rounds = [
                    [driver.execute_async_script(script, *shown) for script in (OURS, BARE)]
                    for _ in range(12)
                ]
    times, bares = ([one[place] for one in rounds[2:]] for place in (0, 1))
    bare = median(bares)
    drawn = median([one["drawn"] for one in times])
    fetched = median([one["fetched"] for one in times])
    return Result(
        "window-30d",
        drawn,
        "ms",
        "at most 1.5 x a bare fetch into bare charts",
        drawn <= 1.5 * bare and times[0]["points"] > 10_000,
        {"bare": bare, "fetched": fetched},
        {"bare": drawn / bare, "fetched": drawn / fetched},
        f"{times[0]['points']:,.0f} points of 16 channels; worst {max(one['drawn'] for one in times):.0f} ms",
    )


WATCH = """
window.seen = [];
const cell = document.querySelector("[data-testid='readout-m v'] .digits");
new MutationObserver(() => {
  const text = cell.textContent;
  requestAnimationFrame(() => requestAnimationFrame((at) => window.seen.push([Number(text), performance.timeOrigin + at])));
}).observe(cell, { childList: true, characterData: true, subtree: true });
"""

ONE_DIGIT = """
window.seen = [];
document.body.innerHTML = "<p style='font-size: 40px'></p>";
const cell = document.querySelector("p");
const socket = new WebSocket(`ws://${location.host}/api/live`);
socket.binaryType = "arraybuffer";
socket.onmessage = ({ data }) => {
  if (typeof data === "string" || data.byteLength < 24) return;
  const value = new DataView(data).getFloat64(data.byteLength - 8, true);
  cell.textContent = value.toFixed(2);
  requestAnimationFrame(() => requestAnimationFrame((at) => window.seen.push([value, performance.timeOrigin + at])));
};
"""
"""A page that paints one number of the same socket, and nothing else."""

FRAME_MS = 1000 / 60
TURNS, TURN_S = 3, 10.0


def pixel_latency() -> Result:
    """From a reply's last byte until the frame that shows its digits has been painted; in turn with a bare page on the same socket."""
    seen: dict[str, list[tuple[float, float]]] = {WATCH: [], ONE_DIGIT: []}
    with (
        peer(COUNTING) as (paths, process),
        stack([setup("m", paths[0], "<v>", query="V?\n", every=0.1)]) as bench,
        browser(bench.page) as driver,
    ):
        for _ in range(TURNS):
            for script, address in ((WATCH, bench.page), (ONE_DIGIT, bench.blank)):
                driver.get(address)
                time.sleep(3)
                driver.execute_script(script)
                time.sleep(TURN_S)
                seen[script] += [(one[0], one[1]) for one in driver.execute_script("return window.seen")]
        process.kill()
        assert process.stdout is not None
        rows = [line.split() for line in process.stdout.read().splitlines()]
        sent = {int(number): int(at) / 1e6 for number, at in rows}
    late, bare = (
        sorted(at - sent[int(number)] for number, at in found if int(number) in sent)
        for found in seen.values()
    )
    share, beside = percentile(late, 0.95), percentile(bare, 0.95)
    return Result(
        "pixel-latency",
        share,
        "ms (95 %)",
        "at most two frames more than a bare page on the same socket",
        share <= beside + 2 * FRAME_MS and min(len(late), len(bare)) > 100,
        {"bare page": beside},
        {"bare page": share / beside},
        f"median {median(late):.0f} ms beside {median(bare):.0f}, worst {max(late):.0f} ms, {len(late)} readings",
    )
