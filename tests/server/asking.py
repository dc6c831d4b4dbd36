"""What tests of the interface ask again and again."""

from __future__ import annotations

import base64
import hashlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

from fastapi.testclient import TestClient
from httpx2 import Response

Wait = Callable[..., Any]


def job_of(client: TestClient, project: str, job: str) -> dict[str, Any]:
    return next(j for j in client.get(f"/api/projects/{project}/jobs").json() if j["id"] == job)


def ended(client: TestClient, project: str, job: str) -> Callable[[], dict[str, Any] | None]:
    def ask() -> dict[str, Any] | None:
        found = job_of(client, project, job)
        return found if found["status"] in {"done", "failed", "cancelled"} else None

    return ask


def new_project(client: TestClient, name: str) -> str:
    return str(client.post("/api/projects", json={"name": name}).json()["id"])


def mount(client: TestClient, project: str, place: Path | str, wait_for: Wait) -> dict[str, Any]:
    """Mount a place, and wait until it is read; its job."""
    job = client.post(f"/api/projects/{project}/sources", json={"path": str(place)}).json()
    done = wait_for(ended(client, project, job["id"]))
    assert done["status"] == "done", done
    return dict(done)


def view(client: TestClient, workpiece: str, wait_for: Wait) -> dict[str, Any]:
    def ask() -> dict[str, Any] | None:
        content = client.get(f"/api/workpieces/{workpiece}/view").json()["content"]
        return content if content and content["findings"] is not None else None

    return wait_for(ask)  # type: ignore[no-any-return]


def digest_of(data: bytes) -> str:
    return f"sha-256=:{base64.b64encode(hashlib.sha256(data).digest()).decode()}:"


def piece(client: TestClient, address: str, offset: int, data: bytes) -> Response:
    """Send a piece of a file as the page does."""
    return client.put(address, params={"offset": offset}, content=data, headers={"Content-Digest": digest_of(data)})


def kept_step(step: str, params: dict[str, Any], *, on: bool = True) -> dict[str, Any]:
    """A step as it is kept."""
    return {"step": step, "params": params, "on": on, "rule": None, "because": ""}
