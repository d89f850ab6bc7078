"""Procedures: their text, what is checked before, and how they are carried out."""

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.test_commands import SETUP
from tidybench.core.compile.command import compile_command
from tidybench.core.compile.load import load
from tidybench.core.procedure.bench_view import BenchView, ChannelView, view_of
from tidybench.core.procedure.checked import Checked, checked
from tidybench.core.procedure.run import ProcedureRun, Wish
from tidybench.core.procedure.steps import ProcedureError, plans_in
from tidybench.core.procedure.text import WORDS, parse

ROOT = Path(__file__).parents[2]
S = 1_000_000
FLOW, TEMP = 1, 2


def view() -> BenchView:
    setup = load(SETUP)
    commands = {("kiln", part.id): compile_command(setup, part) for part in setup.command}
    channels = {"flow": ChannelView(FLOW, "L/min", S), "kiln-temp": ChannelView(TEMP, "°C", S)}
    return BenchView(commands, ["kiln", "meter"], channels, ["Firing plan"])


def made(text: str) -> Checked:
    return checked(parse(text), view())


def problems(text: str) -> list[str]:
    with pytest.raises(ProcedureError) as error:
        made(text)
    return [f"{one.line}:{one.column} {one.what}" for one in error.value.problems]


def steps(*lines: str) -> str:
    return "\n".join(["procedure Firing", *(f"  {line}" for line in lines)])


ACCEPTANCE = """procedure Firing   # a comment
  ask "Door shut?"
  begin run "Firing"
  for target = 400, 500, 600 [°C]
    set kiln.target to target
    wait until flow is steady within 0.5 [L/min] for 10 s, at most 2 min, else go on
    mark "at {target}"
  end run
always
  set kiln.target to 20 [°C]
"""


class Driver:
    """Carries wishes out at once, and lets time pass."""

    def __init__(self, made: Checked, **answers: bool) -> None:
        self.run, self.now = ProcedureRun(made, 0), 0
        self.done: list[Wish] = []
        self.refuses: set[str] = {name for name, good in answers.items() if not good}

    def look(self) -> None:
        for _ in range(100):
            wishes = self.run.look(self.now)
            for wish in wishes:
                self.done.append(wish)
                good = wish.command not in self.refuses and wish.what not in self.refuses
                self.run.told(wish.number, good, "done" if good else "refused with “E7”")
            if not wishes:
                return

    def passes(self, seconds: float, flow: float | None = None) -> None:
        for _ in range(round(seconds * 10)):
            self.now += S // 10
            if flow is not None:
                self.run.sample(FLOW, 0, self.now, flow)
            self.look()

    def sent(self) -> list[tuple[str, dict[str, float | str]]]:
        return [(one.command, one.values) for one in self.done if one.what == "command"]

    def log(self) -> list[str]:
        return [one.words for one in self.run.log]


def test_an_acceptance_from_its_first_step_to_its_end() -> None:
    whole = made(ACCEPTANCE)
    assert (whole.least, whole.most) == (30 * S, 360 * S)
    assert [one.data for one in whole.sends] == [
        b"TS 0400.0\r",
        b"TS 0500.0\r",
        b"TS 0600.0\r",
        b"TS 0020.0\r",
    ]
    driver = Driver(whole)
    driver.look()
    question = driver.run.question
    assert question is not None
    assert (question.text, question.answer) == ("Door shut?", "yes or no")
    assert driver.run.answer(True, "M. Okafor")
    driver.passes(5, 100)
    assert driver.sent() == [("target", {"target": 400.0})]
    assert driver.run.waits[0] == "flow steady within 0.5 L/min for 10 s"
    assert driver.run.progress == "spread 0 L/min of 0.5 L/min"
    driver.passes(6, 100)
    assert [one.text for one in driver.done if one.what == "mark"] == ["at 400 °C"]
    driver.passes(21, 100)
    driver.passes(1)
    assert driver.sent() == [("target", {"target": one}) for one in (400.0, 500.0, 600.0, 20.0)]
    assert [one.what for one in driver.done if one.what != "command"] == [
        "begin run",
        "mark",
        "mark",
        "mark",
        "end run",
    ]
    assert (driver.run.state, driver.run.why, driver.run.failed) == ("ended", "all steps are done", False)


