"""Tables that are gathered from messages, and what curves say."""

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import brentq

from tidybench.core.acting.act import InstrumentAct
from tidybench.core.compile.command import compile_command
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.curves.analysis import Answer, CurveError, Question, answer, difference, unwrapped
from tidybench.core.curves.gatherer import CurveGatherer
from tidybench.core.curves.piece import CurveBegan, CurveEnded, CurveProgress, CurveRows
from tidybench.core.exchange.command import Command
from tidybench.core.exchange.link_talk import LinkTalk
from tidybench.core.quality import Quality
from tidybench.core.setup.curves import CurvePart
from tidybench.core.setup.toml import SetupError
from tidybench.core.tape.events import Opened, Received
from tidybench.core.values.curve import CurveColumn
from tidybench.core.values.origin import ByHand

X = CurveColumn(name="Frequency", unit="Hz", scale="logarithmic")
GAIN = CurveColumn(name="Gain", unit="dB")


def gatherer(**more: Any) -> CurveGatherer:
    part = {
        "id": "sweep",
        "name": "Sweep",
        "row": "<f>,<g none(--)>",
        "x": {"field": "f", "scale": "logarithmic"},
        "y": [{"field": "g", "unit": "dB"}],
    }
    return CurveGatherer("tester", CurvePart.model_validate(part | more))


def fed(
    one: CurveGatherer, *lines: str, every: int = 1000
) -> tuple[list[list[float]], list[CurveEnded], list[str]]:
    """The rows, the ends, and the lines that were not its."""
    left = []
    for n, line in enumerate(lines):
        if not one.take(line.encode(), n * every):
            left.append(line)
            if one.is_open:
                one.stray(line.encode(), n * every)
    rows: list[list[float]] = []
    for piece in one.pieces:
        if isinstance(piece, CurveRows):
            rows += [list(row) for row in zip(*piece.values, strict=True)]
    return rows, [p for p in one.pieces if isinstance(p, CurveEnded)], left


def told(ended: CurveEnded) -> tuple[str, str, int]:
    return ended.state, ended.why, ended.rows


def test_a_table_ends_with_its_last_line() -> None:
    one = gatherer(progress="BUSY <p:int>%", ends="END")
    rows, [ended], left = fed(one, "HELLO", "BUSY 50%", "BUSY 20%", "10,-1.5", "20,--", "END", "BYE")
    assert rows[0] == [10.0, -1.5]
    assert rows[1][0] == 20.0
    assert math.isnan(rows[1][1])
    assert told(ended) == ("complete", "", 2)
    assert left == ["HELLO", "BYE"]
    assert isinstance(one.pieces[0], CurveBegan)
    assert [p.percent for p in one.pieces if isinstance(p, CurveProgress)] == [50, 20]
    marks = [p.qualities[1] for p in one.pieces if isinstance(p, CurveRows)]
    assert marks == [[Quality.OK, Quality.NO_READING]]


def test_a_table_of_a_known_length_ends_by_itself_and_a_row_too_many_is_said() -> None:
    one = gatherer(rows=2)
    _, ends, left = fed(one, "1,1", "2,2", *["3,3"] * 1000)
    assert [told(end) for end in ends] == [
        ("complete", "", 2),
        ("not whole", "1 row more came than it should have", 2),  # not a thousand times
    ]
    assert left == []
    one.asked(2_000_000)  # what comes upon a new command is a table of its own
    last = one.pieces[-1]
    assert isinstance(last, CurveEnded)
    assert told(last) == ("not whole", "1000 rows more came than it should have", 2)
    rows, ends, _ = fed(one, "5,5", "6,6")
    assert rows[-2:] == [[5.0, 5.0], [6.0, 6.0]]
    assert told(ends[-1]) == ("complete", "", 2)


