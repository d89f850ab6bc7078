"""The lowest and highest of each 512 neighbours of a block, in the row itself: what a picture of a day is made of."""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"


def upgrade() -> None:
    op.add_column("sample_block", sa.Column("wide_groups", sa.LargeBinary, nullable=True))
    # These two stay where they are when the arrays go out of the row: whoever sums up thousands of blocks looks at them.
    for name in ("wide_groups", "by_quality"):
        op.execute(f"ALTER TABLE sample_block ALTER COLUMN {name} SET STORAGE MAIN")


def downgrade() -> None:
    op.execute("ALTER TABLE sample_block ALTER COLUMN by_quality SET STORAGE EXTENDED")
    op.drop_column("sample_block", "wide_groups")
