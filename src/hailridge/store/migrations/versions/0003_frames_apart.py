"""Computed frames move to a file of their own; effects can be put away; settings."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # They are computed again when somebody looks.
    for table in ("trials", "frames", "bakes"):
        op.drop_table(table)
    op.add_column("effects", sa.Column("deleted", sa.DateTime))
    op.create_table("settings", sa.Column("name", sa.String(40), primary_key=True), sa.Column("value", sa.Text, nullable=False))


def downgrade() -> None:
    raise NotImplementedError("a library is not taken back to an older Hailridge")
