"""Row `slow-disk`: a disk that takes 3 s for every fsync holds nobody up."""

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from measure.bench import setup, wait_for
from measure.peers import MANY, peer
from measure.result import Result, percentile
from tidybench.core.batch import RECORD_SIZE
from tidybench.core.samples import unpack
from tidybench.core.values.row_rule import RowRule
from tidybench.wire.channels import ZeroChannel
from tidybench.wire.client import Client
from tidybench.wire.places import Places
from tidybench.wire.ports import LabelPort
from tidybench.wire.protocol import Request
from tidybench.wire.runs import AddMark, BeginRun, EndRun
from tidybench.wire.setups import ApplySetups, SetupText
from tidybench.wire.status import GetStatus

POLLS, EVERY = 16, 100_000
SECONDS = 15
DELAY = 3.0
PROMISE = 100.0
"""Milliseconds after which what has arrived is with the operating system."""

SLOW = """
import os, runpy, sys, time
delay = float(sys.argv.pop(1))
def slow(real):
    def sync(fd):
        time.sleep(delay)
        real(fd)
    return sync
os.fsync, os.fdatasync = slow(os.fsync), slow(os.fdatasync)
sys.argv[0] = "recorder"
runpy.run_module("tidybench.recorder", run_name="__main__", alter_sys=True)
"""
"""The recorder, every fsync of which takes so many seconds."""

WATCH = f"""
import os, struct, sys, time
path, end = sys.argv[1], time.monotonic() + float(sys.argv[2])
size = os.stat(path).st_size
fd = os.open(path, os.O_RDONLY)
while time.monotonic() < end:
    now = os.stat(path).st_size // {RECORD_SIZE} * {RECORD_SIZE}  # one may be seen half written
    if now > size:
        at = time.time_ns() // 1000
        for place in range(size, now, {RECORD_SIZE}):
            print(at - struct.unpack("<Qqd", os.pread(fd, {RECORD_SIZE}, place))[1], flush=True)
        size = now
    time.sleep(0.001)
"""
"""How old (microseconds) each sample is when another process sees it in samples.bin."""


@dataclass(slots=True)
class _Seen:
    late: list[float]
    ages: list[float]
    answers: list[float]


@contextmanager
def _recorder(delay: float) -> Iterator[tuple[Client, Path]]:
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        os.environ["TIDY_DATA"] = folder
        places = Places(Path(folder))
        places.make()
        process = subprocess.Popen([sys.executable, "-c", SLOW, str(delay)], stdin=subprocess.DEVNULL)
        client = Client(places.control, patience=40)
        try:
            wait_for(lambda: _answers(client))
            yield client, Path(folder)
        finally:
            client.close()
            process.terminate()
            process.wait()


def _answers(client: Client) -> bool:
    try:
        return client.ask(GetStatus())[0].status is not None
    except Exception:
        return False


def _seen(delay: float) -> _Seen:
    """Sixteen polls at 10 Hz with a run on, while a person marks, labels, zeroes and changes a set-up every second."""
    with peer(MANY, count=POLLS + 1) as (paths, many), _recorder(delay) as (client, _):
        setups = [
            setup(f"p{n}", path, "<v>", query="V?\n", every=EVERY / 1e6) for n, path in enumerate(paths)
        ]
        assert client.ask(ApplySetups(setups=setups))[0].trouble == ""
        time.sleep(1.5)
        run = client.ask(BeginRun(name="slow", row_rule=RowRule(kind="each reading")))[0].run
        assert run is not None
        path = Path(run.folder) / "samples.bin"
        wait_for(lambda: path.stat().st_size > 0)
        began = time.time_ns()
        watch = subprocess.Popen(
            [sys.executable, "-c", WATCH, str(path), str(SECONDS)], stdout=subprocess.PIPE, text=True
        )
        answers = []
        for second in range(SECONDS):
            # The last one's interval is another every second: its port is opened anew.
            last = setups[-1].text.replace("every_s = 0.1", f"every_s = 0.{1 + second % 2}")
            requests: list[Request] = [
                AddMark(text=f"mark {second}"),
                LabelPort(name=paths[0], label=f"label {second}"),
                ZeroChannel(channel="p0-v", undo=second % 2 == 1),
                ApplySetups(setups=[*setups[:-1], SetupText(id=setups[-1].id, text=last)]),
            ]
            for request in requests:
                asked = time.perf_counter()
                answer, _ = client.ask(request)
                answers.append((time.perf_counter() - asked) * 1000)
                assert answer.trouble == "", answer.why
            time.sleep(max(0.0, (began / 1e9 + second + 1) - time.time()))
        told, _ = watch.communicate()
        client.ask(EndRun(run=run.id))
        many.kill()
        assert many.stdout is not None
        heard = [int(line) for line in many.stdout.read().split("\n")[:-1]]
        assert len(unpack(path.read_bytes())) > POLLS * 10 * (SECONDS - 1)
    end = began + SECONDS * 10**9
    late = [at % (EVERY * 1000) / 1e6 for at in heard if began < at < end]
    return _Seen(sorted(late), sorted(int(line) / 1000 for line in told.splitlines()), sorted(answers))


def slow_disk() -> Result:
    """How late polls begin, and how old samples are when they are with the operating system, with a disk that takes 3 s for
    an fsync; beside the same without the delay."""
    plain, slow = _seen(0.0), _seen(DELAY)
    value, beside = percentile(slow.late, 0.99), percentile(plain.late, 0.99)
    oldest, middle = slow.ages[-1], percentile(slow.ages, 0.5)
    return Result(
        "slow-disk", value, "ms late (99 %)", "no later than without (1.5 x or 1 ms), samples with the system within 100 ms",
        value <= max(1.5 * beside, beside + 1.0) and oldest <= PROMISE,
        {"without delay": beside}, {"without delay": value / max(beside, 1e-9)},
        f"{len(slow.late)} polls; samples {middle:.0f} ms old (median), {oldest:.0f} ms at the most "
        f"(without {plain.ages[-1]:.0f}); answers within {slow.answers[-1]:.0f} ms (without {plain.answers[-1]:.0f})",
    )  # fmt: skip
