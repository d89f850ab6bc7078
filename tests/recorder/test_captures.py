"""Captures: from lines on a pseudo-terminal at the full rate of the link to curves of the run."""

import json
import random
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import KILLS, RecorderProcess, Shop, wait_for
from tests.recorder.talker import Talker
from tests.recorder.test_curves import began, end, looked
from tidybench.core.values.curve import Curve
from tidybench.runs.curves import read_rows, run_curves
from tidybench.wire.curves import CurveStatus, StartCapture, StopCapture
from tidybench.wire.protocol import Answer
from tidybench.wire.setups import ApplySetups, SetupText

TEXT = """
[instrument]
id = "shaker"
name = "Shaker"
talks = "on its own"
[link]
port = "PORT"
baud = 921600
[framing]
terminator = "\\n"
[listen]
every_s = 0.0001
patterns = ["<n:int> <a>"]
[[channel]]
id = "shaker-n"
name = "Count"
field = "n"
[[channel]]
id = "shaker-a"
name = "Acceleration"
field = "a"
unit = "m/s²"
"""


class Shaker(Talker):
    """Sends lines as fast as its wire goes, with a step now and then. `sent`: every line, by its number."""

    def __init__(self, per_s: int) -> None:
        super().__init__()
        self.sent: list[float] = []
        self._each = per_s // 100

    def lines(self) -> str:
        """A hundredth of what it sends in a second."""
        found = ""
        for _ in range(self._each):
            n = len(self.sent)
            value = (5.0 if n // 3000 % 2 else 0.0) + (n * 7 % 100) / 1000
            self.sent.append(value)
            found += f"{n} {value:.3f}\n"
        return found


class Buffered(Talker):
    """Lines that arrive in bursts, and say when they were measured: every 2 ms."""

    every = 0.1
    count = 0

    def lines(self) -> str:
        """Fifty of them."""
        first, self.count = self.count, self.count + 50
        return "".join(f"{n * 0.002:.3f} {n}\n" for n in range(first, self.count))


@pytest.fixture
def shaker(recorder: RecorderProcess) -> Iterator[Shaker]:
    made = Shaker(per_s=5000)
    recorder.start()
    wait_for(lambda: recorder_there(recorder), "the recorder")
    text = TEXT.replace("PORT", made.path)
    answered = recorder.ask(ApplySetups(setups=[SetupText(id="shaker", text=text)], calculations=""))[0]
    assert isinstance(answered, Answer)
    assert not answered.why
    made.start()
    yield made
    made.stop()


def recorder_there(recorder: RecorderProcess) -> bool:
    try:
        recorder.status()
    except Exception:
        return False
    return True


def start(recorder: RecorderProcess, **order: Any) -> int:
    answered = recorder.ask(
        StartCapture.model_validate({"order": {"channels": ["shaker-n", "shaker-a"]} | order})
    )[0]
    assert isinstance(answered, Answer)
    assert answered.capture is not None, answered.why
    return answered.capture.number


def curves(recorder: RecorderProcess, count: int) -> list[CurveStatus]:
    wait_for(lambda: len(recorder.status().curves) >= count, f"{count} curves")
    return recorder.status().curves


def in_a_row(shaker: Shaker, values: list[list[float | None]]) -> int:
    """The number of the first line, where all came, in order, as they were sent."""
    numbers = [int(one) for one in values[1] if one is not None]
    assert numbers == list(range(numbers[0], numbers[0] + len(values[1]))), "every line"
    assert values[2] == shaker.sent[numbers[0] : numbers[0] + len(numbers)]
    return numbers[0]


def test_a_press_and_a_level_lose_nothing_at_the_full_rate(
    shop: Shop, shaker: Shaker, recorder: RecorderProcess
) -> None:
    wait_for(recorder.all_passing, "it to pass")
    folder = began(recorder)
    start(recorder, samples=1000)
    [one] = curves(recorder, 1)
    assert (one.words, one.source) == ("complete: 1000 rows", "capture")
    values = looked(recorder, one.number).values
    in_a_row(shaker, values)
    assert values[0][0] == 0.0

    level = {"kind": "level", "channel": "shaker-a", "level": 2.5, "edge": "rising", "hysteresis": 1}
    start(recorder, samples=2000, before=500, times=2, trigger=level, name="Step")
    found = curves(recorder, 3)[1:]
    assert [one.name for one in found] == ["Step 1", "Step 2"]
    for one in found:
        values = looked(recorder, one.number).values
        first = in_a_row(shaker, values)
        assert (first + 500) % 6000 == 3000, "the step is the 501st"
        assert values[0][500] == 0.0
        times = [t for t in values[0] if t is not None]
        assert times == sorted(times)
    assert recorder.status().captures == []
    end(recorder)
    kept = run_curves(folder)
    assert [(one.name, one.state, one.rows) for one in kept] == [
        ("Capture of Count, Acceleration", "complete", 1000), ("Step 1", "complete", 2000), ("Step 2", "complete", 2000)
    ]  # fmt: skip
    assert read_rows(folder, kept[1])[2].tolist() == looked(recorder, found[0].number).values[2]
    notes = [line for line in _tape(folder) if '"k":"capture"' in line or '"capture"' in line]
    assert any("waits for Acceleration above 2.5 m/s²" in line for line in notes)


def _tape(folder: Path) -> list[str]:
    import gzip

    lines: list[str] = []
    for path in sorted((folder / "tape").iterdir()):
        data = gzip.decompress(path.read_bytes()) if path.suffix == ".gz" else path.read_bytes()
        lines += data.decode("utf-8", "replace").split("\n")
    return lines


def test_a_message_and_a_person_and_what_never_comes(
    shop: Shop, shaker: Shaker, recorder: RecorderProcess
) -> None:
    wait_for(recorder.all_passing, "it to pass")
    start(recorder, samples=50, trigger={"kind": "message", "instrument": "shaker", "text": "7777 "})
    [one] = curves(recorder, 1)
    values = looked(recorder, one.number).values
    assert 7777 <= in_a_row(shaker, values) < 7777 + 400, "the first from the message on"
    never = start(
        recorder, samples=50, before=10, trigger={"kind": "level", "channel": "shaker-a", "level": 1e6}
    )
    [waits] = recorder.status().captures
    assert (waits.words, waits.triggered, waits.gathered) == ("Acceleration above 1000000 m/s²", False, 10)
    recorder.ask(StopCapture(number=never, now=True))
    [_, two] = curves(recorder, 2)
    values = looked(recorder, two.number).values
    in_a_row(shaker, values)
    assert [t for t in values[0][:10] if t is not None and t >= 0] == []
    again = start(recorder, samples=50, trigger={"kind": "level", "channel": "shaker-a", "level": 1e6})
    recorder.ask(StopCapture(number=again))
    assert recorder.status().captures == []
    refused = recorder.ask(StopCapture(number=again))[0]
    assert isinstance(refused, Answer)
    assert refused.why == "This capture is over already."


def test_a_capture_against_the_devices_own_clock(shop: Shop, recorder: RecorderProcess) -> None:
    """Lines that arrive in bursts, and say when they were measured: every 2 ms."""
    talker = Buffered()
    text = TEXT.replace("PORT", talker.path).replace("<n:int> <a>", "<t> <a>")
    text = text.replace('field = "n"', 'field = "t"\nunit = "s"\nclock = {}').replace(
        'id = "shaker-n"', 'id = "shaker-clock"'
    )
    recorder.start()
    wait_for(lambda: recorder_there(recorder), "the recorder")
    answered = recorder.ask(ApplySetups(setups=[SetupText(id="shaker", text=text)], calculations=""))[0]
    assert isinstance(answered, Answer)
    assert not answered.why
    talker.start()
    try:
        wait_for(recorder.all_passing, "it to pass")
        start(recorder, channels=["shaker-a"], samples=200, own_time=True)
        start(recorder, channels=["shaker-a"], samples=200)
        by_device, by_arrival = (looked(recorder, one.number).values for one in curves(recorder, 2))
    finally:
        talker.stop()
    numbers = [int(one or 0) for one in by_device[1]]
    assert numbers == list(range(numbers[0], numbers[0] + 200))
    # Where a burst with less delay comes, the clock is learnt anew and the line moves by what the delays differ by.
    assert by_device[0] == pytest.approx([n * 0.002 for n in range(200)], abs=0.02)
    own = [float(b or 0) - float(a or 0) for a, b in zip(by_device[0], by_device[0][1:], strict=False)]
    assert sum(abs(step - 0.002) < 2e-6 for step in own) > 150
    steps = [float(b or 0) - float(a or 0) for a, b in zip(by_arrival[0], by_arrival[0][1:], strict=False)]
    assert max(steps) > 0.05 > 0.01 > sorted(steps)[100], "in bursts"


def test_kills_of_a_capture_keep_what_was_whole_and_say_what_was_not(
    shop: Shop, shaker: Shaker, recorder: RecorderProcess
) -> None:
    chance = random.Random(16)
    wait_for(recorder.all_passing, "it to pass")
    folder = began(recorder)
    had = 0
    for turn in range(KILLS):
        level = {"kind": "level", "channel": "shaker-a", "level": 2.5, "edge": "either", "hysteresis": 1}
        start(recorder, samples=1500, before=300, times=3, trigger=level, name=f"Step {turn}")
        time.sleep(chance.uniform(0.0, 2.2))
        recorder.kill()
        recorder.start(carry_on=True)
        wait_for(lambda: recorder_there(recorder) and recorder.all_passing(), "it to be back")
        wait_for(lambda had=had: all(c.state != "in progress" for c in run_curves(folder)[had:]), "its end")  # type: ignore[misc]
        mine = run_curves(folder)[had:]
        whole = [one for one in mine if one.state == "complete"]
        for one in whole:
            assert one.rows == 1500
            in_a_row(shaker, [list(column) for column in read_rows(folder, one)])
        if len(mine) < 3:

            def said(had: int = had, name: str = f"Step {turn}") -> list[Curve]:
                return [one for one in run_curves(folder)[had:] if one.name == name]

            wait_for(said, "it to be said")
            assert [(one.state, one.rows) for one in said()] == [("interrupted", 0)]
            assert said()[0].why.startswith("Tidy Bench ended while it waited or was taken.")
        had = len(run_curves(folder))
        assert recorder.status().captures == []
    end(recorder)
    assert json.loads((recorder.places.data / "recorder.json").read_text("utf-8"))["captures"] == []