def test_what_is_never_steady_goes_on_where_it_is_told_to() -> None:
    driver = Driver(made(ACCEPTANCE))
    driver.look()
    driver.run.answer(True, "M. Okafor")
    for n in range(1190):
        driver.passes(0.1, 100 + n % 2)
    assert len(driver.sent()) == 1
    for n in range(20):
        driver.passes(0.1, 100 + n % 2)
    assert "flow steady within 0.5 L/min for 10 s: not within 2 min" in driver.log()
    assert len(driver.sent()) == 2


@pytest.mark.parametrize(
    ("says", "why", "sent"),
    [
        (True, "all steps are done", [400.0, 500.0, 20.0]),
        (False, "Set target 400: refused with “E7”; stopped by M. Okafor", [400.0, 20.0]),
        (None, "Set target 400: refused with “E7”, and nobody said what then", [400.0, 20.0]),
    ],
)
def test_a_person_says_what_then(says: bool | None, why: str, sent: list[float]) -> None:
    text = steps("set kiln.target to 400 [°C], else ask", "set kiln.target to 500 [°C], else go on")
    driver = Driver(made(f"{text}\nalways\n  set kiln.target to 20 [°C], else ask\n"), target=False)
    driver.look()
    question = driver.run.question
    assert question is not None
    assert question.text == "Set target 400: refused with “E7”. Go on all the same?"
    if says is None:
        driver.now += 8 * 3600 * S
    else:
        driver.run.answer(says, "M. Okafor")
    driver.look()
    assert driver.run.state == "ended", "at its end nobody is waited for"
    assert [values["target"] for _, values in driver.sent()] == sent
    assert driver.run.why == why


def test_a_run_is_begun_from_a_plan() -> None:
    text = steps("if flow > 1 [L/min]", '  begin run from plan "Firing plan"')
    driver = Driver(made(text))
    assert plans_in(driver.run.made.procedure.steps) == {"Firing plan"}
    driver.run.sample(FLOW, 0, 0, 5.0)
    driver.look()
    assert [(one.what, one.text) for one in driver.done] == [("begin from plan", "Firing plan")]


def test_a_channel_is_zeroed_or_it_stops() -> None:
    driver = Driver(made(steps("zero flow", 'zero "kiln-temp", else go on')))
    driver.look()
    assert [(one.what, one.text) for one in driver.done] == [("zero", "flow"), ("zero", "kiln-temp")]
    driver = Driver(made(steps("zero flow", 'say "never"')), zero=False)
    driver.look()
    assert driver.run.failed
    assert "never" not in driver.log()


@pytest.mark.parametrize("how", ["stop", "no", "refused", "nobody"])
def test_however_it_ends_what_is_always_done_is_done_once(how: str) -> None:
    text = ACCEPTANCE.replace('"Door shut?"', '"Door shut?", at most 5 s')
    driver = Driver(made(text), **({"target": False} if how == "refused" else {}))
    driver.look()
    if how == "nobody":
        driver.passes(6)
    else:
        driver.run.answer(how != "no", "M. Okafor")
        driver.passes(1)
    if how == "stop":
        driver.run.stop("stopped by M. Okafor")
        driver.run.stop("stopped by M. Okafor")
        driver.passes(1)
    assert driver.run.state == "ended"
    assert driver.run.failed
    assert driver.sent().count(("target", {"target": 20.0})) == 1
    assert driver.sent()[-1] == ("target", {"target": 20.0})
    assert (
        driver.run.why
        == {
            "stop": "stopped by M. Okafor",
            "no": "“Door shut?” was answered with no, by M. Okafor",
            "refused": "Set target 400: refused with “E7”",
            "nobody": "nobody answered “Door shut?” within 5 s",
        }[how]
    )


def test_stopped_before_its_first_step_it_begins_with_its_end() -> None:
    driver = Driver(made(ACCEPTANCE))
    driver.run.stop("stopped by M. Okafor")
    driver.passes(1)
    assert driver.sent() == [("target", {"target": 20.0})]
    assert (driver.run.state, driver.run.why) == ("ended", "stopped by M. Okafor")


def test_a_fault_of_ours_leaves_out_nothing_of_its_end() -> None:
    whole = made(ACCEPTANCE)
    driver = Driver(whole)
    whole.programs.clear()  # every value is missing now, which cannot be
    driver.look()
    driver.run.answer(True, "M. Okafor")
    driver.passes(1)
    assert driver.run.state == "ended"
    assert driver.run.why.startswith("Tidy Bench itself failed at this step (KeyError")
    assert driver.run.log[-2].words.startswith("at its end: Tidy Bench itself failed")


