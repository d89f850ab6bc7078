"""Texts that people bring are read, or refused by the error that says why; whatever stands in them."""

from collections.abc import Callable

import pytest

from tests.fuzz_texts import run
from tidybench.core.compile.edit import changed
from tidybench.core.compile.load import load
from tidybench.core.plan.plan_file import PlanError, load_plan
from tidybench.core.setup.calculated import load_calculations
from tidybench.core.setup.destinations import load_destinations
from tidybench.core.setup.reactions import load_reactions
from tidybench.core.setup.toml import SetupError
from tidybench.core.tape.lines import TapeError, parse_tape_line

DEEP = "a = " + "[" * 5000


@pytest.mark.parametrize("reader", [load, load_plan, load_calculations, load_destinations, load_reactions])
def test_brackets_within_brackets_are_refused_in_words(reader: Callable[[str], object]) -> None:
    with pytest.raises((SetupError, PlanError), match="hundreds deep"):
        reader(DEEP)


def test_so_they_are_where_a_set_up_is_changed_in_its_form() -> None:
    with pytest.raises(SetupError, match="levels deep"):
        changed(DEEP, {"instrument": {"name": "x"}})


@pytest.mark.parametrize(
    "line",
    [
        '{"n": 93, "t": 1e999, "l": "x", "k": "in", "b": "1"}',
        '{"n": -1e999, "t": 1, "l": "x", "k": "in", "b": "1"}',
        '{"n": ' + "[" * 5000,
    ],
)
def test_a_line_of_no_tape_is_said_to_be_none(line: str) -> None:
    with pytest.raises(TapeError, match="not a line of a tape"):
        parse_tape_line(line)


def test_the_fuzzer_of_texts_finds_nothing_in_a_while() -> None:
    assert run(3.0, seed=3) == 0