@pytest.mark.parametrize(
    ("more", "lines", "state", "why"),
    [
        ({"ends": "END", "rows": 3}, ["1,1", "2,2", "END"], "not whole", "2 of 3 rows came"),
        ({"ends": "END"}, ["1,1", "?x", "2,2", "END"], "not whole", "1 message within it was no row"),
        ({"ends": "END", "progress": "B <p:int>"}, ["B 1", "END"], "not whole", "it has no rows"),
        ({"begins": "BEGIN", "ends": "END"}, ["BEGIN", "1,1", "BEGIN", "2,2", "END"], "not whole", "it began again"),
        ({"ends": "END", "most": 2}, ["1,1", "2,2", "3,3"], "not whole", "more than 2 rows came"),
    ],
)  # fmt: skip
def test_what_is_wrong_with_a_table_is_said(
    more: dict[str, Any], lines: list[str], state: str, why: str
) -> None:
    _, ends, _ = fed(gatherer(**more), *lines)
    assert (ends[0].state, ends[0].why) == (state, why)


def test_as_many_rows_as_there_may_be_are_not_too_many() -> None:
    _, [ended], _ = fed(gatherer(ends="END", most=2), "1,1", "2,2", "END")
    assert told(ended) == ("complete", "", 2)


def test_strays_do_not_keep_a_table_open() -> None:
    one = gatherer(silence_s=0.5, ends="END")
    fed(one, "1,1", *["noise"] * 100, every=4000)
    assert one.deadline == 500_000
    one.silent(500_000)
    assert not one.is_open


def test_silence_ends_a_table_or_gives_it_up() -> None:
    plain = gatherer(silence_s=0.5)
    fed(plain, "1,1", "2,2")
    assert plain.deadline == 1000 + 500_000
    plain.silent(501_000)
    assert isinstance(plain.pieces[-1], CurveEnded)
    assert told(plain.pieces[-1]) == ("complete", "", 2)
    cut = gatherer(silence_s=0.5, ends="END")
    fed(cut, "1,1")
    cut.silent(499_999)
    assert cut.is_open
    cut.silent(500_000)
    assert isinstance(cut.pieces[-1], CurveEnded)
    assert told(cut.pieces[-1]) == ("not whole", "nothing came for 0.5 s after 1 row", 1)


@given(
    st.lists(st.sampled_from(["1,1", "2,--", "END", "BUSY 5%", "x", "", "7", "BEGIN"]), max_size=30),
    st.integers(0, 29),
)
def test_a_table_goes_on_from_its_state(lines: list[str], cut: int) -> None:
    """A tape that begins in the middle of a table reads on as if it had been there."""
    more = {"progress": "BUSY <p:int>%", "ends": "END", "rows": 3}
    whole, second = gatherer(**more), gatherer(**more)
    first = lines[:cut]
    fed(whole, *first)
    second.restore(whole.state())
    whole.pieces = []
    assert fed(whole, *lines[cut:]) == fed(second, *lines[cut:])


@given(
    st.lists(
        st.one_of(
            st.text("0123456789+-.,", max_size=12),
            st.tuples(st.floats(-1e9, 1e9), st.floats(-1e9, 1e9)).map(
                lambda two: f"{two[0]:.3f},{two[1]:.4f}"
            ),
        ),
        min_size=1,
        max_size=40,
    ),
    st.sampled_from([{}, {"rows": 20}, {"ends": "END"}, {"most": 10, "ends": "END"}]),
)
def test_rows_that_are_read_together_are_those_that_are_read_one_by_one(
    lines: list[str], more: dict[str, Any]
) -> None:
    one, many = gatherer(row="<f>,<g>", **more), gatherer(row="<f>,<g>", **more)
    for each in (one, many):
        fed(each, "0,0")
    bodies, times = [line.encode() for line in lines], [5000 + n for n in range(len(lines))]
    if not many.take_rows(bodies, times):
        return
    taken = [one.take(body, at) for body, at in zip(bodies, times, strict=True)]
    assert all(taken)
    rows = [[v for p in each.pieces if isinstance(p, CurveRows) for v in p.values[1]] for each in (one, many)]
    assert rows[0] == rows[1]
    assert one.state() == many.state()
    ends = [[p for p in each.pieces if isinstance(p, CurveEnded)] for each in (one, many)]
    assert ends[0] == ends[1]


def test_plain_rows_are_read_together() -> None:
    one = gatherer(row="<f>,<g>", ends="END")
    fed(one, "1,1")
    assert one.take_rows([b"2,2.5", b"3,-3"], [1, 2])
    assert not one.take_rows([b"4,4", b"END"], [3, 4])
    assert not gatherer(row="<f>, <g>").take_rows([b"1, 1"], [1])


