"""The proof is proven: each check refuses a file that is damaged in just its way, and good files pass."""

from __future__ import annotations

import re
import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from pruxel.core.base.context import Context
from pruxel.core.deliver.deliver import deliver
from pruxel.core.deliver.judges.registry import Exhibit
from pruxel.core.deliver.package import write_files
from pruxel.core.deliver.proof import Outcome, Tolerances, judge
from pruxel.core.deliver.proof.prove import prove
from pruxel.core.formats.ready import make_ready
from pruxel.core.formats.registry import FORMATS
from pruxel.core.formats.solids import MetreOptions
from pruxel.core.images import png
from pruxel.core.scene.materials import Material, TextureRef
from pruxel.core.scene.model import Scene
from tests.glb import Glb, files_of_glb
from tests.scenes import animated, box, everything, two_boxes

CONTEXT = Context()
VERTICES = "where vertices stand at rest and at 0, 25, 50, 75, 100 % of each clip"
LOOKS = "when parts are to be seen, and how materials change"
Damage = Callable[[Glb], object]


def exhibit(main: Path, scene: Scene, name: str) -> Exhibit:
    spec = FORMATS.get(name)
    return Exhibit(main, scene, spec, spec.options(), Tolerances())


def swap(array: np.ndarray, a: int, b: int) -> None:
    array[:, [a, b]] = array[:, [b, a]]


def swap_items(items: list[object], a: int, b: int) -> None:
    items[a], items[b] = items[b], items[a]


def scaled(array: np.ndarray, factor: float) -> None:
    array *= np.float32(factor)


def renamed(glb: Glb) -> None:
    for node in glb.document["nodes"]:
        node["name"] += "_"


def reparented(glb: Glb) -> None:
    """The knee hangs on the top; it still stands where it stood."""
    nodes = glb.document["nodes"]
    hip, knee = nodes.index(glb.named("nodes", "hip")), nodes.index(glb.named("nodes", "knee"))
    nodes[hip].pop("children")
    nodes[nodes.index(glb.named("nodes", "top"))]["children"].append(knee)
    nodes[knee]["translation"] = [
        a + b for a, b in zip(nodes[hip]["translation"], nodes[knee]["translation"], strict=True)
    ]


def hole(glb: Glb) -> None:
    found = glb.document["accessors"][glb.document["meshes"][1]["primitives"][0]["indices"]]
    found["count"] -= 3


def inside_out(glb: Glb) -> None:
    flat = glb.array(glb.document["meshes"][1]["primitives"][0]["indices"]).reshape(-1, 3)
    swap(flat, 1, 2)


def other_texture(glb: Glb) -> None:
    glb.document["textures"][0]["source"] = 1


def other_slot(glb: Glb) -> None:
    material = glb.document["materials"][1]
    material["emissiveTexture"] = material["pbrMetallicRoughness"].pop("baseColorTexture")


def other_material(glb: Glb) -> None:
    first, second = glb.document["meshes"][1]["primitives"][:2]
    first["material"], second["material"] = second["material"], first["material"]


def morph_gone(glb: Glb) -> None:
    target = glb.document["meshes"][0]["primitives"][0]["targets"][0]
    scaled(glb.array(target["POSITION"]), 0.5)


def repainted(glb: Glb) -> None:
    """A picture of the same size that shows something else."""
    view = glb.document["bufferViews"][glb.document["images"][0]["bufferView"]]
    other = png.encode(np.full((8, 16, 4), 60, np.uint8))
    assert len(other) <= view["byteLength"]
    glb.binary[view["byteOffset"] : view["byteOffset"] + len(other)] = other
    view["byteLength"] = len(other)


def repointed(glb: Glb, channel: int, pointer: str) -> None:
    target = glb.document["animations"][1]["channels"][channel]["target"]
    target["extensions"]["KHR_animation_pointer"]["pointer"] = pointer


