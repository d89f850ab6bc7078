"""Row `capture`: a thousand samples at ten thousand lines a second, until the curve of them is painted."""

import time
from threading import Thread

from measure.bench import setup
from measure.browser import browser
from measure.peers import peer
from measure.result import Result, median
from measure.stack import stack
from tidybench.core.curves.capture_order import CaptureOrder
from tidybench.wire.curves import GetCurve, StartCapture
from tidybench.wire.runs import BeginRun

SAMPLES, TIMES = 1000, 20

LINES = """
import os, sys, time
fd, n = int(sys.argv[1]), 0
due = time.monotonic()
while True:
    burst = b"".join(b"%d,%d\\n" % (n + k, (n + k) % 100) for k in range(10))
    n += 10
    while burst:
        burst = burst[os.write(fd, burst):]
    print(n - 1, time.time_ns(), flush=True)
    due += 0.001
    time.sleep(max(0.0, due - time.monotonic()))
"""
"""Ten lines every millisecond; prints the last number of each ten and when it was sent."""

WATCH = """
window.painted = [];
let before = "";
new MutationObserver(() => {
  const words = document.querySelector("header .state")?.textContent ?? "";
  const drawn = document.querySelector("section[aria-label=Drawn] canvas, section[aria-label=Drawn] svg");
  if (!drawn || words === before) return;
  before = words;
  if (words.includes("1000 rows") && words.includes("complete"))
    requestAnimationFrame(() => requestAnimationFrame((at) => window.painted.push(performance.timeOrigin + at)));
}).observe(document.body, { childList: true, characterData: true, subtree: true, attributes: true });
"""
"""When each curve of a thousand rows had been painted, in milliseconds since 1970."""


def capture() -> Result:
    """From a capture's last sample until its curve has been painted; every one of the samples there, in order."""
    whole = True
    with (
        peer(LINES) as (paths, process),
        stack([setup("s", paths[0], "<n>,<v>", baud=921_600)]) as bench,
        browser(bench.page.replace("/?", "/curves?")) as driver,
    ):
        sent: dict[str, str] = {}

        def listen() -> None:
            assert process.stdout is not None
            sent.update((line.split()[0], line.split()[1]) for line in process.stdout if " " in line)

        listener = Thread(target=listen)
        listener.start()
        assert bench.client.ask(BeginRun(name="capture"))[0].run is not None
        time.sleep(3)
        driver.execute_script(WATCH)
        lasts: list[tuple[int, float]] = []
        for turn in range(TIMES):
            order = CaptureOrder(name=f"capture {turn}", channels=["s-n", "s-v"], samples=SAMPLES)
            answer, _ = bench.client.ask(StartCapture(order=order))
            if answer.trouble:
                raise RuntimeError(answer.why)
            until = time.monotonic() + 15
            while len(driver.execute_script("return window.painted")) <= turn and time.monotonic() < until:
                time.sleep(0.05)
            painted = driver.execute_script("return window.painted")
            if len(painted) <= turn:
                raise RuntimeError("The curve was not drawn.")
            answer, _ = bench.client.ask(GetCurve(number=turn + 1))
            assert answer.curve is not None
            numbers = [int(one or 0) for one in answer.curve.values[1]]
            whole = whole and numbers == [numbers[0] + k for k in range(SAMPLES)]
            lasts.append((numbers[-1], painted[turn]))
        process.kill()
        listener.join()
    # A burst is sent at once: the last of it stands for all.
    late = sorted(at - int(sent[str(number // 10 * 10 + 9)]) / 1e6 for number, at in lasts)
    value = median(late)
    return Result(
        "capture", value, "ms", "200 ms, all samples there", value <= 200 and whole, {}, {},
        f"best {late[0]:.0f} ms, worst {late[-1]:.0f} ms of {len(late)}; {'every sample there' if whole else 'SAMPLES ARE MISSING'}",
    )  # fmt: skip
