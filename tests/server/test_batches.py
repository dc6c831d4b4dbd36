"""Batches against a real database and a real worker: dry, for real, stopped, gone on with, tried again, compared."""

from __future__ import annotations

import json
import uuid
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import delete, select

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault
from pruxel.core.deliver.package import write_files
from pruxel.server.jobs import batch as batch_job
from pruxel.server.jobs.queue import put_job
from pruxel.server.jobs.runner import run_job
from pruxel.server.store.batches import Batch, BatchItem, lose_item, put_back, take_item
from pruxel.server.store.database import session
from pruxel.server.store.jobs import ATTEMPTS
from pruxel.server.store.tables import Job
from tests.contracts.test_steps import flawed
from tests.glb import files_of_glb
from tests.scenes import animated, two_boxes
from tests.server.asking import ended, job_of, new_project, view
from tests.server.conftest import Worker

Wait = Callable[..., Any]
STEPS = [
    {"step": "show_parts", "params": {"action": "drop"}, "rule": {"parts": "sm*"}},
    {"step": "set_units", "params": {"factor": 0.5}},
    {"step": "flip_faces", "rule": {"parts": "*_none"}},
]
PATHS = ["crate_1.glb", "crate_2.glb", "crate_3.glb", "crate_4.glb", "bent.glb"]


@pytest.fixture(scope="module")
def crates(client: TestClient, worker: Worker, installation: dict[str, str], wait_for: Wait) -> str:
    """A project of four models and one that cannot be read."""
    folder = Path(installation["mounts"]) / "crates"
    folder.mkdir()
    for path in PATHS[:4]:
        write_files(folder, files_of_glb(two_boxes(), path.removesuffix(".glb")), Context())
    (folder / PATHS[4]).write_bytes(b"glTF" + bytes(40))
    project = new_project(client, "crates")
    job = client.post(f"/api/projects/{project}/sources", json={"path": str(folder)}).json()
    assert wait_for(ended(client, project, job["id"]))["status"] == "done"
    return project


def started(client: TestClient, project: str, **more: Any) -> str:
    asked = {"name": "tidy", "steps": STEPS, "entries": PATHS} | more
    answer = client.post(f"/api/projects/{project}/batches", json=asked)
    assert answer.status_code == 202, answer.text
    return str(answer.json()["id"])


def finished(client: TestClient, batch: str) -> Callable[[], dict[str, Any] | None]:
    def ask() -> dict[str, Any] | None:
        found: dict[str, Any] = client.get(f"/api/batches/{batch}").json()
        over = not found["working"] and all(item["state"] in {"done", "failed"} for item in found["items"])
        return found if over else None

    return ask


def test_a_dry_run_tells_and_changes_nothing(client: TestClient, crates: str, wait_for: Wait) -> None:
    found = wait_for(finished(client, started(client, crates)))
    assert found["counts"] == {"done": 4, "failed": 1}
    first, bent = found["items"][0], found["items"][-1]
    assert [(step["removed"], step["changed"]) for step in first["steps"]] == [
        (["small"], []),
        ([], ["large"]),
        ([], []),
    ]
    assert first["steps"][2]["summary"] == "nothing here is called '*_none'"
    assert client.get(f"/api/blobs/{first['picture']}").content.startswith(b"\x89PNG")
    assert (bent["state"], bent["steps"]) == ("failed", [])
    assert "bent.glb" in bent["fault"]
    assert client.get(f"/api/projects/{crates}/workpieces").json() == []
    assert client.get(f"/api/projects/{crates}/deliveries").json() == []


