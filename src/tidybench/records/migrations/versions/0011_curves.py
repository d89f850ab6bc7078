"""The curves of runs."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    op.create_table(
        "curve",
        sa.Column("run_id", sa.Uuid, sa.ForeignKey("run.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("begun_at", sa.BigInteger, nullable=False, index=True),
        sa.Column("about", JSONB, nullable=False),
    )
    op.create_table(
        "curve_column",
        sa.Column("run_id", sa.Uuid, primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("position", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("unit", sa.Text, nullable=False),
        sa.Column("values", sa.ARRAY(sa.Double), nullable=False),
        sa.ForeignKeyConstraint(["run_id", "number"], ["curve.run_id", "curve.number"], ondelete="CASCADE"),
    )


def downgrade() -> None:
    op.drop_table("curve_column")
    op.drop_table("curve")
