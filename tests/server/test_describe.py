"""The byte view's questions: bytes from afar, values, finds, guesses, layouts in the making, and saving them."""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from fuzz import examples
from pruxel.core.knowledge.profile_files import build_profile
from pruxel.sample.dredged import dredged_files
from tests.server.asking import ended, new_project

Wait = Callable[..., Any]
LAYOUT = """# what the dredger brought up
layout: dredged
title: Dredged things
match: {magic: DRDG}
constants: {place_type: snorm16x3}
records:
  file:
    - {name: magic, type: text, size: 4, equals: DRDG}
    - {name: version, type: u16}
    - {type: u16}
    - {name: vertex_count, type: u32}
    - {name: triangle_count, type: u32}
    - {name: vertices_at, type: u32}
    - {name: corners_at, type: u32}
    - {name: scale, type: f32}
    - {name: title, type: text, size: 24}
    - {name: vertices, type: bytes, at: vertices_at, size: vertex_count * 20}
    - {name: corners, type: u16, at: corners_at, count: triangle_count * 3}
yields:
  meshes:
    name: title
    vertices:
      data: vertices
      stride: "20"
      elements:
        position: {type: place_type, offset: "0", scale: scale}
        normal: {type: snorm8x3, offset: "8"}
        uv0: {type: f16x2, offset: "12"}
        color: {type: unorm8x4, offset: "16"}
    triangles: corners
"""


@pytest.fixture(scope="module")
def dredged(installation: dict[str, str]) -> Path:
    """A folder of files that no profile describes."""
    folder = Path(installation["mounts"]) / "found"
    for path, data in dredged_files().items():
        place = folder / path
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(data)
    return folder


@pytest.fixture
def project(client: TestClient, worker: object, dredged: Path, wait_for: Wait) -> Iterator[str]:
    made = new_project(client, "found")
    job = client.post(f"/api/projects/{made}/sources", json={"path": str(dredged)}).json()
    assert wait_for(ended(client, made, job["id"]))["status"] == "done"
    yield made
    client.delete(f"/api/projects/{made}")


def rows(client: TestClient, project: str) -> dict[str, dict[str, Any]]:
    found = client.get(f"/api/projects/{project}/entries").json()["entries"]
    return {one["path"].rsplit("/", 1)[-1]: one for one in found}


def test_bytes_from_afar_values_and_finds(client: TestClient, project: str, dredged: Path) -> None:
    whelk = rows(client, project)["whelk.drg"]
    data = (dredged / "dredged/whelk.drg").read_bytes()
    strip = client.get(f"/api/entries/{whelk['id']}/strip", params={"pieces": 64}).json()
    assert (strip["size"], strip["path"], strip["kind"]) == (len(data), "dredged/whelk.drg", "unknown")
    assert len(strip["entropy"]) == len(strip["zeros"]) == 64
    values = client.get(f"/api/entries/{whelk['id']}/values", params={"offset": 8}).json()
    count = struct.unpack_from("<I", data, 8)[0]
    assert next(v for v in values if v["type"] == "u32")["little"] == f"{count:,}"
    ask = f"/api/entries/{whelk['id']}/finds"
    assert client.get(ask, params={"kind": "u32", "what": str(count)}).json()["offsets"][0] == 8
    assert client.get(ask, params={"kind": "text", "what": "whelk"}).json() == {
        "offsets": [28],
        "size": 5,
        "more": False,
    }
    assert 24 in client.get(ask, params={"kind": "f32", "low": 0.3, "high": 0.6}).json()["offsets"]
    assert client.get(ask, params={"kind": "hex", "what": "4452"}).json()["offsets"][0] == 0
    refused = client.get(ask, params={"kind": "u8", "what": "many"})
    assert refused.status_code == 422
    assert "many" in refused.json()["detail"]


def test_files_are_compared(client: TestClient, project: str) -> None:
    found = rows(client, project)
    one, other = found["whelk.drg"], found["bell.drg"]
    ask = f"/api/entries/{one['id']}/compared"
    told = client.get(ask, params={"path": "dredged/bell.drg"}).json()
    assert (told["other"], told["size"]) == (other["id"], other["size"])
    assert told["ranges"][0]["first"] == 8
    assert client.get(ask, params={"path": "dredged/whelk.drg"}).json()["ranges"] == []
    assert client.get(ask, params={"path": "nothing"}).status_code == 404


