"""Every route, asked anything: an answer or a refusal in words, never a mistake of ours, never a trace."""

from __future__ import annotations

import json
import random
import uuid
from functools import cache
from typing import Any
from urllib.parse import quote

import pytest
from fastapi.testclient import TestClient

JUNK: list[Any] = [
    None, True, False, 0, 1, -1, 2**31, 2**63, 2**64, -(2**63) - 1, 0.5, 1e308, -0.0, "", " ", "x", "a" * 5000, "\0", "\u202e",
    "\ud7ff", "..", "../../etc/passwd", "/etc/passwd", "//", "%00", "'; DROP TABLE jobs; --", "%", "_", "*" * 40, "[", "\\",
    "00000000-0000-0000-0000-000000000000", "not-a-uuid", "1e5", "nan", "NaN", [], {}, [None], [[]], {"a": 1}, ["x"] * 300,
]  # fmt: skip
# Nothing is asked of these: a stream never ends, and a key that is taken back would end the test itself.
LEFT_OUT = {"/api/events"}
ROUNDS = 14


def operations(client: TestClient) -> list[tuple[str, str, dict[str, Any]]]:
    document = client.get("/api/openapi.json").json()
    found = []
    for path, methods in document["paths"].items():
        found += [
            (method, path, {**made, "schemas": document["components"]["schemas"]}) for method, made in methods.items()
        ]
    return [one for one in found if one[1] not in LEFT_OUT]


def value_of(schema: dict[str, Any], schemas: dict[str, Any], rng: random.Random, depth: int = 0) -> Any:
    """Something that fits a schema, mostly."""
    if depth > 6 or rng.random() < 0.12:
        return rng.choice(JUNK)
    if "$ref" in schema:
        return value_of(schemas[schema["$ref"].rsplit("/", 1)[1]], schemas, rng, depth + 1)
    for key in ("anyOf", "oneOf", "allOf"):
        if key in schema:
            return value_of(rng.choice(schema[key]), schemas, rng, depth + 1)
    if "enum" in schema:
        return rng.choice(schema["enum"])
    if "const" in schema:
        return schema["const"]
    match schema.get("type"):
        case "object":
            made = {
                name: value_of(inner, schemas, rng, depth + 1)
                for name, inner in schema.get("properties", {}).items()
                if name in schema.get("required", ()) or rng.random() < 0.6
            }
            return made | ({rng.choice(["x", "step", ""]): rng.choice(JUNK)} if rng.random() < 0.1 else {})
        case "array":
            return [value_of(schema.get("items", {}), schemas, rng, depth + 1) for _ in range(rng.choice([0, 1, 2, 5]))]
        case "integer":
            return rng.choice([0, 1, 2, 7, -1, 100, 10**6, 2**31, 2**63, 2**70])
        case "number":
            return rng.choice([0.0, 1.0, -1.5, 1e9, 1e308, 1e-320])
        case "boolean":
            return rng.random() < 0.5
        case "null":
            return None
        case _:
            return rng.choice(
                ["", "x", "actors", "crab", str(uuid.UUID(int=rng.getrandbits(128))), "é\u202e", "a/b/../c", "\0"]
            )


def known(
    name: str, ids: dict[str, list[Any]], schema: dict[str, Any], schemas: dict[str, Any], rng: random.Random
) -> Any:
    """The id of something that is there, of something that is not, or anything."""
    if name in ids and rng.random() < 0.75:
        return rng.choice(ids[name])
    return value_of(schema, schemas, rng)


def text(value: Any) -> str:
    return quote(str(value)[:2000], safe="") or "-"


@pytest.fixture(scope="module")
def ids(client: TestClient, project: str, crab: str) -> dict[str, list[Any]]:
    """What there is to ask about, in a project of its own beside the game's."""
    other = client.post("/api/projects", json={"name": "asked anything"}).json()["id"]
    entries = client.get(f"/api/projects/{project}/entries", params={"limit": 300}).json()["entries"]
    sources = client.get(f"/api/projects/{project}/sources").json()
    jobs = client.get(f"/api/projects/{project}/jobs").json()
    return {
        "project": [other], "entry": [e["id"] for e in entries], "source": [s["id"] for s in sources[:1]],
        "workpiece": [crab], "job": [j["id"] for j in jobs if j["status"] not in {"queued", "running"}],
        "key": [e["picture"] for e in entries if e["picture"]] or ["none"],
    }  # fmt: skip


def reads_only(method: str, path: str) -> bool:
    """Whether asking leaves what other tests stand on as it was."""
    return method == "get" or "{project}" in path or path == "/api/projects"


@cache
def document(client: TestClient) -> dict[str, Any]:
    return client.get("/api/openapi.json").json()  # type: ignore[no-any-return]


def media_of(answer: dict[str, Any], client: TestClient) -> set[str]:
    """The content types that the description allows an answer to have."""
    while "$ref" in answer:
        answer = document(client)["components"]["responses"][answer["$ref"].rsplit("/", 1)[1]]
    return set(answer.get("content", {}))


def fits(media: str, allowed: set[str]) -> bool:
    return media in allowed or f"{media.split('/', maxsplit=1)[0]}/*" in allowed