GLB_DAMAGES: dict[str, tuple[Damage, set[str]]] = {
    "weights swapped": (lambda g: swap(g.attribute(0, 0, "WEIGHTS_0"), 0, 1), {"weights", VERTICES}),
    "joints of vertices swapped": (lambda g: swap(g.attribute(0, 0, "JOINTS_0"), 0, 1), {"joints", VERTICES}),
    "skin joints exchanged": (lambda g: g.document["skins"][0]["joints"].reverse(), {"joints", "skeletons", VERTICES}),
    "bound elsewhere": (
        lambda g: scaled(g.array(g.document["skins"][0]["inverseBindMatrices"])[:1, 12:15], 1.1),
        {"skeletons", VERTICES},
    ),
    "all nodes renamed": (renamed, {"nodes below their parents", "parts"}),
    "joint re-parented": (reparented, {"nodes below their parents", VERTICES}),
    "clip mirrored": (lambda g: scaled(g.sampler(0, 0, "output")[:, 2:3], -1), {VERTICES}),
    "one key wrong": (lambda g: scaled(g.sampler(0, 1, "output")[2:3], 3), {VERTICES}),
    "clip length off": (lambda g: scaled(g.sampler(0, 0, "input"), 1.05), {"lengths of clips"}),
    "clip renamed": (lambda g: g.document["animations"][0].update(name="other"), {"clips"}),
    "clips exchanged": (lambda g: swap_items(g.document["animations"], 0, 1), {"clips", VERTICES, LOOKS}),
    "shown when it should not": (
        lambda g: np.invert(g.sampler(1, 1, "output"), out=g.sampler(1, 1, "output")),
        {LOOKS},
    ),
    "a colour in between changed": (lambda g: scaled(g.sampler(1, -1, "output")[1:2], 0.5), {LOOKS}),
    "another material glows": (lambda g: repointed(g, -2, "/materials/0/emissiveFactor"), {LOOKS}),
    "another lies elsewhere": (lambda g: repointed(g, 2, "/materials/0/normalTexture"), {LOOKS}),
    "a track gone": (lambda g: g.document["animations"][1]["channels"].pop(), {LOOKS}),
    "it jumps where it should go": (
        lambda g: g.document["animations"][1]["samplers"][-1].update(interpolation="STEP"),
        {LOOKS},
    ),
    "UVs mirrored": (lambda g: scaled(g.attribute(1, 0, "TEXCOORD_0")[:, :1], -1), {"texture coordinates"}),
    "UVs shifted": (
        lambda g: np.add(g.attribute(1, 1, "TEXCOORD_0"), 0.01, out=g.attribute(1, 1, "TEXCOORD_0")),
        {"texture coordinates"},
    ),
    "second UVs mirrored": (lambda g: swap(g.attribute(0, 0, "TEXCOORD_1"), 0, 1), {"texture coordinates"}),
    "normals turned": (lambda g: scaled(g.attribute(1, 0, "NORMAL"), -1), {"normals"}),
    "colours exchanged": (lambda g: swap(g.attribute(1, 0, "COLOR_0"), 0, 2), {"vertex colours"}),
    "unit x100": (lambda g: g.named("nodes", "top").update(scale=[-100, 100, 200]), {"where nodes stand", VERTICES}),
    "Z for Y": (lambda g: swap(g.attribute(1, 0, "POSITION"), 1, 2), {"positions", VERTICES}),
    "a part inside out": (inside_out, {"positions", "texture coordinates", "vertex colours"}),
    "material on the wrong triangles": (other_material, {"materials on the same triangles"}),
    "a hole": (hole, {"triangles"}),
    "texture exchanged": (other_texture, {"textures"}),
    "a picture repainted": (repainted, {"pictures"}),
    "texture in another slot": (other_slot, {"textures"}),
    "materials exchanged": (lambda g: swap_items(g.document["materials"], 0, 1), {"materials", "textures"}),
    "a factor changed": (
        lambda g: g.document["materials"][0]["pbrMetallicRoughness"].update(roughnessFactor=0.9),
        {"materials"},
    ),
    "a target weakened": (morph_gone, {VERTICES}),
    "a line gone": (lambda g: g.document["meshes"][1]["primitives"].pop(), {"points and lines"}),
}