def test_for_real_it_keeps_steps_and_delivers_and_again_does_not_double_them(
    client: TestClient, crates: str, wait_for: Wait
) -> None:
    wanted = {"formats": ["glb"], "below": "crates"}
    batch = started(client, crates, dry=False, wanted=wanted, entries=PATHS[:2])
    found = wait_for(finished(client, batch))
    assert (found["delivers"], found["counts"]) == (True, {"done": 2})

    def proven() -> dict[str, Any] | None:
        whole: dict[str, Any] = client.get(f"/api/batches/{batch}").json()
        return whole if all(item["delivered"] == "proven" for item in whole["items"]) else None

    wait_for(proven)
    pieces = client.get(f"/api/projects/{crates}/workpieces").json()
    assert [[step["step"] for step in piece["steps"]] for piece in pieces] == [
        ["show_parts", "set_units", "flip_faces"]
    ] * 2

    again = client.post(f"/api/batches/{batch}/again", json={"dry": False}).json()
    assert (again["before"], again["delivers"]) == (batch, False)
    second = wait_for(finished(client, again["id"]))
    assert all(item["differences"] == [] or "delivery" in item["differences"][0] for item in second["items"])
    assert [item["triangles"] for item in second["items"]] == [item["triangles"] for item in found["items"]]
    pieces = client.get(f"/api/projects/{crates}/workpieces").json()
    assert all(len(piece["steps"]) == 3 for piece in pieces)
    # A person's own steps stay before those of the batch.
    own = {"step": "set_units", "params": {"factor": 10.0}}
    client.put(f"/api/workpieces/{pieces[0]['id']}/steps", json={"steps": [own, *pieces[0]["steps"]]})
    third = client.post(f"/api/batches/{again['id']}/again", json={"dry": True}).json()
    differing = [
        item["differences"] for item in wait_for(finished(client, third["id"]))["items"] if item["differences"]
    ]
    assert len(differing) == 1
    assert any(" m (before: " in line for line in differing[0])


def test_what_failed_is_tried_again_once_it_is_mended(
    client: TestClient, crates: str, wait_for: Wait, installation: dict[str, str]
) -> None:
    batch = started(client, crates, entries=[PATHS[4], PATHS[0]])
    assert wait_for(finished(client, batch))["counts"] == {"done": 1, "failed": 1}
    assert client.post(f"/api/batches/{batch}/retry").status_code == 200
    assert wait_for(finished(client, batch))["counts"] == {"done": 1, "failed": 1}
    file = Path(installation["mounts"]) / "crates" / PATHS[4]
    bad = file.read_bytes()
    try:
        file.write_bytes((file.parent / PATHS[0]).read_bytes())
        source = client.get(f"/api/projects/{crates}/sources").json()[0]["id"]
        job = client.post(f"/api/sources/{source}/read").json()
        assert wait_for(ended(client, crates, job["id"]))["status"] == "done"
        client.post(f"/api/batches/{batch}/retry")
        assert wait_for(finished(client, batch))["counts"] == {"done": 2}
    finally:
        file.write_bytes(bad)
    assert client.post(f"/api/batches/{batch}/retry").status_code == 422


def test_all_models_that_a_search_finds_are_run(client: TestClient, crates: str, wait_for: Wait) -> None:
    asked = {"search": "crate -crate_2", "sort": "size", "down": True}
    told = wait_for(finished(client, started(client, crates, entries=[], query=asked)))
    assert [item["entries"] for item in told["items"]] == [["crate_1.glb"], ["crate_3.glb"], ["crate_4.glb"]]
    assert {item["state"] for item in told["items"]} == {"done"}
    for nothing in ({"search": "nobody"}, {"search": "crate", "kind": "texture"}):
        batch = {"name": "tidy", "steps": STEPS, "query": nothing}
        refused = client.post(f"/api/projects/{crates}/batches", json=batch)
        assert refused.status_code == 422, refused.text
        assert "nothing to run it on" in refused.text


