"""The interface against a real database and a real worker, on good and on bad input."""

import io
import json
import threading
import uuid
import zipfile
from collections.abc import Callable
from contextlib import nullcontext
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from fastapi.testclient import TestClient
from PIL import Image as Pillow

from pruxel.core.base.context import Context
from pruxel.core.deliver.package import replace_folder
from pruxel.server.jobs import deliver
from pruxel.server.settings import settings
from pruxel.server.store.database import session
from pruxel.server.store.tables import Job
from tests.conftest import CRAB
from tests.server.asking import ended, kept_step, new_project, view
from tests.server.conftest import Worker

Wait = Callable[..., Any]
CORAL = "flora/f031/f031.brm"


def test_entries_are_searched_filtered_and_paged(client: TestClient, project: str) -> None:
    url = f"/api/projects/{project}/entries"
    everything = client.get(url, params={"limit": 500}).json()["entries"]
    assert facets(client, project)["total"] == len(everything) == sum(facets(client, project)["kinds"].values())
    assert facets(client, project, search="toll CRAB", kind="model")["total"] == 1
    assert facets(client, project, search="toll crab -body -gear -eyes -moves")["total"] == 1
    assert facets(client, project, search="cr*b_t?ll.brm")["total"] == 1
    assert facets(client, project, search="100%_")["total"] == 0
    inside = client.get(url, params={"folder": "props", "limit": 500}).json()["entries"]
    assert {e["path"].split("/")[0] for e in inside} == {"props"}
    for order in ({}, {"down": True}, {"sort": "size"}, {"sort": "size", "down": True}, {"sort": "kind"}):
        pages: list[dict[str, Any]] = []
        while len(pages) < len(everything):
            pages += client.get(url, params={"limit": 7, "offset": len(pages), **order}).json()["entries"]
        assert {e["id"] for e in pages} == {e["id"] for e in everything}
        keys = [e[str(order.get("sort", "path"))] for e in pages]
        assert keys == sorted(keys, reverse=bool(order.get("down")))
    going, after = [], ""
    while page := client.get(url, params={"limit": 7, "after": after}).json()["entries"]:
        going += page
        after = page[-1]["path"]
    assert [e["path"] for e in going] == [e["path"] for e in everything]
    folders = {f["path"]: f["entries"] for f in client.get(f"/api/projects/{project}/folders").json()}
    assert folders["props"] == len(inside)


def facets(client: TestClient, project: str, **query: Any) -> dict[str, Any]:
    return dict(client.get(f"/api/projects/{project}/facets", params=query).json())


def test_raw_bytes_are_the_entries(client: TestClient, project: str, stack: Any) -> None:
    entry = client.get(f"/api/projects/{project}/entries", params={"search": "readme", "kind": "text"}).json()[
        "entries"
    ][0]
    answer = client.get(f"/api/entries/{entry['id']}/raw")
    assert answer.content
    assert "attachment" in answer.headers["content-disposition"]


def test_the_line_from_entry_to_proven_zip(client: TestClient, project: str, crab: str, wait_for: Wait) -> None:
    content = view(client, crab, wait_for)
    [finding] = content["findings"]
    assert finding["rule"] == "inward_faces"
    manifest = client.get(f"/api/scenes/{content['scene']}").json()
    assert len(manifest["nodes"]) >= len(content["facts"]["parts"]) > 3
    use = {"step": finding["suggestion"]["step"], "params": finding["suggestion"]["params"], "on": True}
    assert client.put(f"/api/workpieces/{crab}/steps", json={"steps": [use]}).json()["can_undo"]
    mended = view(client, crab, wait_for)
    assert mended["findings"] == []
    assert mended["scene"] != content["scene"]
    assert mended["steps"][0]["summary"].startswith("6,000 faces")
    made = client.post(f"/api/workpieces/{crab}/deliveries", json={"name": "crab", "formats": ["glb", "obj"]}).json()
    assert wait_for(ended(client, project, made["job"]))["status"] == "done"
    [delivery] = [d for d in client.get(f"/api/projects/{project}/deliveries").json() if d["id"] == made["id"]]
    assert delivery["report"]["outcome"] == "proven"
    archive = zipfile.ZipFile(io.BytesIO(client.get(f"/api/deliveries/{made['id']}/zip").content))
    names = set(archive.namelist())
    assert {"glb/crab.glb", "obj/crab.obj", "obj/crab.mtl", "report.json"} <= names
    links = [
        line.split()[1]
        for line in archive.read("obj/crab.mtl").decode().splitlines()
        if line.startswith(("map_", "norm"))
    ]
    assert links
    assert all(f"obj/{link}" in names for link in links)
    loaded = trimesh.load(io.BytesIO(archive.read("glb/crab.glb")), file_type="glb")
    assert sum(len(g.faces) for g in loaded.geometry.values()) == 48_178


