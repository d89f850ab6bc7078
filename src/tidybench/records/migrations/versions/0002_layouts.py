"""Layouts of the Bench, saved by name."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.create_table(
        "layout",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("bench_id", sa.Integer, sa.ForeignKey("bench.id", ondelete="CASCADE"), nullable=False),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("data", pg.JSONB, nullable=False),
        sa.UniqueConstraint("bench_id", "name"),
    )


def downgrade() -> None:
    op.drop_table("layout")
