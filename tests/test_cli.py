"""The command line is a contract: options, output fields and exit codes."""

import json
import re
import subprocess
import sys
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import pytest
import trimesh
from typer.testing import CliRunner

from pruxel.cli.main import app
from pruxel.core.base.context import Context
from pruxel.core.batch.work import Wish, items_of, work_on
from pruxel.core.deliver.package import write_files
from pruxel.core.formats.registry import FORMATS, Options, OutFile
from pruxel.core.recipe.inputs import Opener
from pruxel.core.scene.model import Scene
from pruxel.core.sources.stack import Stack
from tests.conftest import CRAB, ROOT
from tests.core.test_proof import GLB_DAMAGES, OBJ_DAMAGES
from tests.glb import Glb, files_of_glb
from tests.scenes import everything
from tools.format_reference import with_table


@dataclass(frozen=True)
class Run:
    """What a command said and how it ended."""

    returncode: int
    stdout: str
    stderr: str


def pruxel(*words: object) -> Run:
    """Run in this process: a fresh one takes two seconds to begin, each time."""
    run = CliRunner().invoke(app, [*map(str, words)])
    if run.exception is not None and not isinstance(run.exception, SystemExit):
        raise run.exception
    return Run(run.exit_code, run.stdout, run.stderr)


def test_it_starts_as_a_program(game: Path) -> None:
    words = [sys.executable, "-m", "pruxel", "list", game, "--match", "**/*crab*", "--kind", "model"]
    run = subprocess.run(words, capture_output=True, text=True, timeout=600, check=True)
    assert CRAB in run.stdout
    assert subprocess.run([*words[:3], "list", "/nowhere"], capture_output=True, check=False).returncode == 3


def test_list_gives_the_promised_fields(game: Path) -> None:
    run = pruxel("list", game, "--match", "**/*crab*", "--kind", "model", "--json")
    assert run.returncode == 0, run.stderr
    [entry] = json.loads(run.stdout)
    assert set(entry) == {"path", "kind", "size", "source", "shadowed"}
    assert entry["path"] == CRAB
    assert CRAB in pruxel("list", game / "reef.brp", "--profile", game / "brinepost.yaml").stdout


def test_inspect_gives_the_promised_fields(game: Path) -> None:
    found = json.loads(pruxel("inspect", game, "--entry", CRAB, "--json").stdout)
    assert set(found) == {
        "kind", "area", "notes", "skeleton", "meshes", "bounds", "materials", "textures", "joints", "clips", "findings"
    }  # fmt: skip
    assert {"name", "vertices", "triangles", "materials"} <= set(found["meshes"][0])
    assert set(found["bounds"]) == {"min", "max"}


def test_clips_gives_the_promised_fields(game: Path) -> None:
    diver, moves = "actors/act_0107/act_0107.brm", "actors/moves/diver_moves.bcl"
    found = json.loads(pruxel("clips", game, "--entry", diver, "--entry", moves, "--json").stdout)
    assert set(found) == {"clips", "findings"}
    assert set(found["clips"][0]) == {"name", "seconds", "rate", "frames", "keys", "nodes", "moves", "entry"}
    assert {(one["name"], one["rate"]) for one in found["clips"]} == {("walk", 24.0), ("greet", 24.0), ("wait", 24.0)}
    assert "greet: 2.00 s, 24 keys a second" in pruxel("clips", game, "--entry", diver, "--entry", moves).stdout
    assert pruxel("clips", game, "--entry", CRAB).stdout == "no clips\n"
    # Clips by themselves are told on the nearest model that has their joints.
    alone = json.loads(pruxel("clips", game, "--entry", moves, "--json").stdout)
    assert [one["name"] for one in alone["clips"]] == ["walk", "greet", "wait"]


TALL = "actors/act_0521/act_0521.brm"


def test_fit_carries_a_clip_onto_another_build_and_says_which_joint_is_which(game: Path, tmp_path: Path) -> None:
    wave = ("fit", game, "--clips", "actors/moves/diver_moves.bcl", "--on", TALL, "--clip", "greet")
    found = json.loads(pruxel(*wave, "--to", "glb", "--out", tmp_path, "--json").stdout)
    assert set(found) == {"pairs", "without_a_partner", "item"}
    pairs = {one["source"]: one["target"] for one in found["pairs"]}
    assert pairs["left_forearm"] == "LowerArm.L"
    assert pairs["right_thigh"] == "UpperLeg.R"
    assert found["without_a_partner"] == []
    assert found["item"]["delivered"] == "proven"
    told = pruxel(*wave, "--pair", "head = Ribs", "--pair", "chest =").stdout
    assert "head = Ribs  100%, said by hand" in told
    assert "without a partner chest" in told
    refused = pruxel(*wave, "--pair", "head")
    assert refused.returncode == 2
    assert "theirs = ours" in refused.stderr


