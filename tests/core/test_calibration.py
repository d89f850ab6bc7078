"""Calibration by points: compared with NumPy and with figures worked out by hand."""

import itertools
import math

import numpy as np
import pytest

from tidybench.core.batch import Batch
from tidybench.core.calibration import Calibration, calibration
from tidybench.core.channels.correction import CorrectionError, basis_of, correction, inverse, uncorrected
from tidybench.core.channels.pipeline import ChannelPipeline
from tidybench.core.channels.scaling import combined, fitted
from tidybench.core.plan.calibration_plan import CalibrationPlan
from tidybench.core.plan.point_order import PointOrder
from tidybench.core.plan.point_taking import Averaged, PointTaking
from tidybench.core.plan.watched import Watched
from tidybench.core.quality import Quality
from tidybench.core.setup import ChannelPart, LimitsPart
from tidybench.core.setup.scaling import CalibrationPart, PointsStep
from tidybench.core.values.point import Point, PointMean
from tidybench.recorder.calibrating import Adjustment

PAIRS = [(0.4, 0.0), (50.9, 50.0), (101.3, 100.0), (151.6, 150.0), (202.2, 200.0)]


def test_the_fits_are_those_of_numpy() -> None:
    shown, true = np.array(PAIRS).T
    for degree, made in [
        (1, correction(PAIRS, "straight line")),
        (2, correction(PAIRS, "polynomial", 2)),
        (3, correction(PAIRS, "polynomial", 3)),
    ]:
        scale, fit = fitted(made), np.polyfit(shown, true, degree)
        for x in (-10.0, 0.0, 77.7, 202.2, 230.0):
            assert scale(x) == pytest.approx(np.polyval(fit, x), rel=1e-9, abs=1e-9)
    offset = fitted(correction(PAIRS, "offset"))
    assert offset(10.0) == pytest.approx(10.0 - (0.4 + 0.9 + 1.3 + 1.6 + 2.2) / 5)
    between = fitted(correction(PAIRS, "between points"))
    assert between(76.1) == pytest.approx(np.interp(76.1, shown, true))


@pytest.mark.parametrize("fit", ["offset", "straight line", "between points", "polynomial"])
def test_a_correction_can_be_taken_back(fit: str) -> None:
    step = correction(PAIRS, fit, 3)  # type: ignore[arg-type]
    scale, back = fitted(step), inverse(step)
    for x in np.linspace(0.0, 205.0, 57):
        assert back(scale(float(x))) == pytest.approx(float(x), rel=1e-12, abs=1e-12)


def test_one_that_falls_is_taken_back_too() -> None:
    falling = [(x, -y) for x, y in PAIRS]
    for fit in ("straight line", "between points", "polynomial"):
        step = correction(falling, fit, 2)  # type: ignore[arg-type]
        assert inverse(step)(fitted(step)(120.0)) == pytest.approx(120.0)


def test_a_polynomial_is_not_taken_back_far_outside_its_points() -> None:
    back = inverse(correction(PAIRS, "polynomial", 2))
    assert math.isnan(back(10_000.0))
    assert math.isnan(back(-10_000.0))


REFUSED = [
    ([], "offset", "There is no point yet"),
    ([(1.0, 2.0)], "straight line", "at least 2 points, there is 1"),
    ([(1.0, 2.0), (1.0, 2.1), (1.0, 2.2)], "straight line", "at least 2 different points, there is 1"),
    ([(1.0, 5.0), (1.1, 5.0)], "straight line", "same reference (5)"),
    ([(1.0, 2.0), (1.0, 3.0)], "between points", "two of them show 1"),
    ([(0.0, 0.0), (1.0, 2.0), (2.0, 1.0)], "between points", "turns round between 1 and 2"),
    ([(0.0, 5.0), (1.0, 5.0)], "polynomial", "same reference (5)"),
    ([(0.0, 0.0), (1.0, 2.0), (2.0, 0.5)], "polynomial", "turns round at 1."),
]


@pytest.mark.parametrize(("pairs", "fit", "said"), REFUSED)
def test_what_makes_no_correction_is_said(pairs: list[tuple[float, float]], fit: str, said: str) -> None:
    with pytest.raises(CorrectionError) as caught:
        correction(pairs, fit)  # type: ignore[arg-type]
    assert said.lower() in str(caught.value).lower()


def test_points_up_and_down_are_averaged_between_points() -> None:
    both = [*PAIRS, (51.1, 50.0), (101.5, 100.0)]
    step = correction(both, "between points")
    assert step.points[1] == pytest.approx((51.0, 50.0))
    assert len(step.points) == 5
    assert len(correction(both, "straight line").points) == 7


