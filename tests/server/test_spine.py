"""Revisions, recipes, names and removal, stored scenes, jobs that end, and the sweep; against a real database."""

from __future__ import annotations

import os
import threading
import time
import uuid
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import func, select, text

from pruxel.core.base.context import Context
from pruxel.core.scene.digest import digest
from pruxel.server.api.sources import as_typed
from pruxel.server.jobs import kinds  # noqa: F401 - registers all work
from pruxel.server.jobs.queue import put_job
from pruxel.server.jobs.runner import run_job
from pruxel.server.jobs.sweep import forget_old_scenes, reachable, sweep
from pruxel.server.settings import settings
from pruxel.server.store.blobs import _store, has_blob, put_blob
from pruxel.server.store.database import session
from pruxel.server.store.jobs import ask_to_stop, change_job, job_event, overtake, progress_job
from pruxel.server.store.scenes import get_scene, put_scene
from pruxel.server.store.tables import Base, Delivery, EntryRow, Job, Project, StoredScene
from tests.scenes import everything, two_boxes
from tests.server.asking import Wait, ended, job_of, kept_step, mount, new_project, view
from tests.server.conftest import Worker


def scaled(factor: float) -> dict[str, Any]:
    return kept_step("set_units", {"factor": factor})


@pytest.fixture(scope="module")
def shelf(client: TestClient, worker: Worker, installation: dict[str, str], wait_for: Wait) -> str:
    """A project of two small models and a few odd files."""
    from pruxel.core.deliver.package import write_files
    from tests.glb import files_of_glb

    folder = Path(installation["mounts"]) / "shelf"
    folder.mkdir()
    for name in ("one", "two"):
        write_files(folder, files_of_glb(two_boxes(), name), Context())
    (folder / "note.txt").write_text("kept dry")
    project = new_project(client, "shelf")
    # As people paste it.
    job = client.post(f"/api/projects/{project}/sources", json={"path": f' "{folder}" '}).json()
    assert wait_for(ended(client, project, job["id"]))["status"] == "done"
    return project


def opened(client: TestClient, project: str, entry: str) -> str:
    return str(client.post(f"/api/projects/{project}/workpieces", json={"entries": [entry]}).json()["id"])


@pytest.mark.parametrize(
    ("typed", "meant"),
    [
        ("/a/b", "/a/b"),
        ("  '/a/b c' ", "/a/b c"),
        ('"~/x"', "~/x"),
        ("file:///a/b%20c", "/a/b c"),
        ("relative/file://x", "relative/file://x"),
    ],
)
def test_paths_are_taken_as_people_paste_them(typed: str, meant: str) -> None:
    assert as_typed(typed) == meant


def test_every_change_is_a_revision_that_can_be_had_back(client: TestClient, shelf: str) -> None:
    piece = opened(client, shelf, "one.glb")
    for number in range(1, 6):
        client.put(f"/api/workpieces/{piece}/steps", json={"steps": [scaled(float(number))]})
    for number in (4, 3, 2, 1):
        found = client.post(f"/api/workpieces/{piece}/undo").json()
        assert found["steps"] == [scaled(float(number))]
    at_first = client.post(f"/api/workpieces/{piece}/undo").json()
    assert at_first["steps"] == []
    assert not at_first["can_undo"]
    assert client.post(f"/api/workpieces/{piece}/undo").json() == at_first
    client.post(f"/api/workpieces/{piece}/redo")
    changed = client.put(f"/api/workpieces/{piece}/steps", json={"steps": [scaled(9.0)]}).json()
    assert not changed["can_redo"], "what was undone is gone once something else is done"
    assert client.post(f"/api/workpieces/{piece}/undo").json()["steps"] == [scaled(1.0)]


