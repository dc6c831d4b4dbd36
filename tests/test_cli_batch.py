"""`pruxel step` and `pruxel batch` on files of a folder."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from pruxel.cli.said import said
from pruxel.core.base.context import Context
from pruxel.core.base.errors import UsageError
from pruxel.core.deliver.package import write_files
from pruxel.core.formats.registry import FORMATS
from pruxel.core.recipe.document import load_recipe
from tests.contracts.test_steps import flawed
from tests.glb import files_of_glb
from tests.scenes import animated, two_boxes
from tests.test_cli import pruxel


@pytest.fixture(scope="module")
def crates(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Three models, one of them broken."""
    folder = tmp_path_factory.mktemp("crates")
    write_files(folder, files_of_glb(two_boxes(), "good"), Context())
    write_files(folder, files_of_glb(flawed(), "flawed"), Context())
    (folder / "bent.glb").write_bytes(b"glTF" + bytes(40))
    return folder


def test_steps_are_listed_run_mended_and_kept(crates: Path, tmp_path: Path) -> None:
    listed = json.loads(pruxel("step", "--json").stdout)
    assert {"weld_vertices", "thin_out"} <= {one["name"] for one in listed}
    assert all(one["about"] for one in listed)
    assert "weld_vertices" in pruxel("step").stdout
    kept = tmp_path / "all.yaml"
    words = [
        "step",
        crates,
        "--entry",
        "flawed.glb",
        "--do",
        "set_units factor=0.5",
        "--mend",
        "--keep",
        kept,
        "--json",
    ]
    run = pruxel(*words)
    assert run.returncode == 0, run.stderr
    found = json.loads(run.stdout)
    assert found["steps"][0]["step"] == "set_units"
    assert len(found["steps"]) > 2
    recipe = load_recipe(kept.read_text(), kept.name)
    assert [use.step for use in recipe.steps] == [one["step"] for one in found["steps"]]
    again = json.loads(pruxel("step", crates, "--entry", "flawed.glb", "--recipe", kept, "--json").stdout)
    assert again["digest"] == found["digest"]


