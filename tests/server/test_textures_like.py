"""Which textures may be meant by a name that leads nowhere: asked of a real project."""

from __future__ import annotations

from fastapi.testclient import TestClient

from tests.server.asking import Wait, view


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


def test_other_materials_and_skeletons_are_ranked_by_name(client: TestClient, project: str) -> None:
    def likely(kind: str, named: str) -> list[dict[str, object]]:
        found = client.get(f"/api/projects/{project}/entries-like", params={"kind": kind, "named": named})
        assert found.status_code == 200, found.text
        answer: list[dict[str, object]] = found.json()
        return answer

    assert likely("material", "mat/leather.bmt")[0]["path"] == "mat/leather.bmt"
    assert str(likely("skeleton", "act_0107")[0]["path"]).endswith("act_0107.bsk")
    assert (
        client.get(f"/api/projects/{project}/entries-like", params={"kind": "sound", "named": "x"}).status_code == 422
    )


def test_a_workpiece_says_what_it_is_put_together_from_and_takes_another(
    client: TestClient, project: str, wait_for: Wait
) -> None:
    made = client.post(
        f"/api/projects/{project}/workpieces", json={"entries": ["actors/act_0107/act_0107.brm"]}
    ).json()["id"]
    links = view(client, made, wait_for)["links"]
    assert {link["kind"] for link in links} == {"skeleton", "material", "texture"}
    worn = next(link for link in links if link["kind"] == "material")
    use = {"step": "link_material", "params": {"entry": "mat/leather.bmt", "materials": [worn["name"]]}, "on": True}
    client.put(f"/api/workpieces/{made}/steps", json={"steps": [use]})
    after = view(client, made, wait_for)["links"]
    assert [link["entry"] for link in after if link["found"] == "by hand"] == ["mat/leather.bmt"]
