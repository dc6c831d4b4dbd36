"""Samples of large slots; variant classes are listed by an index of their own; sizes and changes of aliases count."""

from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Apply."""
    op.execute(
        """
        CREATE TABLE entry_samples (
            slot INTEGER NOT NULL REFERENCES slots (id) ON DELETE CASCADE,
            path TEXT NOT NULL,
            folder BIGINT NOT NULL,
            kind TEXT NOT NULL,
            size BIGINT NOT NULL,
            variant TEXT NOT NULL,
            lowered TEXT GENERATED ALWAYS AS (lower(path)) STORED NOT NULL,
            PRIMARY KEY (slot, path)
        )
        """
    )
    op.execute("ALTER TABLE projects ADD COLUMN naming BIGINT DEFAULT 0 NOT NULL")
    op.execute("CREATE INDEX entries_by_variant ON entries (slot, variant, path) WHERE variant <> ''")
    op.execute("CREATE INDEX entries_not_drawable ON entries (slot) WHERE picture = ''")
    op.execute("CREATE INDEX folders_by_lower_path ON folders (project_id, lower(path))")
    op.execute("DROP TABLE facet_counts")
    op.execute(
        """
        CREATE TABLE facet_counts (
            slot INTEGER NOT NULL REFERENCES slots (id) ON DELETE CASCADE,
            kind TEXT NOT NULL,
            variant TEXT NOT NULL,
            digits INTEGER NOT NULL,
            number BIGINT NOT NULL,
            size BIGINT NOT NULL,
            PRIMARY KEY (slot, kind, variant, digits)
        )
        """
    )
    op.execute(
        "INSERT INTO facet_counts (slot, kind, variant, digits, number, size) "
        "SELECT slot, kind, variant, length(size::text), count(*), sum(size) FROM entries GROUP BY 1, 2, 3, 4"
    )
    # Slots that are there already are sampled when they are counted again; until then they are walked as before.
