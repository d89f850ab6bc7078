"""Uncertainty by JCGM 100: compared with NumPy, with derivatives worked out by hand, and with what repeated means do."""

import math

import numpy as np
import pytest

from tests.conftest import setup_text
from tidybench.core.batch import Batch
from tidybench.core.compile.load import load
from tidybench.core.plan.point_order import PointOrder
from tidybench.core.plan.point_taking import Averaged, PointTaking
from tidybench.core.plan.watched import Watched
from tidybench.core.quality import Quality
from tidybench.core.setup import Setup
from tidybench.core.setup.calculated import CalculatedPart
from tidybench.core.setup.scaling import CalibrationPart
from tidybench.core.uncertainty import Uncertainties
from tidybench.core.values.scatter import Scatter, expanded


def scatter_of(values: "np.ndarray[tuple[int], np.dtype[np.float64]]") -> float:
    made = Scatter()
    for value in values:
        made.add(float(value))
    found = made.standard_uncertainty
    assert found is not None
    return found


@pytest.mark.parametrize("offset", [0.0, 1e6])
def test_the_scatter_of_a_mean_by_numpy(offset: float) -> None:
    rng = np.random.default_rng(1)
    values = offset + np.convolve(rng.normal(0, 1, 400), np.ones(5) / 5, "valid")
    apart = values - values.mean()
    r = apart[:-1] @ apart[1:] / (apart @ apart) + 1 / len(values)
    independent = len(values) * (1 - r) / (1 + r)
    assert scatter_of(values) == pytest.approx(values.std(ddof=1) / math.sqrt(independent), rel=1e-6)


@pytest.mark.parametrize("resembles", [0.0, 0.5, 0.9])
def test_it_is_how_far_repeated_means_lie_apart(resembles: float) -> None:
    """What is said of one stretch beside what many of them do, for noise and for slow readings."""
    rng = np.random.default_rng(2)
    stretches = []
    for _ in range(400):
        noise, value = rng.normal(0, math.sqrt(1 - resembles**2), 300), rng.normal()
        stretch = []
        for one in noise:
            value = resembles * value + one
            stretch.append(value)
        stretches.append(np.array(stretch))
    truly = np.std([one.mean() for one in stretches])
    said = np.sqrt(np.mean([scatter_of(one) ** 2 for one in stretches]))
    assert said == pytest.approx(truly, rel=0.15)
    plain = np.mean([one.std(ddof=1) for one in stretches]) / math.sqrt(300)
    if resembles == 0.9:
        assert plain < truly / 3  # what dividing by the root of all samples would have said


def test_never_fewer_than_one_nor_more_than_there_are() -> None:
    line = np.arange(50.0)
    assert scatter_of(line) <= line.std(ddof=1)
    up_and_down = np.array([1.0, -1.0] * 25)
    assert scatter_of(up_and_down) == pytest.approx(up_and_down.std(ddof=1) / math.sqrt(50))
    assert scatter_of(np.array([3.0, 3.0, 3.0])) == 0.0
    alone = Scatter()
    alone.add(1.0)
    assert alone.standard_uncertainty is None


def stated(**parts: dict[str, float]) -> list[Setup]:
    """The flow meter and the power analyser, with certificates for their channels."""
    found = []
    for name in ("loop-flow-meter", "power-analyser"):
        setup = load(setup_text(name))
        channels = [
            one.model_copy(
                update={"calibration": CalibrationPart.model_validate(parts[one.id.replace("-", "_")])}
            )
            if one.id.replace("-", "_") in parts
            else one.model_copy(update={"calibration": None})
            for one in setup.channel
        ]
        found.append(setup.model_copy(update={"channel": channels}))
    return found


def calculated(id: str, expression: str, unit: str = "") -> CalculatedPart:
    return CalculatedPart(id=id, name=id, expression=expression, unit=unit)


FLOW, POWER = {"expanded": 2.0}, {"expanded_percent": 1.0}