def test_a_pose_is_frozen_and_printed(game: Path, tmp_path: Path) -> None:
    moves = TALL.replace(".brm", ".bcl")
    posed = ("pose", game, "--entry", TALL, "--entry", moves, "--clip", "wave", "--at", "0.4", "--turn", "Skull=0,30,0")
    reach = ("--pull", "Wrist.L=0.5,1.9,0.3", "--name", "hail", "--freeze")
    found = json.loads(pruxel(*posed, *reach, "--to", "stl", "--out", tmp_path, "--json").stdout)
    assert [one["title"] for one in found["steps"]] == ["Pose", "Freeze a pose"]
    assert found["delivered"] == "proven"
    assert list(tmp_path.rglob("*.stl"))
    assert "“pose”: 1 joint posed" in pruxel(*posed).stdout
    refused = pruxel("pose", game, "--entry", TALL, "--turn", "Skull=1,2")
    assert refused.returncode == 2
    assert "JOINT=X,Y,Z" in refused.stderr
    for wrong in (("--turn", "Tail=1,2,3"), ("--clip", "wave")):
        nothing = pruxel("pose", game, "--entry", TALL, *wrong, "--to", "stl", "--out", tmp_path / "none")
        assert nothing.returncode == 2
        assert not (tmp_path / "none").exists(), "what cannot be posed is not delivered as it was"
    assert "no joint called 'Tail'" in pruxel("pose", game, "--entry", TALL, "--turn", "Tail=1,2,3").stderr


def test_what_is_wrong_with_clips_is_told(game: Path) -> None:
    found = json.loads(pruxel("clips", game, "--entry", TALL, "--entry", TALL.replace(".brm", ".bcl"), "--json").stdout)
    assert len(found["clips"]) == 15
    wrong = {(one["rule"], one["title"].split("”")[0].split("“")[1]) for one in found["findings"]}
    assert wrong == {
        ("still_ends", "wait"), ("open_loops", "stroll"), ("turned_root", "stagger"), ("additive_clips", "breathe"),
        ("wrong_pace", "hop"), ("sliding_feet", "march"), ("turned_root", "swim"), ("growing_joints", "puff"),
    }  # fmt: skip


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


def test_formats_say_what_they_are(game: Path, tmp_path: Path) -> None:
    listed = {one["name"]: one for one in json.loads(pruxel("formats", "--json").stdout)}
    assert listed["off"]["reads"]
    assert not listed["off"]["writes"]
    assert "skins" in listed["fbx"]["carries"]
    assert listed["stl"]["options"]["unit"]["enum"] == ["mm", "cm", "m", "in"]
    assert "up=y" in pruxel("formats").stdout
    words = ["--to", "fbx", "--to", "stl", "--option", "fbx.up=z", "--option", "unit=m", "--json"]
    run = pruxel("convert", game, "--entry", CRAB, "--out", tmp_path / "o", *words)
    assert run.returncode == 0, run.stderr
    report = json.loads(run.stdout)
    checks = [c for f in report["formats"] for p in f["proofs"] for c in p["checks"]]
    assert {c["what"]: c["read"] for c in checks}["unit of length"] == "100 cm"
    assert (tmp_path / "o" / "stl" / "crab_toll.stl").read_bytes()[:80].decode().strip().endswith("unit m, Z up")


def test_the_page_of_formats_is_what_the_code_says_and_its_command_runs(game: Path, tmp_path: Path) -> None:
    text = (ROOT / "docs/formats.md").read_text()
    assert with_table(text) == text
    lines = re.findall(r"^pruxel ((?:convert|prove) .*)$", text, re.MULTILINE)
    assert len(lines) == 3
    for line in lines:
        told = (
            line.replace("/tmp/s", str(game))
            .replace("/tmp/o", str(tmp_path / "o"))
            .replace("/tmp/e", str(tmp_path / "e"))
        )
        run = pruxel(*told.split())
        assert run.returncode == 0, run.stdout + run.stderr
    assert (tmp_path / "o" / "fbx" / "act_0107.fbx").stat().st_size > 100_000


