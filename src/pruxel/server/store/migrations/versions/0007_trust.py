"""Keys are sealed; files that did harm are remembered."""

import sqlalchemy as sa
from alembic import op

from pruxel.server.store.sealing import sealed, unsealed

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def _change_keys(change) -> None:  # type: ignore[no-untyped-def]  # noqa: ANN001
    connection = op.get_bind()
    for row in connection.execute(sa.text("SELECT project_id, name, value FROM keys")).all():
        connection.execute(
            sa.text("UPDATE keys SET value = :value WHERE project_id = :project AND name = :name"),
            {"value": change(bytes(row.value)), "project": row.project_id, "name": row.name},
        )


def upgrade() -> None:
    """Apply."""
    _change_keys(sealed)
    op.execute(
        """
        CREATE TABLE setbacks (
            project_id uuid NOT NULL REFERENCES projects (id) ON DELETE CASCADE,
            kind text NOT NULL,
            name text NOT NULL,
            stamp text NOT NULL,
            version text NOT NULL,
            times integer NOT NULL,
            fault jsonb NOT NULL,
            PRIMARY KEY (project_id, kind, name)
        )
        """
    )


def downgrade() -> None:
    """Take back."""
    op.execute("DROP TABLE setbacks")
    _change_keys(lambda value: unsealed(value) or b"")
