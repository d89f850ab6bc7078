"""Tables found among messages, as instruments nobody here wrote it for send them."""

from collections.abc import Sequence

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.compile.load import load
from tidybench.core.setup.curves import CurvePart
from tidybench.core.tape.events import Event, Opened, Received, Sent
from tidybench.core.teaching.tables import FoundTable, tables_in
from tidybench.core.values.origin import ByHand

SETUP = load('[instrument]\nid="a"\nname="A"\n[link]\nport="p"\n[framing]\nterminator="\\r\\n"\n')
SWEEP = [20 * 1.3**n for n in range(20)]


def found(lines: Sequence[str], asked: bool = True) -> list[FoundTable]:
    events: list[Event] = [Opened(1, {})]
    if asked:
        events.append(Sent(2, b"GO\r\n", 0, ByHand(1)))
    events += [Received(10 + n, f"{line}\r\n".encode()) for n, line in enumerate(lines)]
    return tables_in(SETUP, events)


def told(part: CurvePart) -> dict[str, str]:
    return {key: value for key in ("begins", "progress", "row", "ends") if (value := getattr(part, key))}


def test_progress_and_last_line_and_a_logarithmic_axis() -> None:
    rows = [f"{f:.1f},{-n:.2f},{n * 3}" for n, f in enumerate(SWEEP)]
    [one] = found(["BUSY 25%", "BUSY 50%", *rows, "END"])
    assert told(one.part) == {"progress": "BUSY <progress>%", "row": "<x>,<y1>,<y2>", "ends": "END"}
    assert (one.rows, one.first[0], one.part.x.scale) == (20, rows[0], "logarithmic")


def test_a_line_of_names_and_units_and_decimal_commas() -> None:
    rows = [f"{f:.1f};{-n:.2f}".replace(".", ",") for n, f in enumerate(SWEEP)]
    [one] = found(["OK", "Freq (Hz);Gain [dB]", *rows, "DONE 20"])
    assert told(one.part) == {
        "begins": "Freq (Hz);Gain [dB]",
        "row": "<freq decimal(,)>;<gain decimal(,)>",
        "ends": "DONE <last>",
    }
    assert [(axis.title, axis.unit) for axis in one.part.axes] == [("Freq", "Hz"), ("Gain", "dB")]


def test_words_in_a_row_and_dashes_in_place_of_a_figure() -> None:
    [one] = found(["#BEGIN", *(f"PT {n} {n / 2:.3f} {'---' if n == 3 else n * n}" for n in range(12))])
    assert told(one.part) == {"begins": "#BEGIN", "row": "PT <x> <y1> <y2 none(---)>"}
    assert one.part.x.scale == "linear"


@pytest.mark.parametrize(
    "lines",
    [
        ["T=21.3"] * 20,
        [f"{n % 3},5" for n in range(20)],
        [f"{n},5" for n in range(4)],
        [f"{n}" for n in range(20)],
        ["1,2,x", "2,3,y", "3,4,z", "4,5,x", "5,6,y", "6,7,q"],
        [],
    ],
)
def test_what_is_no_table_is_not_called_one(lines: list[str]) -> None:
    assert found(lines) == []


@given(
    st.sampled_from([",", ";", "\t", " "]),
    st.integers(1, 5),
    st.lists(st.floats(-1e6, 1e6), min_size=5, max_size=40, unique=True),
    st.booleans(),
)
def test_every_row_of_a_table_is_read_by_what_is_proposed(
    between: str, columns: int, xs: list[float], end: bool
) -> None:
    xs = sorted({round(x, 3) for x in xs})
    rows = [between.join([f"{x:.3f}", *(f"{x * k:.2f}" for k in range(columns))]) for x in xs]
    tables = found([*rows, *(["END"] if end else [])])
    if len(xs) >= 5:
        [one] = tables
        assert one.rows == len(xs)
        assert bool(one.part.ends) == end
