"""Procedures that carry others out, and questions that are answered with a text."""

import pytest

from tests.core.test_procedures import Driver, view
from tidybench.core.procedure.bench_view import BenchView
from tidybench.core.procedure.checked import Checked, checked
from tidybench.core.procedure.run import ProcedureRun, Question
from tidybench.core.procedure.steps import ProcedureError
from tidybench.core.procedure.text import parse, with_carried_out

HOLD = """procedure Hold
  ask target "Which temperature?" [°C]
  set kiln.target to target
  wait 1 s
  mark "held {target}"
always
  set kiln.target to 30 [°C]
"""
FIRING = """procedure Firing
  for step = 400, 500 [°C]
    carry out "Hold" with target = step + 10 [K]
  say "after it"
always
  set kiln.target to 20 [°C]
"""


def made(text: str, **others: str) -> Checked:
    bare = view()
    return checked(parse(text), BenchView(bare.commands, bare.instruments, bare.channels, (), others))


def problems(text: str, **others: str) -> list[str]:
    with pytest.raises(ProcedureError) as error:
        made(text, **others)
    return [f"{one.line}:{one.column} {one.what}" for one in error.value.problems]


def targets(driver: Driver) -> list[float | str]:
    return [values["target"] for _, values in driver.sent()]


def asked(driver: Driver) -> Question:
    question = driver.run.question
    assert question is not None
    return question


def test_another_one_is_carried_out_with_what_is_given_and_its_own_end() -> None:
    whole = made(FIRING, Hold=HOLD)
    assert (whole.least, whole.most) == (2_000_000, 2_000_000)
    assert [(one.line, one.data) for one in whole.sends] == [
        (3, b"TS 0410.0\r"),
        (3, b"TS 0510.0\r"),
        (3, b"TS 0030.0\r"),
        (6, b"TS 0020.0\r"),
    ]
    assert whole.instruments == {"kiln"}
    driver = Driver(whole)
    driver.look()
    assert (driver.run.line, driver.run.inside, driver.run.places) == (3, ["Hold"], [("Hold", 4)])
    driver.passes(3)
    assert targets(driver) == [410, 30, 510, 30, 20]
    assert (driver.run.why, driver.run.failed, driver.run.inside) == ("all steps are done", False, [])
    assert driver.log()[2:9] == [
        "“Hold” begins",
        "“Hold”, line 2: Which temperature? 410 °C, given",
        "“Hold”, line 3: Set target 410: done",
        "“Hold”, line 4: waited 1 s",
        "“Hold”, line 5: done",
        "“Hold”, line 7: Set target 30: done",
        "“Hold” has ended: all steps are done",
    ]
    assert {one.line for one in driver.run.log[2:9]} == {3}, "the line of the procedure that is looked at"
    assert [one.text for one in driver.done if one.what == "mark"] == ["held 410 °C", "held 510 °C"]
    assert len([one for one in driver.done if one.what == "remember"]) == 4


def test_begun_by_itself_it_asks() -> None:
    driver = Driver(made(HOLD))
    driver.look()
    assert (asked(driver).answer, asked(driver).unit, asked(driver).name) == ("number", "°C", "target")
    driver.run.answer(70.0, "M. Okafor")
    driver.passes(2)
    assert targets(driver) == [70, 30]


def test_stopped_within_it_all_ends_are_done_from_the_inside_out() -> None:
    driver = Driver(made(FIRING, Hold=HOLD))
    driver.passes(0.5)
    driver.run.stop("stopped by M. Okafor")
    driver.passes(1)
    assert targets(driver) == [410, 30, 20]
    assert (driver.run.state, driver.run.why) == ("ended", "stopped by M. Okafor")
    assert "after it" not in driver.log()


def test_stopped_while_its_end_is_done_that_is_done_and_nothing_more() -> None:
    slow = HOLD.replace("  set kiln.target to 30 [°C]", "  wait 2 s\n  set kiln.target to 30 [°C]")
    driver = Driver(made(FIRING, Hold=slow))
    driver.passes(1.5)
    assert driver.run.state == "running"
    driver.run.stop("stopped by M. Okafor")
    driver.passes(10)
    assert targets(driver) == [410, 30, 20]
    assert driver.run.why == "stopped by M. Okafor"