def test_options_of_formats_are_offered_kept_and_used(
    client: TestClient, project: str, crab: str, wait_for: Wait
) -> None:
    offered = {f["name"]: f for f in client.get("/api/formats").json()}
    assert {"glb", "gltf", "obj", "fbx", "stl", "ply", "3mf"} <= offered.keys()
    assert offered["fbx"]["options"]["properties"]["up"]["enum"] == ["y", "z"]
    losses = view(client, crab, wait_for)["losses"]
    assert losses["glb"] == []
    assert "textures" in losses["stl"]
    wanted = {"name": "crab", "formats": ["fbx", "stl"], "options": {"fbx": {"up": "z", "textures": "embedded"}}}
    made = client.post(f"/api/workpieces/{crab}/deliveries", json=wanted).json()
    assert wait_for(ended(client, project, made["job"]))["status"] == "done"
    [delivery] = [d for d in client.get(f"/api/projects/{project}/deliveries").json() if d["id"] == made["id"]]
    assert delivery["options"] == wanted["options"]
    assert delivery["report"]["outcome"] == "proven"
    checks = [c for f in delivery["report"]["formats"] for p in f["proofs"] for c in p["checks"]]
    assert [c["read"] for c in checks if c["what"] == "axis that points up"] == ["z"]
    names = zipfile.ZipFile(io.BytesIO(client.get(f"/api/deliveries/{made['id']}/zip").content)).namelist()
    assert {"fbx/crab.fbx", "stl/crab.stl"} <= set(names)
    assert not any(name.startswith("fbx/textures") for name in names)


def test_several_workpieces_in_one_delivery(client: TestClient, project: str, crab: str, wait_for: Wait) -> None:
    other = str(client.post(f"/api/projects/{project}/workpieces", json={"entries": [CORAL]}).json()["id"])
    client.patch(f"/api/workpieces/{other}", json={"name": "a light"})
    wanted = {"name": "pair", "formats": ["obj"], "also": [other, crab, other], "plan": {"files": "per workpiece"}}
    made = client.post(f"/api/workpieces/{crab}/deliveries", json=wanted).json()
    assert made["also"] == [{"id": other, "name": "a light"}]
    # What was asked for is written, whatever becomes of the workpiece meanwhile.
    client.delete(f"/api/workpieces/{other}")
    assert wait_for(ended(client, project, made["job"]))["status"] == "done"
    [delivery] = [d for d in client.get(f"/api/projects/{project}/deliveries").json() if d["id"] == made["id"]]
    assert delivery["report"]["outcome"] == "proven"
    # Of each file a picture of what it was to hold, and of what it holds: the same, and another than of all.
    seen = [client.get(f"/api/deliveries/{made['id']}/pictures/{k}").content for k in range(5)]
    pixels = [np.asarray(Pillow.open(io.BytesIO(one)).convert("L"), int) for one in seen]
    whole, first, second, first_before, second_before = pixels
    assert 3 * np.abs(second - second_before).mean() < np.abs(second - first_before).mean()
    assert 3 * np.abs(first - first_before).mean() < np.abs(first - second_before).mean()
    assert 3 * np.abs(second - second_before).mean() < np.abs(whole - second).mean()
    assert [f["main"] for f in delivery["report"]["formats"]][1] == "a_light.obj"
    elsewhere = new_project(client, "elsewhere")
    refused = client.post(f"/api/workpieces/{crab}/deliveries", json=wanted | {"also": [elsewhere]})
    assert (refused.status_code, refused.json()["code"]) == (404, "not-found")
    batch = {"entries": [CRAB, CORAL], "together": "both", "formats": ["stl"]}
    [one] = client.post(f"/api/projects/{project}/deliveries", json=batch).json()
    assert (one["name"], len(one["also"])) == ("both", 1)
    assert wait_for(ended(client, project, one["job"]))["status"] == "done"
    assert len(client.post(f"/api/projects/{project}/deliveries", json=batch | {"together": " "}).json()) == 2


