"""Who may ask, what answers allow, and what lies on the disk: nothing gets out or in that should not."""

from __future__ import annotations

import json
import logging
import os
import uuid
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError

from pruxel.server.api.guard import COOKIE
from pruxel.server.settings import settings
from pruxel.server.store.database import engine, session
from pruxel.server.store.sealing import sealed, unsealed
from tests.server.asking import Wait, digest_of, ended, new_project, piece
from tests.server.conftest import Worker

KEY = "00112233445566778899aabbccddeeff"


@pytest.fixture
def stranger(client: TestClient) -> TestClient:
    """The same application, asked without a key."""
    return TestClient(client.app, base_url="http://127.0.0.1", raise_server_exceptions=False)


@pytest.mark.parametrize(
    "path",
    ["/", "/p/x/browse", "/api/projects", "/api/projects/x", "/api/blobs/none", "/api/nothing", "/assets/none.js"],
)
def test_every_answer_says_what_browsers_may_do(client: TestClient, stranger: TestClient, path: str) -> None:
    for who in (client, stranger):
        headers = who.get(path).headers
        policy = dict(part.strip().split(" ", 1) for part in headers["content-security-policy"].split(";"))
        assert policy["script-src"] == "'self'"
        assert policy["default-src"] == policy["frame-ancestors"] == policy["base-uri"] == "'none'"
        assert "unsafe" not in headers["content-security-policy"]
        assert headers["x-content-type-options"] == "nosniff"
        assert headers["x-frame-options"] == "DENY"
        assert headers["referrer-policy"] == "no-referrer"
        assert {headers[f"cross-origin-{name}-policy"] for name in ("opener", "resource")} == {"same-origin"}
        assert "server" not in headers


