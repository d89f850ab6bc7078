"""Units and decimals that are proposed: what was written is shown whole, and no unit is half of another."""

import pytest

from tidybench.core.teaching.decimals import decimals_of
from tidybench.core.teaching.proposals import propose
from tidybench.core.teaching.units import is_unit


@pytest.mark.parametrize(
    ("text", "decimals"),
    [
        (b"1.25", 2), (b"3.21E-05", 7), (b"+2.39391E+03", 2), (b"2.4e+03", 0), (b"5", 0), (b"1E-12", 9), (b"7.0D-1", 2),
        (b"12.5kg", 1),
    ],
)  # fmt: skip
def test_every_digit_that_was_written_is_shown(text: bytes, decimals: int) -> None:
    assert decimals_of(text) == decimals


def test_a_comma_is_a_point_where_it_is_one() -> None:
    assert decimals_of(b"3,21E-05", b",") == 7


def test_known_units_by_known_units_are_one() -> None:
    assert all(is_unit(unit) for unit in ("kg", "kg/s", "mg/L", "W/m2", "kg/m3", "L/min", "W/m2/K"))
    assert not any(is_unit(unit) for unit in ("kg/", "/s", "kg/box", "box/kg", "kg/s/s/s", ""))


def test_a_vacuum_gauge_s_powers_of_ten_are_not_shown_as_nothing() -> None:
    best = propose([b"VAC %.2E mbar S1" % (3e-5 * 1.02**n) for n in range(30)]).proposals[0]
    [vacuum] = best.channels
    assert (vacuum.unit, vacuum.decimals) == ("mbar", 7)


def test_a_flow_of_mass_is_no_weight_and_an_unknown_unit_none_at_all() -> None:
    def units(unit: bytes) -> list[str]:
        messages = [b"%+7.2f %s, %8.1f kg, ok" % (12 + n % 7 / 8, unit, 1000 + 1.2 * n) for n in range(30)]
        return [channel.unit for channel in propose(messages).proposals[0].channels]

    assert units(b"kg/s") == ["kg/s", "kg"]
    assert units(b"kg/box") == ["", "kg"]
    assert units(b"kg") == ["kg", "kg"]
