"""A million entries: indexing against a bare COPY, searching against a hundredth of it, names against a sort."""

from __future__ import annotations

import os
import statistics
import tempfile
import time
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import psycopg
from fastapi.testclient import TestClient
from sqlalchemy import text

from bench.timing import best, line
from pruxel.core.base.context import Context
from pruxel.core.native.hashes import hash_texts, positions_of
from pruxel.core.sources.name_lists import names_of
from pruxel.sample.containers import bulk_bytes
from pruxel.server.jobs import queue
from pruxel.server.postgres import running_cluster
from pruxel.server.settings import settings
from pruxel.server.store import blobs, database, jobs, search
from pruxel.server.store.migrate import migrate_database
from pruxel.server.store.tables import Job, Project

MANY, FEW = 1_000_000, 10_000
LAYOUT = Path(__file__).resolve().parent.parent / "src/pruxel/sample/data/layouts/pack.yaml"
COLUMNS = "slot, folder, path, kind, size, stored, stamp, variant"


@contextmanager
def installation(folder: Path) -> Iterator[str]:
    """A cluster of its own, migrated, with jobs that are stored but run by us."""
    data = folder / "data"
    data.mkdir()
    with running_cluster(data, 55100) as cluster:
        os.environ |= {
            "PRUXEL_DATA_FOLDER": str(data),
            "PRUXEL_DATABASE_URL": cluster.url,
            "PRUXEL_ROOTS": f'["{folder}"]',
        }
        for cached in (settings, database.engine, blobs._store):
            cached.cache_clear()
        migrate_database()
        queue.sync_queue()
        yield cluster.url
        queue.sync_queue().close()
        database.engine().dispose()


def game(folder: Path, count: int) -> Path:
    """A folder with one pack of so many entries, its layout and a profile."""
    home = folder / f"game{count}"
    home.mkdir()
    (home / "pack.yaml").write_text(LAYOUT.read_text())
    (home / "profile.yaml").write_text("profile: 1\nname: Bulk\nlayouts: [pack.yaml]\nleave_out: ['*.yaml']\n")
    (home / "bulk.brp").write_bytes(bulk_bytes(count))
    return home


def mount(home: Path) -> tuple[uuid.UUID, float]:
    """A project with the folder mounted; seconds from asking to searchable."""
    from pruxel.server.jobs.scan import scan

    with database.session() as db:
        project = Project(name=home.name)
        db.add(project)
        db.flush()
        job = Job(project_id=project.id, kind="scan", title="", payload={"mount": str(home), "key": ""})
        db.add(job)
        db.flush()
    start = time.perf_counter()
    scan(job, Context())
    return project.id, time.perf_counter() - start


def bare_copy(url: str, folder: Path) -> float:
    """Seconds for COPY of the same rows into a table with the same indexes."""
    path = folder / "rows"
    with psycopg.connect(url, autocommit=True) as connection:
        with path.open("wb") as file, connection.cursor().copy(f"COPY entries ({COLUMNS}) TO STDOUT") as out:
            for piece in out:
                file.write(piece)
        connection.execute("CREATE TABLE twin (LIKE entries INCLUDING ALL)")
        start = time.perf_counter()
        with path.open("rb") as file, connection.cursor().copy(f"COPY twin ({COLUMNS}) FROM STDIN") as into:
            while piece := file.read(1 << 16):
                into.write(piece)
        took = time.perf_counter() - start
        connection.execute("DROP TABLE twin")
    return took


WORDS = [
    "lamp",
    "reef_k",
    "crab diver",
    "anchor -bell",
    "g0001",
    "kelp_coral_00",
    "toll_0000",
    "mail rope",
    "dds",
    "0123",
]
QUESTIONS: dict[str, list[tuple[str, dict[str, Any]]]] = {
    "search as you type": [("entries", {"search": w[:n]}) for w in WORDS for n in (1, 2, 3, len(w))],
    "wildcard, kind, by size": [
        ("entries", {"search": f"*{w.split()[0]}*", "kind": k, "sort": "size", "down": True})
        for w in WORDS
        for k in ("texture", "model", "text")
    ],
    "facet counts": [("facets", {"search": w}) for w in WORDS for _ in range(2)] + [("facets", {})] * 10,
    "one folder's children": [("folders", {"path": p}) for p in ("", "bulk", "bulk/reef", "bulk/kelp")] * 6
    + [("entries", {"folder": "bulk/reef/g00001", "direct": True})] * 6,
    "the list's middle": [("entries", {"offset": o, "kind": "texture"}) for o in (100, 1000, 3000)] * 6,
}


def p95(ask: Callable[[str, dict[str, Any]], Any], questions: list[tuple[str, dict[str, Any]]]) -> float:
    """The 95th percentile of seconds over all questions, each asked three times and its best taken."""
    times = []
    for route, values in questions:
        best_of = []
        for _ in range(3):
            start = time.perf_counter()
            ask(route, values)
            best_of.append(time.perf_counter() - start)
        times.append(min(best_of))
    return statistics.quantiles(times, n=20)[18]