def test_a_delivery_follows_its_plan_and_shows_what_it_wrote(
    client: TestClient, project: str, crab: str, wait_for: Wait
) -> None:
    wanted = {
        "name": "crab in pieces",
        "formats": ["glb"],
        "plan": {"files": "per material", "textures": "jpeg", "largest_side": 64},
        "below": "props/../crabs",
    }
    made = client.post(f"/api/workpieces/{crab}/deliveries", json=wanted).json()
    assert made["plan"] == wanted["plan"]
    assert made["below"] == "props/crabs"
    assert wait_for(ended(client, project, made["job"]))["status"] == "done"
    [delivery] = [d for d in client.get(f"/api/projects/{project}/deliveries").json() if d["id"] == made["id"]]
    assert delivery["report"]["outcome"] == "proven"
    home = settings().deliveries / "props/crabs"
    assert Path(delivery["folder"]).parent == home
    mains = [f["main"] for f in delivery["report"]["formats"]]
    assert len(mains) > 1
    assert delivery["size"] > delivery["archive_size"] > 0
    address = f"/api/deliveries/{made['id']}"
    for number in range(len(mains) + 1):
        with Pillow.open(io.BytesIO(client.get(f"{address}/pictures/{number}").content)) as shown:
            assert np.asarray(shown.convert("RGBA"))[..., 3].any()
    assert client.get(f"{address}/pictures/99").status_code == 404
    assert client.get(f"{address}/report").json()["outcome"] == "proven"
    freed = client.delete(f"{address}/files").json()
    assert (freed["size"], freed["archive_size"], freed["folder"]) == (0, 0, None)
    assert freed["report"]["outcome"] == "proven"
    assert not list(home.iterdir())
    for gone in ("zip", "report", "pictures/0"):
        assert client.get(f"{address}/{gone}").status_code == 404


def test_names_of_files_are_told_as_they_will_be(client: TestClient) -> None:
    words = {"name": "a crab", "piece": "claw", "clip": "walk"}
    asked = {"plan": {"files": "per part", "clips": "apart"}} | words
    assert client.post("/api/plans/names", json=asked).json() == {"example": "a_crab_claw_walk"}
    refused = client.post("/api/plans/names", json=asked | {"plan": {"names": "{nobody}"}})
    assert (refused.status_code, "stands for nothing" in refused.text) == (422, True)


def test_purposes_are_kept_changed_and_forgotten(client: TestClient) -> None:
    offered = client.get("/api/purposes").json()
    assert {"edit", "render", "engine", "paint", "print", "archive"} <= {one["name"] for one in offered["ours"]}
    assert "largest_side" in offered["plan"]["properties"]
    own = {"name": "my-engine", "title": "My engine", "formats": ["fbx"], "options": {"fbx": {"up": "z"}},
           "plan": {"textures": "tga"}}  # fmt: skip
    assert client.put("/api/purposes/my-engine", json=own).status_code == 200
    assert client.put("/api/purposes/my-engine", json=own | {"title": "Mine"}).status_code == 200
    [kept] = client.get("/api/purposes").json()["kept"]
    assert (kept["title"], kept["plan"]["textures"]) == ("Mine", "tga")
    for name, body in (
        ("edit", own | {"name": "edit"}),
        ("other", own),
        ("my-engine", own | {"plan": {"textures": "gold"}}),
        ("my-engine", own | {"options": {"fbx": {"up": "w"}}}),
        ("my-engine", own | {"formats": ["wav"]}),
    ):
        assert client.put(f"/api/purposes/{name}", json=body).status_code == 422
    assert client.delete("/api/purposes/my-engine").status_code == 204
    assert client.delete("/api/purposes/my-engine").status_code == 404
    assert client.get("/api/purposes").json()["kept"] == []


def test_undo_and_redo(client: TestClient, crab: str) -> None:
    use = kept_step("set_units", {"factor": 2.0})
    before = client.get(f"/api/workpieces/{crab}").json()["steps"]
    client.put(f"/api/workpieces/{crab}/steps", json={"steps": [*before, use]})
    assert client.post(f"/api/workpieces/{crab}/undo").json()["steps"] == before
    assert client.post(f"/api/workpieces/{crab}/redo").json()["steps"] == [*before, use]
    assert client.post(f"/api/workpieces/{crab}/undo").json()["can_redo"]


