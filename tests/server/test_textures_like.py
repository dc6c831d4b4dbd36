"""Which textures may be meant by a name that leads nowhere: asked of a real project."""

from __future__ import annotations

from fastapi.testclient import TestClient


def like(client: TestClient, project: str, named: str, gap: str) -> dict[str, object]:
    answer = client.get(f"/api/projects/{project}/textures-like", params={"named": named, "gap": gap})
    assert answer.status_code == 200, answer.text
    found: dict[str, object] = answer.json()
    return found


def test_names_and_texels_rank_them(client: TestClient, project: str) -> None:
    found = like(client, project, "creatures/crab/shell_n.dds", "normal")
    assert found["slot"] == "normals"
    some = found["candidates"]
    assert isinstance(some, list)
    assert all("shows" in one["why"] for one in some)
    assert some[0]["why"].endswith("shows normals")
    kinds = [one["why"].endswith("normals") for one in some]
    assert kinds == sorted(kinds, reverse=True), "what shows colours comes behind all that shows normals"
    assert all(one["entry"] for one in some)


def test_a_name_that_is_like_nothing_finds_nothing(client: TestClient, project: str) -> None:
    assert like(client, project, "§§§§/0", "base_color") == {"slot": "base colour", "candidates": []}
    assert client.get(f"/api/projects/{project}/textures-like", params={"named": ""}).status_code == 422
