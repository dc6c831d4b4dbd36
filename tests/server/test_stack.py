"""The stack in the database: layers, versions, keys, names, marks, references, extraction, finds, uploads."""

from __future__ import annotations

import io
import os
import shutil
import time
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image

from bench.scenes import waves
from pruxel.core.base.context import Context
from pruxel.core.deliver.package import write_files
from pruxel.core.formats.gltf import write_gltf
from pruxel.core.formats.gltf.options import GltfOptions
from pruxel.sample.containers import VAULT_KEY, WRONG_KEY, bulk_bytes
from pruxel.sample.files import pack_bytes
from tests.conftest import CRAB
from tests.server.asking import ended, mount, new_project, piece
from tests.server.conftest import Worker
from tests.server.test_api import facets

Wait = Callable[..., Any]


@pytest.fixture(scope="module")
def reef(client: TestClient, worker: Worker, game: Path, wait_for: Wait) -> str:
    """A project of this module's own with the game mounted."""
    made = new_project(client, "stack")
    mount(client, made, game, wait_for)
    return made


def sources(client: TestClient, project: str) -> dict[str, dict[str, Any]]:
    return {s["label"]: s for s in client.get(f"/api/projects/{project}/sources").json()}


def find(client: TestClient, project: str, **query: Any) -> list[dict[str, Any]]:
    return list(client.get(f"/api/projects/{project}/entries", params={"limit": 500, **query}).json()["entries"])


def entry(client: TestClient, project: str, path: str) -> dict[str, Any]:
    return next(e for e in find(client, project, search=path) if e["path"] == path)


def raw(client: TestClient, number: int) -> bytes:
    return client.get(f"/api/entries/{number}/raw").content


def idle(client: TestClient, project: str, *kinds: str) -> Callable[[], bool]:
    def ask() -> bool:
        jobs = client.get(f"/api/projects/{project}/jobs").json()
        return not any(j["status"] in {"queued", "running"} and j["kind"] in kinds for j in jobs)

    return ask


def test_higher_layers_win_and_switching_costs_no_reading(client: TestClient, reef: str) -> None:
    readme = entry(client, reef, "text/readme.txt")
    assert (readme["source"], readme["shadowed"], readme["versions"]) == ("update_1.brp", ["reef.brp", "first.brp"], 3)
    before = facets(client, reef)["total"]
    update = sources(client, reef)["update_1.brp"]
    assert client.patch(f"/api/sources/{update['id']}", json={"on": False}).json()["counts"] is False
    lower = entry(client, reef, "text/readme.txt")
    assert (lower["source"], lower["shadowed"]) == ("reef.brp", ["first.brp"])
    assert raw(client, lower["id"]).startswith(b"Brinepost. Deliver")
    with_others = shared(client, reef)
    alone = update["entries"] - sum(1 for e in find(client, reef) if e["path"] in with_others)
    assert facets(client, reef)["total"] == before - alone
    client.patch(f"/api/sources/{update['id']}", json={"on": True})
    assert facets(client, reef)["total"] == before


def shared(client: TestClient, project: str) -> set[str]:
    """Paths that the update has in common with others."""
    update = sources(client, project)["update_1.brp"]["id"]
    found = set()
    for e in find(client, project):
        if e["versions"] > 1 and any(
            v["source_id"] == update for v in client.get(f"/api/entries/{e['id']}/versions").json()
        ):
            found.add(e["path"])
    return found


def test_the_order_decides_and_all_versions_can_be_had(client: TestClient, reef: str) -> None:
    ids = [s["id"] for s in client.get(f"/api/projects/{reef}/sources").json()]
    labels = sources(client, reef)
    first = labels["first.brp"]["id"]
    moved = client.put(
        f"/api/projects/{reef}/sources/order", json={"sources": [first, *(i for i in ids if i != first)]}
    )
    assert moved.json()[0]["label"] == "first.brp"
    readme = entry(client, reef, "text/readme.txt")
    assert readme["source"] == "first.brp"
    versions = client.get(f"/api/entries/{readme['id']}/versions").json()
    assert [v["source"] for v in versions] == ["first.brp", "update_1.brp", "reef.brp"]
    assert [v["wins"] for v in versions] == [True, False, False]
    assert all("bytes differ from" in v["differs"][-1] for v in versions[1:])
    assert versions[0]["differs"] == []
    assert len({raw(client, v["id"]) for v in versions}) == 3
    sign = client.get(f"/api/entries/{entry(client, reef, 'props/p0118/p0118.brm')['id']}/versions").json()
    assert [v["differs"] for v in sign] == [[], []]
    body = {"entries": ["props/p0118/p0118.brm"], "source": labels["reef.brp"]["id"]}
    assert client.post(f"/api/projects/{reef}/workpieces", json=body).status_code == 201
    stale = client.put(f"/api/projects/{reef}/sources/order", json={"sources": ids[1:]})
    assert stale.status_code == 409
    client.put(f"/api/projects/{reef}/sources/order", json={"sources": ids})
    assert entry(client, reef, "text/readme.txt")["source"] == "update_1.brp"