def test_it_is_stopped_and_goes_on(client: TestClient, crates: str, wait_for: Wait) -> None:
    batch = started(client, crates, name="slow")
    stopped = client.post(f"/api/batches/{batch}/stop").json()
    assert sum(stopped["counts"].values()) == len(PATHS)

    def still() -> dict[str, Any] | None:
        found: dict[str, Any] = client.get(f"/api/batches/{batch}").json()
        return None if found["working"] else found

    left = wait_for(still)["counts"]
    assert "running" not in left
    client.post(f"/api/batches/{batch}/go")
    assert wait_for(finished(client, batch))["counts"].keys() <= {"done", "failed"}
    client.patch(f"/api/batches/{batch}", json={"name": "quick"})
    assert client.get(f"/api/batches/{batch}").json()["name"] == "quick"
    assert client.delete(f"/api/batches/{batch}").status_code == 204
    assert client.get(f"/api/batches/{batch}").status_code == 404


def test_one_that_is_removed_while_it_works_ends_without_a_fault(
    client: TestClient, crates: str, worker: Worker, monkeypatch: pytest.MonkeyPatch
) -> None:
    for moment in ("_worked", "_finish"):
        with worker.held():
            batch = started(client, crates, name="unwanted", dry=True)
            with session() as db:
                job = db.execute(select(Job).where(Job.payload["batch"].as_string() == batch)).scalars().first()
            assert job is not None
            usual = getattr(batch_job, moment)

            def removed_first(*given: Any, batch: str = batch, usual: Callable[..., Any] = usual) -> Any:
                with session() as db:
                    db.execute(delete(Batch).where(Batch.id == uuid.UUID(batch)))
                return usual(*given)

            with monkeypatch.context() as patch:
                patch.setattr(batch_job, moment, removed_first)
                run_job(job.id)
        ended_so = job_of(client, crates, str(job.id))
        assert (ended_so["status"], ended_so["fault"]) == ("cancelled", None), moment
        assert "removed" in ended_so["message"]


@pytest.mark.parametrize(
    "wrong",
    [
        {"steps": []},
        {"entries": []},
        {"steps": [{"step": "no_such"}]},
        {"steps": [{"step": "set_units", "params": {"factor": -1}}]},
        {"steps": [{"step": "set_units", "params": {"factor": 2}, "rule": {"parts": "*"}}]},
        {"steps": [{"step": "flip_faces", "rule": {}}]},
        {"steps": [{"step": "flip_faces", "rule": {"finding": "no_such"}}]},
        {"wanted": {"formats": ["no_such"]}},
        {"wanted": {"formats": ["glb"], "plan": {"clips": "sideways"}}},
    ],
)
def test_what_no_item_could_follow_is_refused_at_once(client: TestClient, crates: str, wrong: dict[str, Any]) -> None:
    asked = {"name": "x", "steps": STEPS, "entries": PATHS} | wrong
    before = len(client.get(f"/api/projects/{crates}/batches").json())
    assert client.post(f"/api/projects/{crates}/batches", json=asked).status_code == 422
    assert len(client.get(f"/api/projects/{crates}/batches").json()) == before
    assert client.post(f"/api/projects/{uuid.uuid4()}/batches", json=asked | {"steps": STEPS}).status_code in {404, 422}


def test_an_item_whose_process_ends_is_tried_once_more_and_then_fails(client: TestClient, crates: str) -> None:
    with session() as db:
        batch = Batch(project_id=uuid.UUID(crates), name="hard", steps=[], dry=True)
        db.add(batch)
        db.flush()
        db.add_all(BatchItem(batch_id=batch.id, position=n, name=str(n), entries=[str(n)]) for n in range(3))
        job = put_job(db, uuid.UUID(crates), "batch", "hard", {"batch": str(uuid.uuid4())}).id
        db.flush()
        key = batch.id
    for _ in range(ATTEMPTS):
        with session() as db:
            taken = take_item(db, key, job)
            assert taken is not None
            assert taken.position == 0
    with session() as db:
        second = take_item(db, key, job)
        assert second is not None
        assert second.position == 1
        put_back(db, key, 1)
    with session() as db:
        assert take_item(db, key, job).position == 1  # type: ignore[union-attr]
        lose_item(db, job, Fault(ErrorCode.BUDGET, "it took too much"))
    with session() as db:
        rows = (
            db.execute(select(BatchItem).where(BatchItem.batch_id == key).order_by(BatchItem.position)).scalars().all()
        )
        assert [row.state for row in rows] == ["failed", "failed", "waiting"]
        assert "twice" in json.dumps(rows[0].told)
        assert "too much" in json.dumps(rows[1].told)
        db.delete(db.get_one(Job, job))


