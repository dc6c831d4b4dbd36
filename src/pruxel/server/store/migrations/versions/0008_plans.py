"""Deliveries say what goes into which files, and where; purposes are kept."""

from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Apply."""
    op.execute("ALTER TABLE deliveries ADD COLUMN plan jsonb NOT NULL DEFAULT '{}'")
    op.execute("ALTER TABLE deliveries ADD COLUMN below text NOT NULL DEFAULT ''")
    op.execute("CREATE TABLE purposes (name text PRIMARY KEY, purpose jsonb NOT NULL)")


def downgrade() -> None:
    """Take back."""
    op.execute("DROP TABLE purposes")
    op.execute("ALTER TABLE deliveries DROP COLUMN below")
    op.execute("ALTER TABLE deliveries DROP COLUMN plan")