def test_one_language_counts_and_others_fall_back(client: TestClient, reef: str, wait_for: Wait) -> None:
    [project] = [p for p in client.get("/api/projects").json() if p["id"] == reef]
    assert (project["language"], project["languages"]) == ("en", ["en", "de"])
    assert b"Postmaster" in raw(client, entry(client, reef, "tables/people.csv")["id"])
    client.put(f"/api/projects/{reef}/language", json={"language": "de"})
    assert b"Postmeisterin" in raw(client, entry(client, reef, "tables/people.csv")["id"])
    cards = client.get(f"/api/projects/{reef}/catalogue").json()["cards"]
    assert "Zollkrabbe" in {c["name"] for c in cards}
    client.put(f"/api/projects/{reef}/language", json={"language": "en"})
    cards = {c["code"]: c for c in client.get(f"/api/projects/{reef}/catalogue").json()["cards"]}
    assert cards["0999"]["missing"] == ["portrait", "model", "skeleton", "textures"]
    assert cards["crab_toll"]["parts"]["model"] == [CRAB]
    assert {c["group"] for c in cards.values()} == {"people", "creatures", "vehicles", "places", "townsfolk"}


def test_the_catalogue_comes_by_pages_and_groups(client: TestClient, reef: str) -> None:
    def ask(**values: object) -> dict[str, Any]:
        return dict(client.get(f"/api/projects/{reef}/catalogue", params=values).json())

    whole = ask()
    assert whole["groups"] == {"people": 5, "creatures": 2, "vehicles": 1, "places": 1, "townsfolk": 6}
    codes = [card["code"] for card in whole["cards"]]
    by_pages = [card["code"] for offset in range(0, 15, 3) for card in ask(offset=offset, limit=3)["cards"]]
    assert by_pages == codes
    people = ask(group="people", search="anna")
    assert [card["code"] for card in people["cards"]] == ["0233"]
    assert (people["total"], people["groups"]) == (1, whole["groups"])
    assert ask(search="townsfolk")["total"] == 6
    assert [card["code"] for card in ask(search="ida townsf")["cards"]] == ["3001"]


def test_names_are_given_in_bulk_and_taken_back(client: TestClient, reef: str, wait_for: Wait) -> None:
    goods = entry(client, reef, "tables/goods.csv")["id"]
    columns = {"entry": goods, "id_column": "number", "name_column": "goods"}
    guessed = client.post(f"/api/projects/{reef}/naming/try", json=columns).json()
    assert (guessed["pattern"], guessed["codes"], guessed["fitting"]) == ("props/p{id}/**", 5, 5)
    assert {"code": "0113", "name": "Letterbox", "places": ["props/p0113"], "number": 1} in guessed["rows"]
    wrong = client.post(f"/api/projects/{reef}/naming/try", json=columns | {"name_column": "price"})
    assert wrong.status_code == 422
    assert "number, goods" in wrong.json()["found"]
    assert client.post(f"/api/projects/{reef}/naming", json=columns | {"pattern": "props"}).status_code == 422
    mine = {"path": "props/p0118", "folder": True, "alias": "My own sign"}
    assert client.put(f"/api/projects/{reef}/marks", json=mine).status_code == 204
    job = client.post(f"/api/projects/{reef}/naming", json=columns | {"pattern": "props/p{id}/**"}).json()["id"]
    wait_for(lambda: client.get(f"/api/jobs/{job}").json()["status"] == "done")
    listed = {"text": "coral_01\tPink coral\nnothing here\ncoral_03 = White coral", "pattern": "flora/{id}/*.brm"}
    job = client.post(f"/api/projects/{reef}/naming", json=listed).json()["id"]
    wait_for(lambda: client.get(f"/api/jobs/{job}").json()["status"] == "done")
    boss = {"text": "0107\tThe boss", "pattern": "actors/act_{id}/**"}
    job = client.post(f"/api/projects/{reef}/naming", json=boss).json()["id"]
    wait_for(lambda: client.get(f"/api/jobs/{job}").json()["status"] == "done")
    diver = "actors/act_0107/act_0107.brm"
    assert entry(client, reef, diver)["within"] == "The boss"
    assert entry(client, reef, "props/p0113/p0113.brm")["within"] == "Letterbox"
    assert entry(client, reef, "props/p0118/p0118.brm")["within"] == "My own sign"
    assert entry(client, reef, "flora/coral_03/coral_03.brm")["alias"] == "White coral"
    taken = client.get(f"/api/projects/{reef}/profile/file").text
    assert "Letterbox" in taken
    assert folder_names(client, reef, "props")["props/p0113"] == "Letterbox"
    assert client.delete(f"/api/projects/{reef}/naming").json() == 7
    wait_for(lambda: entry(client, reef, diver)["within"] == "Postmaster Orla Finch")
    assert entry(client, reef, "props/p0113/p0113.brm")["within"] == ""
    assert entry(client, reef, "props/p0118/p0118.brm")["within"] == "My own sign"
    named = folder_names(client, reef, "props")
    assert (named["props/p0113"], named["props/p0118"]) == ("", "My own sign")
    client.put(f"/api/projects/{reef}/marks", json=mine | {"alias": ""})
    assert folder_names(client, reef, "props")["props/p0118"] == ""