CHANNEL = {"id": "suction", "name": "Suction", "field": "p", "unit": "kPa"}
OLD = {"kind": "points", "points": [[0.0, 1.0], [100.0, 103.0]], "fit": "between points"}


def point(number: int, stage: str, reference: float | None, shown: float | None, **more: object) -> Point:
    before = more.pop("before", shown)
    means = (
        [
            PointMean(
                id="suction",
                name="Suction",
                unit="kPa",
                decimals=2,
                mean=shown,
                sd=0.1,
                count=50,
                uncorrected=before,  # type: ignore[arg-type]
            )
        ]
        if shown is not None
        else []
    )
    sets = [{"name": "Reference", "unit": "kPa", "value": reference}] if reference is not None else []
    return Point.model_validate(
        {"number": number, "stage": stage, "at": number, "sets": sets, "means": means, **more}
    )


def found(points: list[Point], **plan: object) -> Calibration:
    return calibration(CalibrationPlan.model_validate({"channel": "suction", **plan}), "kPa", points)


def test_a_point_is_averaged_before_the_correction_and_the_zero_in_force() -> None:
    """Against the readings themselves, put through the channel's own pipeline."""
    channel = ChannelPart.model_validate(
        {**CHANNEL, "scaling": [{"kind": "linear", "scale": 2.0, "offset": 3.0}, OLD]}
    )
    zero = 0.75
    pipeline = ChannelPipeline(7, channel.scaling, zero=zero)
    first = combined(channel.scaling[:-1])
    rng = np.random.default_rng(5)
    order = PointOrder.model_validate(
        {"rule": {"channels": {"suction": {}}, "average_s": 5}, "stage": "as found"}
    )
    watched = Watched(7, "Suction", "kPa", 1_000_000)
    taking = PointTaking(order, 1, {"suction": Averaged(watched, 2, uncorrected(channel, zero))}, 0)
    expected = []
    for n in range(1, 60):
        batch, reading = Batch(), float(rng.normal(20, 1))
        pipeline.take(Quality.OK, n * 100_000, reading, batch)
        taking.take(batch)
        if n <= 50:
            expected.append(first(reading))
    taken = taking.look(6_000_000)
    assert taken is not None
    assert taken.stage == "as found"
    mean = taken.means[0]
    assert mean.uncorrected == pytest.approx(np.mean(expected), rel=1e-12)
    assert mean.mean != pytest.approx(mean.uncorrected)


def test_a_point_whose_samples_cannot_all_be_taken_back_has_no_mean_before() -> None:
    channel = ChannelPart.model_validate(
        {**CHANNEL, "scaling": [{"kind": "points", "points": PAIRS, "fit": "polynomial"}]}
    )
    order = PointOrder.model_validate(
        {"rule": {"channels": {"suction": {}}, "average_s": 1}, "stage": "as found"}
    )
    taking = PointTaking(
        order, 1, {"suction": Averaged(Watched(7, "S", "kPa", 10**6), 2, uncorrected(channel, 0.0))}, 0
    )
    batch = Batch()
    for n, value in enumerate([50.0, 51.0, 10_000.0], 1):
        batch.add(7, Quality.OK, n * 100_000, value)
    taking.take(batch)
    taken = taking.look(2_000_000)
    assert taken is not None
    assert taken.means[0].uncorrected is None
    assert taken.means[0].count == 3


def test_deviations_verdicts_and_residuals() -> None:
    points = [point(n, "as found", true, shown) for n, (shown, true) in enumerate(PAIRS, 1)]
    points += [
        point(6, "as left", 100.0, 100.05),
        point(7, "as found", 150.0, None, gave_up="not steady for 10 s: Suction"),
        point(8, "as found", 100.0, 170.0, void=True),
    ]
    out = found(points, allowed=0.5, allowed_percent=0.5)
    assert [row.deviation for row in out.rows[:5]] == pytest.approx([0.4, 0.9, 1.3, 1.6, 2.2])
    assert [row.allowed for row in out.rows[:5]] == pytest.approx([0.5, 0.75, 1.0, 1.25, 1.5])
    assert [row.verdict for row in out.rows] == ["within", *["beyond"] * 4, "within", "not known", "beyond"]
    as_found, as_left = out.stages
    assert (as_found.stage, as_found.points, as_found.verdict) == ("as found", 5, "beyond")
    assert as_found.largest == pytest.approx(2.2)
    assert (as_left.points, as_left.verdict) == (1, "within")
    assert out.correction is not None
    shown, true = np.array(PAIRS).T
    left = true - np.polyval(np.polyfit(shown, true, 1), shown)
    assert [row.residual for row in out.rows[:5]] == pytest.approx(list(left), abs=1e-9)
    assert [row.residual for row in out.rows[5:]] == [None, None, None]  # as left, given up and taken out
    assert out.correction.residual_sd == pytest.approx(math.sqrt(sum(left**2) / 3), rel=1e-6)
    assert out.correction.largest == pytest.approx(max(abs(left)), rel=1e-6)


