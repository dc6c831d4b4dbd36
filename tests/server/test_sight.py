"""What is in sight is drawn, also where a worker takes the drawing up at the very moment that more is wanted."""

from __future__ import annotations

import uuid
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select, text
from sqlalchemy.orm import Session

from pruxel.server.jobs import sight
from pruxel.server.store.database import session
from pruxel.server.store.jobs import change_job
from pruxel.server.store.tables import Job
from tests.server.asking import new_project


def queued(db: Session, project: uuid.UUID) -> list[Any]:
    found = db.execute(select(Job).where(Job.project_id == project, Job.kind == "sight", Job.status == "queued"))
    return [job.payload["entries"] for job in found.scalars()]


def test_what_comes_as_a_worker_takes_the_drawing_up_is_drawn_by_another(
    client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    project = uuid.UUID(new_project(client, "in sight"))
    put, times = sight.put_job, [0]

    def taken_up(db: Session, *args: Any) -> Job:
        job = put(db, *args)
        times[0] += 1
        if times[0] == 2:
            with session() as other:
                other.execute(
                    text("UPDATE procrastinate_jobs SET status = 'doing' WHERE id = :task"), {"task": job.task}
                )
                change_job(other, job.id, status="running")
        return job

    monkeypatch.setattr(sight, "put_job", taken_up)
    with session() as db:
        sight.draw_first(db, project, [-1, -2])
        # The workers of other tests leave it to this one.
        db.execute(text("UPDATE procrastinate_jobs SET scheduled_at = now() + interval '1 hour' WHERE id IN (SELECT task FROM jobs WHERE project_id = :project)"), {"project": project})  # fmt: skip
    with session() as db:
        sight.draw_first(db, project, [-3])
        assert queued(db, project) == [[-3]]
        sight.draw_first(db, project, [-4])
        assert queued(db, project) == [[-4, -3]]
        assert times == [3 + 1]
        for job in db.execute(select(Job.id).where(Job.project_id == project)).scalars():
            change_job(db, job, status="cancelled")