@pytest.mark.parametrize(("tail", "then"), [("", [410, 30, 20]), (", else go on", [410, 30, 510, 30, 20])])
def test_what_comes_to_nothing_within_it_stops_all_unless_it_is_to_go_on(tail: str, then: list[float]) -> None:  # fmt: skip
    bad = HOLD.replace('  mark "held {target}"', "  wait until flow > 5 [L/min], at most 1 s")
    driver = Driver(made(FIRING.replace("+ 10 [K]", f"+ 10 [K]{tail}"), Hold=bad))
    driver.passes(10)
    assert targets(driver) == then
    assert driver.run.failed == (not tail)
    if not tail:
        assert driver.run.why == "“Hold”: flow > 5 [L/min]: not within 1 s"


def test_a_step_of_its_end_that_fails_is_no_success() -> None:
    driver = Driver(made(FIRING, Hold=HOLD), target=False)
    driver.passes(10)
    assert driver.run.failed
    assert targets(driver) == [410, 30, 20]


def test_killed_within_it_its_end_is_done_too() -> None:
    whole = made(FIRING, Hold=HOLD)
    driver = Driver(whole)
    driver.run = ProcedureRun(whole, 0, "the recorder was restarted", ["Hold", "not there any more"])
    driver.look()
    assert targets(driver) == [30, 20]
    driver.run = ProcedureRun(whole, 0, "the recorder was restarted", [])
    driver.look()
    assert targets(driver) == [30, 20, 20]


def test_what_cannot_be_remembered_is_not_begun() -> None:
    driver = Driver(made(FIRING, Hold=HOLD), remember=False)
    driver.passes(5)
    assert targets(driver) == [30, 20]
    assert "could not be written down: refused with “E7”" in driver.run.why


def test_names_are_its_own() -> None:
    other = 'procedure Other\n  say "{step}"\n'
    line = 'procedure A\n  let step = 5\n  carry out "Other"\n'
    assert problems(line, Other=other) == ["3:14 In “Other”, line 2: Nothing is called “step” here."]
    inner = "procedure Inner\n  let step = 7\n"
    driver = Driver(made('procedure A\n  let step = 5\n  carry out "Inner"\n  say "{step}"\n', Inner=inner))
    driver.look()
    assert driver.log()[-2] == "5"


@pytest.mark.parametrize(
    ("line", "others", "problem"),
    [
        ('carry out "Holt"', {"Hold": HOLD}, "2:14 No procedure “Holt” is kept at this bench. Perhaps “Hold” is meant."),
        ('carry out "Hold" with level = 5', {"Hold": HOLD}, "2:33 “Hold” does not ask for “level” (it asks for: target)."),
        ('carry out "Hold" with target = 5', {"Hold": HOLD}, "2:34 Give its unit: 5 [°C]."),
        ('carry out "Hold" with target = 1300 [°C]', {"Hold": HOLD}, "2:14 In “Hold”, line 3: target is 1300 °C: the highest it can be is 1250 °C."),
        ('carry out "Hold" with target = 5 [°C], target = 6 [°C]', {"Hold": HOLD}, "2:13 “target” stands here twice."),
        ('carry out "Hold" as target', {"Hold": HOLD}, '2:13 “as target” is not understood: write carry out "Hold" with name = value, name = value.'),
        ('carry out "A"', {}, "2:14 A procedure never carries itself out: “A” → “A”."),
        ('carry out "B"', {"B": 'procedure B\n  carry out "A"\n'}, "2:14 In “B”, line 2: A procedure never carries itself out: “A” → “B” → “A”."),
        ('carry out "B"', {"B": "procedure B\n  wiat 5 s\n"}, "2:14 In “B”, line 2: “wiat” is no step. Perhaps “wait” is meant."),
        ('carry out "B" with x = 5 [K]', {"B": 'procedure B\n  ask x "x?"\n  let y = x\n'}, "2:26 “B” asks for “x” as a number without a unit."),
        ('carry out "B" with x = 5', {"B": 'procedure B\n  ask x "x?" text\n'}, "2:26 x is a text: write it in quotes, or the name of one."),
        ('ask x "x?" text\n  let y = 2 * x', {}, "3:15 “x” is a text: nothing is calculated with it."),
        ('ask "x?" text', {}, '2:7 A text has a name by which it is used: ask serial "Serial number?" text'),
    ],
)  # fmt: skip
def test_what_is_wrong_is_said_where_it_is_carried_out(
    line: str, others: dict[str, str], problem: str
) -> None:
    [found] = problems(f"procedure A\n  {line}\n", **others)
    assert found.rstrip(".") == problem.rstrip(".")