@pytest.mark.parametrize(
    ("words", "code", "word"),
    [
        (["list", "{t}/nowhere"], 3, "no such file"),
        (["inspect", "{g}", "--entry", "no/such"], 3, "no entry"),
        (["convert", "{g}", "--entry", CRAB, "--to", "wav", "--out", "{t}"], 2, "glb"),
        (["convert", "{g}", "--entry", CRAB], 2, "Missing option"),
        (["convert", "{g}", "--entry", CRAB, "--to", "fbx", "--out", "{t}", "--option", "wide=1"], 2, "unit"),
        (["convert", "{g}", "--entry", CRAB, "--to", "fbx", "--out", "{t}", "--option", "fbx.up=x"], 2, "up"),
        (["convert", "{g}", "--entry", CRAB, "--to", "off", "--out", "{t}"], 2, "not written"),
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


@pytest.mark.parametrize(("turn", "form"), [(0, "glb"), (1, "obj"), (2, "fbx")])
def test_models_of_the_sample_are_delivered_and_proven(stack: Stack, tmp_path: Path, turn: int, form: str) -> None:
    models = sorted(path for path, entry in stack.entries.items() if entry.kind == "model")[turn::6]
    assert len(models) > 10
    wish = Wish(formats=(form,), out=tmp_path)
    told = [work_on(Opener(stack), item, wish, Context()) for item in items_of(models)]
    assert [(one.entries, one.fault, one.delivered) for one in told if one.delivered != "proven"] == []


@pytest.fixture(scope="module")
def whole(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A file with a bit of everything."""
    folder = tmp_path_factory.mktemp("whole")
    write_files(folder, files_of_glb(everything(), "everything"), Context())
    return folder / "everything.glb"


def damaged(spec: Any, change: Any) -> Any:
    """The format with a writer that writes something else than it should."""

    def write(scene: Scene, name: str, options: Options, context: Context) -> list[OutFile]:
        first, *others = spec.write(scene, name, options, context)
        data = b"".join(bytes(piece) for piece in first.pieces)
        return [replace(first, pieces=[change(data)]), *others]

    return replace(spec, write=write)


def change_glb(name: str) -> Any:
    def change(data: bytes) -> bytes:
        taken = Glb.of(data)
        GLB_DAMAGES[name][0](taken)
        return taken.bytes()

    return change


DAMAGES = [("glb", name, change_glb(name)) for name in GLB_DAMAGES] + [
    ("obj", name, lambda data, change=change: change(data.decode()).encode())
    for name, (change, _) in OBJ_DAMAGES.items()
]


@pytest.mark.parametrize(("form", "name", "change"), DAMAGES, ids=[f"{f}-{n}" for f, n, _ in DAMAGES])
def test_a_damaged_delivery_exits_with_its_code_and_says_which_check(
    form: str, name: str, change: Any, whole: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setitem(FORMATS._items, form, damaged(FORMATS.get(form), change))
    words = ["convert", str(whole), "--entry", whole.name, "--to", form, "--out", str(tmp_path / "o")]
    run = CliRunner().invoke(app, words)
    assert run.exit_code == 4, run.output
    wanted = (GLB_DAMAGES if form == "glb" else OBJ_DAMAGES)[name][1]
    said = run.output
    assert any(what in said for what in wanted), said


def test_a_purpose_starts_what_the_command_goes_on_with(game: Path, tmp_path: Path) -> None:
    run = pruxel(
        "convert", game, "--entry", CRAB, "--purpose", "engine", "--textures", "png", "--per", "material",
        "--option", "fbx.up=z", "--out", tmp_path / "o", "--json",
    )  # fmt: skip
    assert run.returncode == 0, run.stderr
    report = json.loads(run.stdout)
    assert report["outcome"] == "proven"
    mains = [made["main"] for made in report["formats"]]
    assert all(main.endswith(".fbx") for main in mains)
    assert len(mains) == len(set(mains)) > 1
    endings = {Path(file["path"]).suffix for made in report["formats"] for file in made["files"]}
    assert endings == {".fbx", ".png"}
    for words, told in (
        ([], "--purpose"),
        (["--purpose", "fly"], "archive"),
        (["--purpose", "print", "--per", "whim"], "per whim"),
    ):
        run = pruxel("convert", game, "--entry", CRAB, *words, "--out", tmp_path / "p")
        assert run.returncode != 0
        assert told in run.stderr
        assert "Traceback" not in run.stderr


def test_files_of_any_formats_are_proven_against_each_other(game: Path, tmp_path: Path) -> None:
    out = tmp_path / "o"
    run = pruxel("convert", game, "--entry", CRAB, "--to", "glb", "--to", "fbx", "--to", "stl", "--out", out, "--json")
    assert run.returncode == 0, run.stderr
    glb, fbx, stl = (next(out.glob(f"{ending}/*.{ending}")) for ending in ("glb", "fbx", "stl"))
    for one, other in ((fbx, glb), (glb, fbx), (stl, glb)):
        run = pruxel("prove", one, "--against", other, "--json")
        assert run.returncode == 0, run.stdout + run.stderr
        [proof] = json.loads(run.stdout)
        assert proof["outcome"] == "proven"
        assert {"triangles", "where triangles stand", "sides that show"} <= {c["what"] for c in proof["checks"]}
    alone = pruxel("prove", glb, "--json")
    assert alone.returncode == 0, alone.stdout + alone.stderr
    assert {proof["reader"] for proof in json.loads(alone.stdout)} == {"three.js", "glTF validator"}
    other = tmp_path / "other.obj"
    other.write_text("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    run = pruxel("prove", other, "--against", glb)
    assert run.returncode != 0
    assert "differs triangles" in run.stdout
    nothing = tmp_path / "a.txt"
    nothing.write_text("words")
    run = pruxel("prove", nothing)
    assert run.returncode != 0
    assert "no format that is read" in run.stderr