def test_a_layout_in_the_making_is_read_and_told(client: TestClient, project: str) -> None:
    number = rows(client, project)["whelk.drg"]["id"]

    def told(text: str) -> dict[str, Any]:
        return dict(client.post(f"/api/entries/{number}/described", json={"text": text}).json())

    good = told(LAYOUT)
    assert good["faults"] == []
    assert good["problem"] is None
    assert good["claims"]
    assert good["scene"]
    assert good["constants"] == {"place_type": "snorm16x3"}
    assert good["yields"] == ["mesh 'whelk', 5,760 triangles, 1 material"]
    fields = {one["name"]: one for one in good["fields"]}
    assert (fields["scale"]["first"], fields["scale"]["end"]) == (24, 28)
    wrong = told(LAYOUT.replace("size: 24", "sise: 24").replace("terminated", "ended").replace("size: 4,", "syze: 4,"))
    assert {one["field"].split(",")[0] for one in wrong["faults"]} == {"line 8", "line 16"}
    assert wrong["scene"] is None
    short = told(LAYOUT.replace("vertex_count * 20", "vertex_count * 2000"))
    assert short["problem"]["field"]
    assert short["problem"]["around"]["hex"]
    assert [one["name"] for one in short["fields"]][:2] == ["magic", "version"]
    other = told(LAYOUT.replace("match: {magic: DRDG}", "match: {extensions: [.other]}"))
    assert not other["claims"]
    assert other["scene"] == good["scene"]
    assert told("layout: [")["faults"]
    assert told("")["faults"]


def test_words_and_examples(client: TestClient) -> None:
    words = client.get("/api/layouts/words").json()
    assert {"vertices", "f32x3", "smallest_three", "meshes"} <= {one["word"] for one in words} | {"f32x3"}
    assert all(one["kind"] for one in words)
    assert {"brine_clips", "brine_level"} <= {one["name"] for one in client.get("/api/layouts/examples").json()}


def test_guesses_come_by_a_job_and_stay(client: TestClient, project: str, wait_for: Wait) -> None:
    number = rows(client, project)["bell.drg"]["id"]
    key = client.post(f"/api/entries/{number}/guesses").json()

    def done() -> dict[str, Any] | None:
        found = client.get(f"/api/projects/{project}/guesses/{key}").json()
        return found if found["status"] not in {"queued", "running"} else None

    found = wait_for(done)
    assert found["status"] == "done", found
    first = found["found"][0]
    assert (first["kind"], first["confidence"] > 0.9) == ("mesh", True)
    assert "3,008 triangles on 1,584 vertices of 20 bytes" in first["title"]
    read = client.post(f"/api/entries/{number}/described", json={"text": first["layout"]}).json()
    assert read["scene"]
    assert client.post(f"/api/entries/{number}/guesses").json() == key
    assert client.get(f"/api/projects/{project}/guesses/nothing").json()["status"] == "unknown"


def test_a_saved_layout_makes_models_of_the_whole_folder(client: TestClient, project: str, wait_for: Wait) -> None:
    assert {one["kind"] for one in rows(client, project).values()} == {"unknown"}
    job = client.post(f"/api/projects/{project}/layouts", json={"text": LAYOUT}).json()
    assert wait_for(ended(client, project, job["id"]))["status"] == "done"
    found = rows(client, project)
    assert {one["kind"] for one in found.values()} == {"model"}
    assert "# what the dredger brought up" in client.get(f"/api/projects/{project}/profile").json()["text"]
    text = client.get(f"/api/entries/{found['bell.drg']['id']}/layout").json()
    assert text.startswith("layout: dredged")
    again = client.post(f"/api/entries/{found['bell.drg']['id']}/described", json={"text": text}).json()
    assert again["yields"] == ["mesh 'bell', 3,008 triangles, 1 material"]
    refused = client.post(f"/api/projects/{project}/layouts", json={"text": "layout: x"})
    assert refused.status_code == 422


