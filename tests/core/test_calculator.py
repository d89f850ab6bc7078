"""Calculated channels at work: which samples come of which."""

import math

import pytest

from tidybench.core.batch import Batch
from tidybench.core.channels.calculator import Calculator, Known
from tidybench.core.quality import Quality
from tidybench.core.setup.calculated import CalculatedPart, Calculations

SECOND = 1_000_000
KNOWN = [Known(1, "fast", "bar", 0.1), Known(2, "slow", "bar", 1.0), Known(3, "flow", "L/min", 0.2)]


def calculator(**expressions: "str | dict[str, object]") -> Calculator:
    parts = []
    for key, value in expressions.items():
        data = {"expression": value} if isinstance(value, str) else value
        parts.append(CalculatedPart.model_validate({"id": key, "name": key, **data}))
    return Calculator(parts, KNOWN, {key: n for n, key in enumerate(expressions, 11)})


def batch(*samples: "tuple[int, float, float | None]") -> Batch:
    """Samples of (channel, seconds, value)."""
    made = Batch()
    for channel, seconds, value in samples:
        quality = Quality.OK if value is not None else Quality.NO_REPLY
        made.add(channel, quality, round(seconds * SECOND), math.nan if value is None else value)
    return made


def fed(
    one: Calculator, *samples: "tuple[int, float, float | None]"
) -> list[tuple[int, float, float | None]]:
    found = one.feed(batch(*samples))
    if found is None:
        return []
    return [
        (w >> 8, t / SECOND, v if w & 0xFF == 0 else None)
        for w, t, v in zip(found.words, found.times, found.values, strict=True)
    ]


def test_the_fastest_channel_leads_and_the_others_are_taken_as_they_are() -> None:
    one = calculator(d={"expression": "fast - slow", "unit": "bar"})
    assert one.all[0].interval == 0.1
    assert fed(one, (2, 0.0, 1.0)) == []  # the slow one leads nothing
    assert fed(one, (1, 0.1, 5.0)) == [(11, 0.1, 4.0)]
    assert fed(one, (1, 0.2, 6.0)) == [(11, 0.2, 5.0)]


def test_a_value_that_is_too_old_is_not_used() -> None:
    one = calculator(d={"expression": "fast - slow", "unit": "bar"})
    fed(one, (2, 0.0, 1.0))
    assert fed(one, (1, 2.0, 5.0)) == [(11, 2.0, 4.0)]
    assert fed(one, (1, 2.1, 5.0)) == [(11, 2.1, None)]
    patient = calculator(d={"expression": "fast - slow", "unit": "bar", "age_s": 60})
    fed(patient, (2, 0.0, 1.0))
    assert fed(patient, (1, 59.0, 5.0)) == [(11, 59.0, 4.0)]


def test_what_was_not_measured_gives_no_number_and_a_named_lead_leads() -> None:
    one = calculator(d={"expression": "fast - slow", "unit": "bar", "lead": "slow"})
    fed(one, (1, 0.0, 5.0))
    assert fed(one, (2, 0.1, 1.0)) == [(11, 0.1, 4.0)]
    assert fed(one, (2, 0.2, None)) == [(11, 0.2, None)]


def test_one_message_is_taken_in_whole_before_anything_comes_of_it() -> None:
    one = calculator(d={"expression": "fast - slow", "unit": "bar"})
    assert fed(one, (1, 0.0, 5.0), (2, 0.0, 1.0), (1, 0.1, 6.0), (2, 0.1, 2.0)) == [
        (11, 0.0, 4.0),
        (11, 0.1, 4.0),
    ]


def test_calculated_channels_of_calculated_channels_in_any_order() -> None:
    one = calculator(
        twice={"expression": "half * 4", "unit": "bar"},
        half={"expression": "fast / 2", "unit": "bar"},
    )
    assert sorted(fed(one, (1, 0.0, 3.0))) == [(11, 0.0, 6.0), (12, 0.0, 1.5)]


def test_a_circle_and_a_missing_channel_harm_nobody_else() -> None:
    one = calculator(
        after={"expression": "gone + 1"},
        a={"expression": "b + 1 [bar]"}, b={"expression": "a + 1 [bar]"}, gone="nobody * 2", good={"expression": "fast", "unit": "kPa"}
    )  # fmt: skip
    problems = {c.part.id: c.problem for c in one.all}
    assert "Circular reference" in problems["a"]
    assert "Circular reference" in problems["b"]
    assert "there is no channel “nobody”" in problems["gone"]
    assert problems["after"] == "Column 1: “gone” is not calculated itself. Fix that channel first."
    assert problems["good"] == ""
    assert fed(one, (1, 0.0, 2.0)) == [(15, 0.0, 200.0)]


