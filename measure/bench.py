"""A recorder inside the measuring process, with tape, samples and CSV on."""

import json
import re
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.values.row_rule import RowRule
from tidybench.recorder import tuning
from tidybench.recorder.recorder import Recorder
from tidybench.recorder.worker import Worker
from tidybench.runs.log import RunLog
from tidybench.wire.places import Places
from tidybench.wire.setups import SetupText


def setup(
    name: str,
    port: str,
    pattern: str,
    *,
    query: str = "",
    every: float = 0.0,
    baud: int = 9600,
    channels: list[str] | None = None,
    end: str = "\n",
    units: dict[str, str] | None = None,
) -> SetupText:
    """A set-up with one pattern and a channel for each of its fields (or for those named), in volts unless told."""
    fields = channels or re.findall(r"<(\w+)>", pattern)
    talks = "when asked" if query else "on its own"
    asking = (
        f'[[query]]\nid = "q"\nsend = {json.dumps(query)}\nevery_s = {every}\ngive_up_after_s = 2.0\n'
        if query
        else "[listen]\nevery_s = 0.1\n"
    )
    text = (
        f'[instrument]\nid = "{name}"\nname = "{name}"\ntalks = "{talks}"\n[link]\nport = "{port}"\nbaud = {baud}\n'
        f"[framing]\nterminator = {json.dumps(end)}\n{asking}patterns = [{json.dumps(pattern)}]\n"
    )
    for field in fields:
        text += f'[[channel]]\nid = "{name}-{field}"\nname = "{name} {field}"\nfield = "{field}"\nunit = "{(units or {}).get(field, "V")}"\n'
    return SetupText(id=name, text=text)


class Measured:
    """A recorder that is measured, with a run on."""

    def __init__(self, recorder: Recorder) -> None:
        self.recorder = recorder
        self.places = recorder.places

    @property
    def log(self) -> RunLog:
        """The run in progress."""
        log = self.recorder.writer.run_in_progress.log
        assert log is not None
        return log

    def worker(self, path: str) -> Worker:
        """The worker of a link."""
        return self.recorder.employment.now.workers[path]

    def end_run(self) -> None:
        """End the run, and wait until it is on the disk."""
        self.recorder.service.end_run(self.log.state.id, "measured").result(60)


@contextmanager
def recorder(
    setups: list[SetupText],
    places: Places | None = None,
    row_rule: RowRule | None = None,
    calculations: str = "",
    plan: RunPlan | None = None,
) -> Iterator[Measured]:
    """A running recorder in this process, with a run begun; in a folder of its own unless one is given."""
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        places = places or Places(Path(folder))
        places.make()
        before = sys.getswitchinterval()
        tuning.collector()
        made = Recorder(places, carry_on=False)
        made.employment.apply(setups, calculations)
        made.start()
        writer = made.writer
        plain = RunPlan(name="measure", row_rule=row_rule or RowRule(kind="each reading"))
        writer.mailbox.ask(lambda: writer.begin(plan or plain))
        try:
            yield Measured(made)
        finally:
            made.stop()
            sys.setswitchinterval(before)


def wait_for(condition: Callable[[], bool], seconds: float = 60.0) -> None:
    """Wait until a condition holds; raises TimeoutError."""
    until = time.monotonic() + seconds
    while not condition():
        if time.monotonic() > until:
            raise TimeoutError("what was measured did not come about")
        time.sleep(0.005)
