"""Rows as binary COPY takes them, read back by the driver."""

import uuid
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import Engine, text
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from tidybench.records import binary_rows
from tidybench.records.binary_rows import array, key, plain

COLUMNS = (
    "k uuid, a int, b bigint, c double precision, d smallint[], e int[], f bigint[], g double precision[]"
)
NAMES = ["k", "a", "b", "c", "d", "e", "f", "g"]


@pytest.fixture
def table(engine: Engine) -> Callable[..., list[tuple[Any, ...]]]:
    def read(write: Callable[[Session], None], columns: str = COLUMNS) -> list[tuple[Any, ...]]:
        with Session(engine) as session, session.begin():
            session.execute(text("DROP TABLE IF EXISTS tried"))
            session.execute(text(f"CREATE TABLE tried ({columns})"))
            write(session)
            return [tuple(row) for row in session.execute(text("SELECT * FROM tried"))]

    return read


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.integers(-(2**31), 2**31 - 1),
    st.none() | st.integers(-(2**63), 2**63 - 1),
    st.none() | st.floats(),
    st.lists(st.integers(-(2**15), 2**15 - 1), max_size=9),
    st.lists(st.integers(-(2**63), 2**63 - 1), max_size=9),
    st.lists(st.floats(), max_size=9),
)
def test_what_is_written_is_what_is_read(
    table: Callable[..., list[tuple[Any, ...]]],
    a: int,
    b: int | None,
    c: float | None,
    d: list[int],
    f: list[int],
    g: list[float],
) -> None:
    one = uuid.uuid4()
    e = [a, 0, -a - 1]
    fields = [
        key(one), plain("int4", a), plain("int8", b), plain("float8", c), array("int2", d), array("int4", np.array(e)),
        array("int8", np.array(f, np.int64)), array("float8", np.array(g, np.float64)),
    ]  # fmt: skip
    found = table(lambda session: binary_rows.copy_rows(session, "tried", NAMES, [b"".join(fields)] * 2))
    assert repr(found) == repr([(one, a, b, c, d, e, f, g)] * 2)  # nan is nan


def test_many_rows_are_made_at_once(table: Callable[..., list[tuple[Any, ...]]]) -> None:
    one = uuid.uuid4()
    starts, values = np.arange(5) * 10**12, np.linspace(-1, 1, 5)

    def write(session: Session) -> None:
        head = key(one) + plain("int4", 7)
        rows = binary_rows.many(head, 2, ["int8", "float8"], [starts, values])
        rows += binary_rows.many(head, 2, ["int8", ""], [starts[:1], values[:1]])
        binary_rows.copy_made(session, "tried", ["k", "a", "b", "c"], rows)

    found = table(write, "k uuid, a int, b bigint, c double precision")
    assert found == [(one, 7, s, v) for s, v in zip(starts.tolist(), values.tolist(), strict=True)] + [
        (one, 7, 0, None)
    ]


def test_more_than_is_sent_at_once(
    table: Callable[..., list[tuple[Any, ...]]], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(binary_rows, "GATHERED", 100)
    rows = [plain("int8", n) for n in range(500)]
    found = table(lambda session: binary_rows.copy_rows(session, "tried", ["b"], rows), "b bigint")
    assert sorted(one[0] for one in found) == list(range(500))


def test_a_connection_that_breaks_is_an_operational_error(engine: Engine) -> None:
    """As of every other statement: the clerk waits for the database then, and takes no run for damaged."""
    with Session(engine) as session, Session(engine) as other:
        session.execute(text("CREATE TABLE IF NOT EXISTS tried (b bigint)"))
        session.commit()
        backend = session.scalar(text("SELECT pg_backend_pid()"))

        def rows() -> Iterator[bytes]:
            yield plain("int8", 1)
            other.execute(text(f"SELECT pg_terminate_backend({backend})"))
            yield plain("int8", 2)

        with pytest.raises(OperationalError):
            binary_rows.copy_rows(session, "tried", ["b"], rows())
