"""The language of calculated channels: units, values, errors with their column, windows."""

import math
import statistics

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.expression.program import FUNCTIONS, Nothing, compiled
from tidybench.core.expression.tokens import ExpressionError

UNITS = {
    "discharge": "bar",
    "suction": "bar",
    "loop-flow": "L/min",
    "shaft-speed": "rpm",
    "torque": "Nm",
    "motor-input": "kW",
    "t1": "°C",
    "t2": "°C",
    "pg": "bar(g)",
    "pa": "bar(a)",
    "x": "",
    "y": "",
}
HEAD = "(discharge - suction) / (998 [kg/m3] * 9.80665 [m/s2])"


@pytest.mark.parametrize(
    ("text", "unit", "inputs", "expected"),
    [
        (HEAD, "m", [6.0, 0.4], 57.21854501679759),
        ('(discharge - suction) * "loop-flow"', "kW", [6.0, 0.4, 150.0], 1.4),
        ('"shaft-speed" * torque', "kW", [2900.0, 5.0], 1.5184364492350666),
        ('(discharge - suction) * "loop-flow" / "motor-input"', "%", [6.0, 0.4, 150.0, 2.0], 70.0),
        ("t1 - t2", None, [50.0, 20.0], 30.0),
        ("t1 - t2", "°F", [50.0, 20.0], 54.0),
        ("mean(t1, t2)", "K", [50.0, 20.0], 308.15),
        ("t1 + 5 [K]", "°F", [20.0], 77.0),
        ("in(t1, [K]) * 2", None, [20.0], 586.3),
        ("pg + pa", "bar(a)", [1.0, 1.0], 2.0),
        ("pa - pg", None, [1.0, 0.4], 0.6),
        ("pg - 200 [mbar]", "bar(g)", [1.0], 0.8),
        ("if(discharge > 1000 [mbar], discharge, 0 [bar])", "kPa", [2.0], 200.0),
        ("2 ^ 3 ^ 2 * x", None, [1.0], 512.0),
        ("-x ^ 2", None, [3.0], -9.0),
        ("2 - 3 - 4 + x", None, [0.0], -5.0),
        ("x > 1 and not (y < 1)", None, [2.0, 3.0], 1.0),
        ("x > 1 or y > 1", None, [0.0, 0.0], 0.0),
        ("sin(30 [°]) * x", None, [1.0], 0.5),
        ("atan(x)", "°", [1.0], 45.0),
        ("decibel_field(discharge, 1 [mbar])", "dB", [1.0], 60.0),
        ("decibel_power(x, 1)", None, [1000.0], 30.0),
        ("sqrt(discharge ^ 2 + suction ^ 2)", "bar", [3.0, 4.0], 5.0),
        ("min(x, y) + max(x, y)", None, [3.0, 4.0], 7.0),
        ("round(x) + floor(x) + ceil(x) + abs(-x) + sign(-x)", None, [1.5], 5.5),
        ("pi × x ÷ 2", None, [2.0], math.pi),
        ("x ≥ 2", None, [2.0], 1.0),
        ("discharge", "kPa", [1.0], 100.0),
    ],
)
def test_values_and_units(text: str, unit: str | None, inputs: list[float], expected: float) -> None:
    program = compiled(text, UNITS, unit)
    assert program.value(0, list(inputs)) == pytest.approx(expected, rel=1e-12)