@pytest.fixture(scope="module")
def ready() -> Scene:
    return make_ready(everything(), CONTEXT).scene


@pytest.fixture(scope="module")
def glb(ready: Scene, tmp_path_factory: pytest.TempPathFactory) -> bytes:
    folder = tmp_path_factory.mktemp("glb")
    write_files(folder, files_of_glb(ready), CONTEXT)
    return (folder / "thing.glb").read_bytes()


def failed(main: Path, scene: Scene, name: str) -> set[str]:
    [proofs] = prove([exhibit(main, scene, name)], CONTEXT)
    return {check.what for check in proofs[0].checks if not check.passed}


def test_the_undamaged_file_passes(ready: Scene, glb: bytes, tmp_path: Path) -> None:
    (tmp_path / "a.glb").write_bytes(glb)
    [proofs] = prove([exhibit(tmp_path / "a.glb", ready, "glb")], CONTEXT)
    assert [p.outcome for p in proofs] == [Outcome.PROVEN, Outcome.PROVEN], proofs
    assert not any(check.warning for p in proofs for check in p.checks)


@pytest.mark.parametrize("name", GLB_DAMAGES)
def test_each_check_refuses_its_damage_in_glb(name: str, ready: Scene, glb: bytes, tmp_path: Path) -> None:
    damage, wanted = GLB_DAMAGES[name]
    taken = Glb.of(glb)
    damage(taken)
    (tmp_path / "a.glb").write_bytes(taken.bytes())
    assert failed(tmp_path / "a.glb", ready, "glb") == wanted


def in_second(text: str, change: Callable[[str], str]) -> str:
    """Change what stands behind the second `usemtl`: looking only at the first material would miss it."""
    at = [m.start() for m in re.finditer("^usemtl", text, re.MULTILINE)][1]
    return text[:at] + change(text[at:])


def first_line(pattern: str, new: str) -> Callable[[str], str]:
    return lambda text: in_second(text, lambda rest: re.sub(pattern, new, rest, count=1, flags=re.MULTILINE))


OBJ_DAMAGES: dict[str, tuple[Callable[[str], str], set[str]]] = {
    "a vertex moved": (first_line(r"^v .*$", "v 9 9 9"), {"positions"}),
    "a UV moved": (first_line(r"^vt .*$", "vt 0.5 0.123"), {"texture coordinates"}),
    "a normal turned": (first_line(r"^vn .*$", "vn 0.36 0.48 0.8"), {"normals"}),
    "a face turned": (first_line(r"^f (\S+) (\S+) (\S+)$", r"f \1 \3 \2"), {"positions", "texture coordinates"}),
    "a hole": (first_line(r"^f .*\n", ""), {"triangles"}),
    "an object renamed": (lambda t: re.sub(r"^o prop$", "o other", t, flags=re.MULTILINE), {"parts"}),
    "materials exchanged": (
        lambda t: re.sub("usemtl (paint|cloth)", lambda m: "usemtl " + {"paint": "cloth", "cloth": "paint"}[m[1]], t),
        {"materials on the same triangles"},
    ),
    "a line gone": (lambda t: re.sub(r"^l .*\n", "", t, count=1, flags=re.MULTILINE), {"points and lines"}),
}


