"""Entries are found by the last part of their path, whatever its letter case."""

from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Apply."""
    op.execute("CREATE INDEX entries_by_name ON entries (slot, split_part(lowered, '/', -1))")


def downgrade() -> None:
    """Take back."""
    op.execute("DROP INDEX entries_by_name")
