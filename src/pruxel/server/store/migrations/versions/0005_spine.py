"""Revisions of workpieces, recipes, quick looks and scenes as rows of their own; jobs are found by their key."""

from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

_JSON_ROWS = """
    CREATE TABLE {name} (
        key TEXT NOT NULL PRIMARY KEY,
        project_id UUID NOT NULL REFERENCES projects (id) ON DELETE CASCADE,
        content JSONB NOT NULL,
        used TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL
    )
"""


def upgrade() -> None:
    """Apply."""
    op.execute(
        """
        CREATE TABLE workpiece_revisions (
            workpiece_id UUID NOT NULL REFERENCES workpieces (id) ON DELETE CASCADE,
            number INTEGER NOT NULL,
            steps JSONB NOT NULL,
            created TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL,
            PRIMARY KEY (workpiece_id, number)
        )
        """
    )
    op.execute("ALTER TABLE projects ADD COLUMN places JSONB DEFAULT '{}' NOT NULL")
    op.execute("ALTER TABLE workpieces ADD COLUMN at INTEGER DEFAULT 0 NOT NULL")
    # The lists of lists become rows: the past in order, what is there now, the future backwards.
    op.execute(
        """
        INSERT INTO workpiece_revisions (workpiece_id, number, steps)
        SELECT w.id, line.place - 1, line.steps FROM workpieces w, LATERAL (
            SELECT value AS steps, ordinality AS place FROM jsonb_array_elements(w.past) WITH ORDINALITY
            UNION ALL SELECT w.steps, jsonb_array_length(w.past) + 1
            UNION ALL SELECT value, jsonb_array_length(w.past) + jsonb_array_length(w.future) + 2 - ordinality
            FROM jsonb_array_elements(w.future) WITH ORDINALITY
        ) line
        """
    )
    op.execute("UPDATE workpieces SET at = jsonb_array_length(past)")
    op.execute("ALTER TABLE workpieces DROP COLUMN steps, DROP COLUMN past, DROP COLUMN future")
    op.execute(
        """
        CREATE TABLE recipes (
            id UUID NOT NULL PRIMARY KEY,
            project_id UUID NOT NULL REFERENCES projects (id) ON DELETE CASCADE,
            name TEXT NOT NULL,
            steps JSONB NOT NULL,
            created TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL
        )
        """
    )
    op.execute("CREATE INDEX ix_recipes_project_id ON recipes (project_id)")
    op.execute(
        """
        CREATE TABLE entry_faults (
            entry BIGINT NOT NULL PRIMARY KEY,
            project_id UUID NOT NULL REFERENCES projects (id) ON DELETE CASCADE,
            path TEXT NOT NULL,
            fault JSONB NOT NULL
        )
        """
    )
    op.execute("CREATE INDEX ix_entry_faults_project_id ON entry_faults (project_id)")
    op.execute("UPDATE entries SET picture = NULL WHERE picture = ''")
    # Views named whole files; they are made anew as manifests.
    op.execute("DELETE FROM views")
    op.execute("ALTER TABLE views ADD COLUMN used TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL")
    op.execute(_JSON_ROWS.format(name="glances"))
    op.execute("CREATE INDEX ix_glances_project_id ON glances (project_id)")
    op.execute(
        """
        CREATE TABLE stored_scenes (
            key TEXT NOT NULL PRIMARY KEY,
            manifest TEXT NOT NULL,
            size BIGINT NOT NULL,
            words JSONB DEFAULT '{}' NOT NULL,
            used TIMESTAMP WITH TIME ZONE DEFAULT now() NOT NULL
        )
        """
    )
    op.execute("CREATE INDEX ix_stored_scenes_used ON stored_scenes (used)")
    op.execute("DELETE FROM jobs WHERE kind IN ('glance', 'view')")
    op.execute(
        "ALTER TABLE jobs DROP COLUMN heartbeat, ADD COLUMN away BOOLEAN DEFAULT false NOT NULL, "
        "ADD COLUMN task BIGINT, ADD COLUMN ended TIMESTAMP WITH TIME ZONE"
    )
    op.execute("CREATE INDEX jobs_by_key ON jobs (project_id, kind, (payload->>'key'))")
    op.execute("ALTER TABLE deliveries ADD COLUMN options JSONB DEFAULT '{}' NOT NULL")
    # Reports of deliveries said 'passed'; what they found stays, under the newer word.
    op.execute(
        """
        UPDATE deliveries SET report = (report - 'passed') || jsonb_build_object(
            'outcome', CASE WHEN (report->>'passed')::boolean THEN 'proven' ELSE 'failed' END,
            'formats', (SELECT jsonb_agg(f || jsonb_build_object('proofs', (
                SELECT jsonb_agg((p - 'passed') || jsonb_build_object(
                    'outcome', CASE WHEN (p->>'passed')::boolean THEN 'proven' ELSE 'failed' END))
                FROM jsonb_array_elements(f->'proofs') p))) FROM jsonb_array_elements(report->'formats') f))
        WHERE report IS NOT NULL
        """
    )