@pytest.fixture(scope="module")
def obj_folder(ready: Scene, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("obj")
    write = FORMATS.get("obj").write
    assert write is not None
    write_files(folder, write(ready, "thing", MetreOptions(), CONTEXT), CONTEXT)
    return folder


def test_the_undamaged_obj_passes(ready: Scene, obj_folder: Path) -> None:
    assert failed(obj_folder / "thing.obj", ready, "obj") == set()


@pytest.mark.parametrize("name", OBJ_DAMAGES)
def test_each_check_refuses_its_damage_in_obj(name: str, ready: Scene, obj_folder: Path, tmp_path: Path) -> None:
    change, wanted = OBJ_DAMAGES[name]
    home = Path(shutil.copytree(obj_folder, tmp_path / "o"))
    text = (home / "thing.obj").read_text()
    assert change(text) != text
    (home / "thing.obj").write_text(change(text))
    assert wanted <= failed(home / "thing.obj", ready, "obj") <= wanted | {"normals"}


def test_links_and_factors_of_materials_are_looked_at(ready: Scene, obj_folder: Path, tmp_path: Path) -> None:
    home = Path(shutil.copytree(obj_folder, tmp_path / "o"))
    next((home / "textures").iterdir()).unlink()
    assert failed(home / "thing.obj", ready, "obj") == {"texture files"}
    mtl = home / "thing.mtl"
    mtl.write_text(mtl.read_text().replace("Pr 0.5", "Pr 0.9"))
    assert "materials" in failed(home / "thing.obj", ready, "obj")


def test_what_no_reader_opens_is_failed(ready: Scene, glb: bytes, tmp_path: Path) -> None:
    (tmp_path / "a.glb").write_bytes(glb[:900])
    [[first, second]] = prove([exhibit(tmp_path / "a.glb", ready, "glb")], CONTEXT)
    assert first.outcome is Outcome.FAILED
    assert first.checks[0].what == "the file opens"
    assert second.outcome is Outcome.FAILED


def test_nobody_to_ask_is_said_and_never_passed(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setattr(judge, "PROGRAM", tmp_path / "gone.mjs")
    report = deliver([two_boxes()], "b", ["glb"], tmp_path, CONTEXT)
    assert report.outcome is Outcome.NOT_MADE
    assert "not built" in report.formats[0].proofs[0].not_made
    monkeypatch.setenv("PATH", str(tmp_path))
    assert "Node.js" in deliver([two_boxes()], "b", ["obj"], tmp_path, CONTEXT).formats[0].proofs[0].not_made


def bare(scene: Scene) -> Scene:
    """UVs without a material."""
    meshes = tuple(replace(m, primitives=tuple(replace(p, material=None) for p in m.primitives)) for m in scene.meshes)
    return replace(scene, meshes=meshes, materials=(), textures=(), images=())


def several_materials() -> Scene:
    scene = two_boxes()
    mesh = replace(
        scene.meshes[0], primitives=(box(2.0), replace(box(1.0), material=1), replace(box(0.5), material=None))
    )
    return replace(
        scene, meshes=(mesh, *scene.meshes[1:]), materials=(*scene.materials, Material("paint"), Material(""))
    )


def turned_texture() -> Scene:
    scene = two_boxes()
    ref = TextureRef(0, offset=(0.1, 0.2), rotation_rad=0.4, scale=(2.0, 2.0))
    return replace(scene, materials=(replace(scene.materials[0], base_color_texture=ref),))


@pytest.mark.parametrize(
    "scene",
    [two_boxes(), animated(), everything(), bare(two_boxes()), several_materials(), turned_texture()],
    ids=[
        "mirrored node",
        "animated",
        "everything",
        "UVs without a material",
        "doubled and empty names",
        "turned texture",
    ],
)
def test_good_files_are_proven_in_every_format(scene: Scene, tmp_path: Path) -> None:
    report = deliver([scene], "thing", [one.name for one in FORMATS if one.write is not None], tmp_path, CONTEXT)
    checks = [(f.format, c) for f in report.formats for p in f.proofs for c in p.checks]
    assert [(name, c) for name, c in checks if not c.passed or c.warning] == []
    assert report.outcome is Outcome.PROVEN