def folder_names(client: TestClient, project: str, path: str) -> dict[str, str]:
    """Aliases of the folders in a folder."""
    found = client.get(f"/api/projects/{project}/folders", params={"path": path}).json()
    return {f["path"]: f["alias"] for f in found}


def test_what_is_in_sight_is_drawn_first(client: TestClient, reef: str, wait_for: Wait) -> None:
    paths = ["actors/fish_lantern/fish_lantern.bcl", "flora/coral_03/coral_03.brm"]
    wanted = [entry(client, reef, path)["id"] for path in paths]
    assert client.post(f"/api/projects/{reef}/pictures", json={"entries": wanted}).status_code == 204
    wait_for(lambda: all(entry(client, reef, path)["picture"] for path in paths))
    assert client.post(f"/api/projects/{reef}/pictures", json={"entries": []}).status_code == 422


def test_aliases_come_from_tables_and_are_searched(client: TestClient, reef: str, wait_for: Wait) -> None:
    wait_for(idle(client, reef, "aliases", "scan"))
    found = find(client, reef, search="orla finch", kind="model")
    assert [e["path"] for e in found] == ["actors/act_0107/act_0107.brm", "actors/act_0107/act_0107_lo.brm"]
    assert found[0]["within"] == "Postmaster Orla Finch"
    assert folder_names(client, reef, "actors")["actors/act_0233"] == "Courier Anna Reed"
    top = {f["path"]: f["purpose"] for f in client.get(f"/api/projects/{reef}/folders").json()}
    assert (top["actors"], top["text"]) == ("people and creatures", "")
    assert facets(client, reef, variant="low resolution")["total"] == 4


def test_what_a_person_says_is_found_filtered_and_exported(client: TestClient, reef: str) -> None:
    say = {"path": "props/p0113/p0113.brm", "alias": "red postbox", "note": "hinge on the left", "star": True}
    assert client.put(f"/api/projects/{reef}/marks", json=say).status_code == 204
    assert [e["alias"] for e in find(client, reef, search="postbox")] == ["red postbox"]
    assert [e["path"] for e in find(client, reef, search="hinge left")] == [say["path"]]
    assert facets(client, reef, flag="starred")["total"] == 1
    assert facets(client, reef, flag="unnamed")["total"] == 23
    assert facets(client, reef, flag="shadowed")["total"] >= 5
    assert facets(client, reef, least=1_000_000)["total"] == len(
        [e for e in find(client, reef) if e["size"] >= 1_000_000]
    )
    text = client.get(f"/api/projects/{reef}/profile/file").text
    assert "red postbox" in text
    assert "hinge on the left" in text
    assert "brine_vault" in text
    search = {"name": "stars", "query": {"flag": "starred"}}
    assert client.put(f"/api/projects/{reef}/searches", json=search).json() == [search]
    assert client.delete(f"/api/projects/{reef}/searches", params={"name": "stars"}).json() == []


def test_keys_open_their_pack_and_never_come_back(client: TestClient, reef: str, wait_for: Wait) -> None:
    def vault() -> dict[str, Any]:
        return sources(client, reef)["vault.brv"]

    assert vault()["state"] == "failed"
    assert "needs the key 'reef-2'" in vault()["problems"][0]["line"]
    [wanted] = client.get(f"/api/projects/{reef}/keys").json()
    assert (wanted["name"], wanted["here"], wanted["wanted"]) == ("reef-2", False, True)
    client.put(f"/api/projects/{reef}/keys", json={"name": "reef-2", "value": WRONG_KEY.hex()})
    wait_for(lambda: "does not open" in vault()["problems"][0]["line"])
    answer = client.put(f"/api/projects/{reef}/keys", json={"name": "reef-2", "value": VAULT_KEY.hex()})
    wait_for(lambda: vault()["state"] == "ready")
    assert vault()["problems"] == []
    assert len(find(client, reef, search="g777.brm")) == 1
    exported = client.get(f"/api/projects/{reef}/profile/file").text
    jobs = client.get(f"/api/projects/{reef}/jobs").text
    for text in (answer.text, exported, jobs, client.get(f"/api/projects/{reef}/keys").text):
        assert VAULT_KEY.hex() not in text
        assert WRONG_KEY.hex() not in text
    assert client.put(f"/api/projects/{reef}/keys", json={"name": "x", "value": "no key!"}).status_code == 422
    client.delete(f"/api/projects/{reef}/keys", params={"name": "reef-2"})
    wait_for(lambda: vault()["state"] == "failed")
    assert find(client, reef, search="g777.brm") == []


