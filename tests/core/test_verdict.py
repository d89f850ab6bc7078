"""One verdict over all that has limits: never “all within” where something is not known."""

import math

import pytest

from tidybench.core.channels.limits import LimitWatch
from tidybench.core.channels.verdict import WARMS_UP, Limited, judge
from tidybench.core.quality import Quality
from tidybench.core.setup.channel import LimitsPart

SECOND = 1_000_000
LIMITS = LimitsPart(low=0, high=10, high_caution=8)


def limited(id: str, *samples: tuple[float, int, float], limits: LimitsPart = LIMITS) -> Limited:
    """A channel that had samples of (seconds, quality, value); two seconds without one are too many."""
    watch = LimitWatch(1, limits)
    for at, quality, value in samples:
        watch.take(quality, round(at * SECOND), value)
    return Limited(id, id.upper(), watch, 2 * SECOND)


def test_all_within() -> None:
    verdict = judge([limited("a", (1, 0, 5)), limited("b", (1, 0, 9))], 2 * SECOND)
    assert (verdict.state, verdict.limited, verdict.cautions) == ("within", 2, ["B"])


def test_nothing_has_limits() -> None:
    assert judge([limited("a", (1, 0, 5), limits=LimitsPart())], 2 * SECOND).state == "no limits"
    assert judge([], 0).state == "no limits"


@pytest.mark.parametrize(
    ("samples", "words", "since"),
    [
        ([], "no sample yet", 0),
        ([(1, 0, 5), (2, Quality.BAD_CHECK, math.nan), (3, Quality.NO_REPLY, math.nan)], "no reply", 2),
        ([(3, Quality.LINK_LOST, math.nan)], "link lost", 3),
        ([(1, 0, 5)], "no sample", 1),
    ],
)
def test_what_is_not_known_is_said(samples: list[tuple[float, int, float]], words: str, since: int) -> None:
    verdict = judge([limited("a", (4, 0, 5)), limited("b", *samples)], 4 * SECOND)
    assert verdict.state == "not all known"
    assert [(one.name, one.words, one.since) for one in verdict.unknown] == [("B", words, since * SECOND)]


def test_what_is_measured_again_counts_again() -> None:
    bad = (1, Quality.BAD_CHECK, math.nan)
    assert judge([limited("a", bad, (2, 0, 5))], 3 * SECOND).state == "within"
    [again] = judge([limited("a", bad, (2, 0, 5), (3, 7, math.nan))], 3 * SECOND).unknown
    assert again.since == 3 * SECOND


def test_beyond_is_said_first_and_by_the_recorders_rules() -> None:
    out, lost = limited("a", (4, 0, 11)), limited("b")
    verdict = judge([out, lost], 4 * SECOND)
    assert (verdict.state, verdict.beyond, len(verdict.unknown)) == ("beyond", ["A"], 1)
    delayed = LimitsPart(high=10, delay_s=3)
    assert judge([limited("a", (3, 0, 5), (4, 0, 11), limits=delayed)], 4 * SECOND).state == "within"
    stuck = LimitsPart(stuck_s=1)
    assert judge([limited("a", (1, 0, 5), (3, 0, 5), limits=stuck)], 4 * SECOND).beyond == ["A"]


def test_a_channel_that_warms_up_is_not_known() -> None:
    watch = LimitWatch(1, LIMITS, warm_up=10)
    watch.started(0, opened=True)
    watch.take(0, SECOND, 99)
    [one] = judge([Limited("a", "A", watch, SECOND)], SECOND).unknown
    assert one.words == WARMS_UP
