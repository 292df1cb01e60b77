"""Large columns in files beside the data file."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Note which columns lie in files."""
    op.add_column("column_data", sa.Column("filed", sa.Boolean, nullable=False, server_default=sa.false()))


def downgrade() -> None:
    """Forget it; their bytes stay in their files."""
    op.drop_column("column_data", "filed")
