"""Row `flood-32`: 32 instruments that talk on their own at 115 200 baud without pause, for a minute."""

import json
import os
import re
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass
from pathlib import Path

from measure.bench import setup, wait_for
from measure.peers import peer
from measure.plan import Beside, beside, full_plan
from measure.result import Result, median
from tidybench.core.samples import channels_of, unpack
from tidybench.runs.tape import read_tape
from tidybench.wire.client import Client
from tidybench.wire.places import Places
from tidybench.wire.runs import BeginRun, EndRun
from tidybench.wire.setups import ApplySetups
from tidybench.wire.status import GetStatus, Status

PORTS = 32
SECONDS = 60

TALKERS = """
import json, os, select, sys, time
fds = [int(fd) for fd in sys.argv[1].split(",")]
seconds, rate = float(sys.argv[2]), 11520.0
for fd in fds:
    os.set_blocking(fd, False)
sys.stdin.readline()
number, waiting, lost = [0] * len(fds), [b""] * len(fds), 0
began = last = time.monotonic()
step = 0
while (now := time.monotonic() - began) < seconds:
    # When this process itself was held up, its instruments were too: what a wire never carried is no overrun.
    held_up = began + now - last - 0.02
    if held_up > 0:
        began, now = began + held_up, now - held_up
    last = began + now
    due = int(now * rate)
    for i, fd in enumerate(fds):
        # The bytes that a wire would have carried by now, a line of 24 at a time begun.
        while number[i] * 24 < due:
            number[i] += 1
            waiting[i] += b"N=%08d,+12.345,OK\\r\\n" % number[i]
        ready = max(0, len(waiting[i]) - (number[i] * 24 - due))
        if ready:
            try:
                sent = os.write(fd, waiting[i][:ready])
            except BlockingIOError:
                sent = 0
            lost += ready - sent
            waiting[i] = waiting[i][ready:]
    step += 1
    time.sleep(max(0.0, began + step * 0.002 - time.monotonic()))
    step = max(step, int((time.monotonic() - began) / 0.002))
for i, fd in enumerate(fds):
    if waiting[i]:
        os.write(fd, waiting[i])
print(json.dumps({"lines": number, "lost": lost}), flush=True)
time.sleep(600)
"""
"""Stand-ins: each paces its bytes as a UART would and counts what its port could not take."""

LISTENER = """
import os, select, sys, time
poll = select.poll()
fds = [os.open(path, os.O_RDWR | os.O_NOCTTY) for path in sys.argv[2:]]
for fd in fds:
    poll.register(fd, select.POLLIN)
rest, lines, until = {fd: b"" for fd in fds}, 0, time.monotonic() + float(sys.argv[1])
print("ready", flush=True)
while time.monotonic() < until:
    for fd, _ in poll.poll(100):
        *whole, rest[fd] = (rest[fd] + os.read(fd, 4096)).split(b"\\r\\n")
        for line in whole:
            number, value, state = line[2:].split(b",")
            float(value)
            lines += 1
times = os.times()
print(lines, times.user + times.system, flush=True)
"""
"""The same bytes read and split by hand, in one process, kept nowhere."""


def _cpu(pid: int) -> float:
    """Seconds of processor that a process has had."""
    fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def _by_hand(seconds: float) -> float:
    """Cores that the hand-written listener uses."""
    with peer(TALKERS, str(seconds), count=PORTS, stdin=True) as (paths, talkers):
        command = [sys.executable, "-c", LISTENER, str(seconds), *paths]
        listener = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert listener.stdout is not None
        listener.stdout.readline()
        assert talkers.stdin is not None
        talkers.stdin.write("go\n")
        talkers.stdin.flush()
        _, used = listener.stdout.readline().split()
        listener.wait()
    return float(used) / seconds


@dataclass(slots=True, frozen=True)
class _Flood:
    """What came of one: cores used, lines sent, logged and on the tape of each instrument, bytes overrun."""

    used: float
    sent: list[int]
    logged: list[int]
    taped: list[int]
    overrun: int

    @property
    def whole(self) -> bool:
        return self.overrun == 0 and self.logged == self.taped == sorted(self.sent)

    @property
    def words(self) -> str:
        return (
            f"{sum(self.sent)} lines sent, {sum(self.logged)} logged, {sum(self.taped)} on the tape, "
            f"{self.overrun} bytes overrun"
        )


