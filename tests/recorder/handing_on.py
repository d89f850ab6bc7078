"""What tests of destinations share: a meter that talks, and the document of one destination."""

import json
import time
from typing import Any

from tests.conftest import RecorderProcess
from tests.recorder.talker import Talker
from tidybench.wire.forwarding import ApplyForwarding, DestinationStatus
from tidybench.wire.protocol import Answer

TEXT = """
[instrument]
id = "meter"
name = "Meter"
talks = "on its own"
[link]
port = "PORT"
baud = 921600
[framing]
terminator = "\\n"
[listen]
every_s = 0.01
patterns = ["<n:int> <a none(---)>"]
[[channel]]
id = "meter-n"
name = "Count"
field = "n"
[[channel]]
id = "meter-a"
name = "Flow"
field = "a"
unit = "L/min"
scale = -2.0
offset = 0.5
"""


class Meter(Talker):
    """A line every 10 ms, three lines a burst now and then; every 50th has dashes. `sent`: the numbers, None for dashes."""

    def __init__(self) -> None:
        super().__init__()
        self.sent: list[float | None] = []
        self.at: list[float] = []  # seconds since 1970, just before each went out

    def lines(self) -> str:
        """One of them, or three."""
        found = ""
        for _ in range(3 if len(self.sent) % 7 == 0 else 1):
            n = len(self.sent)
            value = None if n % 50 == 49 else (n % 97) / 8
            self.sent.append(value)
            self.at.append(time.time())
            found += f"{n} {'---' if value is None else value}\n"
        return found


def destination(**more: Any) -> str:
    """The document of one."""
    keys: dict[str, Any] = {"id": "far", "name": "Far", "channels": ["meter-n", "meter-a"]} | more
    return "[[destination]]\n" + "".join(f"{key} = {_toml(value)}\n" for key, value in keys.items())


def _toml(value: Any) -> str:
    if isinstance(value, dict):
        return "{ " + ", ".join(f"{key} = {_toml(one)}" for key, one in value.items()) + " }"
    return json.dumps(value)


def put(recorder: RecorderProcess, text: str) -> str:
    answered = recorder.ask(ApplyForwarding(text=text))[0]
    assert isinstance(answered, Answer)
    return answered.why


def stands(recorder: RecorderProcess) -> DestinationStatus:
    [one] = recorder.status().destinations
    return one


def value_of(sent: float | None) -> float | None:
    """Corrected as the set-up says, by hand."""
    return None if sent is None else sent * -2.0 + 0.5
