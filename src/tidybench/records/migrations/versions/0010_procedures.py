"""Procedures, kept by name."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    op.create_table(
        "procedure",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("bench_id", sa.Integer, sa.ForeignKey("bench.id", ondelete="CASCADE"), nullable=False),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("text", sa.Text, nullable=False),
        sa.Column("saved_at", sa.BigInteger, nullable=False),
        sa.UniqueConstraint("bench_id", "name"),
    )


def downgrade() -> None:
    op.drop_table("procedure")