def test_many_that_carry_each_other_out_are_checked_in_a_moment() -> None:
    """Ten procedures, each of which carries the next out twenty times: 20 to the tenth steps, and not looked at one by one."""
    others = {
        f"P{n}": f"procedure P{n}\n" + f'  carry out "P{n + 1}"\n' * 20
        if n < 9
        else "procedure P9\n  wait 1 s\n"
        for n in range(10)
    }
    [found] = problems('procedure A\n  carry out "P0"\n', **others)
    assert found.startswith("1:1 It has ")
    assert found.endswith("1,000,000 is the most.")
    deep = {f"P{n}": f'procedure P{n}\n  carry out "P{n + 1}"\n' for n in range(20)}
    [found] = problems('procedure A\n  carry out "P0"\n', **deep)
    assert "deep at the most" in found
    given = {
        f"P{n}": f'procedure P{n}\n  ask x "x?"\n'
        + "".join(f'  carry out "P{n + 1}" with x = x + {k}\n' for k in range(20))
        for n in range(9)
    } | {"P9": 'procedure P9\n  ask x "x?"\n'}
    [found] = problems('procedure A\n  carry out "P0" with x = 1\n', **given)
    assert found.endswith("1,000,000 is the most.")


def test_a_text_is_asked_for_and_goes_into_words_and_commands() -> None:
    text = """procedure Nameplate
  ask serial "Serial number?" text
  send kiln.label with text = serial
  send kiln.label with text = "no. {serial}"
  mark "kiln {serial}"
"""
    whole = made(text)
    assert [one.data for one in whole.sends] == [None, None]
    driver = Driver(whole)
    driver.look()
    assert asked(driver).answer == "text"
    driver.run.answer("K-17", "M. Okafor")
    driver.passes(1)
    assert [values for _, values in driver.sent()] == [{"text": "K-17"}, {"text": "no. K-17"}]
    assert [one.text for one in driver.done if one.what == "mark"] == ["kiln K-17"]
    assert driver.log()[1] == "Serial number? K-17, by M. Okafor"
    outer = 'procedure A\n  ask plate "Plate?" text\n  carry out "Nameplate" with serial = plate\n'
    driver = Driver(made(outer, Nameplate=text))
    driver.look()
    driver.run.answer("Z 9", "M. Okafor")
    driver.passes(1)
    assert [values for _, values in driver.sent()] == [{"text": "Z 9"}, {"text": "no. Z 9"}]


@pytest.mark.parametrize(("answer", "is_"), [("pictures/001.jpg", "pictures/001.jpg"), (False, "no picture")])
def test_a_picture_is_asked_for(answer: str | bool, is_: str) -> None:
    text = 'procedure A\n  ask plate "Nameplate" picture\n  mark "see {plate}"\n  ask "Another" picture\n'
    driver = Driver(made(text))
    driver.look()
    assert asked(driver).answer == "picture"
    driver.run.answer(answer, "M. Okafor")
    driver.look()
    assert driver.log()[1:3] == [f"Nameplate {is_}, by M. Okafor", "done"]
    assert [one.text for one in driver.done if one.what == "mark"] == [f"see {is_}"]
    driver.run.answer(answer, "M. Okafor")
    driver.look()
    assert driver.run.why == "all steps are done"


def test_two_questions_of_one_line_have_numbers_of_their_own() -> None:
    driver = Driver(made('procedure A\n  repeat 2 times\n    ask "Next?"\n'))
    driver.look()
    first = asked(driver)
    driver.run.answer(True, "M. Okafor")
    driver.look()
    assert asked(driver).number == first.number + 1


def test_what_is_carried_out_is_found_with_what_it_carries_out() -> None:
    kept = {
        "Hold": HOLD,
        "B": 'procedure B\n  if 1 < 2\n    carry out "Hold"\n  carry out "Gone"\n',
        "Other": "procedure Other\n  wait 1 s\n",
    }
    assert set(with_carried_out(['procedure A\n  carry out "B"\n'], kept)) == {"B", "Hold"}
    assert with_carried_out(["no procedure"], kept) == {}
