"""Row `forward`: from a message's last byte to the first of what is handed on of it, to another port."""

import subprocess
import sys

from measure.bench import recorder, setup, wait_for
from measure.peers import peer
from measure.reaction import _read
from measure.result import Result, median, percentile
from tidybench.core.setup.destinations import load_destinations

TURNS = 500
CHANNELS = 16
BENCH = """
import os, select, sys, time
try:
    os.sched_setscheduler(0, os.SCHED_RR, os.sched_param(1))
except OSError:
    pass
source, far = [int(fd) for fd in sys.argv[1].split(",")]
turns, values = int(sys.argv[2]), int(sys.argv[3])
sys.stdin.readline()
line = ",".join("0.5" for n in range(values)).encode() + b"\\n"
os.write(source, line)  # where it begins is not known before
if select.select([far], (), (), 0.5)[0]:
    time.sleep(0.2)
    os.read(far, 65536)
due = time.monotonic()
for turn in range(turns):
    due += 0.01
    time.sleep(max(0.0, due - time.monotonic()))
    line = ",".join(f"{turn + n / 8:.3f}" for n in range(values)).encode() + b"\\n"
    os.write(source, line)
    sent = time.perf_counter()
    if not select.select([far], (), (), 2.0)[0]:
        print("lost", flush=True)
        continue
    took = time.perf_counter() - sent
    heard = os.read(far, 65536)
    while not heard.endswith(b"\\n"):
        heard += os.read(far, 65536)
    numbers = [[float(one) for one in text.split(b",")] for text in (heard, line)]
    print(took if numbers[0] == numbers[1] else "lost", flush=True)
print("end", flush=True)
"""
"""Sends a line of numbers a hundred times a second, and waits for the same to come at the other port: prints how long it took."""

HAND = """
import sys, serial
source = serial.Serial(sys.argv[1], 921600)
far = serial.Serial(sys.argv[2], 921600)
print("ready", flush=True)
while True:
    line = source.read_until(b"\\n")
    far.write(",".join(f"{float(one):.3f}" for one in line.split(b",")).encode() + b"\\n")
"""
"""What a person writes for it."""


def _by_hand() -> list[float]:
    with peer(BENCH, str(TURNS), str(CHANNELS), count=2, stdin=True) as (paths, process):
        hand = subprocess.Popen([sys.executable, "-u", "-c", HAND, *paths], stdout=subprocess.PIPE, text=True)
        try:
            assert hand.stdout is not None
            hand.stdout.readline()
            return _read(process, TURNS)
        finally:
            hand.kill()
            hand.wait()


def _ours() -> list[float]:
    names = [f"c{n}" for n in range(CHANNELS)]
    with peer(BENCH, str(TURNS), str(CHANNELS), count=2, stdin=True) as (paths, process):
        source = setup("s", paths[0], ",".join(f"<{name}>" for name in names), baud=921600)
        channels = ", ".join(f'"s-{name}"' for name in names)
        pattern = ",".join(f"<s_{name}:number 8.3>" for name in names)
        text = (
            f'[[destination]]\nid = "far"\nname = "Far"\nto = {{ kind = "serial", port = "{paths[1]}", baud = 921600 }}\n'
            f'channels = [{channels}]\npattern = "{pattern}\\n"\n'
        )
        with recorder([source]) as bench:
            put = bench.recorder.forwarder.put
            bench.recorder.service.mailbox.ask(lambda: put(text, load_destinations(text)))
            wait_for(lambda: bench.worker(paths[0]).trouble == "")
            wait_for(lambda: bench.recorder.forwarder.status()[0].state == "sending")
            return _read(process, TURNS)


def forward() -> Result:
    """99 % of the times from a message's last byte to the first that is handed on, 16 channels at 100 Hz, with a run on, beside a loop by hand."""
    ours, bare = [], []
    for _ in range(3):
        bare.append(percentile(_by_hand(), 0.99))
        times = _ours()
        ours.append(percentile(times, 0.99))
    ratio = median([a / b for a, b in zip(ours, bare, strict=True)])
    return Result(
        "forward", median(ours), "ms (99 %)", "at most 2 x a loop by hand", ratio <= 2,
        {"by hand": median(bare)}, {"by hand": ratio}, f"half of them within {median(times):.2f} ms; 16 channels at 100 Hz",
    )  # fmt: skip
