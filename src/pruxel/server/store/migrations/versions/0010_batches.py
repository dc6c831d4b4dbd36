"""Recipes run on many items; findings that are meant so."""

from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Apply."""
    op.execute(
        """
        CREATE TABLE batches (
            id uuid PRIMARY KEY,
            project_id uuid NOT NULL REFERENCES projects (id) ON DELETE CASCADE,
            name text NOT NULL,
            steps jsonb NOT NULL,
            dry boolean NOT NULL,
            wanted jsonb,
            before uuid REFERENCES batches (id) ON DELETE SET NULL,
            created timestamptz NOT NULL DEFAULT now()
        )
        """
    )
    op.execute("ALTER TABLE workpieces ADD COLUMN settled jsonb NOT NULL DEFAULT '[]'")
    op.execute("CREATE INDEX ix_batches_project_id ON batches (project_id)")
    op.execute(
        """
        CREATE TABLE batch_items (
            batch_id uuid NOT NULL REFERENCES batches (id) ON DELETE CASCADE,
            position integer NOT NULL,
            name text NOT NULL,
            entries jsonb NOT NULL,
            state text NOT NULL,
            job_id uuid,
            tries integer NOT NULL,
            told jsonb,
            workpiece_id uuid REFERENCES workpieces (id) ON DELETE SET NULL,
            delivery_id uuid REFERENCES deliveries (id) ON DELETE SET NULL,
            PRIMARY KEY (batch_id, position)
        )
        """
    )


def downgrade() -> None:
    """Take back."""
    op.execute("DROP TABLE batch_items")
    op.execute("DROP TABLE batches")
    op.execute("ALTER TABLE workpieces DROP COLUMN settled")
