"""What a run's plan says of it besides its name: order number, notes and the shop's own fields. Runs of before have none."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    for name in ("order_number", "notes"):
        op.add_column("run", sa.Column(name, sa.Text, nullable=False, server_default=""))
    op.add_column("run", sa.Column("fields", JSONB, nullable=False, server_default="{}"))


def downgrade() -> None:
    for name in ("order_number", "notes", "fields"):
        op.drop_column("run", name)