def test_names_by_hand_by_list_and_by_harvest(client: TestClient, reef: str, wait_for: Wait) -> None:
    def known() -> tuple[int, int]:
        deep = sources(client, reef)["deep.brh"]
        return deep["named"], deep["hashed"]

    assert known() == (37, 60)
    unnamed = find(client, reef, flag="unnamed", kind="texture")
    assert len(raw(client, unnamed[0]["id"])) == unnamed[0]["size"]
    wrong = client.post(f"/api/projects/{reef}/names/hand", json={"entry": unnamed[0]["id"], "name": "no/such.dds"})
    assert wrong.status_code == 409
    assert "alias" in wrong.json()["hint"]
    code = unnamed[0]["path"].rsplit("/", 1)[-1]
    from pruxel.sample.containers import fnv1a_64

    right = next(
        name
        for n in range(1, 13)
        for layer in "cnp"
        if f"{fnv1a_64((name := f'tex/coral/coral_{n:02d}_{layer}.dds').encode()):016x}" == code
    )
    assert client.post(f"/api/projects/{reef}/names/hand", json={"entry": unnamed[0]["id"], "name": right}).is_success
    wait_for(lambda: known() == (38, 60))
    assert entry(client, reef, right)["source"] == "deep.brh"
    job = client.post(f"/api/projects/{reef}/harvest").json()
    assert wait_for(ended(client, reef, job["id"]))["status"] == "done"
    won = client.get(f"/api/jobs/{job['id']}/results").json()["won"]
    assert len(won) == 22
    wait_for(lambda: known() == (60, 60))
    assert facets(client, reef, flag="unnamed")["total"] == 0
    lists = {n["label"]: n for n in client.get(f"/api/projects/{reef}/names").json()}
    assert lists["harvested"]["names"] == 22
    client.delete(f"/api/names/{lists['harvested']['id']}")
    wait_for(lambda: known() == (38, 60))
    text = "\n".join(w["name"] for w in won).encode() + b"\n\x00junk\n"
    url = f"/api/projects/{reef}/names"
    client.post(
        url, params={"label": "friends.txt"}, content=text, headers={"Content-Type": "application/octet-stream"}
    )
    wait_for(lambda: known() == (60, 60))
    assert {n["label"]: n["dropped"] for n in client.get(url).json()}["friends.txt"] == 1


def test_references_both_ways_and_all_that_is_needed(client: TestClient, reef: str, wait_for: Wait) -> None:
    crab = entry(client, reef, CRAB)
    uses = client.get(f"/api/entries/{crab['id']}/references").json()["uses"]
    assert {u["path"] for u in uses} == {"mat/crab_body.bmt", "mat/crab_eyes.bmt", "mat/crab_gear.bmt"}
    needs = client.get(f"/api/entries/{crab['id']}/needs").json()
    assert needs["missing"] == []
    assert len([p for p in needs["paths"] if p.startswith("tex/crab/")]) >= 8
    job = client.post(f"/api/projects/{reef}/references").json()
    assert wait_for(ended(client, reef, job["id"]))["status"] == "done"
    body = entry(client, reef, "mat/crab_body.bmt")
    assert body["used"] == 1
    assert client.get(f"/api/entries/{body['id']}/references").json()["used_by"] == [CRAB]
    by_use = find(client, reef, sort="references", down=True)
    assert [e["used"] for e in by_use] == sorted((e["used"] for e in by_use), reverse=True)
    lines = [p["line"] for p in client.get(f"/api/projects/{reef}/problems").json()]
    assert any("mat/crate_next.bmt" in line and "wip/p0042_test.brm" in line for line in lines)
    wip = entry(client, reef, "wip/p0042_test.brm")
    [lost] = client.get(f"/api/entries/{wip['id']}/references").json()["uses"]
    assert lost["path"] is None
    assert "mat/crate_wood.bmt" in lost["near"] or lost["near"]