def test_loops_within_loops_end_in_a_lifetime() -> None:
    nested = ["repeat 10000 times", "  repeat 1000 times", '    say "x"']
    assert problems(steps(*nested)) == [
        "1:1 It has 10,010,001 steps with all turns of its loops; 1,000,000 is the most."
    ]
    many = [f"{'  ' * n}for x{n} = 20 to 100 step 1 [°C]" for n in range(2)]
    whole = made(steps(*many, *["    set kiln.target to x0", "    set kiln.target to x1"]))
    assert len(whole.sends) == 162
    deep = ["for a = 1 to 200 step 1", "  for b = 1 to 200 step 1", "    send kiln.mode", "    let c = a * b"]
    assert made(steps(*deep)).sends[0].data == b"MD HOLD\r"


def test_after_a_restart_only_what_is_always_done_is_done() -> None:
    driver = Driver(made(ACCEPTANCE))
    driver.run = ProcedureRun(made(ACCEPTANCE), 0, "the recorder was restarted")
    driver.passes(1)
    assert driver.sent() == [("target", {"target": 20.0})]
    assert driver.run.why == "the recorder was restarted"


def test_a_pause_does_not_count_and_a_wait_can_be_skipped() -> None:
    driver = Driver(made(steps("wait 10 s", 'say "one"', "wait 10 s", 'say "two"')))
    driver.passes(4)
    driver.run.pause(True, "M. Okafor")
    driver.passes(100)
    driver.run.pause(False, "M. Okafor")
    driver.passes(5.8)
    assert "one" not in driver.log()
    driver.passes(0.4)
    assert "one" in driver.log()
    assert driver.run.skip("M. Okafor")
    driver.look()
    assert driver.log()[-3:] == ["waited 10 s", "two", "“Firing” has ended: all steps are done"]


def test_conditions_numbers_and_choices() -> None:
    text = steps(
        'ask level "Which level?" [L/min]',
        "let twice = 2 * level",
        "wait until flow > twice, at most 10 s",
        "if flow > 300 [L/min]",
        '  say "high {twice}"',
        "else",
        '  say "low {twice}"',
        "repeat 2 times",
        '  send kiln.mode with mode = "HEAT"',
    )
    driver = Driver(made(text))
    driver.look()
    driver.run.answer(100.0, "M. Okafor")
    driver.passes(2, 150)
    assert driver.run.waits[0] == "flow > twice"
    assert driver.run.progress == "flow is 150 L/min, twice is 200 L/min"
    driver.passes(0.5, 250)
    assert "low 200 L/min" in driver.log()
    assert driver.sent() == [("mode", {"mode": "HEAT"})] * 2
    assert driver.run.state == "ended"


@pytest.mark.parametrize(("value", "why"), [("2 * flow", "“flow” has no value"), ("1 / (2 - 2)", "zero")])
def test_a_value_that_is_not_there_stops_it_and_is_no_number(value: str, why: str) -> None:
    driver = Driver(
        made(
            steps(
                "wait until flow > 10 [L/min], at most 5 s, else go on", f"let x = {value}", "send kiln.mode"
            )
        )
    )
    driver.passes(6)
    assert driver.run.failed
    assert driver.run.why.startswith(f"“{value}” gives nothing: ")
    assert why in driver.run.why
    assert driver.sent() == []