def test_a_curve_of_a_set_up_is_checked_whole() -> None:
    text = """
[instrument]
id = "t"
name = "T"
[link]
port = "p"
[[curve]]
id = "a"
name = "A"
row = "<f>,<g>"
x = { field = "frequency" }
y = [{ field = "g" }]
"""
    with pytest.raises(
        SetupError, match=r"curve “A”: no number of a row is called “frequency” \(there are: f, g\)"
    ):
        load(text)
    with pytest.raises(SetupError, match=r"there is no .*“b”"):
        load(
            text.replace('"frequency"', '"f"')
            + '[[command]]\nid = "c"\nname = "C"\nsend = "C"\nstarts = "b"\n'
        )


# ---- what a curve says


def second_order(f: Any, natural: float, quality: float) -> Any:
    ratio = f / natural
    return -20 * np.log10(np.hypot(1 - ratio**2, ratio / quality))


def asked(question: Question, f: Any, gain: Any, **more: Any) -> Answer:
    return answer(question, f, gain, X, GAIN, **more)


def figures(found: Answer) -> dict[str, tuple[float, float]]:
    return {r.name: (r.value, r.uncertainty or 0.0) for r in found.results}


@pytest.mark.parametrize(
    ("natural", "quality", "seed"), [(2400, 4.0, 1), (3100, 1.2, 2), (500, 0.7, 3), (900, 8.0, 4)]
)
def test_corner_slope_and_fit_are_the_models_within_their_uncertainty(
    natural: float, quality: float, seed: int
) -> None:
    f = np.geomspace(20, 20_000, 200)
    gain = second_order(f, natural, quality) + np.random.default_rng(seed).normal(0, 0.02, len(f))
    true = brentq(lambda at: second_order(at, natural, quality) + 10 * math.log10(2), natural, natural * 5) if quality > 0.8 else (
        brentq(lambda at: second_order(at, natural, quality) + 10 * math.log10(2), natural / 3, natural * 5))  # fmt: skip
    value, shaky = figures(asked("corner", f, gain))["−3 dB corner"]
    assert abs(value - true) < 4 * shaky < 0.05 * true
    fitted = figures(asked("second order", f, gain))
    for name, model in (("Natural frequency", natural), ("Quality factor", quality)):
        assert abs(fitted[name][0] - model) < 4 * fitted[name][1] < 0.01 * model
    steep = figures(asked("slope", f, gain, begin=natural * 6, end=20_000))["Slope"]
    line = np.polyfit(np.log10(f[f >= natural * 6]), gain[f >= natural * 6], 1)
    assert steep[0] == pytest.approx(line[0], rel=1e-9)
    assert abs(steep[0] + 40) < 2


def test_a_resonance_is_found_with_its_quality_and_says_where_rows_are_too_far_apart() -> None:
    f = np.geomspace(20, 20_000, 800)
    found = figures(asked("resonance", f, second_order(f, 900, 8.0)))
    assert found["Resonance"][0] == pytest.approx(900 * math.sqrt(1 - 1 / (2 * 64)), rel=1e-3)
    assert found["Quality factor"][0] == pytest.approx(8.0, rel=0.02)
    assert found["Peak"][0] == pytest.approx(20 * math.log10(8 / math.sqrt(1 - 1 / 256)), abs=0.01)
    coarse = np.geomspace(20, 20_000, 40)
    told = asked("resonance", coarse, second_order(coarse, 900, 8.0))
    assert "sweep closer, or fit a response of second order" in told.method
    assert next(r.uncertainty for r in told.results if r.name == "Quality factor") is None


def test_a_first_order_response_and_one_that_is_none() -> None:
    f = np.geomspace(20, 20_000, 60)
    gain = 3 - 10 * np.log10(1 + (f / 500) ** 2) + np.random.default_rng(5).normal(0, 0.01, 60)
    fitted = figures(asked("first order", f, gain))
    assert abs(fitted["Corner"][0] - 500) < 4 * fitted["Corner"][1] < 5
    corner = figures(asked("corner", f, gain))["−3 dB corner"]
    assert abs(corner[0] - 500) < 4 * corner[1] < 20
    amplitude = answer("first order", f, 10 ** (gain / 20), X, CurveColumn(name="Ratio"))
    assert figures(amplitude)["Corner"][0] == pytest.approx(fitted["Corner"][0], rel=1e-9)
    assert amplitude.ys[0] == pytest.approx(10 ** (3 / 20), rel=0.01)  # drawn in its own unit
    with pytest.raises(CurveError, match="fit no such response"):
        asked("first order", f, second_order(f, 900, 8.0))


