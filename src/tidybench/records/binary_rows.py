"""Rows as a binary COPY takes them (PostgreSQL documentation: COPY, “Binary Format”; arrays as `array_send` writes them), and arrays read
back from that form.

The driver writes and reads arrays element by element, at a fifteenth of the speed of numpy.
"""

import struct
import uuid
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from typing import Any

import numpy as np
import numpy.typing as npt
import psycopg
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

HEAD = b"PGCOPY\n\xff\r\n\0" + struct.pack(">ii", 0, 0)
TAIL = struct.pack(">h", -1)
NULL = struct.pack(">i", -1)

GATHERED = 1 << 20
"""Bytes that are sent at once."""

KINDS = {"int2": (21, 2, ">i2"), "int4": (23, 4, ">i4"), "int8": (20, 8, ">i8"), "float8": (701, 8, ">f8")}
"""Of each kind of element its type's number, its bytes, and how numpy writes it."""

_ELEMENTS = {kind: np.dtype([("size", ">i4"), ("value", code)]) for kind, (_, _, code) in KINDS.items()}
_PLAIN = {"int2": struct.Struct(">ih"), "int4": struct.Struct(">ii"), "int8": struct.Struct(">iq"), "float8": struct.Struct(">id")}  # fmt: skip


def array(kind: str, values: npt.NDArray[Any] | Sequence[int]) -> bytes:
    """A field that is an array of one dimension, without nulls."""
    return packed(kind, made(kind, values))


def made(kind: str, values: npt.NDArray[Any] | Sequence[int]) -> npt.NDArray[Any]:
    """The elements of arrays: parts of them become fields by `packed`, without being made anew."""
    found = np.empty(len(values), _ELEMENTS[kind])
    found["size"], found["value"] = KINDS[kind][1], values
    return found


def packed(kind: str, part: npt.NDArray[Any]) -> bytes:
    """A field that is an array of one dimension, without nulls, of elements that `made` gave."""
    number, data = KINDS[kind][0], part.tobytes()
    if not len(part):
        return struct.pack(">iiii", 12, 0, 0, number)
    return struct.pack(">iiiiii", 20 + len(data), 1, 0, number, len(part), 1) + data


def elements(kind: str, data: bytes) -> npt.NDArray[Any]:
    """What `array_send` gave, the other way round: an array of one dimension, without nulls."""
    if len(data) <= 12:
        return np.empty(0, KINDS[kind][2][1:])
    return np.frombuffer(data, _ELEMENTS[kind], offset=20)["value"].astype(KINDS[kind][2][1:])


def fetched(session: Session, statement: str, **parameters: Any) -> list[tuple[Any, ...]]:
    """Rows of a statement (parameters as `%(name)s`), in the binary form of the wire: bytes come as they are. Raises sqlalchemy's OperationalError where the database is away, or
    hangs, as all other statements do."""
    session.flush()
    connection = session.connection()
    try:
        cursor = connection.connection.cursor(binary=True)
        try:
            cursor.execute(statement, parameters)
            return list(cursor.fetchall())
        finally:
            cursor.close()
    except (psycopg.OperationalError, psycopg.InterfaceError) as error:
        connection.invalidate(error)
        raise OperationalError(statement, None, error) from error


def raw(data: bytes) -> bytes:
    """A field that is bytes as they are."""
    return struct.pack(">i", len(data)) + data


def plain(kind: str, value: float | int | None) -> bytes:
    """A field that is a number, or null."""
    return NULL if value is None else _PLAIN[kind].pack(KINDS[kind][1], value)


def key(value: uuid.UUID) -> bytes:
    """A field that is a UUID."""
    return struct.pack(">i", 16) + value.bytes


def copy_rows(session: Session, table: str, columns: Sequence[str], rows: Iterable[bytes]) -> None:
    """Insert rows, each with its fields in the order of `columns`."""
    count = struct.pack(">h", len(columns))
    with _copying(session, table, columns) as copy:
        waiting = bytearray(HEAD)
        for row in rows:
            waiting += count
            waiting += row
            if len(waiting) > GATHERED:
                copy.write(waiting)
                waiting = bytearray()
        copy.write(waiting + TAIL)


def copy_made(session: Session, table: str, columns: Sequence[str], rows: bytes) -> None:
    """Insert rows that `many` has made."""
    with _copying(session, table, columns) as copy:
        copy.write(HEAD + rows + TAIL)


def many(head: bytes, head_fields: int, kinds: Sequence[str], columns: Sequence[npt.NDArray[Any]]) -> bytes:
    """Rows of numbers, made at once: each begins with the fields of `head`; then one of each column. A kind "": null."""
    fields: list[tuple[str, str]] = [("count", ">i2"), ("head", f"V{len(head)}")]
    for place, kind in enumerate(kinds):
        fields.append((f"size{place}", ">i4"))
        if kind:
            fields.append((f"value{place}", KINDS[kind][2]))
    rows = np.empty(len(columns[0]), np.dtype(fields))
    rows["count"], rows["head"] = head_fields + len(kinds), np.void(head)
    for place, (kind, column) in enumerate(zip(kinds, columns, strict=True)):
        rows[f"size{place}"] = KINDS[kind][1] if kind else -1
        if kind:
            rows[f"value{place}"] = column
    return rows.tobytes()


@contextmanager
def _copying(session: Session, table: str, columns: Sequence[str]) -> Iterator[psycopg.Copy]:
    """Raises sqlalchemy's OperationalError where the database is away, or hangs, as all other statements do."""
    names = ", ".join(f'"{name}"' for name in columns)
    statement = f'COPY "{table}" ({names}) FROM STDIN (FORMAT BINARY)'
    connection = session.connection()
    try:
        with connection.connection.cursor().copy(statement) as copy:
            yield copy
    except (psycopg.OperationalError, psycopg.InterfaceError) as error:
        connection.invalidate(error)
        raise OperationalError(statement, None, error) from error
