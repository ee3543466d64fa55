"""The first tables."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "effects",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("document", sa.Text, nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("demo", sa.String(40)),
        sa.Column("created", sa.DateTime, nullable=False),
        sa.Column("changed", sa.DateTime, nullable=False),
        sa.Column("poster", sa.LargeBinary),
        sa.Column("poster_bake", sa.String(64)),
    )
    op.create_table(
        "versions",
        sa.Column("effect_id", sa.String(32), sa.ForeignKey("effects.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("revision", sa.Integer, primary_key=True),
        sa.Column("document", sa.Text, nullable=False),
        sa.Column("name", sa.String(80)),
        sa.Column("saved", sa.DateTime, nullable=False),
    )
    op.create_table(
        "assets",
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("vertices", sa.LargeBinary, nullable=False),
        sa.Column("faces", sa.LargeBinary, nullable=False),
        sa.Column("triangles", sa.Integer, nullable=False),
        sa.Column("created", sa.DateTime, nullable=False),
    )
    op.create_table(
        "bakes",
        sa.Column("key", sa.String(64), primary_key=True),
        sa.Column("state", sa.String(12), nullable=False),
        sa.Column("last_frame", sa.Integer, nullable=False),
        sa.Column("computed", sa.Integer, nullable=False),
        sa.Column("seconds", sa.Float, nullable=False),
        sa.Column("message", sa.Text, nullable=False),
        sa.Column("findings", sa.Text, nullable=False),
        sa.Column("timing", sa.Text, nullable=False),
        sa.Column("size", sa.Integer, nullable=False),
        sa.Column("used", sa.DateTime, nullable=False),
    )
    op.create_table(
        "frames",
        sa.Column("bake_key", sa.String(64), sa.ForeignKey("bakes.key", ondelete="CASCADE"), primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("stats", sa.Text, nullable=False),
        sa.Column("events", sa.LargeBinary, nullable=False),
        sa.Column("state", sa.LargeBinary, nullable=False),
    )
    op.create_table(
        "trials",
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("effect_id", sa.String(32), sa.ForeignKey("effects.id", ondelete="CASCADE"), nullable=False),
        sa.Column("bake_key", sa.String(64), nullable=False),
        sa.Column("document", sa.Text, nullable=False),
        sa.Column("made", sa.DateTime, nullable=False),
    )
    op.create_index("trials_by_effect", "trials", ["effect_id", "made"])
    op.create_index("trials_by_bake", "trials", ["bake_key"])


def downgrade() -> None:
    for table in ("trials", "frames", "bakes", "assets", "versions", "effects"):
        op.drop_table(table)
