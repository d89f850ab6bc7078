"""A recorder inside the measuring process, with tape, samples and CSV on."""

import json
import re
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import zmq

from tidybench.recorder import tuning
from tidybench.recorder.bench import Bench
from tidybench.recorder.pump import Pump
from tidybench.runs.folder import RowRule
from tidybench.wire.messages import BeginRun, SetupText
from tidybench.wire.places import Places


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
) -> SetupText:
    """A set-up with one pattern and a channel for each of its fields (or for those named)."""
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
        text += (
            f'[[channel]]\nid = "{name}-{field}"\nname = "{name} {field}"\nfield = "{field}"\nunit = "V"\n'
        )
    return SetupText(id=name, text=text)


@contextmanager
def recorder(
    setups: list[SetupText], places: Places | None = None, row_rule: RowRule = "each reading"
) -> Iterator[tuple[Bench, Pump]]:
    """A running recorder in this process, with a run begun; in a folder of its own unless one is given."""
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        places = places or Places(Path(folder))
        places.make()
        before = sys.getswitchinterval()
        tuning.collector()
        bench = Bench(places, carry_on=False)
        context: zmq.Context[zmq.Socket[bytes]] = zmq.Context()
        pump = Pump(bench, context)
        bench.apply(setups)
        pump.start()
        bench.begin(BeginRun(name="measure", row_rule=row_rule))
        try:
            yield bench, pump
        finally:
            bench.stop()
            pump.stop()
            if bench.log is not None:
                bench.log.abandon()
            context.destroy(linger=0)
            sys.setswitchinterval(before)


def wait_for(condition: Callable[[], bool], seconds: float = 60.0) -> None:
    """Wait until a condition holds; raises TimeoutError."""
    until = time.monotonic() + seconds
    while not condition():
        if time.monotonic() > until:
            raise TimeoutError("what was measured did not come about")
        time.sleep(0.005)
