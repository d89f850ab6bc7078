"""Which runs are in the bin, and how much of the disk each takes."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"

COLUMNS = ("removed_at", "bytes", "tape_bytes")


def upgrade() -> None:
    for name in COLUMNS:
        op.add_column("run", sa.Column(name, sa.BigInteger, nullable=True))


def downgrade() -> None:
    for name in reversed(COLUMNS):
        op.drop_column("run", name)
