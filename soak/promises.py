"""What must hold afterwards, whatever happened: each broken promise is a line."""

from __future__ import annotations

import hashlib
import time
from collections.abc import Iterator
from pathlib import Path

import psycopg

from pruxel.server.jobs.queue import BEHIND
from soak.application import Application
from soak.people import Person

_ENDED = {"done", "failed", "cancelled", "paused"}
_STILL_SECONDS = 150.0
_WRITTEN_OFF_SECONDS = 200.0


def settle(people: list[Person]) -> Iterator[str]:
    """Wait until nothing is worked on any more; jobs of which none ends for long are broken promises."""
    deadline = time.monotonic() + _STILL_SECONDS
    waiting: list[str] = []
    while time.monotonic() < deadline:
        jobs = [job for one in people if one.project for job in one.ask("GET", f"/api/projects/{one.project}/jobs")]
        asked_for = [job for job in jobs if job["kind"] not in BEHIND]  # pictures are drawn for as long as it takes
        before = waiting
        waiting = [f"{job['kind']} {job['status']}" for job in asked_for if job["status"] not in _ENDED]
        if not waiting:
            return
        if waiting != before:
            deadline = time.monotonic() + _STILL_SECONDS
        time.sleep(1.0)
    yield f"jobs that do not end: {waiting[:5]}"


def broken(app: Application, people: list[Person]) -> Iterator[str]:
    """Everything that was acknowledged is there, and nothing half-done is."""
    for one in people:
        yield from _of(one)
    yield from _of_disks(app)
    yield from _of_the_database(app)


def _of(one: Person) -> Iterator[str]:
    told, who = one.told, one.name
    yield from (f"{who}: a mistake of ours: {words}" for words in told.mistakes)
    if not one.project:
        return
    steps = one.ask("GET", f"/api/workpieces/{one.workpiece}")["steps"]
    plain = [{"step": s["step"], "params": s["params"], "on": s["on"]} for s in steps]
    if plain not in [told.steps, *told.steps_maybe] and steps not in [told.steps, *told.steps_maybe]:
        yield f"{who}: the last acknowledged steps are lost: {plain} instead of {told.steps}"
    searches = {found["name"] for found in one.ask("GET", f"/api/projects/{one.project}/searches")}
    yield from (f"{who}: a saved search is lost: {name}" for name in told.searches - searches)
    for path, digest in told.files.items():
        if not Path(path).is_file() or hashlib.sha256(Path(path).read_bytes()).hexdigest() != digest:
            yield f"{who}: a sent file is not what was sent: {path}"
    deliveries = {found["id"]: found for found in one.ask("GET", f"/api/projects/{one.project}/deliveries")}
    for number in told.deliveries:
        found = deliveries.get(number)
        if found is None:
            yield f"{who}: a delivery is lost: {number}"
        elif found["report"] is not None and not Path(found["folder"]).is_dir():
            yield f"{who}: a finished delivery has no files: {number}"
        elif found["report"] is not None and found["report"]["outcome"] != "proven":
            yield f"{who}: a delivery is {found['report']['outcome']}: {number}"
    for number in told.jobs:
        job = one.ask("GET", f"/api/jobs/{number}")
        if job["status"] == "failed" and (job["fault"] or {}).get("code") not in {"no-space", "cancelled"}:
            yield f"{who}: {job['kind']} failed: {job['fault']}"


def _of_disks(app: Application) -> Iterator[str]:
    homes = [
        app.data / "deliveries",
        app.data / "extracts",
        app.data / "uploads",
        *([app.output] if app.output else []),
    ]
    for home in homes:
        yield from (f"half-written: {path}" for path in home.rglob("*.partial"))
    yield from (f"left unsent: {path}" for path in (app.data / "sending").glob("*"))
    for log in (app.data / "logs").glob("*.log"):
        text = log.read_text(errors="replace")
        if "mistake of ours" in text:
            yield f"{log.name} tells of a mistake of ours"


_COUNTS = """
    SELECT f.path, c.slot, c.files, (SELECT count(*) FROM entries e WHERE e.slot = c.slot AND e.folder = c.folder)
    FROM folder_counts c JOIN folders f ON f.id = c.folder
    WHERE c.files <> (SELECT count(*) FROM entries e WHERE e.slot = c.slot AND e.folder = c.folder)
"""
_LOST_ROWS = "SELECT count(*) FROM entries e WHERE NOT EXISTS (SELECT 1 FROM slots s WHERE s.id = e.slot)"
_TASKS = "SELECT count(*) FROM procrastinate_jobs WHERE status IN ('todo', 'doing') AND queue_name = 'front'"
_SOURCES = "SELECT label, state FROM sources WHERE state NOT IN ('ready', 'failed')"
_MARKS = "SELECT p.name, m.path, m.alias FROM marks m JOIN projects p ON p.id = m.project_id WHERE m.alias <> ''"


def _of_the_database(app: Application) -> Iterator[str]:
    url = database_of(app)
    with psycopg.connect(url, autocommit=True) as db:
        # What a killed worker was at is written off after it has been silent for a while.
        deadline = time.monotonic() + _WRITTEN_OFF_SECONDS
        while db.execute(_TASKS).fetchall() != [(0,)] and time.monotonic() < deadline:
            time.sleep(1.0)
        yield from (f"a folder's count is wrong: {row}" for row in db.execute(_COUNTS).fetchall()[:5])
        [(lost,)] = db.execute(_LOST_ROWS).fetchall()
        [(tasks,)] = db.execute(_TASKS).fetchall()
        if lost or tasks:
            yield f"{lost} rows of no slot, {tasks} tasks in the queue"
        yield from (f"a source is neither read nor refused: {row}" for row in db.execute(_SOURCES).fetchall())


def aliases_of(app: Application) -> dict[tuple[str, str], str]:
    """Every alias, by the project's name and the path."""
    with psycopg.connect(database_of(app)) as db:
        return {(name, path): alias for name, path, alias in db.execute(_MARKS).fetchall()}


def lost_aliases(app: Application, people: list[Person]) -> Iterator[str]:
    """Aliases that were acknowledged and are others now."""
    there = aliases_of(app)
    for one in people:
        for path, said in one.told.aliases.items():
            found = there.get((one.name, path), "")
            if found not in said:
                lately = [line for line in one.told.history if f" {path} " in line][-6:]
                yield f"{one.name}: an alias is lost: {path} should be one of {said} and is {found!r}: {lately}"


def database_of(app: Application) -> str:
    """The database's address, as the parts of the application have it."""
    for process in app.processes():
        if process.role in {"server", "worker"}:
            words = Path(f"/proc/{process.pid}/environ").read_bytes().split(b"\0")
            for word in words:
                if word.startswith(b"PRUXEL_DATABASE_URL="):
                    return word.partition(b"=")[2].decode()
    raise AssertionError("neither server nor worker runs")
