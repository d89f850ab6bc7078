"""Channels of states: words and flags as values that have names."""

import json

import pytest

from tests.runs.test_rows import batch, cells, state
from tidybench.captures.capture import Capture
from tidybench.captures.readout import Readout, Table
from tidybench.core.compile.load import load
from tidybench.core.quality import Quality
from tidybench.core.setup import SetupError
from tidybench.core.values.state_name import state_name
from tidybench.runs.rows import make_rule
from tidybench.runs.sidecar import metadata
from tidybench.runs.steady_rows import SETTLE

HEAD = """[instrument]
id = "i"
name = "I"
talks = "on its own"
[link]
port = "none"
[framing]
terminator = "\\n"
[listen]
"""
PATTERN = """patterns = ["<p [bar]>;<s:text>;<b:hex 2 bits(pump|heater)>"]
"""
PLAIN = """patterns = ["<p [bar]>;<s:text>;0<pump:int>"]
"""
COLUMNS = """reader = { kind = "columns", separator = ";", names = ["p", "s", "pump"] }
"""


def channel(id: str, field: str, more: str = "") -> str:
    return f'[[channel]]\nid = "{id}"\nname = "{id.capitalize()}"\nfield = "{field}"\n{more}\n'


STATE = channel("mode", "s", 'states = ["IDLE", "RUN, slow", "=ON"]')
PUMP = channel("pump", "pump", 'states = ["off", "on"]')


@pytest.mark.parametrize("reading", [PATTERN, PLAIN, COLUMNS])
def test_words_and_flags_are_read_as_states(reading: str) -> None:
    setup = load(HEAD + reading + STATE + channel("p", "p") + PUMP)
    data = b"1.5;IDLE;01\n2.5;=ON;00\n3.5;BROKEN;01\n"
    readout = Readout(setup, Capture("plain bytes", data=data))
    rows = list(readout.rows())
    table = Table(setup, timed=False, as_json=False)
    # A word that is none of the states gives no value, and the rest of its message does.
    assert [table.line(row) for row in rows] == [
        "1,IDLE,1.5,on,\r\n",
        "2,'=ON,2.5,off,\r\n",
        "3,,3.5,on,Mode=not-understood\r\n",
    ]
    [reader] = readout._plan.readers.values()
    assert reader.counts.last_odd == "BROKEN"
    assert reader.counts.dashes == 0
    assert [{i: v for i, _, v in row.samples}[0] for row in rows[:2]] == [0.0, 2.0]
    as_json = Table(setup, timed=False, as_json=True)
    assert json.loads(as_json.line(rows[1]))["values"] == {"mode": "=ON", "p": 2.5, "pump": "off"}


@pytest.mark.parametrize("rule", ["each reading", "steady rows"])
def test_a_run_has_the_words_in_its_csv(rule: str) -> None:
    made = state(rule, ("A", 1.0), ("Mode", 1.0))
    made.channels[1].states, made.channels[1].unit = ["IDLE", "RUN, slow"], ""
    rows = make_rule(made)
    came = batch((1, 1_795_416_792_000_000, 1.5, Quality.OK), (2, 1_795_416_792_000_000, 1.0, Quality.OK))
    got = rows.feed(1_795_416_792_000_000, came) + rows.until(1_795_416_792_000_000 + SETTLE)
    assert cells(got)[0][1:] == ["1.5", "RUN, slow", ""]
    column = json.loads(metadata(made, made.csv))["tableSchema"]["columns"][3]
    assert (column["titles"], column["datatype"]) == ("Mode", "string")


def test_a_number_without_a_name_stays_one() -> None:
    assert [state_name(["a", "b"], value) for value in (0.0, 1.0, 2.0, -1.0, 0.5, float("nan"))] == [
        "a", "b", None, None, None, None,
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("channel_keys", "words"),
    [
        ('states = ["a", "a"]', "stands there twice"),
        ('states = ["a"]\nunit = "V"', "no unit, scale or offset"),
        ('states = ["a"]\nfilter = [{ kind = "median", count = 3 }]', "no steps, zero, filters"),
        ("", "is a word, no number: give it states"),
    ],
)
def test_what_a_state_cannot_have_is_refused(channel_keys: str, words: str) -> None:
    with pytest.raises(SetupError, match=words):
        load(HEAD + PATTERN + channel("mode", "s", channel_keys))
