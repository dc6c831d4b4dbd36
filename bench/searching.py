"""Questions to the server over HTTP, and the same questions as plain statements through psycopg."""

from __future__ import annotations

import http.client
import os
import socket
import statistics
import subprocess
import sys
import time
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import lru_cache
from typing import Any
from urllib.parse import urlencode

import psycopg

from pruxel.server.api.guard import COOKIE
from pruxel.server.postgres import free_port
from pruxel.server.settings import settings

Question = tuple[str, dict[str, Any]]
Ask = Callable[[str, dict[str, Any]], Any]
_TIMES = 7
WORDS = [
    "lamp",
    "reef_k",
    "crab diver",
    "anchor -bell",
    "g0001",
    "kelp_coral_00",
    "toll_0000",
    "mail rope",
    "dds",
    "0123",
]
QUESTIONS: dict[str, list[Question]] = {
    "search as you type": [("entries", {"search": w[:n]}) for w in WORDS for n in (1, 2, 3, len(w))],
    "wildcard, kind, by size": [
        ("entries", {"search": f"*{w.split()[0]}*", "kind": k, "sort": "size", "down": True})
        for w in WORDS
        for k in ("texture", "model", "text")
    ],
    "facet counts": [("facets", {"search": w}) for w in WORDS for _ in range(2)] + [("facets", {})] * 10,
    "one folder's children": [("folders", {"path": p}) for p in ("", "bulk", "bulk/reef", "bulk/kelp")] * 6,
    "one folder's own files": [("entries", {"folder": f"bulk/reef/g0000{n}", "direct": True}) for n in range(10)],
    "the list's middle": [("entries", {"offset": o, "kind": "texture"}) for o in (100, 1000, 3000)] * 6,
}


def p95(asks: list[Ask], questions: list[Question]) -> list[float]:
    """For each way of asking, the 95th percentile of seconds over all questions, of each its best of several times.

    They are asked by turns, so that a slow moment of the machine falls on all.
    """
    return [statistics.quantiles(times, n=20)[18] for times in zip(*(_best(asks, q) for q in questions), strict=True)]


def _best(asks: list[Ask], question: Question) -> list[float]:
    rounds = [[_seconds(ask, question) for ask in asks] for _ in range(_TIMES)]
    return [min(times) for times in zip(*rounds, strict=True)]


def _seconds(ask: Ask, question: Question) -> float:
    start = time.perf_counter()
    ask(*question)
    return time.perf_counter() - start


@contextmanager
def served() -> Iterator[http.client.HTTPConnection]:
    """A connection to a server process of its own."""
    port = free_port(55200)
    command = [
        "uvicorn",
        "--factory",
        "pruxel.server.main:create_app",
        "--port",
        str(port),
        "--log-level",
        "warning",
        "--timeout-keep-alive",
        "600",
    ]
    process = subprocess.Popen([sys.executable, "-m", *command], env=os.environ.copy())
    try:
        for _ in range(300):
            with socket.socket() as probe:
                if not probe.connect_ex(("127.0.0.1", port)):
                    break
            time.sleep(0.1)
        connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
        yield connection
        connection.close()
    finally:
        process.terminate()
        process.wait()


def asked(connection: http.client.HTTPConnection, method: str, path: str, body: str | None = None) -> bytes:
    """The body of an answer; anything but success is an error."""
    connection.request(method, path, body, _headers())
    answer = connection.getresponse()
    content = answer.read()
    assert answer.status < 300, content
    return content


@lru_cache(maxsize=1)
def _headers() -> dict[str, str]:
    return {"Cookie": f"{COOKIE}={settings().access_token()}", "Content-Type": "application/json"}


def spoken(connection: http.client.HTTPConnection, project: uuid.UUID) -> Ask:
    """Questions over HTTP."""
    return lambda route, values: asked(connection, "GET", f"/api/projects/{project}/{route}?{urlencode(values)}")


def plain(connection: psycopg.Connection[Any], project: uuid.UUID) -> Ask:
    """Questions as one would write them by hand, with the same tables and indexes, and the slots known."""
    slots = [
        row[0]
        for row in connection.execute(
            "SELECT id FROM slots WHERE project_id = %s AND id IN (SELECT slot FROM facet_counts)", (project,)
        )
    ]

    def ask(route: str, values: dict[str, Any]) -> None:
        bound = {"slots": slots, "project": project, **values}
        connection.execute(_statement(route, values, bound), bound, prepare=False).fetchall()

    return ask


def _statement(route: str, values: dict[str, Any], bound: dict[str, Any]) -> str:
    if route == "folders":
        return (
            "SELECT f.path, sum(c.below), sum(c.size), sum(c.below) > sum(c.files) FROM folders f "
            "JOIN folder_counts c ON c.folder = f.id WHERE f.project_id = %(project)s AND c.slot = ANY(%(slots)s) AND "
            "f.parent = (SELECT id FROM folders WHERE project_id = %(project)s AND path = %(path)s) "
            "GROUP BY f.path ORDER BY f.path LIMIT 200"
        )
    conditions = ["slot = ANY(%(slots)s)"]
    for number, word in enumerate(values.get("search", "").split()):
        out = "NOT " if word.startswith("-") else ""
        literal = word.lstrip("-").replace("_", r"\_")
        bound[f"w{number}"] = literal.replace("*", "%") if "*" in literal else f"%{literal}%"
        conditions.append(f"lowered {out}LIKE %(w{number})s")
    if "kind" in values:
        conditions.append("kind = %(kind)s")
    if "folder" in values:
        conditions.append("folder = (SELECT id FROM folders WHERE project_id = %(project)s AND path = %(folder)s)")
    where = " AND ".join(conditions)
    if route == "facets" and "search" in values:
        return f"SELECT kind, variant, count(*), sum(size) FROM entries WHERE {where} GROUP BY 1, 2"
    if route == "facets":
        return "SELECT kind, variant, number, size FROM facet_counts WHERE slot = ANY(%(slots)s)"
    order = "size DESC, path DESC" if values.get("sort") == "size" else "path"
    return (
        "SELECT e.*, m.alias, m.note, m.star, m.seen, (SELECT count(*) FROM entry_references r "
        "WHERE r.project_id = %(project)s AND r.target = e.path) FROM ("
        f"SELECT id, slot, path, kind, size, variant, picture FROM entries WHERE {where} "
        f"ORDER BY {order} LIMIT 120 OFFSET {int(values.get('offset', 0))}) e "
        "LEFT JOIN marks m ON m.project_id = %(project)s AND m.path = e.path"
    )