def test_looks_of_every_kind(client: TestClient, reef: str, wait_for: Wait) -> None:
    def look(path: str) -> dict[str, Any]:
        return dict(client.get(f"/api/entries/{entry(client, reef, path)['id']}/look").json())

    texture = look("tex/crab/crab_body_c.dds")["texture"]
    assert (texture["width"], texture["encoding"]) == (1024, "BC7")
    assert texture["mips"] > 4
    number = entry(client, reef, "tex/crab/crab_body_c.dds")["id"]
    whole, red, small = (
        np.asarray(Image.open(io.BytesIO(client.get(f"/api/entries/{number}/texture", params=p).content)))
        for p in ({}, {"channel": "r"}, {"level": 2, "channel": "rgb"})
    )
    assert whole.shape == (1024, 1024, 4)
    assert (red[..., 0] == whole[..., 0]).all()
    assert small.shape == (256, 256, 3)
    assert texture["channels"][0]["mean"] == pytest.approx(float(whole[..., 0].mean()), abs=0.1)
    material = look("mat/crab_gear.bmt")["material"]
    assert all(slot["path"] for slot in material["slots"])
    level = look("levels/market/market.blv")["level"]
    assert len(level["points"]) == sum(level["counts"]) == 93
    assert look("tables/people.csv")["table"]["columns"] == ["code", "name", "role"]
    assert look("text/update_1.txt")["text"].startswith("Hats")
    assert "no such" in look("dev/starfish.mtl")["problem"] or look("dev/starfish.mtl")["problem"]
    job = look(CRAB)["glance"]
    seen = wait_for(lambda: (g := client.get(f"/api/projects/{reef}/glances/{job}").json())["status"] == "done" and g)
    assert seen["facts"]["triangles"] == 48_178
    manifest = client.get(f"/api/scenes/{seen['scene']}").json()
    positions = manifest["meshes"][0]["primitives"][0]["positions"]
    assert len(client.get(f"/api/blobs/{positions['blob']}").content) == 12 * positions["shape"][0]
    assert all(
        client.get(f"/api/blobs/{name}").headers["content-type"].startswith("image/") for name in manifest["pictures"]
    )
    assert look(CRAB)["glance"] == job
    hexed = client.get(f"/api/entries/{number}/bytes", params={"offset": 0, "size": 4}).json()
    assert bytes.fromhex(hexed["hex"]) == b"DDS "


def test_finds_become_entries(client: TestClient, reef: str, wait_for: Wait) -> None:
    dump = entry(client, reef, "dev/dump.bin")
    job = client.post(f"/api/entries/{dump['id']}/carve", json={}).json()
    assert wait_for(ended(client, reef, job["id"]))["status"] == "done"
    hits = client.get(f"/api/jobs/{job['id']}/results").json()["hits"]
    assert [h["format"] for h in hits][:3] == ["PNG", "JPEG", "DDS"]
    assert all(h["picture"] for h in hits[:4])
    label = client.post(f"/api/entries/{dump['id']}/finds", json={"hits": hits[:3]}).json()
    found = find(client, reef, folder="dump.bin.found")
    assert len(found) == 3
    assert {e["source"] for e in found} == {label}
    assert raw(client, next(e["id"] for e in found if e["path"].endswith(".png"))).startswith(b"\x89PNG")


def test_a_pack_in_a_pack_is_mounted_by_its_address(client: TestClient, reef: str, wait_for: Wait) -> None:
    hats = entry(client, reef, "extra/hats.brp")
    address = client.get(f"/api/entries/{hats['id']}/address").json()
    mount(client, reef, address, wait_for)
    assert entry(client, reef, "gear/g900/g900.brm")["source"] == "hats.brp"
    assert len(raw(client, entry(client, reef, "gear/g900/g900.brm")["id"])) > 1000


def extract(client: TestClient, project: str, **wish: Any) -> dict[str, Any]:
    answer = client.post(f"/api/projects/{project}/extracts", json=wish)
    assert answer.status_code == 202, answer.text
    return dict(answer.json())


