"""Row `procedure`: how fast steps follow each other that wait for nothing but their answers."""

import time

import serial

from measure.bench import recorder, wait_for
from measure.peers import ECHO, peer
from measure.result import Result, median
from tidybench.recorder.state import KeptProcedure
from tidybench.wire.setups import SetupText

STEPS, SLOW_STEPS = 1000, 150
SLOW = """
import os, sys, time
fd = int(sys.argv[1])
while True:
    try:
        data = os.read(fd, 4096)
    except OSError:
        continue
    time.sleep(0.012)
    os.write(fd, b"OK\\n")
"""
"""Answers after 12 ms: no command of eight bytes and its answer are faster at 9600 baud."""


def _text(steps: int) -> str:
    return f"procedure Steps\n  for n = 1 to {steps} step 1\n    set valve.position to n\n"


def _setup(path: str) -> SetupText:
    text = (
        f'[instrument]\nid = "valve"\nname = "Valve"\n[link]\nport = "{path}"\n[framing]\nterminator = "\\n"\n'
        '[[query]]\nid = "q"\nsend = "Q?\\n"\non_demand = true\npatterns = ["OK<v>"]\n'
        '[[channel]]\nid = "v"\nname = "V"\nfield = "v"\n'
        '[[command]]\nid = "position"\nname = "Position"\nsend = "P <n:int>\\n"\npatterns = ["OK"]\n'
    )
    return SetupText(id="valve", text=text)


def _by_hand(path: str, steps: int) -> float:
    """Steps a second of a loop that writes, and reads the answer."""
    with serial.Serial(path, 9600, timeout=2) as port:
        began = time.perf_counter()
        for n in range(1, steps + 1):
            port.write(f"P {n}\n".encode())
            if port.read_until(b"\n") != b"OK\n":
                raise RuntimeError("no answer")
        return steps / (time.perf_counter() - began)


def _conducted(path: str, steps: int) -> float:
    """Steps a second of a procedure, with a run on: each stands on its tape before it goes out."""
    with recorder([_setup(path)]) as bench:
        worker, conductor = bench.worker(path), bench.recorder.conductor
        wait_for(lambda: worker.trouble == "")
        text = _text(steps)
        kept = KeptProcedure(name="Steps", text=text, by="measure", begun_at=0)
        conductor.begin(kept, conductor.check(text))
        wait_for(lambda: any(one.state == "ended" for one in conductor.status()), 120)
        status = conductor.status()[0]
        if status.failed or status.ended_at is None:
            raise RuntimeError(status.why)
        return steps / ((status.ended_at - status.begun_at) / 1e6)


def procedure() -> Result:
    """A thousand steps without waiting, beside a loop by hand on the same stand-in: one that answers at once, and one that takes as long
    as a serial line."""
    ours, bare = [], []
    for _ in range(3):
        with peer(ECHO, "OK\\n") as (paths, _):
            bare.append(_by_hand(paths[0], STEPS))
        with peer(ECHO, "OK\\n") as (paths, _):
            ours.append(_conducted(paths[0], STEPS))
    with peer(SLOW) as (paths, _):
        slow = _by_hand(paths[0], SLOW_STEPS)
    with peer(SLOW) as (paths, _):
        slowly = _conducted(paths[0], SLOW_STEPS)
    ratio = median([a / b for a, b in zip(ours, bare, strict=True)])
    return Result(
        "procedure", median(ours), "steps/s", "at least 0.5 x a loop by hand", ratio >= 0.5,
        {"by hand": median(bare)}, {"by hand": ratio},
        f"where an answer takes 12 ms {slowly:.1f} steps/s, {slowly / slow:.2f} x by hand ({slow:.1f})",
    )  # fmt: skip
