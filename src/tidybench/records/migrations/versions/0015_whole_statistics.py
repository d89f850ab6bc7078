"""What all samples of a run's channel come to, worked out once: a run of weeks opens without its blocks being summed up."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0015"
down_revision = "0014"


def upgrade() -> None:
    op.add_column("run_channel", sa.Column("whole", JSONB, nullable=True))


def downgrade() -> None:
    op.drop_column("run_channel", "whole")
