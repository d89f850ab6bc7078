"""What is proposed for the habits of forty trades is right, or is asked; it is read through the whole pipeline."""

import math

import pytest

from tests.core.habits import HABITS, Habit
from tidybench.captures.capture import Capture
from tidybench.captures.readout import Readout
from tidybench.core.compile.load import load
from tidybench.core.quality import Quality
from tidybench.core.setup import Setup
from tidybench.core.tape.events import Event, Opened, Received
from tidybench.core.teaching.drafting import Draft, Exchanged, draft
from tidybench.core.values.state_name import state_name

SECOND = 1_000_000


def exchanged(habit: Habit) -> Exchanged:
    if isinstance(habit.data, bytes):
        return Exchanged(b"", [(0, habit.data)])
    return Exchanged(b"", [(SECOND * n, data) for n, data in enumerate((b"x", *habit.data), 1)])


def taught(habit: Habit) -> Draft:
    """The draft, with the answers that the habit wants; anything else that is asked is a mistake."""
    answers: dict[str, str] = {}
    wanted = [*habit.asks]
    for _ in range(6):
        got = draft([exchanged(habit)], {"port": "none"}, "Taught", answers)
        if not got.questions:
            assert not wanted, f"was not asked: {wanted}"
            return got
        for question in got.questions:
            asked = next((one for one in wanted if one[0] in question.words), None)
            assert asked is not None, f"asked: {question.words} {[c.words for c in question.choices]}"
            wanted.remove(asked)
            choice = next(c for c in question.choices if asked[1] in c.words or asked[1] == c.key)
            assert choice.words
            answers[question.key] = choice.key
    raise AssertionError("it asks and asks")


def rows_of(setup: Setup, habit: Habit) -> list[tuple[float | None, ...]]:
    """The rows that the set-up gives: message by message, a number for each channel that is one."""
    numbers = [n for n, c in enumerate(setup.channel) if c.clock is None and not c.states]
    return [tuple(row[n] for n in numbers) for row in all_rows_of(setup, habit)]


def all_rows_of(setup: Setup, habit: Habit) -> list[tuple[float | None, ...]]:
    """The same with the device's own times and states."""
    if isinstance(habit.data, bytes):
        capture = Capture("plain bytes", data=habit.data)
    else:
        events: list[Event] = [Opened(0, {})]
        events += [Received(SECOND * n, data) for n, data in enumerate((b"x", *habit.data), 1)]
        events.append(Received(SECOND * (len(habit.data) + 2), b"x"))
        link = setup.link.address
        capture = Capture("saved text", lambda: [(link, event) for event in events])
    found = []
    for row in Readout(setup, capture).rows():
        cells: list[float | None] = [None] * len(setup.channel)
        for index, quality, value in row.samples:
            if Quality(quality).measured:
                cells[index] = value
        understood = any(Quality(quality) is not Quality.NOT_UNDERSTOOD for _, quality, _ in row.samples)
        if understood and not all(Quality(q) is Quality.BAD_CHECK for _, q, _ in row.samples):
            found.append(tuple(cells))
    return found


@pytest.mark.parametrize("habit", HABITS, ids=lambda habit: habit.trade.split(":")[0])
def test_every_habit_is_read_right_or_asked_about(habit: Habit) -> None:
    got = taught(habit)
    if habit.needs:
        assert got.text == ""
        assert habit.needs in got.needs, got.needs
        return
    assert got.text, got.needs
    setup = load(got.text)
    rows = [
        row for row in rows_of(setup, habit) if any(cell is not None for cell in row) or None in habit.rows[0]
    ]
    wanted = [row for row in habit.rows if any(cell is not None for cell in row)]
    rows = [row for row in rows if any(cell is not None for cell in row)]
    assert len(rows) == len(wanted), (got.text, rows[:5])
    for row, right in zip(rows, wanted, strict=True):
        plain = tuple(math.nan if cell is None else cell for cell in row)
        expected = tuple(math.nan if cell is None else cell for cell in right)
        assert plain == pytest.approx(expected, rel=1e-9, nan_ok=True), got.text
    numbers = [c for c in setup.channel if c.clock is None and not c.states]
    assert [c.unit or "" for c in numbers] == list(habit.units) or not habit.units
    assert [c.name for c in numbers] == list(habit.names) or not habit.names
    every = all_rows_of(setup, habit)
    states = [n for n, c in enumerate(setup.channel) if c.states]
    found = [state_name(setup.channel[n].states, row[n] or 0.0) for row in every for n in states]
    assert found == list(habit.states)
    clocks = [n for n, c in enumerate(setup.channel) if c.clock is not None]
    assert [row[n] for row in every for n in clocks] == pytest.approx(list(habit.clock), rel=1e-12)
    assert got.reasons


def test_there_are_forty() -> None:
    assert len({habit.trade for habit in HABITS}) >= 40


def test_the_cookbook_says_what_the_tests_prove() -> None:
    from tests.cookbook import PLACE, cookbook

    assert PLACE.read_text("utf-8") == cookbook(), "python -m tests.cookbook writes it"
