"""Parts of the bench by themselves: crossings that are kept, calibrations that are overdue, channels as they are told."""

from datetime import date
from pathlib import Path

import pytest

from tests.conftest import setup_text
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import same_work
from tidybench.core.derivation import Derivation
from tidybench.core.setup.calculated import Calculations
from tidybench.core.values.crossing import Crossing, State
from tidybench.recorder.channel_status import channel_statuses, overdue, run_channels
from tidybench.recorder.open_crossings import MAX_OPEN, OpenCrossings
from tidybench.recorder.state import Zero
from tidybench.runs.disk import HereAndNow
from tidybench.runs.whole import WholeFile

FLOW = setup_text("loop-flow-meter")
HEAD = Calculations.model_validate(
    {"calculated": [{"id": "twice", "name": "Twice", "expression": '"loop-flow" * 2', "unit": "L/min"}]}
)


def crossing(channel: int, state: State, at: int = 1, name: str = "", words: str = "") -> Crossing:
    return Crossing(at, channel, state, "within", 5.0, 4.0, name, words)


def test_the_first_cause_stays_first_until_somebody_has_seen_it() -> None:
    book = OpenCrossings()
    book.enter(crossing(1, "low", 10, name="Flow", words="Flow is below"))
    book.enter(crossing(2, "high", 20, name="Power", words="Power is above"))
    book.enter(crossing(1, "within", 30, name="Flow", words="Flow is back"))
    first, second = book.all()
    assert (first.crossing.words, first.back_at) == ("Flow is below", 30)
    assert (second.crossing.words, second.back_at) == ("Power is above", 0)
    assert [entry.crossing.name for entry in book.acknowledge([first.id, 99])] == ["Flow"]
    assert book.all() == [second]
    assert book.acknowledge([first.id]) == []


def test_a_caution_ends_what_is_open_and_is_not_kept_itself() -> None:
    book = OpenCrossings()
    book.enter(crossing(1, "high", 10, name="Flow", words="above"))
    book.enter(crossing(1, "high caution", 20, name="Flow", words="caution"))
    [entry] = book.all()
    assert entry.back_at == 20
    book.enter(crossing(1, "high", 30, name="Flow", words="above again"))
    assert [entry.crossing.words for entry in book.all()] == ["above", "above again"]


def test_of_very_many_the_first_and_the_newest_are_kept() -> None:
    book = OpenCrossings()
    for n in range(3 * MAX_OPEN):
        book.enter(crossing(n, "high", n, name=f"c{n}", words=f"c{n}"))
    kept = [entry.crossing.name for entry in book.all()]
    assert len(kept) == MAX_OPEN
    assert kept[0] == "c0"
    assert kept[-1] == f"c{3 * MAX_OPEN - 1}"


def test_alarms_that_nobody_has_seen_outlive_the_recorder(tmp_path: Path) -> None:
    def opened() -> OpenCrossings:
        return OpenCrossings(WholeFile(tmp_path / "alarms.json", HereAndNow(), failed))

    def failed(error: Exception) -> None:
        raise error

    book = opened()
    book.enter(crossing(1, "high", 10, name="Flow", words="Flow is above"))
    book.enter(crossing(2, "low", 20, name="Power", words="Power is below"))
    book.enter(crossing(0, "stopped", 30, name="Meter", words="Meter has stopped"))
    again = opened()
    assert again.all() == book.all()
    # Flow is well again, Power is as it was, and of the meter nothing is known yet.
    assert not again.resume(crossing(1, "within", 40))
    assert again.resume(crossing(2, "low", 41))
    assert [entry.back_at for entry in again.all()] == [40, 0, 0]
    assert [one.name for one in again.going_on()] == ["Meter"]
    again.enter(crossing(2, "low", 50, name="Power", words="anew"))
    assert [entry.id for entry in again.all()] == [1, 2, 3, 4]
    again.acknowledge([1, 2, 3, 4])
    assert opened().all() == []
    (tmp_path / "alarms.json").write_text("torn")
    assert opened().all() == []


@pytest.mark.parametrize(
    ("where", "today", "words"),
    [
        (
            '[instrument]\ncalibration = { due = 2026-01-31, serial = "F-7" }',
            date(2026, 2, 1),
            "was due yesterday",
        ),
        ("[instrument]\ncalibration = { due = 2026-01-31 }", date(2026, 3, 2), "was due 30 days ago"),
        ("[instrument]\ncalibration = { due = 2026-01-31 }", date(2026, 1, 31), ""),
        ('[instrument]\ncalibration = { certificate = "K 12" }', date(2026, 3, 2), ""),
    ],
)
def test_a_calibration_is_overdue_from_the_day_after(where: str, today: date, words: str) -> None:
    found = overdue([load(FLOW.replace("[instrument]", where))], today)
    assert len(found) == bool(words)
    if found:
        assert words in found[0].words
        assert found[0].due == "2026-01-31"


def test_channels_are_told_with_their_zero_and_calculated_ones_last() -> None:
    numbers = {"loop-flow": 1, "twice": 2}
    setups = [load(FLOW)]
    derivation = Derivation(setups, HEAD, numbers)
    zeros = {"loop-flow": [Zero(amount=1.0, at=5), Zero(amount=2.5, at=9)]}
    flow, twice = channel_statuses(setups, HEAD, derivation, numbers, zeros)
    assert (flow.zero, flow.zeroed_at, flow.own_zero) == (2.5, 9, False)
    assert (twice.instrument, twice.interval_s, twice.problem) == ("calculated", 0.2, "")
    frozen = run_channels(setups, [flow, twice])
    assert frozen[0].scaling == "field x 1 + 0; zeroed: 2.5 taken off"
    assert frozen[1].scaling == '"loop-flow" * 2'
    assert frozen[1].title == "Twice [L/min]"


def test_why_a_calculated_channel_has_no_value_is_told() -> None:
    numbers = {"loop-flow": 1, "twice": 2}
    broken = Calculations.model_validate(
        {"calculated": [{"id": "twice", "name": "Twice", "expression": "gone * 2"}]}
    )
    setups = [load(FLOW)]
    _, twice = channel_statuses(setups, broken, Derivation(setups, broken, numbers), numbers, {})
    assert "there is no channel “gone”" in twice.problem


@pytest.mark.parametrize(
    ("old", "new", "same"),
    [
        ("limits = { low = 60, high = 200 }", "limits = { high = 5 }", True),
        ('name = "Loop flow"', 'name = "Flow of the loop"', True),
        ("decimals = 1", "decimals = 3", True),
        ("calibration = { ", "calibration = { due = 2026-01-31, ", True),
        ("decimals = 1", "decimals = 1\nscale = 2", False),
        ("decimals = 1", 'decimals = 1\nfilter = [{ kind = "mean" }]', False),
        ("every_s = 0.2", "every_s = 0.5", False),
        ("baud = 9600", "baud = 19200", False),
    ],
)
def test_what_a_link_must_be_opened_anew_for(old: str, new: str, same: bool) -> None:
    changed = FLOW.replace(old, new)
    assert changed != FLOW
    assert same_work([load(FLOW)], [load(changed)]) is same
