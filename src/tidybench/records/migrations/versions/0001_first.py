"""The first tables."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

revision = "0001"
down_revision = None

big = sa.BigInteger()
number: sa.Double[float] = sa.Double()


def _run_key() -> sa.Column[object]:
    return sa.Column(
        "run_id", pg.UUID(as_uuid=True), sa.ForeignKey("run.id", ondelete="CASCADE"), primary_key=True
    )


def upgrade() -> None:
    op.create_table(
        "bench",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False, unique=True),
    )
    op.create_table(
        "instrument",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("bench_id", sa.Integer, sa.ForeignKey("bench.id", ondelete="CASCADE"), nullable=False),
        sa.Column("key", sa.Text, nullable=False),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("in_use", sa.Boolean, nullable=False),
        sa.UniqueConstraint("bench_id", "key"),
    )
    op.create_table(
        "setup_version",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "instrument_id", sa.Integer, sa.ForeignKey("instrument.id", ondelete="CASCADE"), nullable=False
        ),
        sa.Column("version", sa.Integer, nullable=False),
        sa.Column("text", sa.Text, nullable=False),
        sa.Column("saved_at", big, nullable=False),
        sa.UniqueConstraint("instrument_id", "version"),
    )
    op.create_table(
        "run",
        sa.Column("id", pg.UUID(as_uuid=True), primary_key=True),
        sa.Column("bench_id", sa.Integer, sa.ForeignKey("bench.id"), nullable=False),
        *(
            sa.Column(name, sa.Text, nullable=False)
            for name in ("name", "item", "operator", "row_rule", "status", "reason", "folder", "csv")
        ),
        sa.Column("begun_at", big, nullable=False),
        sa.Column("ended_at", big),
        sa.Column("followed", big, nullable=False),
        sa.Column("complete", sa.Boolean, nullable=False, server_default=sa.false()),
        sa.Column("counts", pg.JSONB, nullable=False),
        sa.Column("repairs", pg.JSONB, nullable=False),
    )
    op.create_index("run_begun", "run", ["begun_at"])
    op.create_table(
        "run_channel",
        _run_key(),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("position", sa.Integer, nullable=False),
        *(sa.Column(name, sa.Text, nullable=False) for name in ("key", "name", "unit", "instrument")),
        sa.Column("decimals", sa.Integer, nullable=False),
        sa.Column("interval_s", number, nullable=False),
        sa.Column("low", number),
        sa.Column("high", number),
    )
    op.create_table(
        "sample_block",
        _run_key(),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("first_record", big, primary_key=True),
        sa.Column("first_time", big, nullable=False),
        sa.Column("last_time", big, nullable=False),
        sa.Column("count", sa.Integer, nullable=False),
        sa.Column("measured", sa.Integer, nullable=False),
        *(sa.Column(name, number) for name in ("minimum", "maximum", "mean")),
        sa.Column("times", pg.ARRAY(sa.BigInteger), nullable=False),
        sa.Column("values", pg.ARRAY(sa.Double), nullable=False),
        sa.Column("qualities", pg.ARRAY(sa.SmallInteger), nullable=False),
    )
    op.create_table(
        "summary",
        _run_key(),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("width", big, primary_key=True),
        sa.Column("start", big, primary_key=True),
        sa.Column("count", sa.Integer, nullable=False),
        sa.Column("measured", sa.Integer, nullable=False),
        sa.Column("minimum", number),
        sa.Column("maximum", number),
        sa.Column("total", number, nullable=False),
        sa.Column("worst", sa.SmallInteger, nullable=False),
    )
    op.create_table(
        "mark",
        _run_key(),
        sa.Column("position", sa.Integer, primary_key=True),
        sa.Column("at", big, nullable=False),
        sa.Column("text", sa.Text, nullable=False),
        sa.Column("by", sa.Text, nullable=False),
    )
    op.execute(
        """
        CREATE VIEW sample AS
        SELECT b.run_id, r.name AS run, c.key AS channel, c.name, c.unit,
               to_timestamp(u.t / 1e6) AS time, u.t AS time_us,
               CASE WHEN u.q <= 1 THEN u.v END AS value, u.q AS quality
        FROM sample_block b
        JOIN run r ON r.id = b.run_id
        JOIN run_channel c ON c.run_id = b.run_id AND c.number = b.number
        CROSS JOIN LATERAL unnest(b.times, b.values, b.qualities) AS u(t, v, q)
        """
    )


def downgrade() -> None:
    op.execute("DROP VIEW sample")
    for table in (
        "mark",
        "summary",
        "sample_block",
        "run_channel",
        "run",
        "setup_version",
        "instrument",
        "bench",
    ):
        op.drop_table(table)
