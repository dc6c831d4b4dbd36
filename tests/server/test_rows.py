"""What two jobs store at one moment: neither fails, and what knows more is what stays. Against a real database."""

from __future__ import annotations

import threading
import uuid
from typing import Any

from fastapi.testclient import TestClient

from pruxel.core.base.context import Context
from pruxel.server.jobs.view import preview
from pruxel.server.jobs.view import view as view_job
from pruxel.server.store.database import session
from pruxel.server.store.rows import add_row, put_row
from pruxel.server.store.tables import Glance, Job, View
from tests.conftest import CRAB
from tests.server.asking import new_project


def at_once(*works: Any) -> list[Exception]:
    """Run all, each in a thread that begins when the one before has stored and not yet committed; what they raise."""
    raised: list[Exception] = []
    stored = [threading.Event() for _ in works]
    waiting = threading.Event()

    def run(number: int) -> None:
        try:
            with session() as db:
                works[number](db)
                db.flush()
                stored[number].set()
                if number == 0:
                    waiting.wait(1)
        except Exception as error:  # noqa: BLE001 - what a test looks at
            raised.append(error)
            stored[number].set()

    threads = [threading.Thread(target=run, args=(number,)) for number in range(len(works))]
    threads[0].start()
    assert stored[0].wait(20)
    for one in threads[1:]:
        one.start()
    # The others wait for the first one's row; it commits while they do.
    threads[1].join(0.3)
    assert threads[1].is_alive()
    waiting.set()
    for one in threads:
        one.join(20)
    return raised


def content_of(key: str) -> Any:
    with session() as db:
        found = db.get(View, key)
        return None if found is None else found.content


def test_rows_of_one_key_stored_at_one_moment(client: TestClient) -> None:
    project = uuid.UUID(new_project(client, "at one moment"))

    def row(key: str, said: str) -> dict[str, Any]:
        return {"key": key, "project_id": project, "content": {"said": said}}

    put, added = uuid.uuid4().hex, uuid.uuid4().hex
    assert not at_once(
        lambda db: put_row(db, View, row(put, "first")), lambda db: put_row(db, View, row(put, "second"))
    )
    assert content_of(put) == {"said": "second"}
    assert not at_once(
        lambda db: put_row(db, View, row(added, "opened")), lambda db: add_row(db, View, row(added, "tried"))
    )
    assert content_of(added) == {"said": "opened"}
    # As it was done before: the second one to look sees no row, and its own is refused.
    refused = uuid.uuid4().hex
    assert at_once(lambda db: db.merge(Glance(**row(refused, "a"))), lambda db: db.merge(Glance(**row(refused, "b"))))


def test_a_step_that_is_tried_while_its_workpiece_opens_takes_nothing_back(project: str) -> None:
    """The page tries a step and adds it a moment later: two jobs of one key, in either order."""
    steps = [{"step": "weld_vertices", "params": {"distance": 0.002}}]
    for order in ((preview, view_job), (view_job, preview)):
        key = uuid.uuid4().hex
        for work in order:
            payload = {"key": key, "entries": [CRAB], "steps": steps}
            work(Job(id=uuid.uuid4(), project_id=uuid.UUID(project), kind="view", title="", payload=payload), Context())
        found = content_of(key)
        assert found["findings"] is not None
        assert len(found["pictures"]) == 2