def flood_32(seconds: float = SECONDS) -> Result:
    """Cores that the recorder uses, with run, tape, samples and CSV on; and whether anything was lost."""
    by_hand = _by_hand(min(10.0, seconds))
    flood = _flood(seconds)
    return Result(
        "flood-32", flood.used, "cores", "at most 5 x by hand, nothing lost", flood.used <= 5 * by_hand and flood.whole,
        {"by hand": by_hand}, {"by hand": flood.used / by_hand}, flood.words,
    )  # fmt: skip


def flood_32_plan(seconds: float = 20) -> Result:
    """The same with a plan, test points, fifty reactions and a procedure on, beside it without."""
    return _floods_beside("flood-32-plan", "plan", seconds)


def flood_32_destinations(seconds: float = 20) -> Result:
    """The same with four destinations on, of sixteen of the instruments."""
    return _floods_beside("flood-32-destinations", "destinations", seconds)


def _floods_beside(name: str, what: Beside, seconds: float) -> Result:
    plain, more = [], []
    for _ in range(2):
        plain.append(_flood(seconds))
        more.append(_flood(seconds, what))
    before, used = (median([one.used for one in some]) for some in (plain, more))
    whole = all(one.whole for one in (*plain, *more))
    return Result(
        name, used, "cores", "at most 1.15 x without, nothing lost", used <= 1.15 * before and whole,
        {"without": before}, {"without": used / before}, more[-1].words,
    )  # fmt: skip


def _flood(seconds: float, what: Beside = "nothing") -> _Flood:
    with (
        tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder,
        peer(TALKERS, str(seconds), count=PORTS, stdin=True) as (paths, talkers),
    ):
        os.environ["TIDY_DATA"] = folder
        places = Places(Path(folder))
        places.make()
        recorder = subprocess.Popen([sys.executable, "-m", "tidybench.recorder"], stdin=subprocess.DEVNULL)
        client = Client(places.control, patience=20)
        try:
            texts = [
                setup(f"t{n}", path, "N=<n>,<v>,<s:word>", baud=115_200, channels=["n"], end="\r\n")
                for n, path in enumerate(paths)
            ]
            wait_for(lambda: _status(client) is not None)
            assert client.ask(ApplySetups(setups=texts))[0].trouble == ""
            wait_for(lambda: all(i.stages[0].state == "passing" for i in _known(client).instruments), 30)
            time.sleep(0.8)  # what comes half a second after the opening counts as whole from its first byte
            channels = [one.id for one in _known(client).channels]
            begin = BeginRun(**full_plan(channels).model_dump()) if what == "plan" else BeginRun(name="flood")
            run = client.ask(begin)[0].run
            assert run is not None
            assert talkers.stdin is not None
            assert talkers.stdout is not None
            before, began = _cpu(recorder.pid), time.monotonic()
            talkers.stdin.write("go\n")
            talkers.stdin.flush()
            with beside(what, places, channels):
                told = json.loads(talkers.stdout.readline())
            used = (_cpu(recorder.pid) - before) / (time.monotonic() - began)
            time.sleep(1)
            client.ask(EndRun(run=run.id))
            logged = _logged(Path(run.folder))
            taped = _taped(Path(run.folder))
        finally:
            client.close()
            recorder.terminate()
            recorder.wait()
    return _Flood(used, told["lines"], logged, taped, told["lost"])


def _status(client: Client) -> Status | None:
    try:
        return client.ask(GetStatus())[0].status
    except Exception:
        return None


def _known(client: Client) -> Status:
    status = client.ask(GetStatus())[0].status
    assert status is not None
    return status


def _logged(folder: Path) -> list[int]:
    """How many good samples each channel has."""
    records = unpack((folder / "samples.bin").read_bytes())
    numbers = channels_of(records[records["value"] == records["value"]])
    return sorted(int((numbers == n).sum()) for n in set(numbers.tolist()))


def _taped(folder: Path) -> list[int]:
    """How many whole lines of each link are on the tape."""
    data: dict[str, bytearray] = {}
    for _, link, event in read_tape(folder / "tape"):
        if event.kind == "in":
            data.setdefault(link, bytearray()).extend(event.data)  # type: ignore[union-attr]
    return sorted(len(re.findall(rb"N=\d{8},\+12\.345,OK\r\n", bytes(piece))) for piece in data.values())