@pytest.mark.parametrize(
    ("method", "path", "body", "status", "word"),
    [
        ("POST", "/projects/{p}/sources", {"path": "/etc"}, 403, "permitted"),
        ("POST", "/projects/{p}/sources", {"path": "{mounts}/../../etc/passwd"}, 403, "permitted"),
        ("POST", "/projects/{p}/sources", {"path": "{mounts}/nothing"}, 404, "no such file"),
        ("GET", "/places?path=/root", None, 403, "permitted"),
        ("POST", "/projects/{p}/workpieces", {"entries": ["no/such.brm"]}, 404, "not in the sources"),
        ("PUT", "/workpieces/{w}/steps", {"steps": [{"step": "conjure", "params": {}}]}, 422, "flip_faces"),
        ("PUT", "/workpieces/{w}/steps", {"steps": [{"step": "set_units", "params": {"factor": -1}}]}, 422, "factor"),
        ("POST", "/workpieces/{w}/deliveries", {"name": "x", "formats": ["wav"]}, 422, "glb"),
        (
            "POST",
            "/workpieces/{w}/deliveries",
            {"name": "x", "formats": ["fbx"], "options": {"fbx": {"up": "x"}}},
            422,
            "up",
        ),
        (
            "POST",
            "/workpieces/{w}/deliveries",
            {"name": "x", "formats": ["stl"], "options": {"stl": {"deep": 1}}},
            422,
            "unit",
        ),
        (
            "POST",
            "/workpieces/{w}/deliveries",
            {"name": "x", "formats": ["stl"], "plan": {"files": "many"}},
            422,
            "per part",
        ),
        ("GET", "/blobs/..%2f..%2fetc%2fpasswd", None, 404, ""),
        ("GET", "/blobs/0123456789abcdef0123", None, 404, "no such blob"),
        ("GET", "/entries/999999999/raw", None, 404, "no such entry"),
        ("GET", "/workpieces/not-an-id/view", None, 422, "workpiece"),
    ],
)
def test_problems_say_what_and_what_to_try(
    client: TestClient,
    project: str,
    crab: str,
    installation: dict[str, str],
    method: str,
    path: str,
    body: Any,
    status: int,
    word: str,
) -> None:
    text = json.dumps(body).replace("{mounts}", installation["mounts"])
    answer = client.request(method, "/api" + path.format(p=project, w=crab), json=json.loads(text) if body else None)
    assert answer.status_code == status, answer.text
    assert word in answer.text
    assert "Traceback" not in answer.text


def test_access_needs_the_token_our_host_and_our_page(client: TestClient) -> None:
    from pruxel.server.main import create_app

    stranger = TestClient(create_app(), base_url="http://127.0.0.1")
    assert stranger.get("/api/projects").status_code == 401
    assert stranger.get("/", params={"key": "wrong"}).cookies == {}
    assert client.get("/api/projects", headers={"host": "evil.example"}).status_code == 421
    foreign = client.post("/api/projects", json={"name": "x"}, headers={"origin": "http://evil.example"})
    assert foreign.status_code == 403
    assert client.get("/api/projects").status_code == 200


def test_a_truncated_pack_is_a_problem_row_and_a_broken_model_a_clear_failure(
    client: TestClient, game: Path, installation: dict[str, str], worker: Worker, wait_for: Wait
) -> None:
    folder = Path(installation["mounts"]) / "broken"
    folder.mkdir()
    for name in ("brinepost.yaml",):
        (folder / name).write_bytes((game / name).read_bytes())
    (folder / "layouts").mkdir()
    for layout in (game / "layouts").iterdir():
        (folder / "layouts" / layout.name).write_bytes(layout.read_bytes())
    (folder / "cut.brp").write_bytes((game / "reef.brp").read_bytes()[:100_000])
    (folder / "stub.brm").write_bytes(b"BMDL\x03\x00")
    project = new_project(client, "broken")
    job = client.post(f"/api/projects/{project}/sources", json={"path": str(folder)}).json()
    assert wait_for(ended(client, project, job["id"]))["status"] == "done"
    sources = client.get(f"/api/projects/{project}/sources").json()
    [problem] = [p for s in sources for p in s["problems"]]
    assert "cut.brp at byte" in problem["line"]
    workpiece = client.post(f"/api/projects/{project}/workpieces", json={"entries": ["stub.brm"]}).json()["id"]
    job_id = client.get(f"/api/workpieces/{workpiece}/view").json()["job"]
    failed = wait_for(ended(client, project, job_id))
    assert failed["status"] == "failed"
    assert failed["fault"]["file"] == "stub.brm"
    assert failed["fault"]["offset"] == 6


def test_a_killed_worker_is_seen_and_nothing_half_written_stays(
    client: TestClient, project: str, crab: str, worker: Worker, wait_for: Wait
) -> None:
    made = client.post(f"/api/workpieces/{crab}/deliveries", json={"name": "doomed", "formats": ["gltf", "obj"]}).json()
    home = settings().deliveries
    wait_for(lambda: list(home.glob(".doomed-*.partial")) or None)
    worker.kill()
    assert list(home.glob(".doomed-*.partial"))
    worker.start()
    again = wait_for(ended(client, project, made["job"]))
    assert again["status"] == "done"
    assert not list(home.glob(".doomed-*"))
    [folder] = [p for p in home.glob("doomed-*") if p.is_dir()]
    assert json.loads((folder / "report.json").read_text())["outcome"] == "proven"


