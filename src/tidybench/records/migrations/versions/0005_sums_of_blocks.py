"""Sums of blocks, from which statistics of any stretch come without reading every sample. Blocks of before have none: they
are read."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import ARRAY

revision = "0005"
down_revision = "0004"

COLUMNS = ("spread", "time_mean", "time_spread", "both")


def upgrade() -> None:
    for name in COLUMNS:
        op.add_column("sample_block", sa.Column(name, sa.Double, nullable=True))
    op.add_column("sample_block", sa.Column("by_quality", ARRAY(sa.Integer), nullable=True))


def downgrade() -> None:
    for name in (*COLUMNS, "by_quality"):
        op.drop_column("sample_block", name)