def test_recipes_keep_rules(client: TestClient, crates: str) -> None:
    made = client.post(f"/api/projects/{crates}/recipes", json={"name": "tidy", "steps": STEPS}).json()
    assert made["steps"][0]["rule"] == {"parts": "sm*", "materials": "", "finding": ""}
    wrong = [{"step": "flip_faces", "rule": {"finding": "no_such"}}]
    assert client.post(f"/api/projects/{crates}/recipes", json={"name": "x", "steps": wrong}).status_code == 422


def test_recipes_of_one_name_are_told_apart(client: TestClient, crates: str) -> None:
    url, long = f"/api/projects/{crates}/recipes", "x" * 200
    kept = [client.post(url, json={"name": name, "steps": STEPS}).json() for name in ("one", "one", "one", long, long)]
    assert [one["name"] for one in kept] == ["one", "one 2", "one 3", long, f"{long[:198]} 2"]
    named = [
        client.patch(f"/api/recipes/{kept[n]['id']}", json={"name": to}).json()["name"]
        for n, to in ((1, "one 2"), (1, "one"), (0, "one"), (2, "other"), (1, "one 3"))
    ]
    assert named == ["one 2", "one 2", "one", "other", "one 3"]
    for one in kept:
        client.delete(f"/api/recipes/{one['id']}")


def test_recipes_travel_as_files(client: TestClient, crates: str) -> None:
    made = client.post(f"/api/projects/{crates}/recipes", json={"name": "tidy: all/of it", "steps": STEPS}).json()
    file = client.get(f"/api/recipes/{made['id']}/file")
    assert 'filename="' in file.headers["content-disposition"]
    taken = client.post(f"/api/projects/{crates}/recipes/file", json={"name": "r.yaml", "text": file.text}).json()
    assert taken["name"] == f"{made['name']} 2"
    assert taken["steps"] == made["steps"]
    for text in ("recipe: 9", "steps: [", "recipe: 1\nsteps: [{step: nope}]", "recipe: 1\nsteps: []"):
        answer = client.post(f"/api/projects/{crates}/recipes/file", json={"name": "r.yaml", "text": text})
        assert answer.status_code in {400, 422}, text
        assert answer.json()["detail"]


