"""A device's own clock: its times beside the true ones, which no one but the test knows."""

import json
from dataclasses import dataclass
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tidybench.captures.capture import Capture
from tidybench.captures.readout import Readout, Table
from tidybench.core.batch import Batch
from tidybench.core.channels.device_clock import DeviceClock
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.quality import Quality
from tidybench.core.setup import SetupError
from tidybench.core.tape.events import Event, Opened, Received, Start

T0 = 1_795_655_000_000_000


@dataclass
class Talk:
    """Messages: when they were truly measured, when they arrived (seconds), what the device's clock said."""

    true: Any
    arrived: Any
    said: Any


def talk(
    count: int = 8000, every: float = 0.1, ppm: float = 50.0, step: float = 0.001, begins: float = 123.4
) -> Talk:
    """Delays of 1 ms and more, a few of up to 0.3 s; nothing overtakes."""
    chance = np.random.default_rng(count)
    true = np.cumsum(np.full(count, every) * chance.uniform(0.98, 1.02, count))
    delay = 0.001 + chance.exponential(0.004, count)
    delay += np.where(chance.random(count) < 0.01, chance.uniform(0, 0.3, count), 0.0)
    said = np.floor((begins + true * (1 + ppm * 1e-6)) / step) * step
    return Talk(true, np.maximum.accumulate(true + delay), said)


def heard(clock: DeviceClock, one: Talk) -> tuple[Any, Any]:
    """The times the clock gives (seconds, as `Talk.true`) and the qualities."""
    out = Batch()
    for arrived, said in zip(one.arrived, one.said, strict=True):
        clock.take(Quality.OK, T0 + round(arrived * 1e6), float(said), out)
    assert out.times == [T0 + round(arrived * 1e6) for arrived in one.arrived]
    times = (np.array(out.times) - T0) / 1e6 - np.array(out.values)
    return times, np.array(out.words, int) & 0xFF


@pytest.mark.parametrize("ppm", [0.0, 50.0, -200.0, 20_000.0])
def test_it_is_nearer_the_truth_than_the_arrival_and_follows_the_drift(ppm: float) -> None:
    one, clock = talk(ppm=ppm), DeviceClock(1)
    times, qualities = heard(clock, one)
    later = slice(len(times) // 4, None)
    error = (times - one.true)[later]
    assert np.abs(error).max() < 0.003  # the least delay, and a step of its clock
    assert error.std() < (one.arrived - one.true)[later].std() / 20
    assert clock.drift * 1e6 == pytest.approx(ppm, abs=5)
    assert clock.resets == 0
    assert not qualities.any()
    # Nothing arrived before it was measured, and its time never goes back.
    assert (one.arrived - times >= -1e-6).all()
    assert (np.diff(times) >= 0).all()


def test_a_count_that_begins_again_goes_on() -> None:
    one = talk(begins=60.0)
    whole = heard(DeviceClock(1), one)[0]
    one.said %= 65.536
    clock = DeviceClock(1, wraps=65.536)
    assert np.abs(heard(clock, one)[0] - whole).max() < 1e-5
    assert clock.resets == 0


@pytest.mark.parametrize("wraps", [None, 65.536])
def test_a_clock_that_began_again_is_said_and_lined_up_anew(wraps: float | None) -> None:
    one = talk(begins=20.0)
    later = one.true > 400
    one.said[later] -= one.said[later][0]
    clock = DeviceClock(1, wraps)
    times, qualities = heard(clock, one)
    assert clock.resets == 1
    assert clock.last_reset == T0 + round(one.arrived[later][0] * 1e6)
    assert [*np.flatnonzero(qualities)] == [np.flatnonzero(later)[0]]
    assert qualities.max() == Quality.FLAGGED
    # At once as good as that message's own delay; the drift is known already.
    assert np.abs((times - one.true)[later]).max() < 0.05
    assert np.abs((times - one.true)[-3500:]).max() < 0.003


def test_a_clock_that_was_set_ahead_or_stood_still() -> None:
    ahead, still = talk(), talk()
    ahead.said[4000:] += 3600.0
    still.said[4000:] -= 30.0
    clock = DeviceClock(1)
    assert np.abs((heard(clock, ahead)[0] - ahead.true)[4000:]).max() < 0.05
    assert clock.resets == 1
    clock = DeviceClock(1)
    heard(clock, still)
    assert clock.resets == 1  # it went back
    slept = talk()
    slept.said[4000:] -= 30.0
    slept.said[:4000] -= 30.0
    slept.true[4000:] += 30.0
    slept.arrived[4000:] += 30.0
    clock = DeviceClock(1)
    times, qualities = heard(clock, slept)
    # Thirty seconds late, or a clock that stood still? For ten seconds nobody knows, and that is said.
    assert clock.resets == 1
    unsure = np.flatnonzero(qualities)
    assert 80 < len(unsure) < 120
    assert unsure[0] == 4000
    assert np.abs((times - slept.true)[unsure[-1] + 1 :]).max() < 0.05


def test_what_is_no_clock_begins_again_all_the_time() -> None:
    clock, out = DeviceClock(1), Batch()
    for n in range(100):
        clock.take(Quality.OK, T0 + n * 1_000_000, float(n * 37 % 100) * 1000, out)
    assert clock.resets > 50


def test_no_reading_gives_no_time() -> None:
    clock, out = DeviceClock(1), Batch()
    clock.take(Quality.NO_READING, T0, 5.0, out)
    clock.take(Quality.OK, T0, float("inf"), out)
    assert [word & 0xFF for word in out.words] == [Quality.NO_READING] * 2
    assert np.isnan(out.values).all()


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 500), st.integers(0, 2))
def test_it_goes_on_from_its_state(cut: int, kind: int) -> None:
    one = talk(500)
    if kind == 1:
        one.said[250:] -= 40
    if kind == 2:
        one.said %= 16.384
    wraps = 16.384 if kind == 2 else None
    whole = heard(DeviceClock(1, wraps), one)[0]
    first, second = DeviceClock(1, wraps), DeviceClock(1, wraps)
    heard(first, Talk(one.true[:cut], one.arrived[:cut], one.said[:cut]))
    second.restore(json.loads(json.dumps(first.state())))
    times = heard(second, Talk(one.true[cut:], one.arrived[cut:], one.said[cut:]))[0]
    assert (times == whole[cut:]).all()