@pytest.mark.parametrize(
    ("question", "f", "gain", "why"),
    [
        ("corner", np.geomspace(1, 100, 20), np.zeros(20), "there is no corner"),
        ("corner", np.array([1.0, 2.0]), np.zeros(2), "too few"),
        ("corner", np.array([-1.0, 0.0, -3.0, np.nan]), np.zeros(4), "too few"),
        ("slope", np.array([5.0, 5.0, 5.0]), np.arange(3.0), "no slope"),
        ("resonance", np.geomspace(1, 100, 20), -np.arange(20.0), "highest at the end"),
    ],
)  # fmt: skip
def test_what_has_no_answer_says_why(question: Question, f: Any, gain: Any, why: str) -> None:
    with pytest.raises(CurveError, match=why):
        asked(question, f, gain)


def test_a_difference_is_taken_where_both_are() -> None:
    x = np.array([1.0, 10.0, 100.0, 1000.0])
    other = np.array([1000.0, 1.0, 100.0])  # in any order
    xs, ys = difference(x, np.array([1.0, 2.0, 3.0, 4.0]), other, np.array([3.0, 0.0, 2.0]), True)
    assert xs.tolist() == x.tolist()
    np.testing.assert_allclose(ys, [1, 1, 1, 1])
    with pytest.raises(CurveError, match="no stretch in common"):
        difference(x, x, x * 1e6, x, True)


def test_an_angle_is_unwrapped_and_what_is_missing_stays_so() -> None:
    found = unwrapped(np.array([170.0, -170.0, np.nan, -150.0]), "°")
    assert found[[0, 1, 3]].tolist() == [170.0, 190.0, 210.0]
    assert math.isnan(found[2])


def test_a_table_that_comes_by_itself_is_no_answer_to_another_command() -> None:
    text = """
[instrument]
id = "t"
name = "T"
talks = "on its own"
[link]
port = "p"
[framing]
terminator = "\\n"
[listen]
patterns = ["V=<v>"]
[[command]]
id = "c"
name = "C"
send = "C\\n"
patterns = ["OK"]
[[curve]]
id = "a"
name = "A"
row = "<f>,<g>"
rows = 2
x = { field = "f" }
y = [{ field = "g" }]
"""
    setup = load(text)
    talk = LinkTalk(plan_links([setup], {})[0], 0)
    talk.feed(Opened(0, {}))
    talk.opened(0)
    act = InstrumentAct(compile_command(setup, setup.command[0]), 1, {}, "me", 0)
    talk.enqueue([act.command()])
    for event in talk.speak(1000):
        talk.feed(event)
    for at, data in ((2000, b"1,1\n2,2\n"), (3000, b"OK\n")):
        talk.feed(Received(at, data))
    for event in talk.stop_waiting(200_000):
        talk.feed(event)
    assert act.ended is not None
    assert (act.ended.outcome, act.ended.words) == ("answered", "answered “OK”")


def test_after_a_table_of_known_length_the_link_is_not_held_until_its_silence() -> None:
    text = """
[instrument]
id = "t"
name = "T"
[link]
port = "p"
[framing]
terminator = "\\n"
[[query]]
id = "q"
send = "Q\\n"
patterns = ["<v>"]
[[curve]]
id = "a"
name = "A"
row = "<f>,<g>"
rows = 2
x = { field = "f" }
y = [{ field = "g" }]
"""
    talk = LinkTalk(plan_links([load(text)], {})[0], 0)
    talk.feed(Opened(0, {}))
    talk.opened(0)
    talk.enqueue([Command(ByHand(1), b"GO\n", 1_000_000, 60_000)])
    for event in talk.speak(1000):
        talk.feed(event)
    talk.feed(Received(2000, b"1,1\n"))
    due = talk.deadline()
    assert due is not None
    assert due >= 5_000_000  # the table has its time
    talk.feed(Received(3000, b"2,2\n"))
    due = talk.deadline()
    assert due is not None
    assert due <= 3000 + 60_000
