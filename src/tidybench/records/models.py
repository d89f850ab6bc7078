"""The tables. Times are microseconds since 1970 UTC (bigint) throughout."""

import uuid
from typing import Any

from sqlalchemy import (
    BigInteger,
    Boolean,
    Double,
    ForeignKey,
    ForeignKeyConstraint,
    Index,
    Integer,
    LargeBinary,
    SmallInteger,
    Text,
    UniqueConstraint,
    false,
)
from sqlalchemy.dialects.postgresql import ARRAY, JSONB, UUID
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    """All tables."""


class Bench(Base):
    """A bench computer. Many can share one server. `key` never changes (None: nobody of that name has been here since benches
    have one); the name may."""

    __tablename__ = "bench"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(Text, unique=True)
    key: Mapped[str | None] = mapped_column(Text, unique=True)


class Instrument(Base):
    """An instrument of a bench. `key` never changes, the name may."""

    __tablename__ = "instrument"
    __table_args__ = (UniqueConstraint("bench_id", "key"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    bench_id: Mapped[int] = mapped_column(ForeignKey("bench.id", ondelete="CASCADE"))
    key: Mapped[str] = mapped_column(Text)
    name: Mapped[str] = mapped_column(Text)
    in_use: Mapped[bool] = mapped_column(Boolean, default=True)


class SetupVersion(Base):
    """Every version of an instrument's set-up, as TOML. The highest version is in force."""

    __tablename__ = "setup_version"
    __table_args__ = (UniqueConstraint("instrument_id", "version"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    instrument_id: Mapped[int] = mapped_column(ForeignKey("instrument.id", ondelete="CASCADE"))
    version: Mapped[int] = mapped_column(Integer)
    text: Mapped[str] = mapped_column(Text)
    saved_at: Mapped[int] = mapped_column(BigInteger)


class Run(Base):
    """A logged test. `followed` counts the records of samples.bin that are in the blocks. `searched`: all that is said of it, in one text; `alarms`: how often it was beyond a
    limit or lost, null where that is not known yet. `removed_at`: since when it is in the bin, null where it is not; `bytes`: of the files of its folder, `tape_bytes`: of its tape alone,
    null where they are not known yet."""

    __tablename__ = "run"
    __table_args__ = (Index("run_begun", "begun_at"),)
    id: Mapped[uuid.UUID] = mapped_column(UUID(as_uuid=True), primary_key=True)
    bench_id: Mapped[int] = mapped_column(ForeignKey("bench.id"))
    name: Mapped[str] = mapped_column(Text)
    item: Mapped[str] = mapped_column(Text)
    operator: Mapped[str] = mapped_column(Text)
    order_number: Mapped[str] = mapped_column(Text, default="", server_default="")
    notes: Mapped[str] = mapped_column(Text, default="", server_default="")
    fields: Mapped[dict[str, str]] = mapped_column(JSONB, default=dict, server_default="{}")
    row_rule: Mapped[str] = mapped_column(Text)
    begun_at: Mapped[int] = mapped_column(BigInteger)
    begun_by: Mapped[str] = mapped_column(Text, default="", server_default="")
    glance: Mapped[list[dict[str, Any]]] = mapped_column(JSONB, default=list, server_default="[]")
    lead_us: Mapped[int] = mapped_column(BigInteger, default=0, server_default="0")
    copy_to: Mapped[str] = mapped_column(Text, default="", server_default="")
    copied_at: Mapped[int | None] = mapped_column(BigInteger)
    copy_trouble: Mapped[str] = mapped_column(Text, default="", server_default="")
    ended_at: Mapped[int | None] = mapped_column(BigInteger)
    status: Mapped[str] = mapped_column(Text)
    reason: Mapped[str] = mapped_column(Text)
    folder: Mapped[str] = mapped_column(Text)
    csv: Mapped[str] = mapped_column(Text)
    followed: Mapped[int] = mapped_column(BigInteger, default=0)
    complete: Mapped[bool] = mapped_column(Boolean, default=False, server_default=false())
    counts: Mapped[dict[str, Any]] = mapped_column(JSONB)
    repairs: Mapped[list[str]] = mapped_column(JSONB)
    searched: Mapped[str] = mapped_column(Text, default="", server_default="")
    alarms: Mapped[int | None] = mapped_column(Integer)
    removed_at: Mapped[int | None] = mapped_column(BigInteger)
    bytes: Mapped[int | None] = mapped_column(BigInteger)
    tape_bytes: Mapped[int | None] = mapped_column(BigInteger)


class RunChannel(Base):
    """A channel as it was in a run. `whole`: the `Statistics` of all its samples, null where they are not all in the blocks, or
    were before 2026-11-28."""

    __tablename__ = "run_channel"
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True)
    position: Mapped[int] = mapped_column(Integer)
    key: Mapped[str] = mapped_column(Text)
    name: Mapped[str] = mapped_column(Text)
    unit: Mapped[str] = mapped_column(Text)
    decimals: Mapped[int] = mapped_column(Integer)
    interval_s: Mapped[float] = mapped_column(Double)
    instrument: Mapped[str] = mapped_column(Text)
    low: Mapped[float | None] = mapped_column(Double)
    high: Mapped[float | None] = mapped_column(Double)
    clock: Mapped[bool] = mapped_column(Boolean, default=False, server_default=false())
    timed_by: Mapped[int] = mapped_column(Integer, default=0, server_default="0")
    states: Mapped[list[str]] = mapped_column(JSONB, default=list, server_default="[]")
    usual: Mapped[list[float]] = mapped_column(JSONB, default=list, server_default="[]")
    whole: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))


class SampleBlock(Base):
    """Up to 4 096 samples of one channel. `first_record` is the place of its first one in
    samples.bin, so that following a run twice can never double a sample. `spread` to `both`: see `Moments`, of its
    measured samples, times after `first_time`; with `by_quality`, null in blocks of before 2026-11-26. `groups`, `wide_groups`: see `records.groups`; they and `minimum_at`, `maximum_at` null in blocks of before 2026-11-28."""

    __tablename__ = "sample_block"
    __table_args__ = (
        Index(
            "sample_block_when",
            "run_id",
            "number",
            "last_time",
            "first_time",
            postgresql_include=["count"],
        ),
    )
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True)
    first_record: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    first_time: Mapped[int] = mapped_column(BigInteger)
    last_time: Mapped[int] = mapped_column(BigInteger)
    count: Mapped[int] = mapped_column(Integer)
    measured: Mapped[int] = mapped_column(Integer)
    minimum: Mapped[float | None] = mapped_column(Double)
    maximum: Mapped[float | None] = mapped_column(Double)
    mean: Mapped[float | None] = mapped_column(Double)
    spread: Mapped[float | None] = mapped_column(Double)
    time_mean: Mapped[float | None] = mapped_column(Double)
    time_spread: Mapped[float | None] = mapped_column(Double)
    both: Mapped[float | None] = mapped_column(Double)
    by_quality: Mapped[list[int] | None] = mapped_column(ARRAY(Integer))
    minimum_at: Mapped[int | None] = mapped_column(BigInteger)
    maximum_at: Mapped[int | None] = mapped_column(BigInteger)
    groups: Mapped[bytes | None] = mapped_column(LargeBinary)
    wide_groups: Mapped[bytes | None] = mapped_column(LargeBinary)
    times: Mapped[list[int]] = mapped_column(ARRAY(BigInteger))
    values: Mapped[list[float]] = mapped_column(ARRAY(Double))
    qualities: Mapped[list[int]] = mapped_column(ARRAY(SmallInteger))


