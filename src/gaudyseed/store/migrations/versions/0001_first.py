"""Scenes, revisions and columns."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Create the first tables."""
    op.create_table(
        "scene",
        sa.Column("id", sa.String(40), primary_key=True),
        sa.Column("head", sa.Integer, sa.ForeignKey("revision.id", use_alter=True, name="fk_scene_head")),
        sa.Column("created", sa.DateTime, nullable=False),
    )
    op.create_table(
        "revision",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("scene_id", sa.String(40), sa.ForeignKey("scene.id"), nullable=False),
        sa.Column("parent", sa.Integer, sa.ForeignKey("revision.id")),
        sa.Column("label", sa.String(200), nullable=False),
        sa.Column("document", sa.Text, nullable=False),
        sa.Column("created", sa.DateTime, nullable=False),
    )
    op.create_index("ix_revision_scene_parent", "revision", ["scene_id", "parent"])
    op.create_table(
        "column_data",
        sa.Column("digest", sa.String(32), primary_key=True),
        sa.Column("data", sa.LargeBinary, nullable=False),
        sa.Column("created", sa.DateTime, nullable=False),
    )


def downgrade() -> None:
    """Remove them."""
    for name in ("column_data", "revision", "scene"):
        op.drop_table(name)
