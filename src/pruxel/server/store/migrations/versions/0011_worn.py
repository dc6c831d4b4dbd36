"""Things made of parts: what stood in their slots as they were opened."""

from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Apply."""
    op.execute("ALTER TABLE workpieces ADD COLUMN wears jsonb NOT NULL DEFAULT '{}'")
    op.execute("ALTER TABLE batch_items ADD COLUMN wears jsonb NOT NULL DEFAULT '{}'")


def downgrade() -> None:
    """Take back."""
    op.execute("ALTER TABLE batch_items DROP COLUMN wears")
    op.execute("ALTER TABLE workpieces DROP COLUMN wears")