def open_ended(schema: dict[str, Any], schemas: dict[str, Any], place: str, met: set[str]) -> list[str]:
    """Where a value may be of any length or size; `met` are the named schemas looked at already."""
    if "$ref" in schema:
        name = schema["$ref"].rsplit("/", 1)[1]
        inner = {} if name in met else schemas[name]
        met.add(name)
        return open_ended(inner, schemas, name, met)
    bounds = {
        "string": {"maxLength", "pattern", "enum", "const", "format", "contentMediaType"},
        "integer": {"maximum", "exclusiveMaximum", "enum", "const"},
        "array": {"maxItems", "prefixItems"},
    }.get(schema.get("type", ""))
    found = [] if bounds is None or bounds & schema.keys() else [f"{place}: any {schema['type']}"]
    below = [(place, one) for key in ("anyOf", "oneOf", "allOf", "prefixItems") for one in schema.get(key, [])]
    below += [(f"{place}.{name}", one) for name, one in schema.get("properties", {}).items()]
    below += [(place, schema[key]) for key in ("items", "additionalProperties") if isinstance(schema.get(key), dict)]
    return found + [line for where, one in below for line in open_ended(one, schemas, where, met)]


def test_everything_that_is_asked_has_an_end(client: TestClient) -> None:
    met: set[str] = set()
    found = []
    for method, path, made in operations(client):
        asked = [(p["name"], p["schema"]) for p in made.get("parameters", [])]
        asked += [("body", one["schema"]) for one in made.get("requestBody", {}).get("content", {}).values()]
        for name, schema in asked:
            found += open_ended(schema, made["schemas"], f"{method} {path} {name}", met)
    assert found == []


def test_every_refusal_is_documented_everywhere(client: TestClient) -> None:
    described = document(client)
    for path, methods in described["paths"].items():
        for method, made in methods.items():
            assert {"401", "403", "404", "413", "422", "503"} <= set(made["responses"]), (method, path)
            success = [status for status in made["responses"] if status.startswith("2")]
            assert len(success) == 1, (method, path)
            content = set(made["responses"][success[0]].get("content", {}))
            assert content or success == ["204"], (method, path)
    assert "HTTPValidationError" not in described["components"]["schemas"]


DEEP: Any = 1
for _ in range(40):
    DEEP = {"a": DEEP}


@pytest.mark.parametrize(
    "query", [DEEP, {"x": "\0"}, {"x": ["y"] * 30_000}, {"x": 2**70}, {"x": "\ud800"}], ids=lambda q: str(q)[:20]
)
def test_what_is_stored_can_be_told_again(client: TestClient, project: str, query: Any) -> None:
    """Nothing that is kept may break the listing of the rest."""
    body = as_json({"name": "deep", "query": query})
    address = f"/api/projects/{project}/searches"
    answer = client.put(address, content=body, headers={"Content-Type": "application/json"})
    assert answer.status_code == 422
    assert client.get(address).status_code == 200


def as_json(value: Any) -> bytes:
    return json.dumps(value).encode("utf-8", "surrogatepass")


def test_any_question_is_answered_or_refused_in_words(client: TestClient, ids: dict[str, list[Any]]) -> None:
    rng = random.Random(20)
    client = TestClient(client.app, client.base_url, raise_server_exceptions=False, cookies=client.cookies)
    wrong: list[str] = []
    asked = 0
    for method, path, made in operations(client):
        if method == "delete" and path == "/api/projects/{project}":
            continue
        for _ in range(ROUNDS if reads_only(method, path) else 4):
            place, query = path, {}
            for parameter in made.get("parameters", ()):
                name, schema = parameter["name"], parameter["schema"]
                # What would change the game's own project is asked only of what is not there.
                there = ids if reads_only(method, path) else {}
                value = known(name, there, schema, made["schemas"], rng)
                if parameter["in"] == "path":
                    place = place.replace("{" + name + "}", text(value))
                elif parameter["in"] == "query" and (parameter.get("required") or rng.random() < 0.6):
                    query[name] = str(value)[:2000]
            sent: dict[str, Any] = {}
            content = made.get("requestBody", {}).get("content", {})
            if "application/json" in content:
                sent["json"] = value_of(content["application/json"]["schema"], made["schemas"], rng)
            elif content:
                sent["content"] = rng.randbytes(rng.choice([0, 1, 40]))
            asked += 1
            answer = client.request(method, place, params=query, **sent)
            what = f"{method.upper()} {place[:80]} {query} {str(sent)[:160]} -> {answer.status_code}"
            documented = made["responses"].get(str(answer.status_code))
            media = answer.headers.get("content-type", "").split(";")[0]
            if documented is None or (answer.content and not fits(media, media_of(documented, client))):
                wrong.append(f"{what}: {media} is not documented")
            if answer.status_code >= 500:
                wrong.append(what)
            elif answer.status_code >= 400:
                problem = answer.json()
                words = f"{problem.get('title', '')} {problem.get('detail', '')}"
                if not problem.get("title") or not problem.get("detail"):
                    wrong.append(f"{what}: no words: {str(problem)[:200]}")
                elif "Traceback" in words or "Error" in words or "psycopg" in words or "sqlalchemy" in words.lower():
                    wrong.append(f"{what}: {words[:200]}")
    assert asked > 400
    assert not wrong, f"{len(wrong)} of {asked}\n" + "\n".join(wrong[:40])