def test_what_channels_mean_is_kept_in_the_profile(client: TestClient, project: str, wait_for: Wait) -> None:
    address = f"/api/projects/{project}/profile"
    before = "# as the dredger wrote it\nprofile: 1\nname: wet # things\n"
    client.put(address, json={"text": before})
    scheme = {"name": "wet maps", "match": ["**/*_w.dds"], "green": "gloss", "alpha": "light mask"}
    job = client.post(f"{address}/schemes", json=scheme)
    assert job.status_code == 200, job.text
    assert wait_for(ended(client, project, job.json()["id"]))["status"] == "done"
    told = client.get(address).json()
    assert told["problem"] is None
    assert told["text"].startswith(before.rstrip()), "all else stays"
    [kept] = build_profile(told["text"], "profile", None).profile.spec.schemes
    assert (kept.name, kept.match, kept.green, kept.red) == ("wet maps", ("**/*_w.dds",), "gloss", "nothing")
    again = client.post(f"{address}/schemes", json=scheme)
    assert again.status_code == 422
    assert "has a scheme 'wet maps'" in again.json()["detail"]
    assert client.post(f"{address}/schemes", json=scheme | {"red": "luck"}).status_code == 422
    assert client.post(f"{address}/schemes", json=scheme | {"match": []}).status_code == 422
    second = scheme | {"name": "drier", "match": ["a/*"]}
    client.post(f"{address}/schemes", json=second)
    spec = build_profile(client.get(address).json()["text"], "profile", None).profile.spec
    assert [one.name for one in spec.schemes] == ["drier", "wet maps"], "the newest counts first"
    bare = new_project(client, "no profile yet")
    assert client.post(f"/api/projects/{bare}/profile/schemes", json=scheme).json() is None
    assert client.get(f"/api/projects/{bare}/profile").json()["name"] == "no profile yet"


def test_tables_packs_and_files_beside_are_shown_in_the_making(
    client: TestClient, installation: dict[str, str], worker: object, wait_for: Wait
) -> None:
    """What a layout yields beside geometry: rows, a pack's entries; it may read other entries, and include layouts."""
    folder = Path(installation["mounts"]) / "listed"
    (folder / "props").mkdir(parents=True)
    for name in ("ledger", "crate", "hamlet", "quarry"):
        (folder / f"{name}.dat").write_bytes(examples.files()[name])
    (folder / "models.lst").write_bytes(examples.MODELS)
    for path in ("lamp", "house"):
        (folder / f"props/{path}.obj").write_text("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    project = new_project(client, "listed")
    job = client.post(f"/api/projects/{project}/sources", json={"path": str(folder)}).json()
    assert wait_for(ended(client, project, job["id"]))["status"] == "done"
    listed = client.get(f"/api/projects/{project}/entries?limit=50").json()["entries"]
    ids = {one["path"]: one["id"] for one in listed}

    def described(name: str, text: str = "") -> Any:
        asked = {"text": text or examples.layouts()[name]}
        return client.post(f"/api/entries/{ids[f'{name}.dat']}/described", json=asked).json()

    table = described("ledger")["table"]
    assert table == {"columns": ["code", "name", "size"], "total": 2,
                     "rows": [["0007", "rope", "1.0 2.0 0.5"], ["0021", "lantern, brass", "1.0 2.0 0.5"]]}  # fmt: skip
    pack = described("crate")["table"]
    assert pack["rows"] == [["hut.mesh", "2048", "3996", "3996"], ["lamp.picture", "6144", "48", "48"]]
    hamlet = described("hamlet")
    assert hamlet["yields"] == ["3 placements of 3 models"]
    assert hamlet["scene"]
    assert hamlet["table"] is None
    [fault] = described("quarry")["faults"]
    assert "there is no layout 'quarry_rows' to include" in fault["message"]
    saved = client.post(f"/api/projects/{project}/layouts", json={"text": examples.layouts()["quarry_rows"]}).json()
    assert wait_for(ended(client, project, saved["id"]))["status"] == "done"
    ids |= {one["path"]: one["id"] for one in client.get(f"/api/projects/{project}/entries?limit=50").json()["entries"]}
    quarry = described("quarry")
    assert quarry["faults"] == []
    assert quarry["claims"]
    assert quarry["yields"] == ["mesh 'quarry', 2 triangles, 1 material"]