def test_raw_files_keep_folders_or_go_flat_with_all_versions(client: TestClient, reef: str, wait_for: Wait) -> None:
    measured = client.post(f"/api/projects/{reef}/selection", json={"query": {"folder": "text"}}).json()
    assert measured["files"] == len(find(client, reef, folder="text"))
    assert measured["several"] >= 1
    job = extract(client, reef, query={"folder": "text"}, versions="all", name="texts")
    done = wait_for(ended(client, reef, job["id"]))
    home = Path(done["payload"]["folder"])
    assert (home / "text/readme.txt").read_bytes().startswith(b"Brinepost, update 1")
    assert (home / "text/readme~reef.txt").read_bytes().startswith(b"Brinepost. Deliver")
    assert (home / "text/readme~first.txt").is_file()
    job = extract(client, reef, paths=["tex/crab/crab_eyes_c.dds", CRAB], shape="flat", png=True)
    home = Path(wait_for(ended(client, reef, job["id"]))["payload"]["folder"])
    assert {p.name for p in home.iterdir()} == {"crab_eyes_c.dds", "crab_eyes_c.dds.png", "crab_toll.brm"}
    job = extract(client, reef, query={"folder": "actors"}, shape="strip", prefix="actors")
    home = Path(wait_for(ended(client, reef, job["id"]))["payload"]["folder"])
    assert (home / "crab_toll/crab_toll.brm").is_file()
    [held] = client.post(f"/api/projects/{reef}/collisions", json={"paths": ["text/readme.txt", CRAB]}).json()
    assert (held["path"], held["holders"][0]["source"]) == ("text/readme.txt", "update_1.brp")
    assert [h["wins"] for h in held["holders"]] == [True, False, False]
    base = next(h["source_id"] for h in held["holders"] if h["source"] == "reef.brp")
    job = extract(client, reef, query={"folder": "text"}, choices={"text/readme.txt": base})
    home = Path(wait_for(ended(client, reef, job["id"]))["payload"]["folder"])
    assert (home / "text/readme.txt").read_bytes().startswith(b"Brinepost. Deliver")
    assert len(list((home / "text").iterdir())) == measured["files"]
    wish = {"paths": [CRAB, "text/readme.txt"], "shape": "strip", "prefix": "actors"}
    stream = client.get(client.post(f"/api/projects/{reef}/zips", json=wish).json()["address"])
    archive = zipfile.ZipFile(io.BytesIO(stream.content))
    assert archive.testzip() is None
    assert set(archive.namelist()) == {CRAB.removeprefix("actors/"), "text/readme.txt"}
    assert client.get(f"/api/projects/{reef}/zips/{'0' * 32}").status_code == 404
    assert client.post(f"/api/projects/{reef}/extracts", json={"paths": ["no/such"]}).status_code == 404


@pytest.fixture(scope="module")
def bulk(client: TestClient, installation: dict[str, str], game: Path, worker: Worker, wait_for: Wait) -> str:
    """A project with many small entries."""
    home = Path(installation["mounts"]) / "bulk"
    home.mkdir()
    shutil.copytree(game / "layouts", home / "layouts")
    (home / "p.yaml").write_text(
        "profile: 1\nname: Bulk\nlayouts: [layouts/*.yaml]\nleave_out: ['*.yaml', 'layouts/*']\n"
    )
    (home / "bulk.brp").write_bytes(bulk_bytes(12_000))
    made = new_project(client, "bulk")
    mount(client, made, home, wait_for)
    return made


def test_extraction_pauses_and_goes_on_after_the_worker_died(
    client: TestClient, bulk: str, worker: Worker, wait_for: Wait
) -> None:
    job = extract(client, bulk, query={}, name="all")

    def now() -> dict[str, Any]:
        return dict(client.get(f"/api/jobs/{job['id']}").json())

    wait_for(lambda: now()["status"] == "running" and now()["fraction"] > 0.01)
    client.post(f"/api/jobs/{job['id']}/pause")
    paused = wait_for(lambda: now() if now()["status"] == "paused" else None)
    done = paused["payload"]["done"]
    assert 0 < done < 12_000
    folder = Path(paused["payload"]["folder"])
    assert sum(1 for p in folder.rglob("*") if p.is_file()) == done
    assert not list(folder.rglob(".*.partial"))
    assert client.post(f"/api/jobs/{job['id']}/resume").json()["status"] == "queued"
    wait_for(lambda: now()["status"] == "running" and now()["fraction"] > 0.1)
    worker.stop()
    assert now()["status"] in {"queued", "done"}
    worker.start()
    wait_for(lambda: now()["status"] == "done")
    assert sum(1 for p in folder.rglob("*") if p.is_file()) == 12_000


def test_reading_again_moves_only_the_difference(
    client: TestClient, installation: dict[str, str], game: Path, worker: Worker, wait_for: Wait
) -> None:
    home = Path(installation["mounts"]) / "changing"
    shutil.copytree(game / "layouts", home / "layouts")
    (home / "p.yaml").write_text("profile: 1\nname: C\nlayouts: [layouts/*.yaml]\nleave_out: ['*.yaml', 'layouts/*']\n")
    files = {f"a/{n}.txt": b"text %d" % n for n in range(50)}
    (home / "c.brp").write_bytes(pack_bytes(files))
    made = new_project(client, "changing")
    mount(client, made, home, wait_for)
    before = {e["path"]: e["id"] for e in find(client, made)}
    client.put(f"/api/projects/{made}/marks", json={"path": "a/7.txt", "note": "mine"})
    mount(client, made, home, wait_for)
    assert {e["path"]: e["id"] for e in find(client, made)} == before
    moved = {("b/new.txt" if p == "a/7.txt" else p): d for p, d in files.items() if p != "a/1.txt"} | {
        "a/2.txt": b"other"
    }
    (home / "c.brp").write_bytes(pack_bytes(moved))
    stale = client.get(f"/api/entries/{before['a/3.txt']}/raw")
    assert stale.status_code == 422
    assert stale.json()["code"] == "source-changed"
    mount(client, made, home, wait_for)
    after = {e["path"]: e["id"] for e in find(client, made)}
    assert set(after) == set(moved)
    assert {p for p in after if after[p] != before.get(p)} == {"b/new.txt"}
    assert raw(client, after["a/2.txt"]) == b"other"
    assert entry(client, made, "b/new.txt")["note"] == "mine"
    counted = client.get(f"/api/projects/{made}/folders").json()
    assert {f["path"]: f["entries"] for f in counted} == {"a": 48, "b": 1}


