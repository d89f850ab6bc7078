"""Which channels are devices' own clocks, and samples by the time that their device gave; words of states."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0004"
down_revision = "0003"

# Several messages may have come at one microsecond (a network, a file): the n-th of them with the n-th.
_SAMPLES = """
    SELECT b.run_id, b.number, u.t, u.v, u.q,
           row_number() OVER (PARTITION BY b.run_id, b.number, u.t ORDER BY b.first_record, u.o) AS nth
    FROM sample_block b
    CROSS JOIN LATERAL unnest(b.times, b.values, b.qualities) WITH ORDINALITY AS u(t, v, q, o)
"""


_SAMPLE = """
    CREATE VIEW sample AS
    SELECT b.run_id, r.name AS run, c.key AS channel, c.name, c.unit, to_timestamp(u.t / 1e6) AS time, u.t AS time_us,
           CASE WHEN u.q <= 1 THEN u.v END AS value, u.q AS quality{more}
    FROM sample_block b
    JOIN run r ON r.id = b.run_id
    JOIN run_channel c ON c.run_id = b.run_id AND c.number = b.number
    CROSS JOIN LATERAL unnest(b.times, b.values, b.qualities) AS u(t, v, q)
"""
_STATE = """,
           CASE WHEN u.q <= 1 AND u.v BETWEEN 0 AND 63 AND u.v = floor(u.v) THEN c.states ->> u.v::int END AS state
"""


def upgrade() -> None:
    op.add_column("run_channel", sa.Column("states", JSONB, nullable=False, server_default="[]"))
    op.add_column("run_channel", sa.Column("usual", JSONB, nullable=False, server_default="[]"))
    op.execute("DROP VIEW sample")
    op.execute(_SAMPLE.format(more=_STATE))
    op.add_column("run_channel", sa.Column("clock", sa.Boolean, nullable=False, server_default=sa.false()))
    op.add_column("run_channel", sa.Column("timed_by", sa.Integer, nullable=False, server_default="0"))
    op.execute(
        f"""
        CREATE VIEW sample_by_device_clock AS
        SELECT s.run_id, r.name AS run, c.key AS channel, c.name, c.unit,
               to_timestamp((s.t - round(k.v * 1e6)) / 1e6) AS device_time, s.t - round(k.v * 1e6)::bigint AS device_time_us,
               to_timestamp(s.t / 1e6) AS time, s.t AS time_us, CASE WHEN s.q <= 1 THEN s.v END AS value, s.q AS quality
        FROM run_channel c
        JOIN run r ON r.id = c.run_id
        JOIN ({_SAMPLES}) s ON s.run_id = c.run_id AND s.number = c.number
        JOIN ({_SAMPLES}) k ON k.run_id = c.run_id AND k.number = c.timed_by AND k.t = s.t AND k.nth = s.nth
        WHERE k.q <= 1
        """
    )


def downgrade() -> None:
    op.execute("DROP VIEW sample_by_device_clock")
    op.drop_column("run_channel", "timed_by")
    op.drop_column("run_channel", "clock")
    op.execute("DROP VIEW sample")
    op.execute(_SAMPLE.format(more=""))
    op.drop_column("run_channel", "states")
    op.drop_column("run_channel", "usual")
