"""Scenes that were removed, and the edit that made a revision."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the columns."""
    op.add_column("scene", sa.Column("removed", sa.Boolean, nullable=False, server_default=sa.false()))
    op.add_column("revision", sa.Column("edit", sa.String(60)))
    op.create_index("ix_revision_scene_edit", "revision", ["scene_id", "edit"], unique=True)


def downgrade() -> None:
    """Remove them."""
    op.drop_index("ix_revision_scene_edit", "revision")
    op.drop_column("revision", "edit")
    op.drop_column("scene", "removed")