def test_a_batch_goes_on_past_what_fails_resumes_and_is_compared(crates: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    words = ["batch", crates, "--do", "show_parts action=drop where.parts=sm*", "--purpose", "edit", "--workers", 2]
    run = pruxel(*words, "--out", out, "--json")
    assert run.returncode == 3
    found = {one["name"]: one for one in json.loads(run.stdout)["items"]}
    assert {name: one["state"] for name, one in found.items()} == {"bent": "failed", "flawed": "done", "good": "done"}
    assert found["good"]["steps"][0]["removed"] == ["small"]
    assert found["good"]["delivered"] == "proven"
    assert (out / "good/good.glb").is_file() or list((out / "good").rglob("good*"))
    report = json.loads((out / "batch.json").read_text())
    assert [one["name"] for one in report["items"]] == ["bent", "flawed", "good"]

    (out / "good").rename(tmp_path / "moved")
    resumed = pruxel(*words, "--out", out, "--resume", "--json")
    assert [one["state"] for one in json.loads(resumed.stdout)["items"]] == ["failed", "done", "done"]
    assert not (out / "good").exists()

    other = ["batch", crates, "--match", "good*", "--do", "set_units factor=0.5", "--dry"]
    run = pruxel(*other, "--before", out / "batch.json")
    assert run.returncode == 0, run.stderr
    assert "good:" in run.stdout
    assert "no more there" in run.stdout
    assert not (tmp_path / "dry").exists()


@pytest.mark.parametrize(
    ("words", "code", "told"),
    [
        (["step", "{}"], 2, "--entry"),
        (["step", "{}", "--entry", "gone.glb"], 3, "gone.glb"),
        (["step", "{}", "--entry", "good.glb", "--do", "no_such"], 2, "no_such"),
        (["step", "{}", "--entry", "good.glb", "--do", "set_units factor"], 2, "NAME=VALUE"),
        (["step", "{}", "--entry", "good.glb", "--do", "set_units 'factor"], 2, "its parameters"),
        (["step", "{}", "--entry", "good.glb", "--do", "flip_faces where.shape=round"], 2, "where.parts"),
        (["step", "{}", "--entry", "good.glb", "--do", "set_units factor=-1"], 2, "factor"),
        (["step", "{}", "--entry", "good.glb", "--out", "/nowhere"], 2, "--purpose"),
        (["batch", "{}", "--match", "nothing*"], 3, "no entry matches"),
        (["batch", "{}", "--before", "{}/good.glb"], 3, "not UTF-8"),
        (["batch", "{}", "--do", "flip_faces where.finding=no_such"], 2, "no_such"),
        (["step", "{}", "--entry", "bent.glb"], 3, "bent.glb"),
    ],
)
def test_what_is_wrong_is_told_in_a_line(crates: Path, words: list[str], code: int, told: str) -> None:
    run = pruxel(*(word.replace("{}", str(crates)) for word in words))
    assert run.returncode == code, run.stdout + run.stderr
    assert told in (run.stderr + run.stdout).replace("\n", " ")
    assert "Traceback" not in run.stderr


@pytest.fixture(scope="module")
def guard(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A body on a skeleton, with heads on the same that lie beside it."""
    home = tmp_path_factory.mktemp("guard")
    for name, scene in (("guard_body", animated()), ("guard_head_a", animated()), ("guard_head_b", two_boxes())):
        write_files(home, files_of_glb(scene, name), Context())
    return home


def test_something_made_of_parts_is_put_together_and_its_recipe_does_it_again(guard: Path, tmp_path: Path) -> None:
    told = json.loads(pruxel("assemble", guard, "guard_body.glb", "--json").stdout)
    assert [(slot["name"], [one["path"] for one in slot["variants"]]) for slot in told] == [
        ("head", ["guard_head_a.glb", "guard_head_b.glb"])
    ]
    assert "its name says 'head'" in pruxel("assemble", guard, "guard_body.glb").stdout
    kept = tmp_path / "dressed.yaml"
    wear = ["assemble", guard, "guard_body.glb", "--wear", "head=guard_head_a"]
    made = json.loads(
        pruxel(*wear, "--to", "glb", "--out", tmp_path / "out", "--keep", kept, "--json").stdout,
    )
    assert made["delivered"] == "proven"
    assert made["steps"][0]["step"] == "fill_slot"
    read = FORMATS.get("glb").read
    assert read is not None
    delivered = next((tmp_path / "out").rglob("*.glb"))
    scene = read(memoryview(delivered.read_bytes()), "made.glb", lambda _: None, Context()).scene
    assert len({joint for skin in scene.skins for joint in skin.joints}) == len(animated().skins[0].joints)
    assert len([node for node in scene.nodes if node.mesh is not None]) == 2
    again = json.loads(pruxel("step", guard, "--entry", "guard_body.glb", "--recipe", kept, "--json").stdout)
    assert again["triangles"] == made["triangles"]


@pytest.mark.parametrize(
    ("wear", "word"),
    [("hat=guard_head_a", "there is no slot 'hat'"), ("head=nobody", "guard_head_a"), ("head=../x.glb", "goes into")],
)
def test_what_goes_nowhere_is_refused_with_what_could_be_meant(guard: Path, wear: str, word: str) -> None:
    done = pruxel("assemble", guard, "guard_body.glb", "--wear", wear)
    assert done.returncode == 2
    assert word in done.stderr.replace("\n", " ")


def test_what_has_no_slots_says_so(crates: Path) -> None:
    done = pruxel("assemble", crates, "good.glb")
    assert (done.returncode, "has no slots" in done.stderr) == (2, True)


@pytest.mark.parametrize(
    ("text", "params", "rule"),
    [
        ("flip_faces", {}, None),
        ("weld_vertices  distance=0.001 ", {"distance": 0.001}, None),
        ('weld_vertices parts=["hull", "left claw"]', {"parts": ["hull", "left claw"]}, None),
        (
            'assign_material material="old gold" color=[1, 0.5, [0]]',
            {"material": "old gold", "color": [1, 0.5, [0]]},
            None,
        ),
        ("assign_material material='old gold'", {"material": "old gold"}, None),
        ('assign_material material="12" parts=12', {"material": "12", "parts": 12}, None),
        ('assign_material material="captain\'s ] hat"', {"material": "captain's ] hat"}, None),
        ('assign_material material="a \\"b\\" c"', {"material": 'a "b" c'}, None),
        ("thin_out share=50 where.parts='*left claw*'", {"share": 50}, {"parts": "*left claw*"}),
        ("thin_out where.parts=claw_[lr]", {}, {"parts": "claw_[lr]"}),
        ("thin_out share=", {"share": ""}, None),
    ],
)
def test_a_step_is_said_with_lists_and_spaces(
    text: str, params: dict[str, object], rule: dict[str, str] | None
) -> None:
    found = said(text)
    assert (found.step, found.params) == (text.split(maxsplit=1)[0], params)
    assert (found.rule.model_dump(exclude_none=True, exclude_defaults=True) if found.rule else None) == rule


@pytest.mark.parametrize("text", ["thin_out parts=[a", "thin_out parts=captain's", 'thin_out parts="a'])
def test_what_does_not_end_is_said(text: str) -> None:
    with pytest.raises(UsageError) as caught:
        said(text)
    assert "that end" in caught.value.fault.line()
