"""The library."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Create its table."""
    op.create_table(
        "library_item",
        sa.Column("id", sa.String(40), primary_key=True),
        sa.Column("kind", sa.String(20), nullable=False, index=True),
        sa.Column("name", sa.String(100), nullable=False),
        sa.Column("document", sa.Text, nullable=False),
        sa.Column("picture", sa.Text, nullable=False),
        sa.Column("favourite", sa.Boolean, nullable=False),
        sa.Column("removed", sa.Boolean, nullable=False),
        sa.Column("created", sa.DateTime, nullable=False),
    )


def downgrade() -> None:
    """Remove it."""
    op.drop_table("library_item")
