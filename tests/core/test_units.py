"""Units as they are written at a bench, and what may be done with them."""

import os
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.units import UnitError, added, conversion, subtracted, unit_of

CONVERSIONS = [
    ("W", "kW", 0.001, 0.0),
    ("L/min", "m3/h", 0.06, 0.0),
    ("m³/h", "L/s", 1 / 3.6, 0.0),
    ("°C", "K", 1.0, 273.15),
    ("°C", "°F", 1.8, 32.0),
    ("bar", "kPa", 100.0, 0.0),
    ("bar(g)", "mbar(g)", 1000.0, 0.0),
    ("bar", "bar(a)", 1.0, 0.0),
    ("rpm", "1/min", 1.0, 0.0),
    ("rpm", "Hz", 1 / 60, 0.0),
    ("%", "", 0.01, 0.0),
    ("N·m", "kNm", 0.001, 0.0),
    ("µS/cm", "mS/cm", 0.001, 0.0),
    ("mm/s", "m/s", 0.001, 0.0),
    ("NTU", "NTU", 1.0, 0.0),
]


@pytest.mark.parametrize(("source", "target", "scale", "offset"), CONVERSIONS)
def test_conversions(source: str, target: str, scale: float, offset: float) -> None:
    found = conversion(unit_of(source), unit_of(target))
    assert found[0] == pytest.approx(scale, rel=1e-12)
    assert found[1] == pytest.approx(offset, abs=1e-9)


@pytest.mark.parametrize(
    ("source", "target", "word"),
    [
        ("bar", "L/min", "different things"),
        ("bar(g)", "bar(a)", "pressure of the air"),
        ("NTU", "pH", "different things"),
        ("m(g)", "m", "pressures only"),
    ],
)
def test_what_cannot_be_converted_says_why(source: str, target: str, word: str) -> None:
    with pytest.raises(UnitError, match=word):
        conversion(unit_of(source), unit_of(target))


def test_kinds_of_pressure_in_sums() -> None:
    gauge, absolute = unit_of("bar(g)"), unit_of("bar(a)")
    assert subtracted(gauge, gauge).kind == "differential"
    assert subtracted(absolute, gauge).kind == "absolute"
    assert added(gauge, absolute).kind == "absolute"
    assert added(gauge, unit_of("bar(d)")).kind == "gauge"
    for one, other in ((gauge, gauge), (absolute, absolute)):
        with pytest.raises(UnitError, match="cannot be added"):
            added(one, other)
    with pytest.raises(UnitError):
        subtracted(gauge, absolute)


@given(st.text(max_size=45))
def test_any_label_is_a_unit_or_a_sentence(label: str) -> None:
    try:
        unit = unit_of(label)
    except UnitError as error:
        assert str(error)
        return
    assert conversion(unit, unit) == (1.0, 0.0)


@pytest.mark.parametrize("label", ["9**9**9**9", "m^99999999", "2**(9**9)", "m**(2**2)"])
def test_no_label_is_a_sum_that_takes_for_ever(label: str) -> None:
    assert unit_of(label).dimension.startswith("[own")


SOURCE = str(Path(__file__).parents[2] / "src")
TWELVE = """
import sys, threading
from tidybench.core.units import registry
sys.setswitchinterval(1e-5)
begin, found = threading.Barrier(12), []
def ask():
    begin.wait()
    found.append(registry())
threads = [threading.Thread(target=ask) for _ in range(12)]
for one in threads: one.start()
for one in threads: one.join()
print(len({id(one) for one in found}))
"""


def test_threads_that_need_units_at_once_have_one_registry() -> None:
    """After a restart the conductor and others begin at the same time; units of two registries cannot be compared."""
    done = subprocess.run(
        [sys.executable, "-c", TWELVE],
        capture_output=True,
        text=True,
        check=True,
        env={**os.environ, "PYTHONPATH": SOURCE},
    )
    assert done.stdout.strip() == "1"
