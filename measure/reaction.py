"""Row `reaction`: from a sample's last byte to the first byte of the command that follows from it."""

import subprocess
import sys
from functools import partial

from measure.bench import recorder, setup, wait_for
from measure.peers import peer
from measure.result import Result, median, percentile
from tidybench.core.setup.reactions import load_reactions
from tidybench.wire.reactions import KeptReactions
from tidybench.wire.setups import SetupText

TURNS = 300
BENCH = """
import os, random, select, sys, time
try:
    os.sched_setscheduler(0, os.SCHED_RR, os.sched_param(1))
except OSError:
    pass
gauge, box = [int(fd) for fd in sys.argv[1].split(",")]
turns = int(sys.argv[2])
dice = random.Random(3)
sys.stdin.readline()
for turn in range(turns):
    for _ in range(3):
        time.sleep(dice.uniform(0.008, 0.03))
        os.write(gauge, b"LV=40.0\\n")
    time.sleep(dice.uniform(0.008, 0.03))
    os.write(gauge, b"LV=04.0\\n")
    sent = time.perf_counter()
    if not select.select([box], (), (), 2.0)[0]:
        print("lost", flush=True)
        continue
    print(time.perf_counter() - sent, flush=True)
    heard = b""
    while not heard.endswith(b"\\n"):
        heard += os.read(box, 100)
    os.write(box, b"OK\\n")
print("end", flush=True)
"""
"""A gauge whose level falls at odd times, and a box that is told: prints how long it took."""

HAND = """
import sys, serial
gauge = serial.Serial(sys.argv[1], 9600)
box = serial.Serial(sys.argv[2], 9600)
low = False
print("ready", flush=True)
while True:
    line = gauge.read_until(b"\\n")
    value = float(line[3:])
    if value < 15 and not low:
        box.write(b"P 0\\n")
        box.read_until(b"\\n")
    low = value < 15
"""
"""What a person writes for it."""

REACTION = """
[[reaction]]
id = "r{n}"
name = "Low {n}"
channel = "gauge-level"
below = {level}
do = [{{ when = "below", {do} }}]
"""
PUMP = 'instrument = "box", command = "pump", values = { on = 0 }'


def _setups(paths: list[str]) -> list[SetupText]:
    box = (
        f'[instrument]\nid = "box"\nname = "Box"\n[link]\nport = "{paths[1]}"\n[framing]\nterminator = "\\n"\n'
        '[[query]]\nid = "q"\nsend = "Q?\\n"\non_demand = true\npatterns = ["OK<v>"]\n'
        '[[channel]]\nid = "v"\nname = "V"\nfield = "v"\n'
        '[[command]]\nid = "pump"\nname = "Pump"\nsend = "P <on:int>\\n"\npatterns = ["OK"]\n'
    )
    return [setup("gauge", paths[0], "LV=<level>"), SetupText(id="box", text=box)]


def _read(process: "subprocess.Popen[str]", turns: int) -> list[float]:
    assert process.stdin is not None
    assert process.stdout is not None
    process.stdin.write("go\n")
    process.stdin.flush()
    found = [line.strip() for line in iter(partial(process.stdout.readline), "end\n")]
    if len(found) != turns or "lost" in found:
        raise RuntimeError(f"{found.count('lost')} of {len(found)} were never heard")
    return [float(one) * 1000 for one in found]


def _by_hand(turns: int) -> list[float]:
    with peer(BENCH, str(turns), count=2, stdin=True) as (paths, process):
        hand = subprocess.Popen([sys.executable, "-u", "-c", HAND, *paths], stdout=subprocess.PIPE, text=True)
        try:
            assert hand.stdout is not None
            hand.stdout.readline()
            return _read(process, turns)
        finally:
            hand.kill()
            hand.wait()


def _ours(turns: int, more: int) -> list[float]:
    """`more`: reactions besides, which watch the same channel and are never due."""
    text = REACTION.format(n=0, level=15, do=PUMP)
    text += "".join(REACTION.format(n=n, level=-n, do='mark = "never"') for n in range(1, more + 1))
    with peer(BENCH, str(turns), count=2, stdin=True) as (paths, process), recorder(_setups(paths)) as bench:
        reactor = bench.recorder.reactor
        reactor.put(KeptReactions(text=text), load_reactions(text))
        wait_for(lambda: all(bench.worker(path).trouble == "" for path in paths))
        return _read(process, turns)


def reaction() -> Result:
    """99 % of the times from a sample's last byte to the command's first, with fifty reactions and a run on, beside a loop by hand."""
    ours, bare = [], []
    for _ in range(3):
        bare.append(percentile(_by_hand(TURNS), 0.99))
        times = _ours(TURNS, 49)
        ours.append(percentile(times, 0.99))
    ratio = median([a / b for a, b in zip(ours, bare, strict=True)])
    return Result(
        "reaction", median(ours), "ms (99 %)", "at most 2 x a loop by hand", ratio <= 2,
        {"by hand": median(bare)}, {"by hand": ratio}, f"half of them within {median(times):.2f} ms; fifty reactions",
    )  # fmt: skip