@pytest.mark.parametrize(
    ("lines", "problem"),
    [
        (["sett kiln.target to 20 [°C]"], "2:3 “sett” is no step. Perhaps “set” is meant."),
        (["set kiln.target to 20"], "2:22 Give its unit: 20 [°C]."),
        (["set kiln.target to 19 [°C]"], "2:22 target is 19 °C: the lowest it can be is 20 °C."),
        (
            ["for x = 900 to 1300 step 100 [°C]", "  set kiln.target to x"],
            "3:24 target is 1300 °C: the highest it can be is 1250 °C.",
        ),
        (["set kiln.tarot to 20 [°C]"], "2:7 kiln has no command “tarot” (it has: label, mode, target)."),
        (
            ["set oven.target to 20 [°C]"],
            "2:7 There is no instrument “oven” on this bench (there are: kiln, meter).",
        ),
        (["set kiln.target to 1 [bar]"], "2:22 it comes out in bar, but °C is wanted."),
        (["wait until flow > 20 [L/min]"], "2:8 Every wait has an end: write, at most 2 min behind it."),
        (
            ["wait until flow > 20 [L/min], at most 8 d"],
            "2:8 Every wait has an end: write, at most 2 min behind it.",
        ),
        (
            ["wait until flow + 1 [L/min], at most 8 s"],
            '2:14 A condition is wanted here, as in "loop-flow" > 120 [L/min].',
        ),
        (
            ["wait until flaw > 20 [L/min], at most 8 s"],
            "2:14 there is no channel “flaw”; perhaps “flow” is meant.",
        ),
        (["wait 5"], "2:8 “5” is no time: write it as 5 s, 200 ms, 2 min or 1 h."),
        (["for x = 1 to 5 step -1", '  say "x"'], "2:11 With this step it never comes to its end."),
        (["wait 1e400 s"], "2:8 A time is longer than nothing, and at most a week."),
        (["for x = 1e400, 2", '  say "x"'], "2:11 1e400 is too large a number."),
        (
            ["for x = 0 to 1e300 step 1e-300", '  say "x"'],
            "2:11 It has more than 10,000 turns: that is the most.",
        ),
        (["repeat " + "9" * 5000 + " times", '  say "x"'], "2:3 Write for opening = 20, 40, 60 [%]"),
        ([f'say "{"x" * 600}"'], "2:7 A text in quotes is wanted here"),
        (['say "a\x00b"'], "2:9 A control character stands here: remove it."),
        (["repeat 20000 times", '  say "x"'], "2:10 It is repeated 1 to 10,000 times."),
        (["for x = 1, 2"], "2:3 Nothing stands below it: indent what is to be repeated."),
        (['say "{speed}"'], "2:8 Nothing is called “speed” here."),
        (["let flow = 3"], "2:1 “flow” is a channel, or a constant, already: take another name."),
        (["else"], "2:3 There is no “if” above this “else”, as far indented as it is."),
        (["send kiln.label with text = hello"], "2:31 text is a text: write it in quotes."),
        (
            ['send kiln.label with text = "a;b"'],
            "2:31 text may not have ;: a second command could begin behind it.",
        ),
        (['\tsay "x"'], "2:1 Indent with blanks: a tab is as wide as each program likes."),
        (['begin run from plan "Nowhere"'], "2:24 There is no plan “Nowhere”."),
        (["begin run from plan acceptance"], '2:23 A text in quotes is wanted here: "…".'),
        (["zero tank"], "2:8 There is no channel “tank” on this bench."),
        (["zero flow + 1"], "2:8 A channel is wanted here, by its id: zero discharge."),
    ],
)
def test_what_is_wrong_is_said_with_its_place(lines: list[str], problem: str) -> None:
    text = steps(*lines)
    assert problems(text)[0].startswith(problem.rstrip(".")), problems(text)


def test_all_that_is_wrong_is_said_at_once() -> None:
    found = problems(steps("wait 5", '  say "deeper"', "sett x", "set kiln.target to 20"))
    assert [one.split(":")[0] for one in found] == [
        "2",
        "4",
    ]  # what is no step is said before units are looked at


def test_a_text_without_a_name_or_steps() -> None:
    assert problems("wait 5 s")[0] == "1:1 It begins with its name: procedure Pump acceptance."
    assert problems("procedure x")[0].startswith("1:1 It has no steps")
    assert problems("")[0].startswith("1:1 It begins with its name")


def test_the_example_of_the_docs_is_the_demo_and_fits_its_bench() -> None:
    demo = (ROOT / "src/tidybench/setups/demo/acceptance.procedure").read_text()
    text = (ROOT / "docs/formats/procedures.md").read_text()
    assert text.split("```")[1].strip().splitlines()[1:] == demo.strip().splitlines()[1:]
    setups = [
        load(path.read_text()) for path in sorted((ROOT / "src/tidybench/setups/demo").glob("*.setup.toml"))
    ]
    numbers = {channel.id: n for n, channel in enumerate((c for s in setups for c in s.channel), 1)}
    sends = checked(parse(demo), view_of(setups, [], numbers)).sends
    assert [one.data for one in sends] == [b"VP %03d.0\r" % opening for opening in (20, 40, 60, 80, 100, 50)]


def test_every_step_of_the_docs_is_one() -> None:
    """Each word of the language stands in the table, and each of the table is one."""
    table = (ROOT / "docs/formats/procedures.md").read_text().split("| step |")[1].split("\n\n")[0]
    assert [word for word in WORDS if word not in ("always", "procedure") and f"`{word}" not in table] == []