def test_changes_at_the_same_moment_are_all_kept(client: TestClient, shelf: str) -> None:
    piece = opened(client, shelf, "two.glb")
    client.put(f"/api/workpieces/{piece}/steps", json={"steps": []})
    factors = [float(n) for n in range(2, 10)]

    def change(factor: float) -> None:
        client.put(f"/api/workpieces/{piece}/steps", json={"steps": [scaled(factor)]})

    threads = [threading.Thread(target=change, args=(factor,)) for factor in factors]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    seen = [client.get(f"/api/workpieces/{piece}").json()["steps"][0]["params"]["factor"]]
    while len(seen) < len(factors):
        seen.append(client.post(f"/api/workpieces/{piece}/undo").json()["steps"][0]["params"]["factor"])
    assert sorted(seen) == factors


def test_a_recipe_goes_onto_other_workpieces(client: TestClient, shelf: str) -> None:
    pieces = [opened(client, shelf, name) for name in ("one.glb", "two.glb")]
    before = [client.get(f"/api/workpieces/{piece}").json()["steps"] for piece in pieces]
    steps = [scaled(2.0), kept_step("flip_faces", {}, on=False)]
    made = client.post(f"/api/projects/{shelf}/recipes", json={"name": "tidy", "steps": steps}).json()
    refused = client.post(
        f"/api/projects/{shelf}/recipes", json={"name": "x", "steps": [{"step": "conjure", "params": {}}]}
    )
    assert refused.status_code == 422
    client.patch(f"/api/recipes/{made['id']}", json={"name": "tidy up"})
    assert [r["name"] for r in client.get(f"/api/projects/{shelf}/recipes").json()] == ["tidy up"]
    client.post(f"/api/recipes/{made['id']}/apply", json={"workpieces": pieces})
    for piece, was in zip(pieces, before, strict=True):
        assert client.get(f"/api/workpieces/{piece}").json()["steps"] == [*was, *steps]
        assert client.post(f"/api/workpieces/{piece}/undo").json()["steps"] == was
    client.delete(f"/api/recipes/{made['id']}")
    assert client.get(f"/api/projects/{shelf}/recipes").json() == []
    assert client.delete(f"/api/recipes/{made['id']}").status_code == 404


def test_only_what_opens_as_a_scene_goes_on_the_bench(client: TestClient, shelf: str) -> None:
    answer = client.post(f"/api/projects/{shelf}/workpieces", json={"entries": ["note.txt"]})
    assert answer.status_code == 422
    assert "does not open on the Bench" in answer.json()["detail"]
    assert answer.json()["hint"]


def test_what_was_opened_once_is_looked_up(client: TestClient, shelf: str, wait_for: Wait) -> None:
    piece = opened(client, shelf, "one.glb")
    address = f"/api/workpieces/{piece}/view"
    content = wait_for(lambda: (found := client.get(address).json())["job"] is None and found["content"])
    with session() as db:
        before = db.execute(select(func.count()).select_from(Job)).scalar_one()
    again = client.get(f"/api/workpieces/{piece}/view").json()
    with session() as db:
        assert db.execute(select(func.count()).select_from(Job)).scalar_one() == before
    assert again["job"] is None
    assert again["content"] == content
    manifest = client.get(f"/api/scenes/{content['scene']}").json()
    names = {ref["blob"] for ref in references_to_blobs(manifest)}
    assert names
    for name in names:
        answer = client.get(f"/api/blobs/{name}")
        assert answer.status_code == 200
        assert "immutable" in answer.headers["cache-control"]


def references_to_blobs(value: Any) -> list[dict[str, Any]]:
    if isinstance(value, dict):
        own = [value] if isinstance(value.get("blob"), str) else []
        return own + [ref for inside in value.values() for ref in references_to_blobs(inside)]
    return [ref for inside in value for ref in references_to_blobs(inside)] if isinstance(value, list) else []