def test_recipes_travel_in_the_profile_and_what_is_meant_so_is_put_aside(
    client: TestClient, crates: str, installation: dict[str, str], wait_for: Wait
) -> None:
    made = client.post(f"/api/projects/{crates}/recipes", json={"name": "for the profile", "steps": STEPS}).json()
    whole = client.get(f"/api/projects/{crates}/profile/file").text
    folder = Path(installation["mounts"]) / "flawed"
    folder.mkdir()
    write_files(folder, files_of_glb(flawed(), "flawed"), Context())
    (folder / "flawed.yaml").write_text(whole + "meant_so: [{finding: useless_faces, parts: ['lar*']}]\n")
    project = new_project(client, "flawed")
    job = client.post(f"/api/projects/{project}/sources", json={"path": str(folder)}).json()
    assert wait_for(ended(client, project, job["id"]))["status"] == "done"
    [taken] = [one for one in client.get(f"/api/projects/{project}/recipes").json() if one["name"] == made["name"]]
    assert taken["steps"] == made["steps"]
    piece = client.post(f"/api/projects/{project}/workpieces", json={"entries": ["flawed.glb"]}).json()

    def looked_at() -> Any:
        found = client.get(f"/api/workpieces/{piece['id']}/view").json()["content"]
        return found if found and found["findings"] is not None else None

    told = {one["rule"]: one["by_profile"] for one in wait_for(looked_at)["findings"]}
    assert told.pop("useless_faces")
    assert told
    assert not any(told.values())
    run = {"name": "look", "steps": [{"step": "set_units", "params": {"factor": 2}}], "entries": ["flawed.glb"]}
    batch = client.post(f"/api/projects/{project}/batches", json=run).json()
    [item] = wait_for(finished(client, batch["id"]))["items"]
    assert len(item["findings"]) == len(told)

    # A step that follows findings leaves what is meant so: by the profile, then by this workpiece alone, too.
    def came_to(**asked: Any) -> list[dict[str, Any]]:
        client.put(f"/api/workpieces/{piece['id']}/steps", json={"steps": follow})
        client.put(f"/api/workpieces/{piece['id']}/settled", json=asked)
        return list(wait_for(looked_at)["steps"])

    follow = [
        {"step": "remove_faces", "rule": {"finding": "useless_faces"}},
        {"step": "agree_faces", "rule": {"finding": "disagreeing_faces"}},
    ]
    useless, turned = came_to(settled=[])
    assert "nothing to mend" in useless["summary"]
    assert "nothing to mend" not in turned["summary"]
    client.put(f"/api/workpieces/{piece['id']}/steps", json={"steps": []})
    key = next(f["key"] for f in wait_for(looked_at)["findings"] if f["rule"] == "disagreeing_faces")
    assert ["nothing to mend" in step["summary"] for step in came_to(settled=[key])] == [True, True]
    assert ["nothing to mend" in step["summary"] for step in came_to(settled=[])] == [True, False]

    # Once more: what is there stays as it is, and what does not hold together is refused with its place.
    text = client.get(f"/api/projects/{project}/profile").json()["text"]
    assert client.put(f"/api/projects/{project}/profile", json={"text": text}).status_code == 200
    assert len(client.get(f"/api/projects/{project}/recipes").json()) == len({r["name"] for r in
        client.get(f"/api/projects/{project}/recipes").json()})  # fmt: skip
    wrong = "profile: 1\nname: p\nrecipes: [{name: x, steps: [{step: no_such}]}]\n"
    answer = client.put(f"/api/projects/{project}/profile", json={"text": wrong})
    assert answer.status_code in {400, 422}
    assert "no_such" in answer.text


def test_a_workpiece_is_duplicated_with_its_steps(client: TestClient, crates: str, wait_for: Wait) -> None:
    asked = {"entries": [PATHS[0]]}
    piece = client.post(f"/api/projects/{crates}/workpieces", json=asked).json()
    client.put(f"/api/workpieces/{piece['id']}/steps", json={"steps": STEPS[:2]})
    copies = [client.post(f"/api/workpieces/{piece['id']}/copy").json() for _ in range(2)]
    assert [one["name"] for one in copies] == [f"{piece['name']} 2", f"{piece['name']} 3"]
    assert all(len(one["steps"]) == 2 for one in copies)
    client.put(f"/api/workpieces/{copies[0]['id']}/steps", json={"steps": []})
    assert len(client.get(f"/api/workpieces/{piece['id']}").json()["steps"]) == 2
    # The entries lead to the first, as before.
    assert client.post(f"/api/projects/{crates}/workpieces", json=asked).json()["id"] == piece["id"]
    drawn = view(client, piece["id"], wait_for)
    wait_for(lambda: len(client.get(f"/api/workpieces/{piece['id']}/view").json()["content"]["pictures"]) == 3 or None)
    assert drawn["steps"][0]["ways"] == []
    listed = {one["id"]: one["picture"] for one in client.get(f"/api/projects/{crates}/workpieces").json()}
    assert listed[piece["id"]]
    assert {name["name"] for name in client.get("/api/rules").json()} >= {"inward_faces", "extra_parts"}