def test_a_product_by_its_derivatives() -> None:
    setups = stated(loop_flow=FLOW, motor_input=POWER)
    known = Uncertainties(setups, [calculated("x", '"loop-flow" * "motor-input"', "L/min*kW")])
    assert known.bases("x") == ["loop-flow", "motor-input"]
    values = {"loop-flow": 150.0, "motor-input": 800.0}
    by_hand = math.hypot(800.0 * 1.0, 150.0 * 4.0)  # u(flow) = 2 / 2, u(power) = 1 % of 800 / 2
    assert known.standard_uncertainty("x", values) == pytest.approx(by_hand)
    assert known.standard_uncertainty("loop-flow", values) == pytest.approx(1.0)
    assert known.standard_uncertainty("motor-input", values) == pytest.approx(4.0)


def test_one_input_that_comes_in_twice_is_one_input() -> None:
    known = Uncertainties(
        stated(loop_flow=FLOW),
        [
            calculated("twice", '"loop-flow" + "loop-flow"', "L/min"),
            calculated("half", '"twice" / 2', "L/min"),
        ],
    )
    assert known.bases("half") == ["loop-flow"]
    assert known.standard_uncertainty("half", {"loop-flow": 100.0}) == pytest.approx(1.0)  # not 1 / √2


def test_where_not_all_is_stated_nothing_is_said() -> None:
    parts = [
        calculated("sum", '"loop-flow" / "motor-input"', "L/min/kW"),
        calculated("slow", 'mean("loop-flow", 10 s)', "L/min"),
        calculated("circle", '"circle"'),
        calculated("broken", '"loop-flow" +'),
    ]
    known = Uncertainties(stated(loop_flow=FLOW), parts)
    for one in ("sum", "motor-input", "slow", "circle", "broken", "nobody"):
        assert known.bases(one) == []
        assert known.standard_uncertainty(one, {"loop-flow": 1.0, "motor-input": 1.0}) is None
    assert known.standard_uncertainty("loop-flow", {}) is None


def test_where_it_cannot_be_worked_out_nothing_is_said() -> None:
    known = Uncertainties(stated(loop_flow=FLOW), [calculated("root", 'sqrt("loop-flow")')])
    if known.bases("root"):
        assert known.standard_uncertainty("root", {"loop-flow": 0.2}) is None


def test_a_point_has_both_together() -> None:
    """Also of a calculated channel whose inputs the point does not show."""
    known = Uncertainties(
        stated(loop_flow=FLOW, motor_input=POWER),
        [calculated("x", '"loop-flow" * "motor-input"', "L/min*kW")],
    )
    order = PointOrder.model_validate({"rule": {"channels": {"x": {}, "plain": {}}, "average_s": 10}})
    rng = np.random.default_rng(3)
    flow, power = rng.normal(150, 1, 100), rng.normal(800, 5, 100)
    channels = {
        "x": Averaged(
            Watched(3, "x", "", 10**6), 1, stated=lambda means: known.standard_uncertainty("x", means)
        ),
        "plain": Averaged(Watched(4, "plain", "", 10**6), 1),
    }
    taking = PointTaking(order, 1, channels, 0, {"loop-flow": 1, "motor-input": 2})
    for n in range(100):
        at, batch = (n + 1) * 100_000, Batch()
        batch.add(1, Quality.OK, at, float(flow[n]))
        batch.add(2, Quality.OK, at, float(power[n]))
        batch.add(3, Quality.OK, at, float(flow[n] * power[n]))
        batch.add(4, Quality.OK, at, 1.0)
        taking.take(batch)
    point = taking.look(11_000_000)
    assert point is not None
    mean, plain = point.means
    assert (plain.type_a, plain.type_b, plain.expanded) == (None, None, None)
    assert mean.type_a == pytest.approx(scatter_of(flow * power))
    by_hand = math.hypot(power.mean() * 1.0, flow.mean() * power.mean() * 0.01 / 2)
    assert mean.type_b == pytest.approx(by_hand, rel=1e-9)
    assert mean.expanded == pytest.approx(2 * math.hypot(mean.type_a or 0, by_hand))
    assert mean.expanded == expanded(mean.type_a or 0, mean.type_b or 0)