def test_a_delivery_is_renamed_and_removed_with_its_files(client: TestClient, shelf: str, wait_for: Wait) -> None:
    piece = opened(client, shelf, "one.glb")
    made = client.post(f"/api/workpieces/{piece}/deliveries", json={"name": "box / 1", "formats": ["glb"]}).json()
    assert wait_for(ended(client, shelf, made["job"]))["status"] == "done"
    [stored] = [d for d in client.get(f"/api/projects/{shelf}/deliveries").json() if d["id"] == made["id"]]
    folder = Path(stored["folder"])
    assert folder.is_dir()
    assert "/" not in stored["file_name"]
    assert client.patch(f"/api/deliveries/{made['id']}", json={"name": "crate"}).json()["name"] == "crate"
    # Whatever stands in the row, nothing outside our own folder is ever deleted.
    outside = settings().data_folder / "keep"
    outside.mkdir(exist_ok=True)
    with session() as db:
        archive = db.get_one(Delivery, uuid.UUID(made["id"])).archive
        assert archive is not None
        db.get_one(Delivery, uuid.UUID(made["id"])).archive = str(outside)
    assert client.delete(f"/api/deliveries/{made['id']}").status_code == 204
    assert not folder.exists()
    assert outside.is_dir()
    assert all(d["id"] != made["id"] for d in client.get(f"/api/projects/{shelf}/deliveries").json())


