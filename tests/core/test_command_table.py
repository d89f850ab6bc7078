"""A command table from a manual becomes commands, and says what each was taken from."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.test_commands import setup
from tidybench.core.compile.command import compile_command
from tidybench.core.teaching.command_table import ProposedCommand, read_table

TABLE = """Command\tParameter\tDescription
TS <temp>\t20..1250 °C, default 500\tSet target temperature. Returns OK
TS?\t\tRead target temperature, returns TS=<temp>
HD <mode>\tHEAT|HOLD|COOL\tHold
LK ON/OFF\t\tLock keys
FA\t\tBack to factory settings
VOLT n\t0 to 30 V\tOutput voltage
:SOUR:LEV xxx.x\t-10.0 to 10.0 V\tSource level
SW first,last,points\t1 to 100000 Hz\tSweep
This chapter describes how the kiln is told what to do.
"""


def one(line: str) -> ProposedCommand:
    [found], skipped = read_table(setup(), line)
    assert skipped == []
    return found


def test_a_whole_table() -> None:
    made = setup()
    found, skipped = read_table(made, TABLE)
    sent = {one.line: one.part.send for one in found}
    assert sent == {
        2: "TS <temp>\r",
        3: "TS?\r",
        4: "HD <mode:word>\r",
        5: "LK <choice:word>\r",
        6: "FA\r",
        7: "VOLT <n>\r",
        8: ":SOUR:LEV <value:number 5.1>\r",
        9: "SW <first>,<last>,<points>\r",
    }
    assert [(one.line, one.why) for one in skipped] == [
        (1, "This is the heading of the table."),
        (10, "This reads like a sentence: no command stands apart from its description."),
    ]
    parts = {one.line: one.part for one in found}
    assert [parts[n].does for n in (2, 3, 6)] == ["sets", "reads", "cannot be undone"]
    assert parts[2].patterns == ["OK"]
    assert parts[3].patterns == ["TS=<temp>"]
    assert parts[4].argument[0].choices == ["HEAT", "HOLD", "COOL"]
    data = compile_command(made, parts[8])
    assert data.data(data.values({"value": -7.5})) == b":SOUR:LEV -07.5\r"


def test_the_same_columns_with_blanks_or_bars() -> None:
    spaced = one("TS <temp>   20 to 1250 °C   Set target temperature")
    barred = one("| TS <temp> | 20 to 1250 °C | Set target temperature |")
    assert spaced.part == barred.part
    assert one("*RST - resets it").part.send == "*RST\r"


def test_a_word_that_is_sent_comes_back_as_a_word() -> None:
    """A made-up dosing board: its command went out and was done, and was said to have been misunderstood."""
    made = setup()
    line = "PUMP <state>\tON|OFF\tSwitches the pump. Returns ack PUMP <state>"
    found = one(line).part
    assert found.patterns == ["ack PUMP <state:word>"]
    command = compile_command(made, found)
    assert command.meaning(b"PUMP OFF\r", b"ack PUMP OFF").outcome == "answered"
    assert one("TS <temp>\t20..1250 °C\tSet. Returns TS=<temp>").part.patterns == ["TS=<temp>"]


def test_what_it_was_taken_from_is_said() -> None:
    found = one("TS <temp>\t20..1250 °C, default 500\tSet target temperature. Returns OK")
    assert found.evidence == (
        "“temp” is taken as its argument.",
        "“20..1250 °C” is taken as its range: 20 to 1250 °C.",
        "“default 500” is taken as its default.",
        "“Returns OK”: its answer must be “OK”.",
    )
    [argument] = found.part.argument
    assert (argument.lowest, argument.highest, argument.unit, argument.default) == (20, 1250, "°C", 500)
    assert found.doubts == ()


def test_a_range_that_may_be_any_arguments_is_given_to_none() -> None:
    found = one("SW first,last,points\t1 to 100000 Hz\tSweep")
    assert all(one.lowest is None and one.unit == "" for one in found.part.argument)
    assert found.doubts[0] == (
        "It has 3 arguments, and “1 to 100000 Hz” may belong to any of them: give each its range."
    )
    both = one("SW first,last\t1 to 10 Hz, 20 to 100 Hz\tSweep").part.argument
    assert [(one.lowest, one.highest) for one in both] == [(1, 10), (20, 100)]


def test_what_the_manual_does_not_say_is_not_made_up() -> None:
    found = one("GN <g>\t\tGain")
    [argument] = found.part.argument
    assert (argument.lowest, argument.highest, argument.default, argument.choices) == (None, None, None, [])
    assert found.doubts == (
        "Nothing says which values g can have: give its range.",
        "Nothing says what it answers: only a refusal is noticed.",
    )


@pytest.mark.parametrize("text", ["", "\n\n", "| --- | --- |", "=====\n"])
def test_nothing_is_nothing(text: str) -> None:
    assert read_table(setup(), text)[0] == []


@given(st.text(alphabet=st.sampled_from("AB<>{}|/\\ \t?=,.;:-0159xn°%\"'\r\né"), max_size=60))
def test_whatever_is_pasted_each_line_is_a_command_that_can_be_or_is_told_why(text: str) -> None:
    made = setup()
    found, skipped = read_table(made, text)
    for proposed in found:
        compile_command(made, proposed.part)
    assert all(line.why for line in skipped)
    assert len({proposed.part.id for proposed in found}) == len(found)
