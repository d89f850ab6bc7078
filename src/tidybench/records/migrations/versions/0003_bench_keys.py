"""Benches are known by an id of their own, not by what the computer is called."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.add_column("bench", sa.Column("key", sa.Text, nullable=True))
    op.create_unique_constraint("bench_key_key", "bench", ["key"])


def downgrade() -> None:
    op.drop_constraint("bench_key_key", "bench")
    op.drop_column("bench", "key")
