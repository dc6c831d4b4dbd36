"""The migrations lead to the tables that the code describes."""

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext

from pruxel.server.store import harm  # noqa: F401 - its tables belong to the metadata
from pruxel.server.store.database import engine
from pruxel.server.store.tables import Base


def test_the_database_is_what_the_tables_say(installation: dict[str, str]) -> None:
    known = set(Base.metadata.tables)
    with engine().connect() as connection:
        # The task queue's own tables, and the word index, are no tables of ours.
        context = MigrationContext.configure(
            connection,
            opts={"include_name": lambda name, kind, _parents: kind != "table" or name in known},
        )
        found = [d for d in compare_metadata(context, Base.metadata) if "entries_by_word" not in str(d)]
    assert found == []
