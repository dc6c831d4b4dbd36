"""What was made of a project goes into one file and comes back as it was, on this installation or another."""

from __future__ import annotations

import json
import zipfile
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from typer.testing import CliRunner

from pruxel.cli.main import app
from tests.conftest import CRAB
from tests.server.asking import Wait, ended, new_project
from tests.server.conftest import Worker

RUN = CliRunner()
KEY = "00112233445566778899aabbccddeeff"


@pytest.fixture(scope="module")
def made(client: TestClient, worker: Worker, game: Path, wait_for: Wait) -> str:
    """A project with something of everything."""
    project = new_project(client, "backed up")
    job = client.post(f"/api/projects/{project}/sources", json={"path": str(game)}).json()
    assert wait_for(ended(client, project, job["id"]))["status"] == "done"
    url = f"/api/projects/{project}"
    client.put(f"{url}/marks", json={"path": CRAB, "alias": "The crab", "note": "red", "star": True})
    client.put(f"{url}/marks", json={"path": "actors", "folder": True, "alias": "People"})
    client.put(f"{url}/searches", json={"name": "crabs", "query": {"search": "crab"}})
    client.put(f"{url}/keys", json={"name": "reef-2", "value": KEY})
    octets = {"Content-Type": "application/octet-stream"}
    client.post(f"{url}/names", params={"label": "mine"}, content=b"a/b.dds\nc/d.dds\n", headers=octets)
    piece = client.post(f"{url}/workpieces", json={"entries": [CRAB]}).json()["id"]
    for factor in (2.0, 3.0, 4.0):
        steps = [{"step": "set_units", "params": {"factor": factor}, "on": True}]
        client.put(f"/api/workpieces/{piece}/steps", json={"steps": steps})
    client.post(f"/api/workpieces/{piece}/undo")
    client.post(f"{url}/recipes", json={"name": "double", "steps": [{"step": "set_units", "params": {"factor": 2.0}}]})
    source = client.get(f"{url}/sources").json()[-1]["id"]
    client.post(f"{url}/workpieces", json={"entries": [CRAB], "source": source})
    return project


def told(client: TestClient, project: str) -> dict[str, Any]:
    """All that a backup should hold, without ids."""
    url = f"/api/projects/{project}"
    pieces = client.get(f"{url}/workpieces").json()
    return {
        "profile": client.get(f"{url}/profile").json()["text"],
        "sources": [
            {k: s[k] for k in ("mount", "label", "kind", "position", "on", "layer", "language")}
            for s in client.get(f"{url}/sources").json()
        ],
        "entries": [
            {k: e[k] for k in ("path", "alias", "note", "star", "size")}
            for e in client.get(f"{url}/entries", params={"search": "crab", "limit": 500}).json()["entries"]
        ],
        "searches": client.get(f"{url}/searches").json(),
        "names": [{k: n[k] for k in ("label", "names")} for n in client.get(f"{url}/names").json()],
        "recipes": [{k: r[k] for k in ("name", "steps")} for r in client.get(f"{url}/recipes").json()],
        "pieces": sorted(({k: w[k] for k in ("name", "steps", "can_undo", "can_redo")} for w in pieces), key=str),
    }


def test_a_project_comes_back_as_it_was(
    client: TestClient, made: str, worker: Worker, wait_for: Wait, tmp_path: Path
) -> None:
    file = tmp_path / "backup.zip"
    done = RUN.invoke(app, ["project", "export", "backed up", str(file)])
    assert done.exit_code == 0, done.output
    with zipfile.ZipFile(file) as archive:
        assert sorted(archive.namelist()) == ["names/0.txt", "project.json"]
        document = archive.read("project.json").decode()
    assert KEY not in document
    assert "reef-2" not in json.dumps(json.loads(document)["marks"])
    assert file.stat().st_size < 200_000
    before = {one["id"] for one in client.get("/api/projects").json()}
    done = RUN.invoke(app, ["project", "import", str(file)])
    assert done.exit_code == 0, done.output
    [fresh] = [one for one in client.get("/api/projects").json() if one["id"] not in before]
    assert fresh["name"] == "backed up"

    def read() -> bool:
        states = {s["state"] for s in client.get(f"/api/projects/{fresh['id']}/sources").json()}
        return "waiting" not in states

    wait_for(read)
    wait_for(lambda: told(client, fresh["id"])["entries"] == told(client, made)["entries"])
    assert told(client, fresh["id"]) == told(client, made)
    assert not any(key["here"] for key in client.get(f"/api/projects/{fresh['id']}/keys").json())
    entries = {e for w in client.get(f"/api/projects/{fresh['id']}/workpieces").json() for e in w["entries"]}
    sources = {s["id"] for s in client.get(f"/api/projects/{fresh['id']}/sources").json()}
    named = {entry[1:].split("/")[0] for entry in entries if entry.startswith("@")}
    assert named <= sources


