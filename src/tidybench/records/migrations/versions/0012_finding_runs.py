"""What runs are found by: one text of all that is said of them, with an index of its parts where the server has pg_trgm; and how often each was beyond a limit."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import text

revision = "0012"
down_revision = "0011"

FILL = """
    UPDATE run SET searched = concat_ws(' ', name, item, operator, order_number, notes,
        (SELECT string_agg(key || ' ' || value, ' ') FROM jsonb_each_text(fields)),
        (SELECT string_agg(DISTINCT run_channel.name, ' ') FROM run_channel WHERE run_channel.run_id = run.id),
        (SELECT string_agg(DISTINCT run_channel.instrument, ' ') FROM run_channel WHERE run_channel.run_id = run.id))
"""

SORTED = {
    "run_by_begun": "begun_at, id",
    "run_by_name": "lower(name), id",
    "run_by_item": "lower(item), id",
    "run_by_operator": "lower(operator), id",
    "run_by_length": "coalesce(ended_at - begun_at, 0), id",
    "run_by_samples": "followed, id",
}

EXTENSION = """
    DO $$ BEGIN
        CREATE EXTENSION IF NOT EXISTS pg_trgm;
    EXCEPTION WHEN OTHERS THEN
        NULL;  -- a server that has it not, or may not: finding takes longer
    END $$
"""


def upgrade() -> None:
    op.add_column("run", sa.Column("searched", sa.Text, nullable=False, server_default=""))
    op.add_column("run", sa.Column("alarms", sa.Integer, nullable=True))
    op.execute(FILL)
    for name, columns in SORTED.items():
        op.execute(f"CREATE INDEX {name} ON run ({columns})")
    op.execute(EXTENSION)
    if op.get_bind().scalar(text("SELECT 1 FROM pg_extension WHERE extname = 'pg_trgm'")):
        op.execute("CREATE INDEX run_searched ON run USING gin (searched gin_trgm_ops)")


def downgrade() -> None:
    for name in ("run_searched", *SORTED):
        op.execute(f"DROP INDEX IF EXISTS {name}")
    op.drop_column("run", "alarms")
    op.drop_column("run", "searched")