@pytest.mark.parametrize(
    ("text", "column", "words"),
    [
        ("", 1, "is empty"),
        ("1 + 1", 1, "names no channel"),
        ("disharge", 1, "perhaps “discharge” is meant"),
        ("mena(t1)", 1, "perhaps mean"),
        ("(discharge", 1, "not closed"),
        ("discharge)", 10, "unmatched closing bracket"),
        ("discharge suction", 11, "a sign is missing"),
        ("discharge + ", 13, "ends where"),
        ("x * 5 bar", 7, r"5 \[bar\]"),
        ("x * 5bar", 6, "stands in brackets"),
        ("x < y < 1", 7, "one comparison at a time"),
        ("discharge + 2", 11, r"2 \[bar\]"),
        ('discharge + "loop-flow"', 11, "different things"),
        ("t1 * 2", 4, "its zero is not nothing"),
        ("t1 + t2", 4, "mean"),
        ("pg + pg", 4, "gauge pressures cannot be added"),
        ("pg > pa", 4, "Gauge and absolute"),
        ("ln(discharge)", 1, "number without unit"),
        ("discharge ^ suction", 13, "has no unit"),
        ("discharge ^ x", 13, "fixed exponent"),
        ("not x", 5, "a condition is expected"),
        ("(x > 1) + 1", 4, "a value is expected"),
        ("mean_over(x, 10)", 14, r"10 \[s\]"),
        ("mean_over(x, 99999 [h])", 14, "at most a day"),
        ("min()", 1, "1 or more values; 0 are given"),
        ("if(x, 1, 2)", 4, "a condition is expected"),
        ("in(x, 5)", 7, "a unit in brackets"),
        ('"loop-flow', 1, "has no end"),
        ("x ? y", 3, "has no meaning"),
        ("1e999 * x", 1, "too large"),
        ("__import__('os')", 12, "has no meaning"),
        ("(" * 80 + "x" + ")" * 80, 61, "within each other"),
        ("x + " * 400 + "x", 1, "at most 500 parts"),
    ],
)
def test_what_is_wrong_is_said_with_its_column(text: str, column: int, words: str) -> None:
    with pytest.raises(ExpressionError, match=words) as caught:
        compiled(text, UNITS)
    if "parts" not in words:
        assert caught.value.column == column


def test_a_wanted_unit_that_does_not_fit() -> None:
    with pytest.raises(ExpressionError, match="comes out in bar, but °C is wanted"):
        compiled("discharge - suction", UNITS, "°C")
    with pytest.raises(ExpressionError, match="pressure of the air"):
        compiled("pg", UNITS, "bar(a)")


@pytest.mark.parametrize(
    ("text", "inputs", "why"),
    [
        ("x / y", [1.0, 0.0], "division by zero"),
        ("ln(x)", [0.0], "logarithm of nothing"),
        ("log10(x)", [-1.0], "logarithm"),
        ("sqrt(x)", [-1.0], "root of a negative"),
        ("x ^ y", [-1.0, 0.5], "root of a negative"),
        ("x ^ y", [0.0, -1.0], "division by zero"),
        ("exp(x)", [1000.0], "too large"),
        ("x * x", [1e200], "no number"),
        ("asin(x)", [2.0], "arc sine"),
        ("decibel_power(x, y)", [1.0, 0.0], "division by zero"),
    ],
)
def test_where_there_is_no_value_it_says_why(text: str, inputs: list[float], why: str) -> None:
    with pytest.raises(Nothing, match=why) as caught:
        compiled(text, UNITS).value(0, list(inputs))
    assert not caught.value.silent


def test_what_is_missing_is_missed_only_where_it_is_needed() -> None:
    program = compiled("if(x > 0, y, 7)", UNITS)
    assert program.value(0, [-1.0, None]) == 7.0
    with pytest.raises(Nothing) as caught:
        program.value(0, [1.0, None])
    assert caught.value.silent


# ---- windows of time


def over(text: str, values: "list[float | None]", every: float = 1.0) -> list[float | None]:
    program = compiled(text, {"x": ""})
    found: list[float | None] = []
    for n, value in enumerate(values):
        try:
            found.append(program.value(round(n * every * 1e6), [value]))
        except Nothing:
            found.append(None)
    return found