def test_what_is_meant_so_is_put_aside_and_not_counted(client: TestClient, crates: str, wait_for: Wait) -> None:
    piece = client.post(f"/api/projects/{crates}/workpieces", json={"entries": [PATHS[3]]}).json()["id"]
    client.put(f"/api/workpieces/{piece}/steps", json={"steps": []})
    findings = view(client, piece, wait_for)["findings"]
    assert findings
    assert len({finding["key"] for finding in findings}) == len(findings)
    keys = [finding["key"] for finding in findings]
    kept = client.put(f"/api/workpieces/{piece}/settled", json={"settled": [*keys, keys[0]]}).json()
    assert kept["settled"] == sorted(keys)
    flip = [{"step": "flip_faces", "rule": {"parts": "none of these"}}]
    found = wait_for(finished(client, started(client, crates, steps=flip, entries=[PATHS[2], PATHS[3]])))
    assert [bool(item["findings"]) for item in found["items"]] == [True, False]
    assert client.put(f"/api/workpieces/{piece}/settled", json={"settled": ["x" * 500]}).status_code == 422


def test_steps_are_tried_and_nothing_is_kept(client: TestClient, crates: str, wait_for: Wait) -> None:
    piece = client.post(f"/api/projects/{crates}/workpieces", json={"entries": [PATHS[1]]}).json()["id"]
    before = client.get(f"/api/workpieces/{piece}").json()["steps"]
    tried = {"steps": [{"step": "set_units", "params": {"factor": 0.125}}]}

    def ask() -> dict[str, Any] | None:
        return client.post(f"/api/workpieces/{piece}/preview", json=tried).json()["content"]  # type: ignore[no-any-return]

    content = wait_for(ask)
    assert (content["findings"], content["pictures"]) == (None, [])
    assert "0.125" in content["steps"][0]["summary"]
    assert client.get(f"/api/scenes/{content['scene']}").status_code == 200
    now = client.get(f"/api/workpieces/{piece}").json()
    assert (now["steps"], now["can_undo"]) == (before, now["can_undo"])
    wrong = {"steps": [{"step": "set_units", "params": {"factor": -1}}]}
    assert client.post(f"/api/workpieces/{piece}/preview", json=wrong).status_code == 422
    # What was tried is there at once when it is done, with what a preview leaves out.
    client.put(f"/api/workpieces/{piece}/steps", json=tried)
    assert view(client, piece, wait_for)["scene"] == content["scene"]
    earlier = wait_for(lambda: view(client, piece, wait_for)["steps"][0]["before_scene"])
    assert client.get(f"/api/scenes/{earlier}").status_code == 200


def test_what_a_job_that_is_over_had_in_hand_goes_on(client: TestClient, crates: str, wait_for: Wait) -> None:
    batch = started(client, crates, entries=PATHS[:3])
    wait_for(finished(client, batch))
    with session() as db:
        item = db.get_one(BatchItem, (uuid.UUID(batch), 1))
        item.state, item.job_id, item.told = "running", uuid.uuid4(), None
    assert client.get(f"/api/batches/{batch}").json()["counts"] == {"done": 2, "running": 1}
    client.post(f"/api/batches/{batch}/go")
    assert wait_for(finished(client, batch))["counts"] == {"done": 3}


SUITS = "crew/wide/wide.glb"


