"""Marks that instruments set, of their samples."""

import pytest
from pydantic import ValidationError

from tidybench.core.batch import NAN, Batch
from tidybench.core.channels.state_marks import MINUTE, MOST, StateMarks
from tidybench.core.quality import Quality
from tidybench.core.setup.channel import ChannelPart
from tidybench.core.values.mark import Mark

S = 1_000_000
MODE = ChannelPart(id="mode", name="Mode", field="m", states=["IDLE", "RUN", "FAULT"], marks=["RUN", "FAULT"])
OTHER = ChannelPart(id="x", name="X", field="x", states=["a", "b"])


def watched(part: ChannelPart = MODE) -> StateMarks:
    marks = StateMarks()
    marks.employ([(3, part, "Seal rig"), (4, OTHER, "Seal rig")])
    return marks


def batch(*samples: tuple[int, float]) -> Batch:
    made = Batch()
    for at, value in samples:
        made.add(3, Quality.OK if value == value else Quality.NO_REPLY, at, value)
        made.add(4, Quality.OK, at, float(at // S % 2))
    return made


def test_a_change_to_a_chosen_word_sets_a_mark_at_its_sample() -> None:
    made = watched().feed(
        batch((1 * S + 234_567, 1), (2 * S, 1), (3 * S, 0), (4 * S + 999, 2), (5 * S, NAN), (6 * S, 2), (7 * S, 9),
              (8 * S, 1))
    )  # fmt: skip
    assert made == [Mark(4 * S, "Mode: FAULT", "Seal rig"), Mark(8 * S, "Mode: RUN", "Seal rig")]


def test_other_set_ups_keep_what_it_was_in() -> None:
    marks = watched()
    assert marks.feed(batch((1 * S, 0))) == []
    marks.employ([(3, MODE.model_copy(update={"marks": ["RUN"], "name": "Phase"}), "Rig")])
    assert marks.feed(batch((2 * S, 2), (3 * S, 1))) == [Mark(3 * S, "Phase: RUN", "Rig")]
    marks.employ([])
    assert marks.feed(batch((4 * S, 0), (5 * S, 1))) == []


def test_one_that_flutters_does_not_bury_the_others() -> None:
    marks, made = watched(), []
    for n in range(400):  # ten changes a second
        made += marks.feed(batch((n * S // 10, n % 2)))
    assert [one.text for one in made] == ["Mode: RUN"] * MOST + [
        "Mode changes too often: it sets no marks for a minute"
    ]
    later = 400 * S // 10 + MINUTE
    assert [one.text for one in marks.feed(batch((later, 0), (later + S, 1)))] == ["Mode: RUN"]


@pytest.mark.parametrize(
    ("states", "words"), [(["a"], "“RUN” is none of the states"), ([], "only a channel of states")]
)
def test_words_that_it_has_not_are_refused(states: list[str], words: str) -> None:
    with pytest.raises(ValidationError, match=words):
        ChannelPart(id="m", name="M", field="m", states=states, marks=["RUN"])
