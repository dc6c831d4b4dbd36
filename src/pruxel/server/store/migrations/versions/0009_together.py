"""A delivery may hold several workpieces."""

from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Apply."""
    op.execute("ALTER TABLE deliveries ADD COLUMN also jsonb NOT NULL DEFAULT '[]'")


def downgrade() -> None:
    """Take back."""
    op.execute("ALTER TABLE deliveries DROP COLUMN also")