def test_workpieces_and_projects_are_renamed_and_removed(
    client: TestClient, installation: dict[str, str], worker: Worker, wait_for: Wait
) -> None:
    folder = Path(installation["mounts"]) / "brief"
    folder.mkdir()
    (folder / "a.obj").write_text("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    project = new_project(client, "brief")
    job = client.post(f"/api/projects/{project}/sources", json={"path": str(folder)}).json()
    wait_for(ended(client, project, job["id"]))
    piece = opened(client, project, "a.obj")
    assert client.patch(f"/api/workpieces/{piece}", json={"name": "corner"}).json()["name"] == "corner"
    assert client.patch(f"/api/workpieces/{piece}", json={"name": ""}).status_code == 422
    view(client, piece, wait_for)
    client.delete(f"/api/workpieces/{piece}")
    assert client.get(f"/api/workpieces/{piece}").status_code == 404
    opened(client, project, "a.obj")
    assert client.patch(f"/api/projects/{project}", json={"name": "short"}).json()["name"] == "short"
    assert client.delete(f"/api/projects/{project}").status_code == 204
    assert all(p["id"] != project for p in client.get("/api/projects").json())
    with session() as db:
        left = [
            table.name
            for table in Base.metadata.sorted_tables
            if "project_id" in table.c
            and db.execute(select(func.count()).where(table.c.project_id == uuid.UUID(project))).scalar_one()
        ]
        assert left == []
    assert (folder / "a.obj").exists()


@pytest.fixture
def quiet(client: TestClient) -> str:
    """A project whose jobs nobody works on: tests say how they stand."""
    return new_project(client, "quiet")


def stored_job(project: str, **values: Any) -> str:
    with session() as db:
        job = Job(project_id=uuid.UUID(project), kind="carve", title="Searching", payload={"key": str(uuid.uuid4())})
        db.add(job)
        db.flush()
        change_job(db, job.id, **values)
        return str(job.id)


def test_failed_jobs_stay_until_they_are_put_away(client: TestClient, quiet: str) -> None:
    fault = {"code": "malformed", "message": "broken", "file": "x.bin"}
    failed = [stored_job(quiet, status="failed", fault=fault) for _ in range(3)]
    done = [stored_job(quiet, status="done") for _ in range(5)]

    def listed(limit: int = 2) -> dict[str, Any]:
        return {j["id"]: j for j in client.get(f"/api/projects/{quiet}/jobs", params={"limit": limit}).json()}

    assert set(failed) <= set(listed()), "however many ended since"
    assert len(set(done) & set(listed())) == 2
    assert listed()[failed[0]]["fault"] == fault
    client.post(f"/api/jobs/{failed[0]}/away")
    assert failed[0] not in listed()
    client.post(f"/api/projects/{quiet}/jobs/away")
    assert not set(failed) & set(listed())
    assert set(failed) <= set(listed(100)), "the history keeps them"
    refused = client.post(f"/api/jobs/{done[0]}/again")
    assert refused.status_code == 422
    assert "cannot be tried again" in refused.json()["detail"]


def test_the_same_work_is_put_once(quiet: str, worker: Worker) -> None:
    """However many ask at the same moment."""
    found: list[uuid.UUID] = []

    def ask() -> None:
        with session() as db:
            found.append(put_job(db, uuid.UUID(quiet), "index", "Indexing", {"key": "one"}).id)

    threads = [threading.Thread(target=ask) for _ in range(6)]
    with worker.held():
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    assert len(found) == 6
    assert len(set(found)) == 1


def test_what_is_about_something_that_went_ends_without_a_fault(client: TestClient, quiet: str, worker: Worker) -> None:
    with worker.held():
        with session() as db:
            gone = {"source": str(uuid.uuid4()), "key": "gone"}
            job = put_job(db, uuid.UUID(quiet), "verify", "Verifying what is not there", gone).id
        run_job(job)
    found = job_of(client, quiet, str(job))
    assert (found["status"], found["fault"]) == ("cancelled", None)
    assert found["message"] == "what it was about was removed"


def test_progress_does_not_wait_for_who_holds_the_job(quiet: str) -> None:
    """Who holds it may wait for what the job holds: nobody would ever go on."""
    job = stored_job(quiet, status="running")
    with session() as holding:
        holding.get_one(Job, job, with_for_update=True)
        with session() as db:
            progress_job(db, job, 0.5, "half")
    with session() as db:
        assert db.get_one(Job, job).message == ""
        progress_job(db, job, 0.75, "more")
    with session() as db:
        assert (db.get_one(Job, job).fraction, db.get_one(Job, job).message) == (0.75, "more")
        change_job(db, job, status="done")
        progress_job(db, uuid.uuid4(), 0.5, "of nobody")


def test_a_project_goes_while_its_sources_are_read(
    client: TestClient, worker: Worker, game: Path, capfd: pytest.CaptureFixture[str]
) -> None:
    for pause in (0.0, 0.1, 0.3, 0.6, 1.0, 1.5):
        project = new_project(client, f"short-lived {pause}")
        client.post(f"/api/projects/{project}/sources", json={"path": str(game)})
        time.sleep(pause)
        gone: list[int] = []
        asking = threading.Thread(target=lambda: gone.append(client.delete(f"/api/projects/{project}").status_code))  # noqa: B023
        asking.start()
        asking.join(200)
        assert gone == [204]
        assert client.get(f"/api/projects/{project}/jobs").json() == []
    with worker.held():
        assert "failed" not in capfd.readouterr().err


def test_a_project_goes_though_it_and_another_wait_for_each_other(
    client: TestClient, worker: Worker, installation: dict[str, str], wait_for: Wait
) -> None:
    project = new_project(client, "met")
    home = Path(installation["mounts"]) / "met"
    home.mkdir()
    for number in range(6):
        (home / f"{number}.txt").write_text("a")
    mount(client, project, home, wait_for)
    rows = sorted(one["id"] for one in client.get(f"/api/projects/{project}/entries").json()["entries"])
    gone: list[int] = []
    removing = threading.Thread(target=lambda: gone.append(client.delete(f"/api/projects/{project}").status_code))

    def removal_waits() -> int:
        waiting = "SELECT count(*) FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND query LIKE 'DELETE%'"
        with session() as db:
            return int(db.execute(text(waiting)).scalar_one())

    with worker.held(), session() as other:
        # It holds the last row, which the removal waits for, and then wants the first, which the removal holds.
        other.execute(select(EntryRow).where(EntryRow.id == rows[-1]).with_for_update())
        removing.start()
        wait_for(removal_waits)
        other.execute(select(EntryRow).where(EntryRow.id == rows[0]).with_for_update())
    removing.join(100)
    assert gone == [204]
    assert [p["id"] for p in client.get("/api/projects").json()].count(project) == 0


@pytest.mark.parametrize("how", ["stopped", "overtaken", "put away with its item"])
def test_what_waits_no_more_can_be_asked_for_again(quiet: str, worker: Worker, how: str) -> None:
    """Only one of a key waits in the queue: one that is over has left it."""
    with worker.held():
        payload = {"key": f"again {how}", "workpiece": "w"}
        with session() as db:
            first = put_job(db, uuid.UUID(quiet), "index", "Indexing", payload)
            task = first.task
        with session() as db:
            first = db.get_one(Job, first.id)
            if how == "stopped":
                ask_to_stop(db, first)
            elif how == "overtaken":
                overtake(
                    db, put_job(db, uuid.UUID(quiet), "index", "Indexing", payload | {"key": "newer"}), "workpiece"
                )
            else:
                change_job(db, first.id, status="failed")
        with session() as db:
            second = put_job(db, uuid.UUID(quiet), "index", "Indexing", payload)
            assert second.id != first.id
            assert second.task != task
            assert put_job(db, uuid.UUID(quiet), "index", "Indexing", payload).id == second.id


def test_a_job_that_is_not_stored_is_not_queued(client: TestClient, quiet: str) -> None:
    def fails_later() -> None:
        with session() as db:
            put_job(db, uuid.UUID(quiet), "index", "Indexing", {"key": "never"})
            raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        fails_later()
    assert client.get(f"/api/projects/{quiet}/jobs").json() == []


def test_news_of_a_job_fits_into_an_announcement(quiet: str) -> None:
    job = stored_job(quiet, status="done", payload={"hits": ["x" * 50] * 1000}, message="m" * 20_000)
    with session() as db:
        event = job_event(db.get_one(Job, uuid.UUID(job)))
    assert len(str(event).encode()) < 8_000


def test_scenes_come_back_from_the_store_and_share_what_is_equal(client: TestClient) -> None:
    scene = everything()
    name, size = put_scene(scene)
    assert digest(get_scene(name)) == digest(scene)
    assert size > 0
    again, _ = put_scene(scene)
    assert again == name


def test_the_sweep_takes_what_nothing_names_and_nothing_else(client: TestClient, shelf: str, wait_for: Wait) -> None:
    content = view(client, opened(client, shelf, "two.glb"), wait_for)
    orphan, young = "0" * 30 + "aa", "0" * 30 + "bb"
    for key in (orphan, young):
        put_blob(key, b"x" * 100)
    folder = Path(str(_store()[1]))
    long_ago = time.time() - 7200
    for path in folder.rglob("*"):
        if path.is_file() and young not in path.name:
            os.utime(path, (long_ago, long_ago))
    with session() as db:
        named = set(reachable(db))
    assert content["scene"] in named
    assert set(content["pictures"]) <= named
    sweep(Job(project_id=uuid.uuid4(), kind="sweep", title="", payload={}), Context())
    assert not has_blob(orphan)
    assert has_blob(young)
    again = client.get(f"/api/scenes/{content['scene']}")
    assert again.status_code == 200
    for ref in references_to_blobs(again.json()):
        assert has_blob(ref["blob"])


def test_scenes_used_longest_ago_go_first(client: TestClient, quiet: str) -> None:
    with session() as db:
        base = db.execute(select(func.coalesce(func.sum(StoredScene.size), 0))).scalar_one()
        for age, key in enumerate(("test-new", "test-mid", "test-old")):
            used = func.now() + func.make_interval(0, 0, 0, 1, -age)
            db.add(StoredScene(key=key, manifest="none", size=100, used=used))
        db.flush()
        forget_old_scenes(db, 250)
        left = set(db.execute(select(StoredScene.key).where(StoredScene.key.like("test-%"))).scalars())
        db.rollback()
    assert base >= 0
    assert left == {"test-new", "test-mid"}


def test_what_an_extraction_left_can_be_removed(client: TestClient, shelf: str, wait_for: Wait) -> None:
    made = client.post(
        f"/api/projects/{shelf}/extracts", json={"paths": ["note.txt"], "name": "some/where/../else"}
    ).json()
    assert wait_for(ended(client, shelf, made["id"]))["status"] == "done"
    folder = Path(client.get(f"/api/jobs/{made['id']}").json()["payload"]["folder"])
    assert (folder / "note.txt").read_text() == "kept dry"
    below = folder.relative_to(settings().extracts).parts
    assert below[0] == "some"
    assert ".." not in below
    assert client.delete(f"/api/jobs/{made['id']}/extracted").status_code == 204
    assert not folder.exists()
    elsewhere = settings().data_folder / "not-ours"
    elsewhere.mkdir(exist_ok=True)
    with session() as db:
        job = db.get_one(Job, uuid.UUID(made["id"]))
        change_job(db, job.id, payload=job.payload | {"folder": str(elsewhere)})
    client.delete(f"/api/jobs/{made['id']}/extracted")
    assert elsewhere.is_dir()


def test_any_entry_is_read_as_text(client: TestClient, shelf: str) -> None:
    entries = client.get(f"/api/projects/{shelf}/entries", params={"limit": 20}).json()["entries"]
    by_name = {e["path"]: e["id"] for e in entries}
    assert client.get(f"/api/entries/{by_name['note.txt']}/text").text == "kept dry"
    assert client.get(f"/api/entries/{by_name['one.glb']}/text").text.startswith("glTF")


def test_projects_of_nobody_are_not_found(client: TestClient) -> None:
    nobody = uuid.uuid4()
    assert client.patch(f"/api/projects/{nobody}", json={"name": "x"}).status_code == 404
    assert client.delete(f"/api/projects/{nobody}").status_code == 404
    assert client.get(f"/api/projects/{nobody}/glances/abc").status_code == 404
    with session() as db:
        assert db.get(Project, nobody) is None


def test_a_source_that_comes_back_takes_its_old_place(
    client: TestClient, worker: Worker, installation: dict[str, str], wait_for: Wait
) -> None:
    project = new_project(client, "places")
    homes = []
    for name in ("low", "middle", "high"):
        home = Path(installation["mounts"]) / f"place {name}"
        home.mkdir()
        (home / "a.txt").write_text(name)
        homes.append(home)

    def mount(home: Path) -> None:
        job = client.post(f"/api/projects/{project}/sources", json={"path": str(home)}).json()
        assert wait_for(ended(client, project, job["id"]))["status"] == "done"

    def labels() -> list[str]:
        return [s["label"] for s in client.get(f"/api/projects/{project}/sources").json()]

    for home in homes:
        mount(home)
    before = labels()
    [middle] = [s for s in client.get(f"/api/projects/{project}/sources").json() if s["label"] == "place middle"]
    client.delete(f"/api/sources/{middle['id']}")
    wait_for(lambda: labels() == [label for label in before if label != "place middle"])
    mount(homes[1])
    assert labels() == before


def test_what_is_unmounted_and_mounted_at_once_is_there(
    client: TestClient, worker: Worker, installation: dict[str, str], wait_for: Wait
) -> None:
    """Its rows may still be there when it comes back: nobody has had the time to remove them."""
    project = new_project(client, "there and back")
    home = Path(installation["mounts"]) / "there and back"
    home.mkdir()
    (home / "a.txt").write_text("a")
    mount(client, project, home, wait_for)
    [row] = client.get(f"/api/projects/{project}/sources").json()
    with worker.held():
        client.delete(f"/api/sources/{row['id']}")
        assert client.get(f"/api/projects/{project}/sources").json() == []
        job = client.post(f"/api/projects/{project}/sources", json={"path": str(home)}).json()
    assert wait_for(ended(client, project, job["id"]))["status"] == "done"
    wait_for(lambda: not [j for j in client.get(f"/api/projects/{project}/jobs").json() if j["status"] == "queued"])
    [back] = client.get(f"/api/projects/{project}/sources").json()
    assert (back["label"], back["state"], back["on"]) == (row["label"], "ready", True)
    assert [e["path"] for e in client.get(f"/api/projects/{project}/entries").json()["entries"]] == ["a.txt"]
