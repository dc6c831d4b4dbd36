"""Faces chosen on a stored scene, asked for as the page does."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient

from pruxel.core.scene.model import Scene
from pruxel.server.store.blobs import put_blob
from pruxel.server.store.scenes import put_scene, shown_scene
from tests.figures import BODY, dance, fleshed, rolled, skeleton
from tests.scenes import animated, two_boxes


@pytest.fixture(scope="module")
def boxes(client: TestClient) -> str:
    return shown_scene(two_boxes())


def test_faces_are_chosen_grown_and_taken_back(client: TestClient, boxes: str) -> None:
    def choose(**wanted: Any) -> Any:
        return client.post(f"/api/scenes/{boxes}/faces", json=wanted)

    one = choose(at={"part": "large", "face": 4}).json()
    assert one == [{"part": "large", "faces": "4", "count": 1}]
    side = choose(at={"part": "large", "face": 4}, grow="what is level").json()
    assert side == [{"part": "large", "faces": "4-5", "count": 2}]
    assert choose(chosen=[{"part": "large", "faces": "4"}], grow="the whole piece").json()[0]["count"] == 12
    both = choose(chosen=[{"part": "large", "faces": "4-5"}], at={"part": "small", "face": 0}).json()
    assert [(o["part"], o["count"]) for o in both] == [("large", 2), ("small", 1)]
    left = choose(chosen=[{"part": "large", "faces": "4-5"}], at={"part": "large", "face": 5}, take_away=True).json()
    assert left == one
    # What is in sight of an eye that sees all, from far along +z.
    window = {"clip_from_world": (np.diag([0.1, 0.1, 0.01, 1.0])).reshape(-1).tolist()}
    window |= {"left": -1, "bottom": -1, "right": 1, "top": 1}  # type: ignore[dict-item]
    seen = choose(window=window, shown=["large", "small"]).json()
    assert {o["part"] for o in seen} == {"large", "small"}
    through = choose(window=window, shown=["large"], through=True).json()
    assert through == [{"part": "large", "faces": "0-11", "count": 12}]


@pytest.mark.parametrize(
    ("wanted", "status"),
    [
        ({"at": {"part": "large", "face": 12}}, 422),
        ({"at": {"part": "nobody", "face": 0}}, 422),
        ({"chosen": [{"part": "large", "faces": "0-99"}]}, 422),
        ({"chosen": [{"part": "large", "faces": "first"}]}, 422),
        ({"window": {"clip_from_world": [0] * 15, "left": 0, "bottom": 0, "right": 1, "top": 1}}, 422),
    ],
)
def test_what_is_not_there_is_told(client: TestClient, boxes: str, wanted: dict[str, Any], status: int) -> None:
    answer = client.post(f"/api/scenes/{boxes}/faces", json=wanted)
    assert answer.status_code == status
    assert answer.json()["detail"]


def test_only_scenes_are_chosen_from(client: TestClient, boxes: str) -> None:
    put_blob("f" * 32, b"no scene")
    for name in ("0" * 32, "f" * 32, "x" * 200):
        assert client.post(f"/api/scenes/{name}/faces", json={}).status_code == 404
    held, _ = put_scene(animated())
    assert client.post(f"/api/scenes/{held}/faces", json={}).json() == []
    empty = shown_scene(Scene("empty"))
    assert client.post(f"/api/scenes/{empty}/faces", json={"grow": "the whole piece"}).json() == []


def test_joints_of_clips_are_met_with_those_of_what_is_shown(client: TestClient, project: str) -> None:
    body = shown_scene(replace(animated(), clips=()))
    asked = {"project": project, "entry": "actors/moves/diver_moves.bcl"}
    found = client.post(f"/api/scenes/{body}/joints", json=asked).json()
    assert found["clips"] == ["walk", "greet", "wait"]
    thigh = next(one for one in found["theirs"] if one["name"] == "left_thigh")
    assert thigh["moves"]
    assert found["theirs"][thigh["above"]]["place"][1] > thigh["place"][1], "the hips are above"
    assert {one["name"] for one in found["ours"]} >= {pair["target"] for pair in found["pairs"]}
    said = client.post(
        f"/api/scenes/{body}/joints", json=asked | {"said": [f"left_thigh = {found['ours'][-1]['name']}"]}
    ).json()
    by_hand = [pair for pair in said["pairs"] if pair["why"] == "said by hand"]
    assert [(pair["source"], pair["target"]) for pair in by_hand] == [("left_thigh", found["ours"][-1]["name"])]
    assert client.post(f"/api/scenes/{body}/joints", json=asked | {"said": ["thigh"]}).status_code == 422
    assert client.post(f"/api/scenes/{body}/joints", json=asked | {"entry": "no/such"}).status_code == 404
    assert client.post("/api/scenes/nothing/joints", json=asked).status_code == 404
    # Clips of a workpiece are met as those of an entry are.
    entries = ["actors/fish_lantern/fish_lantern.brm", "actors/fish_lantern/fish_lantern.bcl"]
    made = client.post(f"/api/projects/{project}/workpieces", json={"entries": entries}).json()
    fish = client.post(f"/api/scenes/{body}/joints", json={"project": project, "workpiece": made["id"]}).json()
    assert fish["clips"] == ["swim", "startle", "hover"]
    assert "stalk_2" in {one["name"] for one in fish["theirs"]}
    lost = {"project": project, "workpiece": "00000000-0000-0000-0000-000000000000"}
    assert client.post(f"/api/scenes/{body}/joints", json=lost).status_code in {404, 422}
    # What is kept in the profile is known to whoever asks next, of these two or the other way round.
    address = f"/api/projects/{project}/profile"
    before = client.get(address).json()["text"]
    there, here = found["theirs"][2]["name"], found["ours"][0]["name"]
    assert found["known"] == []
    for said in ([f"{there} = {here}"], [f"{here} = {there}", "nobody = nothing"]):
        assert client.post(f"{address}/joints", json={"pairs": said}).status_code == 204
        assert client.post(f"/api/scenes/{body}/joints", json=asked).json()["known"] == [f"{there} = {here}"]
    told = client.get(address).json()
    assert told["problem"] is None
    assert told["text"].startswith(before.rstrip())
    assert client.post(f"{address}/joints", json={"pairs": ["no pair"]}).status_code == 422
    assert client.post(f"{address}/joints", json={"pairs": []}).status_code == 422


def test_joints_go_where_they_are_turned_and_pulled(client: TestClient) -> None:
    shown = f"/api/scenes/{shown_scene(dance(fleshed(skeleton(BODY, rolled(1)))))}/pose"
    asked: dict[str, Any] = {"clip": "dance", "at": 0.5, "turns": [{"joint": "head", "turn": [0, 20, 0]}]}
    [head] = client.post(shown, json=asked).json()
    assert head["joint"] == "head"
    assert sum(v * v for v in head["rotation"]) == pytest.approx(1)
    pulled = client.post(shown, json=asked | {"pulls": [{"joint": "left_hand", "to": [0.4, 1.3, 0.4]}]}).json()
    assert {one["joint"] for one in pulled} == {"head", "left_upper_arm", "left_forearm", "left_hand"}
    missing = client.post(shown, json=asked | {"turns": [{"joint": "tail"}]})
    assert missing.status_code == 422
    assert "tail" in missing.text
    assert client.post(shown, json=asked | {"pulls": [{"joint": "head", "to": [1e9, 0, 0]}]}).status_code == 422
    assert client.post("/api/scenes/nothing/pose", json=asked).status_code == 404
