"""People at work: each has a project, does this and that, and remembers what the application said it has done."""

from __future__ import annotations

import base64
import hashlib
import random
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx2

_AWAY = (502, 503)
_LOOKS_EVERY, _MOST_WAITING = 10, 4
_PATIENCE_SECONDS = 150.0
MODELS = ("actors/crab_toll/crab_toll.brm",)


class RefusedError(Exception):
    """The application answered that it will not, with a reason."""

    def __init__(self, status: int, words: str) -> None:
        super().__init__(f"{status}: {words}")
        self.status = status


@dataclass
class Told:
    """What was acknowledged. A value that was asked for and never answered may have come about or not."""

    steps: list[Any] = field(default_factory=list)
    steps_maybe: list[list[Any]] = field(default_factory=list)
    aliases: dict[str, set[str]] = field(default_factory=dict)
    searches: set[str] = field(default_factory=set)
    files: dict[str, str] = field(default_factory=dict)
    deliveries: set[str] = field(default_factory=set)
    jobs: set[str] = field(default_factory=set)
    mistakes: list[str] = field(default_factory=list)
    history: list[str] = field(default_factory=list)
    done: int = 0


class Person:
    """One who works through the interface as the page does."""

    def __init__(self, number: int, seed: int, address: Callable[[], str], mounts: Path) -> None:
        self.name, self.told = f"person {number}", Told()
        self._rng = random.Random(f"{seed}/{number}")  # noqa: S311 - no secrets
        self._address, self._mounts = address, mounts
        self._client: httpx2.Client | None = None
        self._known = ""
        self.project = self.workpiece = ""

    def work(self, over: threading.Event) -> None:
        """One thing after the other until it is over."""
        acts = (self._step, self._step, self._alias, self._search, self._send, self._deliver, self._extract, self._look)
        while not over.is_set():
            try:
                if not self.project:
                    self._begin()
                self._rng.choice(acts)()
                self.told.done += 1
                if self.told.done % _LOOKS_EVERY == 0:
                    self._wait(self._few_wait)
            except RefusedError as refusal:
                if refusal.status >= 500 and refusal.status not in _AWAY:
                    self.told.mistakes.append(str(refusal))
            except (httpx2.HTTPError, OSError):
                pass  # it was killed in the middle: whether it was done is not known
            time.sleep(self._rng.uniform(0.0, 0.15))

    def ask(self, method: str, path: str, **more: Any) -> Any:  # noqa: ANN401 - JSON
        """An answer, or `RefusedError`; questions are asked again while the application is away, acts never."""
        deadline = time.monotonic() + _PATIENCE_SECONDS
        while True:
            try:
                answer = self._session().request(method, path, **more)
            except httpx2.TransportError:
                if method != "GET" or time.monotonic() > deadline:
                    raise
            else:
                if answer.status_code < 400:
                    return answer.json() if answer.content else None
                if answer.status_code not in _AWAY or method != "GET" or time.monotonic() > deadline:
                    raise RefusedError(answer.status_code, answer.text[:300])
            time.sleep(0.3)

    def _session(self) -> httpx2.Client:
        address = self._address()
        if self._client is None or address != self._known:
            self._known = address
            base, _, key = address.partition("/?key=")
            self._client = httpx2.Client(base_url=base, timeout=100)
            self._client.cookies.set("pruxel_access", key)
        return self._client

    def _begin(self) -> None:
        found = [one for one in self.ask("GET", "/api/projects") if one["name"] == self.name]
        made = found[0] if found else self.ask("POST", "/api/projects", json={"name": self.name})
        project = str(made["id"])
        if not self.ask("GET", f"/api/projects/{project}/entries", params={"search": "crab_toll"})["entries"]:
            self.ask("POST", f"/api/projects/{project}/sources", json={"path": str(self._mounts)})
            self._wait(
                lambda: self.ask("GET", f"/api/projects/{project}/entries", params={"search": "crab_toll.brm"})[
                    "entries"
                ]
            )
        piece = self.ask("POST", f"/api/projects/{project}/workpieces", json={"entries": list(MODELS)})
        self.told.steps = piece["steps"]
        self.project, self.workpiece = project, str(piece["id"])

    def _wait(self, ask: Callable[[], Any]) -> Any:  # noqa: ANN401
        deadline = time.monotonic() + _PATIENCE_SECONDS
        while not (found := ask()):
            if time.monotonic() > deadline:
                raise RefusedError(408, "waited in vain")
            time.sleep(0.3)
        return found

    def _few_wait(self) -> bool:
        """Nobody asks for more and more while nothing of it comes."""
        jobs = self.ask("GET", f"/api/projects/{self.project}/jobs")
        return sum(job["status"] == "queued" for job in jobs) < _MOST_WAITING

    def _step(self) -> None:
        steps = [{"step": "set_units", "params": {"factor": self._rng.randint(2, 10**6) / 1000}, "on": True}]
        self.told.steps_maybe.append(steps)
        self.ask("PUT", f"/api/workpieces/{self.workpiece}/steps", json={"steps": steps})
        self.told.steps, self.told.steps_maybe = steps, []

    def _alias(self) -> None:
        path, alias = f"actors/{self._rng.randint(0, 20)}", f"name {self._rng.getrandbits(40)}"
        known = self.told.aliases.setdefault(path, {""})
        known.add(alias)
        self.told.history.append(f"{time.monotonic():.1f} asks {path} {alias}")
        self.ask("PUT", f"/api/projects/{self.project}/marks", json={"path": path, "folder": True, "alias": alias})
        self.told.history.append(f"{time.monotonic():.1f} told {path} {alias}")
        self.told.aliases[path] = {alias}

    def _search(self) -> None:
        name = f"search {self._rng.getrandbits(40)}"
        self.ask("PUT", f"/api/projects/{self.project}/searches", json={"name": name, "query": {"search": "crab"}})
        self.told.searches.add(name)

    def _send(self) -> None:
        data = self._rng.randbytes(self._rng.randint(1, 400_000))
        name, url = f"sent {self._rng.getrandbits(40)}.bin", f"/api/projects/{self.project}/uploads"
        state = self.ask("POST", url, json={"name": name, "size": len(data)})
        while state["path"] is None:
            piece = data[state["have"] : state["have"] + 100_000]
            digest = base64.b64encode(hashlib.sha256(piece).digest()).decode()
            headers = {"Content-Digest": f"sha-256=:{digest}:"}
            at = {"offset": state["have"]}
            state = self.ask("PUT", f"{url}/{state['id']}", params=at, content=piece, headers=headers)
        self.told.files[state["path"]] = hashlib.sha256(data).hexdigest()

    def _deliver(self) -> None:
        if len(self.told.deliveries) > 400 or self._rng.random() < 0.5:
            return
        wanted = {"name": f"out {self._rng.getrandbits(20)}", "formats": [self._rng.choice(["glb", "obj"])]}
        made = self.ask("POST", f"/api/workpieces/{self.workpiece}/deliveries", json=wanted)
        self.told.deliveries.add(str(made["id"]))
        self.told.jobs.add(str(made["job"]))

    def _extract(self) -> None:
        if self._rng.random() < 0.5:
            return
        wanted = {"name": "raw", "query": {"search": "crab"}}
        self.told.jobs.add(str(self.ask("POST", f"/api/projects/{self.project}/extracts", json=wanted)["id"]))

    def _look(self) -> None:
        self.ask("GET", f"/api/projects/{self.project}/facets")
        found = self.ask("GET", f"/api/projects/{self.project}/entries", params={"search": "crab"})["entries"]
        if found:
            self.ask("GET", f"/api/entries/{self._rng.choice(found)['id']}/look")
        self.ask("GET", f"/api/workpieces/{self.workpiece}/view")
