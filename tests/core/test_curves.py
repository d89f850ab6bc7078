"""Sensor curves against the published tables, to the last digit that the tables give."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.channels.curves.resistance import ResistanceThermometer, Thermistor
from tidybench.core.channels.curves.thermocouple import PIECES, Thermocouple, millivolts

# mV at °C, reference junction at 0 °C: IEC 60584-1:2013, tables of reference functions (also NIST Monograph 175).
THERMOCOUPLES = {
    "B": {100: 0.033, 500: 1.242, 1000: 4.834, 1500: 10.099, 1820: 13.820},
    "E": {-270: -9.835, -100: -5.237, 100: 6.319, 500: 37.005, 1000: 76.373},
    "J": {-210: -8.095, -100: -4.633, 100: 5.269, 500: 27.393, 760: 42.919, 1000: 57.953, 1200: 69.553},
    "K": {-270: -6.458, -200: -5.891, -100: -3.554, 25: 1.000, 100: 4.096, 500: 20.644, 1000: 41.276, 1372: 54.886},
    "N": {-270: -4.345, -100: -2.407, 100: 2.774, 500: 16.748, 1000: 36.256, 1300: 47.513},
    "R": {-50: -0.226, 100: 0.647, 500: 4.471, 1000: 10.506, 1500: 17.451, 1768: 21.101},
    "S": {-50: -0.236, 100: 0.646, 500: 4.233, 1000: 9.587, 1500: 15.582, 1768: 18.693},
    "T": {-270: -6.258, -200: -5.603, -100: -3.379, 100: 4.279, 200: 9.288, 400: 20.872},
}  # fmt: skip

# Ohms at °C of a 100 ohm platinum resistor: IEC 60751:2008, table 1.
PLATINUM = {-200: 18.52, -100: 60.26, 0: 100.00, 25: 109.73, 100: 138.51, 400: 247.09, 850: 390.48}


@pytest.mark.parametrize("kind", sorted(THERMOCOUPLES))
def test_thermocouples_agree_with_the_tables(kind: str) -> None:
    for celsius, volts in THERMOCOUPLES[kind].items():
        assert round(millivolts(kind, celsius), 3) == volts  # type: ignore[arg-type]


@pytest.mark.parametrize("kind", sorted(PIECES))
def test_the_pieces_of_a_thermocouple_meet(kind: str) -> None:
    for first, _ in zip(PIECES[kind], PIECES[kind][1:], strict=False):
        assert millivolts(kind, first[1]) == pytest.approx(millivolts(kind, first[1] + 1e-9), abs=1e-6)  # type: ignore[arg-type]


@pytest.mark.parametrize("kind", sorted(PIECES))
def test_a_voltage_leads_back_to_its_temperature(kind: str) -> None:
    couple = Thermocouple(kind)  # type: ignore[arg-type]
    low, high = couple.range
    for step in range(101):
        celsius = low + (high - low) * step / 100
        back = couple.celsius(millivolts(couple.kind, celsius))
        assert back == pytest.approx(celsius, abs=2e-5)


def test_the_reference_junction_is_allowed_for() -> None:
    # 4.096 mV belong to 100 °C; with the junction at 25 °C (1.000 mV) only 3.096 mV are left.
    assert Thermocouple("K", 25.0).celsius(3.096) == pytest.approx(100.0, abs=0.02)


def test_beyond_its_range_a_thermocouple_has_no_number() -> None:
    assert Thermocouple("K").celsius(55.0) == float("inf")
    assert Thermocouple("T").celsius(-6.3) == float("-inf")
    assert Thermocouple("B").celsius(-0.5) == float("-inf")


def test_platinum_agrees_with_the_table_and_back() -> None:
    platinum = ResistanceThermometer()
    for celsius, ohms in PLATINUM.items():
        assert round(platinum.ohms(celsius), 2) == ohms
        assert platinum.celsius(platinum.ohms(celsius)) == pytest.approx(celsius, abs=1e-8)
    assert platinum.celsius(17.0) == float("-inf")
    assert platinum.celsius(400.0) == float("inf")


@given(st.floats(-199, 849))
def test_a_thousand_ohms_are_ten_times_a_hundred(celsius: float) -> None:
    assert ResistanceThermometer(1000.0).ohms(celsius) == pytest.approx(
        10 * ResistanceThermometer().ohms(celsius)
    )


def test_thermistors() -> None:
    # The classic coefficients of a 10 kilo-ohm bead: 32 651 ohm at 0 °C, 10 000 at 25 °C, 5 325 at 40 °C.
    bead = Thermistor(1.129148e-3, 2.34125e-4, 8.76741e-8)
    for ohms, celsius in ((32651, 0.0), (10000, 25.0), (5325, 40.0)):
        assert bead.celsius(ohms) == pytest.approx(celsius, abs=0.01)
        assert bead.ohms(celsius) == pytest.approx(ohms, rel=1e-3)
    beta = Thermistor.of_beta(10_000, 3950)
    assert beta.celsius(10_000) == pytest.approx(25.0)
    assert beta.ohms(25.0) == pytest.approx(10_000)
    assert bead.celsius(0) != bead.celsius(0)  # no temperature at all