class RunCurve(Base):
    """A curve of a run: its columns are in CurveColumn when it is in progress no more. `about`: all that is said of it (core.values.curve)."""

    __tablename__ = "curve"

    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    begun_at: Mapped[int] = mapped_column(BigInteger, index=True)
    about: Mapped[dict[str, Any]] = mapped_column(JSONB)


class CurveColumn(Base):
    """One column of a curve: what it is drawn over first; null where nothing was measured."""

    __tablename__ = "curve_column"
    __table_args__ = (
        ForeignKeyConstraint(["run_id", "number"], ["curve.run_id", "curve.number"], ondelete="CASCADE"),
    )

    run_id: Mapped[uuid.UUID] = mapped_column(UUID(as_uuid=True), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True)
    position: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    unit: Mapped[str] = mapped_column(Text)
    values: Mapped[list[float | None]] = mapped_column(ARRAY(Double))


class Summary(Base):
    """Lowest, highest and sum of a channel's samples in a stretch of `width` microseconds."""

    __tablename__ = "summary"
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True)
    width: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    start: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    count: Mapped[int] = mapped_column(Integer)
    measured: Mapped[int] = mapped_column(Integer)
    minimum: Mapped[float | None] = mapped_column(Double)
    maximum: Mapped[float | None] = mapped_column(Double)
    total: Mapped[float] = mapped_column(Double)
    worst: Mapped[int] = mapped_column(SmallInteger)


class Mark(Base):
    """A mark of a run; `position` is its line in marks.csv."""

    __tablename__ = "mark"
    run_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), primary_key=True)
    position: Mapped[int] = mapped_column(Integer, primary_key=True)
    at: Mapped[int] = mapped_column(BigInteger)
    text: Mapped[str] = mapped_column(Text)
    by: Mapped[str] = mapped_column(Text)


class Layout(Base):
    """How the Bench is laid out, under a name."""

    __tablename__ = "layout"
    __table_args__ = (UniqueConstraint("bench_id", "name"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    bench_id: Mapped[int] = mapped_column(ForeignKey("bench.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(Text)
    data: Mapped[dict[str, Any]] = mapped_column(JSONB)


class Plan(Base):
    """What a run is planned to be, under a name, as the text of its file."""

    __tablename__ = "plan"
    __table_args__ = (UniqueConstraint("bench_id", "name"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    bench_id: Mapped[int] = mapped_column(ForeignKey("bench.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(Text)
    text: Mapped[str] = mapped_column(Text)
    saved_at: Mapped[int] = mapped_column(BigInteger)


class Procedure(Base):
    """A procedure, under its name, as the text of its file."""

    __tablename__ = "procedure"
    __table_args__ = (UniqueConstraint("bench_id", "name"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    bench_id: Mapped[int] = mapped_column(ForeignKey("bench.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(Text)
    text: Mapped[str] = mapped_column(Text)
    saved_at: Mapped[int] = mapped_column(BigInteger)