SETUP = """[instrument]
id = "board"
name = "Board"
talks = "on its own"
[link]
port = "none"
[framing]
terminator = "\\n"
[listen]
patterns = ["<ms:int>;<bar>"]
[[channel]]
id = "pressure"
name = "Pressure"
field = "bar"
[[channel]]
id = "clock"
name = "Board time"
field = "ms"
scale = 0.001
unit = "s"
clock = { wraps_s = 65.536 }
"""


def lines(one: Talk) -> list[Event]:
    found: list[Event] = [Opened(T0 - 5_000_000, {"follows": ""})]
    for number, (arrived, said) in enumerate(zip(one.arrived, one.said, strict=True)):
        found.append(Received(T0 + round(arrived * 1e6), b"%d;%d.5\n" % (round(said * 1000), number % 90)))
    return found


def test_a_tape_read_again_gives_both_times_bit_for_bit() -> None:
    one = talk(2000)
    one.said %= 65.536
    setup = load(SETUP)
    [plan] = plan_links([setup], {"pressure": 1, "clock": 2})
    events = lines(one)

    def read(reader: LinkReader, some: list[Event]) -> list[tuple[int, int, float]]:
        batches = [batch for event in some if (batch := reader.feed(event)) is not None]
        return [row for b in batches for row in zip(b.words, b.times, b.values, strict=True)]

    first = LinkReader(plan)
    whole = read(first, events)
    assert len(whole) == 2 * 2000
    half = LinkReader(plan)
    before = read(half, events[:777])
    later = LinkReader(plan_links([setup], {"pressure": 1, "clock": 2})[0])
    later.feed(Start(T0, json.loads(json.dumps(half.state()))))
    assert before + read(later, events[777:]) == whole
    # The same a second way: the clock alone.
    alone = heard(DeviceClock(2, 65.536), Talk(one.true, one.arrived, np.round(one.said * 1000) * 0.001))[0]
    delays = np.array([value for word, _, value in whole if word >> 8 == 2])
    assert np.array([t for word, t, _ in whole if word >> 8 == 2]) / 1e6 - delays == pytest.approx(
        alone + T0 / 1e6, abs=1e-5
    )


def test_read_shows_the_device_s_time_in_a_column_of_its_own() -> None:
    setup, one = load(SETUP), talk(50)
    events = lines(one)
    readout = Readout(setup, Capture("tape", lambda: [("none", event) for event in events]))
    table = Table(setup, timed=True, as_json=False)
    assert table.header() == "time,elapsed_s,Pressure,Board time,flags\r\n"
    rows = [table.line(row).split(",") for row in readout.rows()]
    assert len(rows) == 50
    for row in rows:
        assert np.datetime64(row[3][:26]) <= np.datetime64(row[0][:26])
    # Bytes without a time of ours have the device's own seconds.
    data = b"".join(event.data for event in events if isinstance(event, Received))
    plain = Table(setup, timed=False, as_json=False)
    assert plain.header() == "message,Pressure,Board time [s],flags\r\n"
    first = next(iter(Readout(setup, Capture("plain bytes", data=data)).rows()))
    assert plain.line(first) == f"1,0.5,{round(one.said[0] * 1000) * 0.001:.15g},\r\n"


@pytest.mark.parametrize(
    ("keys", "words"),
    [
        ('clock = {}\nunit = "ms"', "give it the unit s"),
        ("clock = {}", "give it the unit s"),
        ('clock = { wraps_s = 1 }\nunit = "s"', "tells no time"),
        ('clock = {}\nunit = "s"\nfilter = [{ kind = "median", count = 3 }]', "no steps, zero, filters or thinning"),
        ('clock = {}\nunit = "s"\nscaling = [{ kind = "sign" }]', "no steps, zero, filters or thinning"),
    ],
)  # fmt: skip
def test_what_a_clock_cannot_have_is_refused(keys: str, words: str) -> None:
    text = SETUP[: SETUP.index('unit = "s"')] + keys
    with pytest.raises(SetupError, match=words):
        load(text)
