"""What began a run, how much of it is from memory, and what was found before it began; where it is copied to."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.add_column("run", sa.Column("begun_by", sa.Text, nullable=False, server_default=""))
    op.add_column("run", sa.Column("glance", JSONB, nullable=False, server_default="[]"))
    op.add_column("run", sa.Column("copy_to", sa.Text, nullable=False, server_default=""))
    op.add_column("run", sa.Column("copied_at", sa.BigInteger, nullable=True))
    op.add_column("run", sa.Column("copy_trouble", sa.Text, nullable=False, server_default=""))
    op.add_column("run", sa.Column("lead_us", sa.BigInteger, nullable=False, server_default="0"))


def downgrade() -> None:
    op.drop_column("run", "lead_us")
    op.drop_column("run", "copy_trouble")
    op.drop_column("run", "copied_at")
    op.drop_column("run", "copy_to")
    op.drop_column("run", "glance")
    op.drop_column("run", "begun_by")