def test_a_delivery_of_what_is_removed_meanwhile_ends_and_leaves_nothing(
    client: TestClient, project: str, crab: str, worker: Worker, wait_for: Wait, monkeypatch: pytest.MonkeyPatch
) -> None:
    home = settings().deliveries
    for moment in ("before", "at work", "at the end"):
        piece = client.post(f"/api/workpieces/{crab}/copy").json()["id"]
        with nullcontext() if moment == "at work" else worker.held():
            made = client.post(f"/api/workpieces/{piece}/deliveries", json={"name": "gone", "formats": ["glb"]}).json()
            if moment == "at work":
                wait_for(lambda: list(home.glob(".gone-*.partial")) or None)
            if moment == "at the end":

                def removed_now(partial: Path, final: Path, piece: str = piece) -> None:
                    replace_folder(partial, final)
                    assert client.delete(f"/api/workpieces/{piece}").status_code == 204
                    assert list(home.glob("gone-*"))

                monkeypatch.setattr(deliver, "replace_folder", removed_now)
                with session() as db:
                    job = db.get_one(Job, uuid.UUID(made["job"]))
                deliver.deliver_job(job, Context())
            else:
                assert client.delete(f"/api/workpieces/{piece}").status_code == 204
        job = wait_for(ended(client, project, made["job"]))
        assert (job["status"], job["fault"]) in [("cancelled", None), ("done", None)], moment
        assert not [*home.glob("gone-*"), *home.glob(".gone-*")], moment


def test_a_job_can_be_cancelled(client: TestClient, project: str, crab: str, wait_for: Wait) -> None:
    made = client.post(
        f"/api/workpieces/{crab}/deliveries", json={"name": "unwanted", "formats": ["gltf", "obj", "glb"]}
    ).json()
    client.post(f"/api/jobs/{made['job']}/cancel")
    assert wait_for(ended(client, project, made["job"]))["status"] == "cancelled"
    assert not list(settings().deliveries.glob("*unwanted*"))


def test_what_nobody_asks_for_any_more_is_not_worked_on(
    client: TestClient, project: str, crab: str, worker: Worker, wait_for: Wait
) -> None:
    """A slider that is dragged asks for one view after the other: of those that wait, only the last is made."""
    before = client.get(f"/api/workpieces/{crab}").json()["steps"]
    with worker.held():
        asked = []
        for factor in (2, 3, 4):
            use = {"step": "set_units", "params": {"factor": factor / 7}, "on": True}
            client.put(f"/api/workpieces/{crab}/steps", json={"steps": [use]})
            asked.append(client.get(f"/api/workpieces/{crab}/view").json()["job"])
        fates = [client.get(f"/api/jobs/{job}").json()["status"] for job in asked]
        assert fates == ["cancelled", "cancelled", "queued"]
        assert {job["id"] for job in client.get(f"/api/projects/{project}/jobs").json()} & set(asked) >= {asked[2]}
    view(client, crab, wait_for)
    client.put(f"/api/workpieces/{crab}/steps", json={"steps": before})


def test_unmounting_takes_the_entries_along(client: TestClient, game: Path, worker: Worker, wait_for: Wait) -> None:
    made = new_project(client, "short-lived")
    job = client.post(f"/api/projects/{made}/sources", json={"path": str(game / "reef.brp")}).json()
    wait_for(ended(client, made, job["id"]))
    assert facets(client, made)["total"] > 0
    client.delete(f"/api/projects/{made}/sources", params={"mount": str((game / "reef.brp").resolve())})
    assert facets(client, made)["total"] == 0


def test_events_announce_work(client: TestClient, project: str) -> None:
    import psycopg

    heard: list[dict[str, Any]] = []

    def listen() -> None:
        with psycopg.connect(settings().database_url, autocommit=True) as connection:
            connection.execute("LISTEN pruxel")
            ready.set()
            heard.extend(json.loads(n.payload) for n in connection.notifies(timeout=120, stop_after=1))

    ready = threading.Event()
    thread = threading.Thread(target=listen)
    thread.start()
    ready.wait(10)
    new = client.post(f"/api/projects/{project}/workpieces", json={"entries": ["flora/f031/f031.brm"]}).json()
    client.get(f"/api/workpieces/{new['id']}/view")
    thread.join()
    assert heard
    assert heard[0].get("job", heard[0])