FOREIGN: list[dict[str, str]] = [
    {"Origin": "http://evil.example"},
    {"Origin": "null"},
    {"Origin": "http://127.0.0.1:1"},
    {"Origin": "https://127.0.0.1"},
    {"Origin": "http://127.0.0.1.evil.example"},
    {"Origin": "http://127.0.0.1@evil.example"},
    {"Origin": "http://["},
    {"Origin": "\xff\xfe"},
    {"Sec-Fetch-Site": "cross-site"},
    {"Sec-Fetch-Site": "same-site"},
    {"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "navigate"},
]


@pytest.mark.parametrize("headers", FOREIGN, ids=str)
@pytest.mark.parametrize(
    ("method", "path"),
    [("GET", "/api/projects"), ("GET", "/api/events"), ("POST", "/api/projects"), ("GET", "/api/blobs/x")],
)
def test_foreign_pages_get_nothing(client: TestClient, method: str, path: str, headers: dict[str, str]) -> None:
    raw = {name: value.encode("latin-1") for name, value in headers.items()}
    answer = client.request(method, path, headers=raw, json={"name": "x"} if method == "POST" else None)  # type: ignore[arg-type]
    assert answer.status_code == 403
    assert answer.headers["content-type"] == "application/problem+json"


def test_our_own_page_and_a_followed_link_are_answered(client: TestClient, stranger: TestClient) -> None:
    for headers in ({"Origin": "http://127.0.0.1"}, {"Sec-Fetch-Site": "same-origin"}, {"Sec-Fetch-Site": "none"}):
        assert client.get("/api/projects", headers=headers).status_code == 200
    followed = {"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "navigate"}
    assert stranger.get("/", headers=followed).status_code == 200
    assert stranger.get("/", headers={"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "no-cors"}).status_code == 403


@pytest.mark.parametrize(
    ("host", "status"),
    [
        ("127.0.0.1", 200),
        ("127.0.0.1:80", 200),
        ("localhost", 200),
        ("[::1]", 200),
        ("127.0.0.1:8737", 421),
        ("evil.example", 421),
        ("127.0.0.1.evil.example", 421),
        ("", 400),
        ("a:b:c", 400),
        ("[::", 400),
        ("127.0.0.1:99999", 400),
        ("127.0.0.1/x", 400),
        ("\xff\xfe", 400),
        ("user@127.0.0.1", 400),
    ],
)
def test_only_our_own_host_and_port_are_answered(client: TestClient, host: str, status: int) -> None:
    assert client.get("/api/projects", headers={"Host": host.encode("latin-1")}).status_code == status  # type: ignore[dict-item]


@pytest.mark.parametrize(
    "cookie", ["", "x", "\xff\xfe\x80", "a=b; c", f"{COOKIE}=wrong", f"{COOKIE}=\xe9", f"{COOKIE}", "=" * 5000]
)
def test_odd_cookies_are_no_access_and_no_mistake(stranger: TestClient, cookie: str) -> None:
    answer = stranger.get("/api/projects", headers={"Cookie": cookie.encode("latin-1")})  # type: ignore[dict-item]
    assert answer.status_code == 401
    assert answer.headers["content-type"] == "application/problem+json"


def test_the_key_of_the_link_is_compared_whatever_it_is(stranger: TestClient) -> None:
    for key in ("", "x", "\u20ac", "\x00", "%ff"):
        assert COOKIE not in stranger.get("/", params={"key": key}, follow_redirects=False).headers.get(
            "set-cookie", ""
        )


def test_more_than_a_path_takes_is_refused(client: TestClient) -> None:
    too_much = client.post("/api/projects", content=b'{"name": "' + b"x" * (9 << 20) + b'"}')
    assert too_much.status_code == 413
    assert too_much.headers["content-type"] == "application/problem+json"
    made = new_project(client, "large")
    text_of = "profile: 1\nname: Large\n# " + "x" * (9 << 20)
    assert client.post(f"/api/projects/{made}/profile/check", json={"text": text_of}).status_code in {200, 422}


# ---- keys


def test_keys_are_sealed_where_they_lie(client: TestClient, caplog: pytest.LogCaptureFixture) -> None:
    made = new_project(client, "ring")
    with caplog.at_level(logging.DEBUG):
        told = client.put(f"/api/projects/{made}/keys", json={"name": "reef", "value": KEY}).json()
    assert [key["name"] for key in told if key["here"]] == ["reef"]
    with engine().connect() as connection:
        stored = connection.execute(text("SELECT value FROM keys WHERE project_id = :p"), {"p": made}).scalar_one()
    assert bytes.fromhex(KEY) not in bytes(stored)
    assert unsealed(bytes(stored)) == bytes.fromhex(KEY)
    assert KEY not in caplog.text
    exported = client.get(f"/api/projects/{made}/profile/file").text
    assert KEY not in exported


def test_what_another_installation_sealed_is_asked_for_again(client: TestClient) -> None:
    made = new_project(client, "moved")
    client.put(f"/api/projects/{made}/keys", json={"name": "reef", "value": KEY})
    with session() as db:
        db.execute(text("UPDATE keys SET value = :v WHERE project_id = :p"), {"v": b"another's", "p": made})
    assert not any(key["here"] for key in client.get(f"/api/projects/{made}/keys").json())
    assert unsealed(sealed(b"x")) == b"x"


def test_errors_of_the_database_do_not_tell_values(installation: dict[str, str]) -> None:
    with pytest.raises(DBAPIError) as told, session() as db:
        db.execute(text("SELECT CAST(:value AS integer)"), {"value": "a secret value"})
    assert "a secret value" not in str(told.value).split("DETAIL")[0].split("invalid input")[0]
    assert "[SQL parameters hidden" in str(told.value)


def test_the_data_folder_is_its_owners(installation: dict[str, str], client: TestClient) -> None:
    new_project(client, "owner")
    for name in ("access-token", "secret"):
        place = settings().data_folder / name
        if place.exists():
            assert place.stat().st_mode & 0o077 == 0


# ---- uploads


def started(client: TestClient, project: str, name: str, size: int) -> tuple[str, str]:
    url = f"/api/projects/{project}/uploads"
    return f"{url}/{client.post(url, json={'name': name, 'size': size}).json()['id']}", url


def test_a_piece_is_kept_only_when_its_digest_fits(client: TestClient) -> None:
    made = new_project(client, "pieces")
    address, url = started(client, made, "a.bin", 10)
    bare = client.put(address, params={"offset": 0}, content=b"01234")
    assert (bare.status_code, bare.json()["field"]) == (422, "Content-Digest")
    for digest in (digest_of(b"0123"), "sha-256=:AAAA:", "sha-256=:" + "=" * 44 + ":", "md5=:x:"):
        hurt = client.put(address, params={"offset": 0}, content=b"01234", headers={"Content-Digest": digest})
        assert hurt.status_code == 422
    assert client.post(url, json={"name": "a.bin", "size": 10}).json()["have"] == 0
    assert piece(client, address, 0, b"01234").json()["have"] == 5
    assert piece(client, address, 0, b"01234").status_code == 409
    done = piece(client, address, 5, b"56789").json()
    assert Path(done["path"]).read_bytes() == b"0123456789"


NAMES = [
    "./../../x", "../x", "/etc/x", "C:\\x", ".part", "x.part", "x.json", f"{'0' * 32}.json", f"{'0' * 32}.part",
    ".." , "a/../../b", "\u202egnp.x", "灯" * 200, "a" * 900, "con", "unfinished/x", "..\\..\\x", "a\nb", "~", "-rf",
]  # fmt: skip


@pytest.mark.parametrize("name", NAMES)
def test_a_sent_file_lies_below_its_project_whatever_its_name(client: TestClient, name: str) -> None:
    made = new_project(client, "names")
    home = settings().uploads / made
    before = {p for p in settings().data_folder.rglob("*") if "postgres" not in p.parts}
    address, _ = started(client, made, name, 4)
    done = piece(client, address, 0, b"text").json()
    assert Path(done["path"]).resolve().is_relative_to(home.resolve())
    assert Path(done["path"]).read_bytes() == b"text"
    fresh = {p for p in settings().data_folder.rglob("*") if p.is_file()} - before
    # A worker that draws pictures meanwhile stores them among the blobs, under names of their content.
    fresh = {p for p in fresh if "blobs" not in p.parts}
    assert {p for p in fresh if p.name != f"{address.rsplit('/', 1)[1]}.json"} == {Path(done["path"])}


def test_a_file_named_like_a_note_changes_no_note(client: TestClient) -> None:
    """What is known of an upload lies where no name reaches: nobody can say by a file where the next is written."""
    made = new_project(client, "notes")
    first, url = started(client, made, "first.bin", 4)
    number = first.rsplit("/", 1)[1]
    evil = json.dumps({"name": "../../../evil", "size": 4}).encode()
    for name in (f".{number}.json", f"{number}.json", f"../unfinished/{made}/{number}.json"):
        address, _ = started(client, made, name, len(evil))
        assert piece(client, address, 0, evil).status_code == 200
    assert client.post(url, json={"name": "first.bin", "size": 4}).json()["name"] == "first.bin"
    done = piece(client, first, 0, b"good").json()
    assert Path(done["path"]) == settings().uploads / made / "first.bin"
    assert not list(settings().data_folder.parent.rglob("evil"))


def test_one_writer_at_a_time(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    import fcntl

    made = new_project(client, "two pages")
    address, _ = started(client, made, "a.bin", 10)
    part = settings().unfinished / made / f"{address.rsplit('/', 1)[1]}.part"
    other = os.open(part, os.O_RDWR)
    try:
        fcntl.flock(other, fcntl.LOCK_EX)
        refused = piece(client, address, 0, b"01234")
        assert (refused.status_code, "another page" in refused.json()["detail"]) == (409, True)
    finally:
        os.close(other)
    assert piece(client, address, 0, b"01234").json()["have"] == 5


def test_a_file_and_a_folder_of_one_name_are_both_told(client: TestClient) -> None:
    made = new_project(client, "clash")
    for name, fine in (("a/b.txt", True), ("a", False), ("b", True), ("b/c.txt", False)):
        address, _ = started(client, made, name, 4)
        answer = piece(client, address, 0, b"text")
        assert (answer.status_code == 200) == fine, answer.text
        assert answer.status_code in {200, 409}


# ---- links out of the roots


def test_links_do_not_lead_out_of_the_roots(
    client: TestClient, installation: dict[str, str], worker: Worker, wait_for: Wait, tmp_path: Path
) -> None:
    (tmp_path / "profile.yaml").write_text("profile: 1\nname: Outside\n")
    (tmp_path / "secret.txt").write_text("secret")
    home = Path(installation["mounts"]) / f"links-{uuid.uuid4().hex[:6]}"
    home.mkdir()
    for name in ("profile.yaml", "secret.txt"):
        (home / name).symlink_to(tmp_path / name)
    (home / "folder").symlink_to(tmp_path)
    (home / "own.txt").write_text("own")
    made = new_project(client, "links")
    job = client.post(f"/api/projects/{made}/sources", json={"path": str(home)}).json()
    assert wait_for(ended(client, made, job["id"]))["status"] == "done"
    entries = client.get(f"/api/projects/{made}/entries").json()["entries"]
    assert [entry["path"] for entry in entries] == ["own.txt"]
    assert client.get(f"/api/projects/{made}/profile").json()["name"] == ""
    assert client.post(f"/api/projects/{made}/sources", json={"path": str(home / "folder")}).status_code == 403
    assert client.get("/api/places", params={"path": str(home / "folder")}).status_code == 403


@pytest.mark.parametrize("name", ["./../../x", "..", "/abs", "a/b", "x" * 119, "\u202e", "con", "a\tb"])
def test_extractions_and_deliveries_are_named_safely(name: str) -> None:
    from pruxel.core.formats.textures import link_name
    from pruxel.server.jobs.extract import extract_folder

    folder = extract_folder(name, uuid.uuid4())
    assert folder.resolve().is_relative_to(settings().extracts.resolve())
    assert folder.resolve() != settings().extracts.resolve()
    made: Any = settings().deliveries / f"{link_name(name)}-x"
    assert made.resolve().parent == settings().deliveries.resolve()