def test_an_id_that_an_instrument_has_is_said() -> None:
    one = calculator(fast="slow * 2", good={"expression": "slow", "unit": "bar"})
    assert "used by an instrument’s channel already" in one.all[0].problem
    assert fed(one, (2, 0.0, 1.0)) == [(12, 0.0, 1.0)]


def test_division_by_zero_is_said_and_gives_no_number() -> None:
    one = calculator(r="fast / slow")
    fed(one, (2, 0.0, 0.0))
    assert fed(one, (1, 0.1, 5.0)) == [(11, 0.1, None)]
    assert one.all[0].nothing == "a division by zero"
    assert one.all[0].nothing_at == SECOND // 10


def test_interpolated_values_meet_at_the_leads_time() -> None:
    part: dict[str, object] = {"expression": "fast - slow", "unit": "bar", "meet": "interpolated"}
    one = calculator(d=part)
    fed(one, (2, 0.0, 0.0))
    assert fed(one, (1, 0.25, 10.0), (1, 0.5, 10.0)) == []  # the slow one's next sample is waited for
    assert fed(one, (2, 1.0, 4.0)) == []  # it leads nothing; the next of the lead brings all
    assert fed(one, (1, 1.0, 10.0)) == [(11, 0.25, 9.0), (11, 0.5, 8.0), (11, 1.0, 6.0)]


def test_nothing_is_interpolated_across_a_hole() -> None:
    part: dict[str, object] = {"expression": "fast - slow", "unit": "bar", "meet": "interpolated"}
    one = calculator(d=part)
    fed(one, (2, 0.0, 0.0), (2, 1.0, None), (2, 2.0, 4.0))
    assert fed(one, (1, 1.5, 10.0)) == [(11, 1.5, None)]
    far = calculator(d=part)
    fed(far, (2, 0.0, 0.0))
    fed(far, (1, 1.0, 10.0))
    assert fed(far, (1, 9.0, 10.0))[0] == (11, 1.0, None)  # it has waited long enough


def test_filters_and_thinning_of_calculated_channels() -> None:
    one = calculator(d={"expression": "fast", "unit": "bar", "thinning": {"keep": "mean", "every_s": 1}})
    assert one.all[0].interval == 1
    assert fed(one, (1, 0.1, 1.0), (1, 0.2, 3.0), (1, 1.1, 9.0)) == [(11, 1.0, 2.0)]


def test_a_restart_forgets() -> None:
    one = calculator(v={"expression": "integral(flow)", "unit": "L"})
    assert fed(one, (3, 0.0, 60.0), (3, 60.0, 60.0))[-1] == (11, 60.0, 60.0)
    one.restart()
    assert fed(one, (3, 61.0, 60.0)) == [(11, 61.0, 0.0)]


def test_ids_are_unique() -> None:
    part = {"id": "a", "name": "A", "expression": "x"}
    try:
        Calculations.model_validate({"calculated": [part, part]})
    except ValueError as error:
        assert "used twice" in str(error)
    else:
        raise AssertionError("two channels have one id")


def test_a_formula_of_endless_numbers_has_no_value_and_harms_nobody() -> None:
    """It used to end the recorder, and the one started after it, again and again."""
    one = calculator(
        bad={"expression": "floor(fast / 1 [bar] * 1e200 * 1e200 - fast / 1 [bar] * 1e200 * 1e200)"},
        good={"expression": "fast", "unit": "bar"},
    )
    assert fed(one, (1, 0.1, 5.0)) == [(11, 0.1, None), (12, 0.1, 5.0)]
    assert one.all[0].nothing == "the outcome is no number"
    assert not one.failed


def test_a_formula_that_fails_fails_by_itself_and_begins_afresh(monkeypatch: pytest.MonkeyPatch) -> None:
    one = calculator(
        bad={"expression": "mean_over(fast, 10 [s])", "unit": "bar"},
        good={"expression": "fast", "unit": "bar"},
    )
    fed(one, (1, 0.1, 100.0))
    program = one.all[0].program
    assert program is not None

    def broken(*_: object) -> float:
        raise RuntimeError("a fault of ours")

    with monkeypatch.context() as patch:
        patch.setattr(type(program), "value", broken)
        fed(one, (1, 0.2, 1.0))
    assert "its evaluation failed (RuntimeError('a fault of ours'))" in one.all[0].nothing
    # Both failed: it was the class that was broken. Each is told once, with its error, for the log.
    assert [(name, str(error)) for name, error in one.failures()] == [
        ("bad", "a fault of ours"),
        ("good", "a fault of ours"),
    ]
    assert one.failures() == []
    assert fed(one, (1, 0.3, 3.0)) == [(11, 0.3, 3.0), (12, 0.3, 3.0)]  # the 100 of before is forgotten