def test_what_cannot_be_drawn_is_tried_again_when_sources_are_read_anew(
    client: TestClient, installation: dict[str, str], worker: Worker, wait_for: Wait
) -> None:
    home = Path(installation["mounts"]) / "undrawn"
    home.mkdir()
    held = io.BytesIO()
    Image.new("RGB", (40, 30), "teal").save(held, "PNG")
    (home / "whole.png").write_bytes(held.getvalue())
    write_files(home, write_gltf(waves(4), "model", GltfOptions(), Context()), Context())
    buffer = (home / "model.bin").read_bytes()
    (home / "model.bin").unlink()
    made = new_project(client, "undrawn")
    mount(client, made, home, wait_for)

    def look() -> None:
        """Those in sight are drawn before all that other projects still have to draw."""
        body = {"entries": [e["id"] for e in find(client, made)]}
        assert client.post(f"/api/projects/{made}/pictures", json=body).status_code == 204

    look()
    wait_for(lambda: all(e["picture"] is not None for e in find(client, made)))
    pictures = {e["path"]: e["picture"] for e in find(client, made)}
    assert (pictures["model.gltf"], bool(pictures["whole.png"])) == ("", True)
    (home / "model.bin").write_bytes(buffer)
    mount(client, made, home, wait_for)
    wait_for(lambda: entry(client, made, "model.gltf")["picture"] != "")
    look()
    wait_for(lambda: entry(client, made, "model.gltf")["picture"])
    assert entry(client, made, "whole.png")["picture"] == pictures["whole.png"]


def test_verifying_names_the_damaged_entry(
    client: TestClient, installation: dict[str, str], game: Path, worker: Worker, wait_for: Wait
) -> None:
    home = Path(installation["mounts"]) / "hurt"
    shutil.copytree(game / "layouts", home / "layouts")
    (home / "p.yaml").write_text("profile: 1\nname: C\nlayouts: [layouts/*.yaml]\nleave_out: ['*.yaml', 'layouts/*']\n")
    data = bytearray(pack_bytes({"good.txt": b"good", "hurt.txt": b"whole"}))
    data[data.index(b"whole")] ^= 1
    (home / "c.brp").write_bytes(data)
    made = new_project(client, "hurt")
    mount(client, made, home, wait_for)
    assert sources(client, made)["c.brp"]["problems"] == []
    job = client.post(f"/api/sources/{sources(client, made)['c.brp']['id']}/verify").json()
    done = wait_for(ended(client, made, job["id"]))
    assert (done["payload"]["checked"], done["payload"]["damaged"]) == (2, 1)
    [problem] = sources(client, made)["c.brp"]["problems"]
    assert "hurt.txt" in problem["line"]
    client.delete(f"/api/sources/{sources(client, made)['c.brp']['id']}")
    assert find(client, made) == []
    wait_for(lambda: "c.brp" not in sources(client, made))


def test_uploads_go_on_where_they_broke_off(client: TestClient, worker: Worker, wait_for: Wait) -> None:
    made = new_project(client, "sent")
    data = np.random.default_rng(1).integers(0, 256, 300_000, np.uint8).tobytes()
    wish = {"name": "folder/sent file.bin", "size": len(data)}
    url = f"/api/projects/{made}/uploads"
    first = client.post(url, json=wish).json()
    assert first["have"] == 0
    piece(client, f"{url}/{first['id']}", 0, data[:100_000])
    wrong = piece(client, f"{url}/{first['id']}", 0, data[:100])
    assert wrong.status_code == 409
    again = client.post(url, json=wish).json()
    assert (again["id"], again["have"]) == (first["id"], 100_000)
    over = piece(client, f"{url}/{first['id']}", 100_000, data)
    assert over.status_code == 409
    have = client.post(url, json=wish).json()["have"]
    done = piece(client, f"{url}/{first['id']}", have, data[have:]).json()
    assert Path(done["path"]).read_bytes() == data
    mount(client, made, Path(done["path"]).parent, wait_for)
    assert [e["path"] for e in find(client, made)] == ["sent file.bin"]
    climbing = client.post(url, json={"name": "../../../out.bin", "size": 0}).json()
    assert str(made) in climbing["path"]


