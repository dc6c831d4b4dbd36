"""Slots instead of a mark on every entry; keys, name lists, marks, references, saved searches."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0002"
down_revision = "0001"

TABLES = """
CREATE TABLE slots (
    id SERIAL NOT NULL,
    project_id UUID NOT NULL,
    source_id UUID NOT NULL,
    holders JSONB NOT NULL,
    PRIMARY KEY (id),
    FOREIGN KEY(project_id) REFERENCES projects (id) ON DELETE CASCADE,
    FOREIGN KEY(source_id) REFERENCES sources (id) ON DELETE CASCADE
);

CREATE INDEX ix_slots_project_id ON slots (project_id);

CREATE INDEX ix_slots_source_id ON slots (source_id);

CREATE TABLE folders (
    id BIGSERIAL NOT NULL,
    project_id UUID NOT NULL,
    parent BIGINT,
    path TEXT NOT NULL,
    PRIMARY KEY (id),
    UNIQUE (project_id, path),
    FOREIGN KEY(project_id) REFERENCES projects (id) ON DELETE CASCADE
);

CREATE INDEX folders_by_parent ON folders (project_id, parent, path);

CREATE TABLE folder_counts (
    slot INTEGER NOT NULL,
    folder BIGINT NOT NULL,
    files BIGINT NOT NULL,
    below BIGINT NOT NULL,
    size BIGINT NOT NULL,
    PRIMARY KEY (slot, folder),
    FOREIGN KEY(slot) REFERENCES slots (id) ON DELETE CASCADE,
    FOREIGN KEY(folder) REFERENCES folders (id) ON DELETE CASCADE
);

CREATE INDEX folder_counts_by_folder ON folder_counts (folder);

CREATE TABLE facet_counts (
    slot INTEGER NOT NULL,
    kind TEXT NOT NULL,
    variant TEXT NOT NULL,
    number BIGINT NOT NULL,
    size BIGINT NOT NULL,
    PRIMARY KEY (slot, kind, variant),
    FOREIGN KEY(slot) REFERENCES slots (id) ON DELETE CASCADE
);

CREATE TABLE entries (
    id BIGSERIAL NOT NULL,
    slot INTEGER NOT NULL,
    folder BIGINT NOT NULL,
    path TEXT NOT NULL,
    kind TEXT NOT NULL,
    size BIGINT NOT NULL,
    stored BIGINT NOT NULL,
    stamp BIGINT NOT NULL,
    variant TEXT DEFAULT '' NOT NULL,
    picture TEXT,
    PRIMARY KEY (id)
);

CREATE INDEX entries_by_folder ON entries (slot, folder);

CREATE INDEX entries_by_kind ON entries (slot, kind, path);

CREATE INDEX entries_by_path ON entries (slot, path);

CREATE INDEX entries_by_size ON entries (slot, size, path);

CREATE TABLE marks (
    project_id UUID NOT NULL,
    path TEXT NOT NULL,
    folder BOOLEAN NOT NULL,
    alias TEXT NOT NULL,
    note TEXT NOT NULL,
    star BOOLEAN NOT NULL,
    seen BOOLEAN NOT NULL,
    origin TEXT NOT NULL,
    stamp BIGINT,
    size BIGINT,
    PRIMARY KEY (project_id, path),
    FOREIGN KEY(project_id) REFERENCES projects (id) ON DELETE CASCADE
);

CREATE TABLE keys (
    project_id UUID NOT NULL,
    name TEXT NOT NULL,
    value BYTEA NOT NULL,
    PRIMARY KEY (project_id, name),
    FOREIGN KEY(project_id) REFERENCES projects (id) ON DELETE CASCADE
);

CREATE TABLE name_lists (
    id UUID NOT NULL,
    project_id UUID NOT NULL,
    label TEXT NOT NULL,
    blob TEXT NOT NULL,
    names BIGINT NOT NULL,
    dropped BIGINT NOT NULL,
    PRIMARY KEY (id),
    FOREIGN KEY(project_id) REFERENCES projects (id) ON DELETE CASCADE
);

CREATE INDEX ix_name_lists_project_id ON name_lists (project_id);

CREATE TABLE saved_searches (
    project_id UUID NOT NULL,
    name TEXT NOT NULL,
    query JSONB NOT NULL,
    PRIMARY KEY (project_id, name),
    FOREIGN KEY(project_id) REFERENCES projects (id) ON DELETE CASCADE
);

CREATE TABLE entry_references (
    id BIGSERIAL NOT NULL,
    project_id UUID NOT NULL,
    path TEXT NOT NULL,
    name TEXT NOT NULL,
    target TEXT,
    near JSONB NOT NULL,
    PRIMARY KEY (id),
    FOREIGN KEY(project_id) REFERENCES projects (id) ON DELETE CASCADE
);

CREATE INDEX references_by_path ON entry_references (project_id, path);

CREATE INDEX references_by_target ON entry_references (project_id, target);
"""


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
    for statement in TABLES.split(";\n"):
        if statement.strip():
            op.execute(statement)
    op.execute("CREATE INDEX entries_by_word ON entries USING gin (slot, path gin_trgm_ops)")