def test_a_project_that_is_not_there_is_told_with_those_that_are(client: TestClient, made: str, tmp_path: Path) -> None:
    done = RUN.invoke(app, ["project", "export", "nobody", str(tmp_path / "x.zip")])
    assert done.exit_code == 2
    assert "backed up" in done.output
    assert list(tmp_path.iterdir()) == []
    done = RUN.invoke(app, ["project", "export", made, str(tmp_path / "none" / "x.zip")])
    assert done.exit_code == 3
    assert "cannot be written" in done.output or "may not" in done.output


def broken(file: Path, document: object, **members: bytes) -> Path:
    with zipfile.ZipFile(file, "w") as archive:
        archive.writestr("project.json", document if isinstance(document, str | bytes) else json.dumps(document))
        for name, data in members.items():
            archive.writestr(name, data)
    return file


EMPTY: dict[str, Any] = {
    "name": "x", "sources": [], "marks": [], "names": [], "searches": [], "workpieces": [], "recipes": [],
}  # fmt: skip
BAD: dict[str, Any] = {
    "no json": "{",
    "not an object": "[]",
    "a newer version": EMPTY | {"backup": 2},
    "unknown parts": EMPTY | {"more": 1},
    "a list that is not there": EMPTY | {"names": [{"label": "l", "names": 1, "dropped": 0, "file": "names/9.txt"}]},
    "a text with NUL": EMPTY | {"name": "a\0b"},
    "a number beyond 64 bits": EMPTY | {"workpieces": [{"name": "w", "entries": [], "at": 2**70, "revisions": {}}]},
    "steps that are none": EMPTY | {"workpieces": [{"name": "w", "entries": ["a"], "at": 0, "revisions": {"0": [7]}}]},
}


@pytest.mark.parametrize("document", BAD.values(), ids=BAD)
def test_what_is_no_backup_is_refused_and_changes_nothing(client: TestClient, document: object, tmp_path: Path) -> None:
    before = client.get("/api/projects").json()
    done = RUN.invoke(app, ["project", "import", str(broken(tmp_path / "b.zip", document))])
    assert done.exit_code == 3, done.output
    assert "Traceback" not in done.output
    assert client.get("/api/projects").json() == before


@pytest.mark.parametrize("data", [b"", b"PK\x03\x04", b"x" * 1000])
def test_bytes_that_are_no_archive_are_refused(client: TestClient, data: bytes, tmp_path: Path) -> None:
    (tmp_path / "b.zip").write_bytes(data)
    assert RUN.invoke(app, ["project", "import", str(tmp_path / "b.zip")]).exit_code == 3
    assert RUN.invoke(app, ["project", "import", str(tmp_path / "gone.zip")]).exit_code == 3


def test_the_doctor_finds_all_fine_here_and_says_what_is_not(
    installation: dict[str, str], monkeypatch: pytest.MonkeyPatch
) -> None:
    done = RUN.invoke(app, ["doctor", "--json"])
    found = {one["what"]: one for one in json.loads(done.stdout)}
    assert [one["what"] for one in found.values() if not one["fine"] and one["what"] != "data folder"] == []
    assert "synchronous_commit on" in found["database"]["found"]
    from pruxel.core.deliver.proof import judge
    from pruxel.server import doctor

    monkeypatch.setattr(judge, "PROGRAM", Path("/nowhere/judge.mjs"))
    monkeypatch.setattr(doctor, "WEB", Path("/nowhere"))
    monkeypatch.setattr(doctor, "_PACKAGES", ("no_such_package",))
    monkeypatch.setattr(doctor, "_LEAST_FREE", 1 << 60)
    done = RUN.invoke(app, ["doctor"])
    assert done.exit_code == 1
    for words in ("no_such_package", "make setup", "Make room", "not proven"):
        assert words in done.output