def test_profiles_are_checked_kept_and_found(client: TestClient, game: Path, worker: Worker, wait_for: Wait) -> None:
    made = new_project(client, "plain")
    mount(client, made, game / "dev", wait_for)
    url = f"/api/projects/{made}/profile"
    bad = client.post(f"{url}/check", json={"text": "profile: 1\nname: x\nlayers: [{mach: [a]}]\n"}).json()
    assert "layers.0" in bad["problem"]
    assert client.put(url, json={"text": "profile: 3\n"}).status_code == 422
    text = "profile: 1\nname: Mine\nvariants: {rough: ['*.obj']}\n"
    client.put(url, json={"text": text})
    wait_for(lambda: facets(client, made)["variants"].get("rough") == 1)
    assert client.get(url).json()["name"] == "Mine"
    fits = client.get("/api/fits", params={"path": str(game)}).json()
    assert fits[0]["name"] == "Brinepost"
    assert fits[0]["version"] == "1"
    assert len(fits[0]["reasons"]) > 4


def test_what_cannot_be_extracted_is_listed_and_the_rest_is_there(
    client: TestClient, installation: dict[str, str], worker: Worker, wait_for: Wait
) -> None:
    """A file beside a folder of its name, a damaged entry, and a file that was cut short after it was listed."""
    home = Path(installation["mounts"]) / "hard to write"
    home.mkdir()
    with zipfile.ZipFile(home / "odd.zip", "w") as archive:
        for name in ("a", "a/b.txt", "A/c.txt", "hurt.txt", "\u706f" * 100 + ".txt"):
            archive.writestr(name, name.encode() * 20)
    raw = bytearray((home / "odd.zip").read_bytes())
    at = raw.index(b"hurt.txt" * 5)
    raw[at] ^= 0xFF
    (home / "odd.zip").write_bytes(raw)
    (home / "cut.bin").write_bytes(b"x" * 5000)
    made = new_project(client, "hard to write")
    mount(client, made, home, wait_for)
    os.truncate(home / "cut.bin", 100)
    job = client.post(f"/api/projects/{made}/extracts", json={"name": "all", "query": {}}).json()
    done = wait_for(ended(client, made, job["id"]))
    assert (done["status"], done["payload"]["failed"]) == ("done", 1)
    reasons = client.get(f"/api/jobs/{job['id']}/results").json()["not_written"]
    assert len(reasons) == 1
    assert "hurt.txt" in reasons[0]
    assert "CRC" in reasons[0]
    folder = Path(done["payload"]["folder"])
    files = {p.relative_to(folder).as_posix(): p.read_bytes() for p in folder.rglob("*") if p.is_file()}
    assert {data[:1] for data in files.values()} == {b"a", b"A", "\u706f".encode()[:1], b"x"}
    assert len(files) == 5
    assert len({name.lower() for name in files}) == 5


def test_a_profile_of_any_size_goes_away_and_comes_back(client: TestClient) -> None:
    made, other = new_project(client, "many names"), new_project(client, "many names again")
    names = [f"tex/{n % 97}/it's {n}.dds" for n in range(60_000)] + ["0x12", "true", "- x", "\u706f.png"]
    body = "\n".join(names).encode()
    octets = {"Content-Type": "application/octet-stream"}
    assert (
        client.post(f"/api/projects/{made}/names", params={"label": "l"}, content=body, headers=octets).status_code
        == 201
    )
    client.put(f"/api/projects/{made}/profile", json={"text": "profile: 1\nname: Many\n"})
    text = client.get(f"/api/projects/{made}/profile/file").text
    assert client.post(f"/api/projects/{other}/profile/check", json={"text": text}).json()["problem"] is None
    assert client.put(f"/api/projects/{other}/profile", json={"text": text}).status_code == 200
    assert [found["names"] for found in client.get(f"/api/projects/{other}/names").json()] == [len(names)]
    assert client.get(f"/api/projects/{other}/profile").json()["text"].strip() == "profile: 1\nname: Many"
    assert client.get(f"/api/projects/{other}/profile/file").text == text


def test_listing_is_quick_about_strangers(client: TestClient, reef: str) -> None:
    start = time.monotonic()
    for query in ("*", "**/*", "-crab", "?", "a b c d e f", "%", "\\", "(((", "[a", "crab" * 60):
        assert client.get(f"/api/projects/{reef}/entries", params={"search": query}).status_code == 200, query
        assert client.get(f"/api/projects/{reef}/facets", params={"search": query}).status_code == 200, query
    assert client.get(f"/api/projects/{reef}/entries", params={"sort": "age"}).status_code == 422
    assert client.get("/api/projects/00000000-0000-0000-0000-000000000000/entries").status_code == 404
    assert time.monotonic() - start < 240
