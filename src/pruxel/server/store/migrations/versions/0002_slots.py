"""Slots instead of a mark on every entry; keys, name lists, marks, references, saved searches."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

from pruxel.server.store import tables

revision = "0002"
down_revision = "0001"

NEW = ("slots", "folders", "folder_counts", "facet_counts", "entries", "marks", "keys", "name_lists", "saved_searches",
       "entry_references")  # fmt: skip


def upgrade() -> None:
    """Apply. Entries are read again from their sources, which stay mounted and wait."""
    op.execute("CREATE EXTENSION IF NOT EXISTS pg_trgm")
    op.execute("CREATE EXTENSION IF NOT EXISTS btree_gin")
    op.drop_table("entries")
    op.add_column("projects", sa.Column("profile", sa.Text(), server_default="", nullable=False))
    op.add_column("projects", sa.Column("profile_home", sa.Text(), nullable=True))
    op.add_column("projects", sa.Column("language", sa.Text(), nullable=True))
    op.add_column("projects", sa.Column("revision", sa.BigInteger(), server_default="0", nullable=False))
    for column in (
        sa.Column("address", sa.Text(), server_default="", nullable=False),
        sa.Column("on", sa.Boolean(), server_default="true", nullable=False),
        sa.Column("layer", sa.Text(), server_default="", nullable=False),
        sa.Column("language", sa.Text(), nullable=True),
        sa.Column("state", sa.Text(), server_default="waiting", nullable=False),
        sa.Column("stamp", sa.Text(), server_default="", nullable=False),
        sa.Column("options", postgresql.JSONB(), server_default="{}", nullable=False),
        sa.Column("named", sa.BigInteger(), server_default="0", nullable=False),
        sa.Column("hashed", sa.BigInteger(), server_default="0", nullable=False),
    ):
        op.add_column("sources", column)
    bind = op.get_bind()
    tables.Base.metadata.create_all(bind, [tables.Base.metadata.tables[name] for name in NEW])
    op.execute("CREATE INDEX entries_by_word ON entries USING gin (slot, path gin_trgm_ops)")
