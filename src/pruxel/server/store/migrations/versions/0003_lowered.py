"""Words are searched in lower case and together with the kind; a kind is listed by size."""

from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Apply."""
    op.execute("DROP INDEX IF EXISTS entries_by_word")
    op.execute("ALTER TABLE entries ADD COLUMN lowered TEXT GENERATED ALWAYS AS (lower(path)) STORED NOT NULL")
    op.execute("CREATE INDEX entries_by_word ON entries USING gin (slot, kind, lowered gin_trgm_ops)")
    op.create_index("entries_by_kind_and_size", "entries", ["slot", "kind", "size", "path"])