def spoken(client: TestClient, project: uuid.UUID) -> Callable[[str, dict[str, Any]], Any]:
    def ask(route: str, values: dict[str, Any]) -> None:
        answer = client.get(f"/api/projects/{project}/{route}", params=values)
        assert answer.status_code == 200, answer.text

    return ask


def bare(url: str, project: uuid.UUID) -> tuple[Callable[[str, dict[str, Any]], Any], Any]:
    """The same statements through psycopg alone, recorded from the route once."""
    connection = psycopg.connect(url, autocommit=True)
    known: dict[str, list[tuple[Any, Any]]] = {}

    def ask(route: str, values: dict[str, Any]) -> None:
        key = f"{route}{values}"
        if key not in known:
            known[key] = recorded(project, route, values)
        for statement, bound in known[key]:
            connection.execute(statement, bound, prepare=False).fetchall()

    return ask, connection


def recorded(project: uuid.UUID, route: str, values: dict[str, Any]) -> list[tuple[Any, Any]]:
    from sqlalchemy import event

    from pruxel.server.api.entries import count_entries, list_entries, list_folders

    seen: list[tuple[Any, Any]] = []

    def note(_c: Any, _u: Any, statement: str, bound: Any, _x: Any, _m: Any) -> None:
        if "FROM entries" in statement or "folder_counts" in statement or "facet_counts" in statement:
            seen.append((statement, bound))

    event.listen(database.engine(), "before_cursor_execute", note)
    try:
        query = search.Query(
            **{("words" if k == "search" else k): v for k, v in values.items() if k not in {"offset", "path"}}
        )
        if route == "entries":
            list_entries(project, query, values.get("offset", 0), 120, None)
        elif route == "facets":
            count_entries(project, query)
        else:
            list_folders(project, values["path"], 0, 500)
    finally:
        event.remove(database.engine(), "before_cursor_execute", note)
    return seen


def run() -> None:
    """All benches of scale."""
    with tempfile.TemporaryDirectory(dir="/var/tmp") as scratch, installation(Path(scratch)) as url:
        folder = Path(scratch)
        many, took = mount(game(folder, MANY))
        line("1,000,000 entries, mount to searchable : COPY of the rows", took, bare_copy(url, folder), 3)
        again = time.perf_counter()
        from pruxel.server.jobs.scan import scan

        with database.session() as db:
            scan(db.query(Job).filter(Job.kind == "scan").first(), Context())
        line("reading it again unchanged : reading it first", time.perf_counter() - again, took, 0.1)
        start = time.perf_counter()
        with database.session() as db:
            db.execute(text("SET LOCAL maintenance_work_mem = '512MB'"))
            db.execute(
                text("CREATE INDEX IF NOT EXISTS entries_by_word ON entries USING gin (slot, path gin_trgm_ops)")
            )
            db.execute(text("ANALYZE"))
        print(f"word index built beside it in {time.perf_counter() - start:.1f} s")
        few, _ = mount(game(folder, FEW))
        with database.session() as db:
            db.execute(text("ANALYZE"))
        from pruxel.server.main import create_app

        with TestClient(create_app(), base_url="http://127.0.0.1") as client:
            client.get("/", params={"key": settings().access_token()})
            plain, connection = bare(url, many)
            for name, questions in QUESTIONS.items():
                at_many, at_few = p95(spoken(client, many), questions), p95(spoken(client, few), questions)
                line(f"{name}, p95 : the same at 10,000", at_many, at_few, 3)
                line(f"{name}, p95 : bare SQL", at_many, p95(plain, questions), 1.5)
            switched = switch(client, many)
            line(
                "switching the layer off, then its list : the list",
                switched,
                p95(spoken(client, few), [("entries", {})] * 5),
                3,
            )
            connection.close()
        with database.session() as db:
            jobs.tell(db, {})
    names()


def switch(client: TestClient, project: uuid.UUID) -> float:
    """Seconds until the list is there after the only large layer was switched off."""
    source = client.get(f"/api/projects/{project}/sources").json()
    large = max(source, key=lambda s: s["entries"])
    start = time.perf_counter()
    client.patch(f"/api/sources/{large['id']}", json={"on": False})
    answer = client.get(f"/api/projects/{project}/entries").json()
    took = time.perf_counter() - start
    assert not answer["entries"]
    client.patch(f"/api/sources/{large['id']}", json={"on": True})
    return took


def names() -> None:
    """Matching names with hashes."""
    texts = [b"actors/group_%d/thing_%07d_c.dds" % (i % 997, i) for i in range(MANY)]
    listed = names_of(texts)
    hashes = hash_texts("fnv1a_64", listed.block, listed.starts)
    wanted = np.random.default_rng(3).permutation(hashes)
    assert (hashes[positions_of(wanted, hashes)] == wanted).all()
    match = best(lambda: positions_of(wanted, hashes), 5)
    line(
        "1,000,000 names against 1,000,000 hashes : sorting both",
        match,
        best(lambda: (np.sort(wanted), np.sort(hashes)), 5),
        3,
    )
    whole = best(lambda: positions_of(wanted, hash_texts("fnv1a_64", listed.block, listed.starts)), 5)
    print(f"with hashing the names: {whole * 1000:.0f} ms")


if __name__ == "__main__":
    run()
