"""The lowest and highest of each 512 neighbours of a block, in the row itself: what a picture of a day is made of."""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"


def upgrade() -> None:
    op.add_column("sample_block", sa.Column("wide_groups", sa.LargeBinary, nullable=True))
    op.execute("ALTER TABLE sample_block ALTER COLUMN wide_groups SET STORAGE MAIN")


def downgrade() -> None:
    op.drop_column("sample_block", "wide_groups")