@given(st.text(alphabet=st.sampled_from('setndwaifor0159e+-.,[]%{}"#= \n\t\x00<>()°'), max_size=80))
def test_whatever_is_written_it_is_a_procedure_or_its_lines_are_told(text: str) -> None:
    for whole in (
        text,
        f"procedure x\n  {text}",
        f"procedure x\n  wait until {text}, at most 1 s",
        f'procedure x\n  for a = {text}\n    say "b"',
    ):
        try:
            checked(parse(whole), view())
        except ProcedureError as error:
            assert all(one.line > 0 and one.column > 0 and one.what for one in error.problems)


def test_the_next_reading_is_taken_and_has_a_name() -> None:
    channels = {
        "flow": ChannelView(FLOW, "L/min", S),
        "length": ChannelView(9, "mm", 1200 * S, asks="caliper"),
    }
    bench = BenchView({}, ["caliper"], channels)
    text = 'procedure A\n  read l = length, at most 30 s\n  say "it is {l}"\n  read flow, at most 5 s, else go on\n'
    whole = checked(parse(text), bench)
    assert (whole.most, whole.channels) == (35 * S, {FLOW, 9})
    driver = Driver(whole)
    driver.run.sample(9, 0, 0, 11.0)
    wishes = driver.run.look(0)
    assert [(one.what, one.text, one.instrument) for one in wishes] == [("read", "length", "caliper")]
    driver.run.sample(9, 0, 0, 12.0)  # measured before it was asked for, and told late
    driver.passes(1)
    assert driver.run.waits[0] == "a reading of length"
    assert driver.run.channels == [9]
    driver.run.sample(FLOW, 0, driver.now, 5.0)
    driver.run.sample(9, 0, driver.now, 12.34)
    driver.look()
    assert driver.log()[-2:] == ["length is 12.34 mm", "it is 12.34 mm"]
    driver.passes(6)
    assert driver.log()[-2:] == [
        "flow was not read within 5 s",
        "“A” has ended: all steps are done",
    ]


@pytest.mark.parametrize(
    ("how", "why"),
    [
        ("bad", "length was read, and has no value"),
        ("told", "length was not read: It cannot be asked."),
        ("late", "length was not read within 30 s"),
        ("skipped", "length was not read"),
    ],
)
def test_a_reading_that_does_not_come_is_no_number(how: str, why: str) -> None:
    bench = BenchView({}, ["caliper"], {"length": ChannelView(9, "mm", S, asks="caliper")})
    for tail, ends in (("", why), (", else go on", "“l + 1 [mm]” gives nothing")):
        text = f"procedure A\n  read l = length, at most 30 s{tail}\n  let x = l + 1 [mm]\n"
        driver = Driver(checked(parse(text), bench))
        [wish] = driver.run.look(0)
        driver.now = S
        if how == "bad":
            driver.run.sample(9, 5, S // 2, 3.0)
        elif how == "told":
            driver.run.told(wish.number, False, "It cannot be asked.")
        elif how == "skipped":
            assert driver.run.skip("M. Okafor")
        else:
            driver.now = 31 * S
        driver.look()
        assert driver.run.why.startswith(ends or why)
        assert why in driver.log()


def test_what_is_read_on_demand_is_asked_for_however_it_is_thinned_out() -> None:
    text = SETUP.replace('send = "T?\\r"', 'send = "T?\\r"\non_demand = true')
    for more in ("", '\nthinning = { keep = "every", every = 3 }'):
        setup = load(text.replace('unit = "°C"\n\n', f'unit = "°C"{more}\n\n', 1))
        assert view_of([setup], [], {"kiln-temp": 1}).channels["kiln-temp"].asks == "kiln"
    assert view_of([load(SETUP)], [], {"kiln-temp": 1}).channels["kiln-temp"].asks == ""


def test_what_was_measured_before_a_command_says_nothing_of_what_came_of_it() -> None:
    driver = Driver(
        made(steps("set kiln.target to 400 [°C]", "wait until flow > 50 [L/min], at most 60 s", 'say "on"'))
    )
    driver.run.sample(FLOW, 0, S // 2, 100.0)  # still from before
    driver.now = S
    driver.look()
    assert driver.sent() == [("target", {"target": 400.0})]
    assert driver.run.waits[0] == "flow > 50 [L/min]"
    driver.run.sample(FLOW, 0, S + 1, 40.0)
    driver.look()
    assert driver.run.waits[0]
    driver.passes(0.1, 100)
    assert "on" in driver.log()
