"""Long histories of small acts, each held to a plain list that does the same: revisions, and the order of the stack."""

from __future__ import annotations

import random
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from pruxel.core.base.context import Context
from pruxel.core.deliver.package import write_files
from tests.glb import files_of_glb
from tests.scenes import two_boxes
from tests.server.asking import ended, kept_step, new_project
from tests.server.conftest import Worker

Wait = Callable[..., Any]


def scaled(factor: int) -> dict[str, Any]:
    return kept_step("set_units", {"factor": float(factor)})


@pytest.fixture(scope="module")
def history(client: TestClient, worker: Worker, installation: dict[str, str], wait_for: Wait) -> str:
    """A project with one small model, and beside it three folders that hold some of the same paths."""
    home = Path(installation["mounts"]) / "history"
    home.mkdir()
    write_files(home, files_of_glb(two_boxes(), "one"), Context())
    made = new_project(client, "history")
    job = client.post(f"/api/projects/{made}/sources", json={"path": str(home)}).json()
    assert wait_for(ended(client, made, job["id"]))["status"] == "done"
    return made


@pytest.mark.parametrize("seed", range(6))
def test_undo_and_redo_are_those_of_a_plain_list(client: TestClient, history: str, seed: int) -> None:
    rng = random.Random(seed)
    piece = client.post(f"/api/projects/{history}/workpieces", json={"entries": ["one.glb"]}).json()["id"]
    at = client.put(f"/api/workpieces/{piece}/steps", json={"steps": [scaled(1000 + seed)]}).json()
    states = [[scaled(1000 + seed)]]
    place = 0
    for _ in range(40):
        match rng.choice(["set", "set", "undo", "undo", "redo", "same"]):
            case "set":
                steps = [scaled(rng.randint(2, 99)) for _ in range(rng.randint(0, 3))]
                at = client.put(f"/api/workpieces/{piece}/steps", json={"steps": steps}).json()
                if steps != states[place]:
                    states = [*states[: place + 1], steps]
                    place += 1
            case "undo" if place:
                at = client.post(f"/api/workpieces/{piece}/undo").json()
                place -= 1
            case "redo":
                at = client.post(f"/api/workpieces/{piece}/redo").json()
                place = min(place + 1, len(states) - 1)
            case "same":
                at = client.get(f"/api/workpieces/{piece}").json()
        assert at["steps"] == states[place]
        assert at["can_redo"] == (place < len(states) - 1)
        if place:
            assert at["can_undo"]


NAMES = ["a.txt", "b.txt", "c.txt", "d/e.txt"]


def top_of(order: list[str], on: dict[str, bool], held: dict[str, dict[str, str]]) -> dict[str, str]:
    """What each path reads as: the highest source that counts and holds it."""
    found: dict[str, str] = {}
    for source in reversed(order):
        if on[source]:
            found |= held[source]
    return found


@pytest.mark.parametrize("seed", range(3))
def test_the_stack_reads_as_a_pile_of_folders_would(
    client: TestClient, worker: Worker, installation: dict[str, str], wait_for: Wait, seed: int
) -> None:
    rng = random.Random(seed)
    made = new_project(client, f"pile {seed}")
    held: dict[str, dict[str, str]] = {}
    for number in range(4):
        label = f"pile{seed}-{number}"
        home = Path(installation["mounts"]) / label
        held[label] = {name: f"{name} of {label}" for name in NAMES if rng.random() < 0.7} or {"a.txt": f"a of {label}"}
        for name, text in held[label].items():
            (home / name).parent.mkdir(parents=True, exist_ok=True)
            (home / name).write_text(text)
        job = client.post(f"/api/projects/{made}/sources", json={"path": str(home)}).json()
        assert wait_for(ended(client, made, job["id"]))["status"] == "done"
    listed = client.get(f"/api/projects/{made}/sources").json()
    order = [s["label"] for s in listed]
    ids = {s["label"]: s["id"] for s in listed}
    on = dict.fromkeys(order, True)

    def shown() -> dict[str, str]:
        entries = client.get(f"/api/projects/{made}/entries", params={"limit": 50}).json()["entries"]
        return {e["path"]: client.get(f"/api/entries/{e['id']}/raw").text for e in entries}

    assert shown() == top_of(order, on, held)
    for _ in range(8):
        if rng.random() < 0.5:
            rng.shuffle(order)
            answer = client.put(
                f"/api/projects/{made}/sources/order", json={"sources": [ids[label] for label in order]}
            )
            assert [s["label"] for s in answer.json()] == order
        else:
            label = rng.choice(order)
            on[label] = not on[label]
            client.patch(f"/api/sources/{ids[label]}", json={"on": on[label]})
        assert shown() == top_of(order, on, held)
    gone = rng.choice(order)
    client.delete(f"/api/sources/{ids[gone]}")
    order.remove(gone)
    assert shown() == top_of(order, on, held)
    wait_for(lambda: gone not in [s["label"] for s in client.get(f"/api/projects/{made}/sources").json()])