def test_a_deviation_that_is_the_allowed_one_is_within() -> None:
    assert 10.3 - 10.0 > 0.3  # in binary
    verdicts = [
        found([point(1, "as found", 10.0, shown)], allowed=0.3).rows[0].verdict for shown in (10.3, 10.3001)
    ]
    assert verdicts == ["within", "beyond"]


def test_no_tolerance_no_verdict() -> None:
    out = found([point(1, "as found", 10.0, 10.3)])
    assert out.rows[0].verdict == out.stages[0].verdict == ""
    assert "at least 2 points" in out.no_correction


def test_the_uncertainty_is_that_of_reference_and_residuals_together() -> None:
    points = [point(n, "as found", true, shown) for n, (shown, true) in enumerate(PAIRS, 1)]
    out = found(points, reference_expanded=0.2)
    assert out.correction is not None
    assert out.correction.residual_sd is not None
    assert out.correction.expanded == pytest.approx(2 * math.hypot(0.1, out.correction.residual_sd))
    two = found(points[:2], reference_expanded=0.2).correction
    assert two is not None
    assert (two.residual_sd, two.expanded) == (
        None,
        None,
    )  # a line through two points leaves nothing to judge it by


def test_a_reference_channel_in_another_unit() -> None:
    reference = PointMean(id="tester", name="Tester", unit="bar", decimals=3, mean=1.0)
    one = point(1, "as found", None, 101.0)
    one = one.model_copy(update={"means": [*one.means, reference]})
    row = found([one], reference="tester").rows[0]
    assert row.reference == pytest.approx(100.0)
    assert row.deviation == pytest.approx(1.0)


def test_taken_in_the_new_correction_takes_the_place_of_the_old_one() -> None:
    """The whole way: readings, the old correction and zero in force; points; the new one; what the channel shows then."""
    truth = [0.0, 50.0, 100.0, 150.0, 200.0]
    readings = [1.004 * t + 0.8 for t in truth]
    old = ChannelPart.model_validate({**CHANNEL, "scaling": [OLD]})
    zero = 0.5
    shown = [combined(old.scaling)(one) - zero for one in readings]
    back = uncorrected(old, zero)
    points = [
        point(n, "as found", true, value, before=back(value))
        for n, (true, value) in enumerate(zip(truth, shown, strict=True), 1)
    ]
    out = found(points)
    assert out.correction is not None
    new = combined([out.correction.step])
    assert [new(one) for one in readings] == pytest.approx(truth, abs=1e-9)


def test_what_points_stand_upon_is_not_name_or_limits() -> None:
    plain = ChannelPart.model_validate({**CHANNEL, "scaling": [OLD]})
    told = plain.model_copy(update={"name": "Other", "limits": LimitsPart(high=5), "decimals": 4})
    first, second, third = (
        Adjustment("suction", part, zero) for part, zero in ((plain, 0.0), (told, 0.0), (plain, 0.5))
    )
    assert first.is_that_of(second)
    assert not first.is_that_of(third)
    assert not first.is_that_of(None)
    for more in ({"scale": 2.0}, {"unit": "bar"}, {"scaling": []}):
        assert not first.is_that_of(Adjustment("suction", plain.model_copy(update=more), 0.0))
    assert basis_of(plain) == basis_of(
        plain.model_copy(update={"scaling": []})
    )  # the correction itself is no part of it


def test_certificates_in_numbers() -> None:
    part = CalibrationPart(expanded=0.2, expanded_percent=0.1, coverage=2)
    assert part.standard_uncertainty(-100.0) == pytest.approx((0.2 + 0.1) / 2)
    assert part.words("kPa") == "± 0.2 kPa + 0.1 % of the reading (k = 2)"
    assert CalibrationPart(uncertainty="see paper").standard_uncertainty(1.0) is None
    assert CalibrationPart().facts("kPa") == {}
    assert CalibrationPart(uncertainty="see paper", expanded=1).facts("V") == {
        "uncertainty": "see paper; ± 1 V (k = 2)"
    }


def test_least_squares_takes_the_same_reading_twice() -> None:
    step = PointsStep(kind="points", points=[(0.0, 0.1), (0.0, 0.3), (10.0, 10.2)], fit="straight line")
    assert fitted(step)(0.0) == pytest.approx(0.2)
    for (x, _), (y, _) in itertools.pairwise(step.points):
        assert x <= y
