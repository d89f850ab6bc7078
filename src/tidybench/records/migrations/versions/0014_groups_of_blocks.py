"""The lowest and highest of each few neighbours of a block, and when a block had its own. Summaries of ten seconds are not made any more; those there are stay, for the runs that have them.

Arrays stand outside the rows as soon as a row has more than 320 bytes: whoever goes through all blocks of a run reads their sums alone.
"""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"


def upgrade() -> None:
    op.add_column("sample_block", sa.Column("groups", sa.LargeBinary, nullable=True))
    for name in ("minimum_at", "maximum_at"):
        op.add_column("sample_block", sa.Column(name, sa.BigInteger, nullable=True))
    # Blocks of a stretch are told from the index alone.
    op.create_index(
        "sample_block_when",
        "sample_block",
        ["run_id", "number", "last_time", "first_time"],
        postgresql_include=["count"],
    )
    op.execute("ALTER TABLE sample_block SET (toast_tuple_target = 320)")


def downgrade() -> None:
    op.drop_index("sample_block_when", "sample_block")
    op.execute("ALTER TABLE sample_block RESET (toast_tuple_target)")
    for name in ("maximum_at", "minimum_at", "groups"):
        op.drop_column("sample_block", name)
