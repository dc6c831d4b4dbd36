"""The command line is a contract: options, output fields and exit codes."""

import json
import subprocess
import sys
from pathlib import Path

import pytest
import trimesh

from tests.conftest import CRAB


def pruxel(*words: object) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "pruxel", *map(str, words)], capture_output=True, text=True, timeout=120, check=False
    )


def test_list_gives_the_promised_fields(game: Path) -> None:
    run = pruxel("list", game, "--match", "**/*crab*", "--kind", "model", "--json")
    assert run.returncode == 0, run.stderr
    [entry] = json.loads(run.stdout)
    assert set(entry) == {"path", "kind", "size", "source", "shadowed"}
    assert entry["path"] == CRAB
    assert CRAB in pruxel("list", game / "reef.brp", "--profile", game / "brinepost.yaml").stdout


def test_inspect_gives_the_promised_fields(game: Path) -> None:
    found = json.loads(pruxel("inspect", game, "--entry", CRAB, "--json").stdout)
    assert set(found) == {"kind", "meshes", "bounds", "materials", "textures", "joints", "clips", "findings"}
    assert set(found["meshes"][0]) == {"name", "vertices", "triangles", "materials"}
    assert set(found["bounds"]) == {"min", "max"}


def test_extract_writes_the_raw_bytes(game: Path, tmp_path: Path, stack: object) -> None:
    assert pruxel("extract", game, "--match", "mat/crab*", "--out", tmp_path / "tree").returncode == 0
    assert pruxel("extract", game, "--match", "mat/crab*", "--out", tmp_path / "flat", "--flat").returncode == 0
    assert (tmp_path / "tree/mat/crab_body.bmt").read_bytes() == (tmp_path / "flat/crab_body.bmt").read_bytes()
    assert (tmp_path / "flat/crab_body.bmt").read_bytes().startswith(b"BMTL")


def test_convert_writes_proves_and_runs_a_recipe(game: Path, tmp_path: Path) -> None:
    recipe = tmp_path / "r.yaml"
    recipe.write_text("recipe: 1\nsteps:\n  - {step: flip_faces, params: {parts: [claw_r]}}\n")
    run = pruxel(
        "convert",
        game,
        "--entry",
        CRAB,
        "--to",
        "glb",
        "--to",
        "obj",
        "--out",
        tmp_path / "o",
        "--recipe",
        recipe,
        "--json",
    )
    assert run.returncode == 0, run.stderr
    report = json.loads(run.stdout)
    assert report["outcome"] == "proven"
    assert {f["format"] for f in report["formats"]} == {"glb", "obj"}
    loaded = trimesh.load_scene(tmp_path / "o/obj/crab_toll.obj", process=False)
    materials = {g.visual.material.name: g.visual.material for g in loaded.geometry.values()}
    assert set(materials) == {"crab_body", "crab_eyes", "crab_gear"}
    assert all(m.image is not None for m in materials.values())


@pytest.mark.parametrize(
    ("words", "code", "word"),
    [
        (["list", "{t}/nowhere"], 3, "no such file"),
        (["inspect", "{g}", "--entry", "no/such"], 3, "no entry"),
        (["convert", "{g}", "--entry", CRAB, "--to", "wav", "--out", "{t}"], 2, "glb"),
        (["convert", "{g}", "--entry", CRAB], 2, "Missing option"),
        (["inspect", "{t}/junk.obj", "--entry", "junk.obj"], 3, "no usable face"),
        (["list", "{g}", "--layout", "{t}/junk.obj"], 3, "junk.obj"),
    ],
)
def test_errors_are_short_and_have_their_code(
    game: Path, tmp_path: Path, words: list[str], code: int, word: str
) -> None:
    (tmp_path / "junk.obj").write_text("hello\nv 1 2\n")
    run = pruxel(*[w.format(g=game, t=tmp_path) for w in words])
    assert run.returncode == code, run.stderr
    assert word in run.stderr
    assert "Traceback" not in run.stderr