@pytest.fixture(scope="module")
def crew(client: TestClient, worker: Worker, installation: dict[str, str], wait_for: Wait) -> str:
    """A body with two heads beside it, and what the profile says of them."""
    folder = Path(installation["mounts"]) / "crew"
    for path, scene in (
        ("crew/wide/wide", animated()),
        ("crew/heads/one", animated()),
        ("crew/heads/two", two_boxes()),
    ):
        home = (folder / path).parent
        home.mkdir(parents=True, exist_ok=True)
        write_files(home, files_of_glb(scene, Path(path).name), Context())
    (folder / "crew.csv").write_text("code;name;build;head\n1;Ida;wide;two\n2;Tom;wide;\n")
    profile = """profile: 1
name: crew
tables:
  - {file: crew.csv, group: crew, id: code, name: name, model: "crew/{build}/{build}.glb", wears: {head: "crew/heads/{head}.glb"}}
slots:
  - {name: head, of: "crew/{build}/{build}.glb", takes: ["crew/heads/*.glb"]}
"""
    project = new_project(client, "crew")
    assert client.put(f"/api/projects/{project}/profile", json={"text": profile}).status_code == 200
    job = client.post(f"/api/projects/{project}/sources", json={"path": str(folder)}).json()
    assert wait_for(ended(client, project, job["id"]))["status"] == "done"
    return project


def test_who_is_made_of_parts_opens_put_together_each_as_a_workpiece_of_its_own(
    client: TestClient, crew: str, wait_for: Wait
) -> None:
    ida, tom = client.get(f"/api/projects/{crew}/catalogue").json()["cards"]
    assert (ida["bench"], ida["wears"], tom["wears"]) == ([SUITS], {"head": "crew/heads/two.glb"}, {})

    def opened(**more: Any) -> Any:
        return client.post(f"/api/projects/{crew}/workpieces", json={"entries": [SUITS], **more})

    bare, dressed = opened().json(), opened(wears=ida["wears"], name="Ida").json()
    assert (bare["name"], bare["steps"]) == ("wide", [])
    assert (dressed["name"], [step["step"] for step in dressed["steps"]]) == ("Ida", ["fill_slot"])
    assert not dressed["can_undo"], "it was opened so"
    assert opened().json()["id"] == bare["id"]
    assert opened(wears=ida["wears"]).json()["id"] == dressed["id"]
    shown = view(client, dressed["id"], wait_for)
    assert {part["name"] for part in shown["facts"]["parts"]} >= {"large", "small"}
    [slot] = client.get(f"/api/workpieces/{dressed['id']}/slots").json()
    assert [one["path"] for one in slot["variants"]] == ["crew/heads/one.glb", "crew/heads/two.glb"]
    assert (slot["name"], slot["params"]["entry"]) == ("head", "")
    for wears, word in (({"head": "gone.glb"}, "does not go into"), ({"hat": "crew/heads/one.glb"}, "hat")):
        refused = opened(wears=wears)
        assert refused.status_code == 422, refused.text
        assert word in refused.text


def test_a_recipe_runs_on_people_as_they_are_dressed(client: TestClient, crew: str, wait_for: Wait) -> None:
    things = [
        {"name": card["name"], "entries": card["bench"], "wears": card["wears"]}
        for card in client.get(f"/api/projects/{crew}/catalogue").json()["cards"]
    ]
    found = wait_for(finished(client, started(client, crew, entries=[], things=things)))
    assert [(item["name"], item["state"]) for item in found["items"]] == [("Ida", "done"), ("Tom", "done")]
    ida, tom = found["items"]
    assert (ida["wears"], tom["wears"]) == ({"head": "crew/heads/two.glb"}, {})
    assert ida["triangles"] > tom["triangles"]
    assert ida["steps"][0]["removed"] == ["small"]
    real = wait_for(finished(client, started(client, crew, entries=[], things=things, dry=False)))
    pieces = {one["id"]: one for one in client.get(f"/api/projects/{crew}/workpieces").json()}
    made = pieces[real["items"][0]["workpiece"]]
    assert [step["step"] for step in made["steps"]] == ["fill_slot", "show_parts", "set_units", "flip_faces"]
    nothing = client.post(f"/api/projects/{crew}/batches", json={"name": "x", "steps": STEPS, "entries": []})
    assert nothing.status_code == 422