def test_windows() -> None:
    values = [1.0, 2.0, 6.0, 3.0, 5.0]
    assert over("mean_over(x, 3 [s])", values) == pytest.approx([1, 1.5, 3, 11 / 3, 14 / 3])
    assert over("median_over(x, 3 [s])", values) == [1, 1.5, 2, 3, 5]
    assert over("min_over(x, 2 [s])", values) == [1, 1, 2, 3, 3]
    assert over("max_over(x, 2 [s])", values) == [1, 2, 6, 6, 5]
    assert over("rate(x, 10 [s])", [0.0, 2.0, 4.0, 6.0])[1:] == pytest.approx([2, 2, 2])
    assert over("integral(x)", [2.0, 2.0, 4.0]) == [0, 2, 5]
    assert over("integral(x, 1.5 [s])", [2.0, 2.0, 4.0, 4.0])[-1] == pytest.approx(7.0)
    assert over("time_since(x > 1)", [0.0, 5.0, 0.0, 0.0]) == [None, 0, 1, 2]
    assert over("sd_over(x, 10 [s])", values)[-1] == pytest.approx(statistics.stdev(values))


def test_a_hole_is_not_integrated_and_has_no_slope() -> None:
    assert over("integral(x)", [2.0, 2.0, None, 2.0, 2.0]) == [0, 2, None, 2, 4]
    assert over("rate(x, 10 [s])", [0.0, 2.0, None, 9.0, 10.0])[3:] == [None, pytest.approx(1.0)]


def test_windows_within_windows_and_beside_each_other() -> None:
    found = over("max_over(mean_over(x, 2 [s]), 3 [s]) - min_over(x, 3 [s])", [1.0, 3.0, 5.0, 1.0])
    assert found == pytest.approx([0, 1, 3, 3])


def test_windows_go_on_where_their_branch_is_not_taken() -> None:
    assert over("if(x > 2, integral(x), 0 [s])", [1.0, 1.0, 3.0])[-1] == pytest.approx(3.0)


def test_units_of_windows() -> None:
    assert compiled('integral("loop-flow")', UNITS, "L").unit.label == "L"
    assert compiled("rate(t1, 60 [s])", UNITS, "K/h").unit.label == "K/h"
    assert compiled("time_since(discharge > 1 [bar])", UNITS, "min").unit.label == "min"
    with pytest.raises(ExpressionError):
        compiled("rate(t1, 60 [s])", UNITS, "°C")


@given(st.lists(st.floats(-1e3, 1e3), min_size=2, max_size=60), st.integers(1, 20))
def test_sliding_sums_are_what_they_say(values: list[float], span: int) -> None:
    found = over(f"mean_over(x, {span} [s])", list(values))
    spread = over(f"sd_over(x, {span} [s])", list(values))
    for n in range(len(values)):
        window = values[max(0, n - span + 1) : n + 1]
        assert found[n] == pytest.approx(statistics.fmean(window), rel=1e-9, abs=1e-9)
        if len(window) > 1:
            assert spread[n] == pytest.approx(statistics.stdev(window), rel=1e-4, abs=1e-3)


ALPHABET = st.sampled_from(
    [
        "x",
        "y",
        "discharge",
        '"loop-flow"',
        "1",
        "2.5",
        "0",
        "[bar]",
        "[s]",
        "(",
        ")",
        ",",
        "+",
        "-",
        "*",
        "/",
        "^",
        "<",
        "=",
        "and",
        "or",
        "not",
        "if",
        "in",
        *[f"{name}(" for name in FUNCTIONS],
    ]
)


@given(st.lists(ALPHABET, max_size=25), st.lists(st.floats(allow_nan=False), min_size=4, max_size=4))
def test_any_text_is_a_value_or_a_sentence(words: list[str], numbers: list[float]) -> None:
    text = " ".join(words)
    try:
        program = compiled(text, UNITS)
    except ExpressionError as error:
        assert 1 <= error.column <= len(text) + 1
        return
    for at in range(3):
        try:
            value = program.value(at, list(numbers[: len(program.inputs)]))
        except Nothing as nothing:
            assert str(nothing)
        else:
            assert math.isfinite(value)


@given(st.text(max_size=60))
def test_any_characters_are_a_value_or_a_sentence(text: str) -> None:
    try:
        compiled(text, UNITS)
    except ExpressionError as error:
        assert error.what
