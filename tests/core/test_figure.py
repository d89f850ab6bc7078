"""Values as text: no digit that nobody sent, none missing."""

import math
import struct

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.test_replies import modbus
from tidybench.core.batch import Batch
from tidybench.core.compile.load import load
from tidybench.core.values.figure import figure
from tidybench.core.values.row_rule import RowRule
from tidybench.runs.rows import make_rule
from tidybench.runs.run_channel import run_channel
from tidybench.runs.run_state import RunState


@given(st.floats(allow_nan=False, allow_infinity=False, width=32).filter(lambda x: abs(x) > 1.2e-38 or not x))
def test_a_32_bit_float_is_named_by_as_few_digits_as_tell_it_from_all_others(value: float) -> None:
    text = figure(value, single=True)
    assert np.float32(text) == np.float32(value)
    digits = len(text.split("e")[0].strip("-").replace(".", "").strip("0"))
    shortest = (
        np.format_float_scientific(np.float32(value), trim="-").split("e")[0].strip("-").replace(".", "")
    )
    assert digits <= max(6, len(shortest))


@given(st.floats(allow_nan=False, allow_infinity=False))
def test_any_other_value_keeps_15_digits(value: float) -> None:
    assert figure(value) == f"{value:.15g}" or abs(value) > 1.797e308
    assert math.isfinite(float(figure(value)))
    assert float(figure(value, single=True)) == pytest.approx(value, rel=1.2e-7)


@pytest.mark.parametrize("value", [4.1353846, 0.1, 21.7])
def test_a_register_s_float_stands_in_the_csv_without_noise(value: float) -> None:
    """It was written as 4.13538455963135."""
    setup = load(modbus(11))
    [channel] = [one for one in setup.channel if setup.is_single(one)][:1]
    sent = struct.unpack("<f", struct.pack("<f", value))[0]
    frozen = run_channel(setup, channel, {channel.id: 1})
    state = RunState(
        id="r",
        bench="b",
        name="n",
        row_rule=RowRule(kind="each reading"),
        begun_at=0,
        csv="x.csv",
        channels=[frozen],
    )
    batch = Batch()
    batch.add(1, 0, 1_000_000, sent)
    [row] = make_rule(state).feed(1_000_000, batch)
    assert row.split(",")[2] == str(value)


def test_what_a_filter_made_of_it_has_its_own_digits() -> None:
    text = modbus(11).replace("[[channel]]\n", '[[channel]]\nfilter = [{ kind = "mean", count = 3 }]\n')
    setup = load(text)
    assert not any(setup.is_single(one) for one in setup.channel)
