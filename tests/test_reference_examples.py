"""The later examples of `docs/layouts.md` work as printed, on files that plain code puts together."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np
import pytest
import trimesh
from typer.testing import CliRunner

from fuzz import examples
from fuzz.targets import Memory
from pruxel.cli.main import app
from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.binary.conventions import Conventions
from pruxel.core.disk.below import HEAD_BYTES
from pruxel.core.extract.file import parse_file
from pruxel.core.extract.tables import read_tables
from pruxel.core.extract.textures import read_textures
from pruxel.core.formats import gltf
from pruxel.core.formats.gltf.options import GltfOptions
from pruxel.core.knowledge.kinds import Kind, classify, layouts_for
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.knowledge.profile import Profile
from pruxel.core.recipe.inputs import Opener
from pruxel.core.scene.checks import problems
from pruxel.core.scene.model import Node, Scene
from pruxel.core.scene.pose import posed, stiff
from pruxel.core.scene.walk import parts, world_from_local, world_positions
from pruxel.core.sources.folder import FolderSource
from pruxel.core.sources.open import open_sources
from pruxel.core.sources.stack import build_stack

CONTEXT = Context()
FILES = examples.files()
LAMP = b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"


def opened(name: str, **more: bytes) -> Scene:
    """A file of an example opened as a person would, with others beside it."""
    files = {f"a/{name}.bin": FILES[name], **{path.replace("__", "/"): data for path, data in more.items()}}
    layouts = (examples.loaded(name),)
    kinds = {path: classify(data[:HEAD_BYTES], len(data), path, layouts) for path, data in files.items()}
    stack = build_stack([Memory(files, kinds)], Profile(layouts=layouts), CONTEXT)
    scene = Opener(stack).scene([f"a/{name}.bin"], CONTEXT)
    assert problems(scene) == []
    return scene


def node(scene: Scene, name: str) -> Node:
    [found] = [one for one in scene.nodes if one.name == name]
    return found


def where(scene: Scene, name: str) -> np.ndarray:
    index = next(i for i, one in enumerate(scene.nodes) if one.name == name)
    return world_from_local(scene)[index][:3, 3]


@pytest.mark.parametrize("name", sorted(FILES))
def test_every_example_holds_together_and_reads_its_file(name: str, tmp_path: Path) -> None:
    for one, text in examples.layouts().items():
        (tmp_path / f"{one}.yaml").write_text(text)
    (tmp_path / f"{name}.bin").write_bytes(FILES[name])
    (tmp_path / "models.lst").write_bytes(examples.MODELS)
    for words in (["check"], ["explain"]):
        told = CliRunner().invoke(
            app, ["layout", *words, str(tmp_path / f"{name}.yaml"), str(tmp_path / f"{name}.bin")]
        )
        assert told.exit_code == 0, told.output


def test_the_quarry_is_known_by_its_counts_alone() -> None:
    layout = examples.loaded("quarry")
    data = FILES["quarry"]

    def claimed(data: bytes) -> bool:
        return bool(layouts_for(data[:HEAD_BYTES], len(data), "no/ending/at/all", [layout]))

    assert classify(data, len(data), "x", [layout]) is Kind.MODEL
    assert claimed(data)
    large = struct.pack("<II", 900, 3000) + bytes(900 * 20 + 6000)
    assert claimed(large)
    for wrong in (data[:-1], data + b"\0", b"", data[:3], bytes(len(data)), np.random.default_rng(1).bytes(500)):
        assert not claimed(wrong)
    [(_, _, mesh)] = parts(opened("quarry"))
    assert mesh.primitives[0].uvs[0].tolist() == [[0, 0], [1, 0], [1, 1], [0, 1]]


def test_the_crate_keeps_files_in_sectors_and_says_their_types(tmp_path: Path) -> None:
    (tmp_path / "disc.bin").write_bytes(FILES["crate"])
    known = Knowledge(Profile(layouts=(examples.loaded("crate"),)))
    pack = next(one for one in open_sources(tmp_path, known) if one.source.label == "disc.bin")
    listed = {one.path: one.size for one in pack.source.listing(CONTEXT).entries}
    assert listed == {"hut.mesh": 3996, "lamp.picture": 48}
    assert bytes(pack.source.read("lamp.picture", CONTEXT)) == b"l" * 48
    assert [one.path for one in FolderSource(tmp_path, known).listing(CONTEXT).entries] == []


def test_the_wasp_wears_its_skins_and_its_wing_moves() -> None:
    """Each part has a texture in each skin; they stay apart through a GLB; a point goes along with the frames."""
    scene = opened("wasp")
    assert [n.name for n in scene.nodes] == ["part 0", "part 1", "sting", "wing"]
    assert where(scene, "wing").tolist() == [1, 0, 0]
    worn = [
        {d.variant: scene.materials[d.material].name for d in mesh.primitives[0].dressings} for mesh in scene.meshes
    ]
    assert worn == [{"skin 0": "ax", "skin 1": "bx", "skin 2": "cx"}, {"skin 0": "ay", "skin 1": "by", "skin 2": "cy"}]
    assert scene.materials[scene.meshes[1].primitives[0].material or 0].unresolved[0].name == "ay.png"
    later = posed(scene, scene.clips[0], 0.05)
    assert np.allclose(where(later, "wing"), (1, 0.5, 0.5))
    assert np.allclose(where(later, "sting"), (0, 0, 0.5))
    [glb] = gltf.write_glb(scene, "wasp", GltfOptions(), CONTEXT)
    back = gltf.read(memoryview(b"".join(map(bytes, glb.pieces))), "wasp.glb", lambda _: None, CONTEXT).scene
    again = [{d.variant: back.materials[d.material].name for d in m.primitives[0].dressings} for m in back.meshes]
    assert again == worn
    assert not any("variants" in note for note in back.notes)


def test_the_strider_rests_as_in_its_first_frame_and_walks_its_way() -> None:
    scene = opened("strider")
    assert where(scene, "joint 1").tolist() == [0, 0.5, 0]
    [index] = [i for i, one in enumerate(scene.nodes) if one.mesh is not None]
    mesh = scene.meshes[scene.nodes[index].mesh or 0]
    assert np.allclose(mesh.primitives[0].positions, [(0, 1, 0), (0, 0.5, 0), (1, 0.5, 0)])
    end = stiff(posed(scene, scene.clips[0], 2 / 20))
    [(at, _, moved)] = parts(end)
    place = world_positions(moved.primitives[0], world_from_local(end)[at])
    # Two metres along the way; the foot is turned a quarter about z, which takes its vertex at x to y.
    assert np.allclose(place, [(2, 1, 0), (2, 0.5, 0), (2, 1.5, 0)], atol=1e-5)


def test_the_skyline_has_six_faces() -> None:
    file = parse_file(memoryview(FILES["skyline"]), examples.loaded("skyline"), "x", Conventions(), CONTEXT)
    found = read_textures(file, CONTEXT)
    assert [one.name for one in found] == ["px", "nx", "py", "ny", "pz", "nz"]
    assert [set(one.texels.reshape(-1).tolist()) for one in found] == [{n} for n in range(6)]


def test_the_ledger_is_a_table() -> None:
    file = parse_file(memoryview(FILES["ledger"]), examples.loaded("ledger"), "x", Conventions(), CONTEXT)
    rows = read_tables(file, CONTEXT)
    assert rows[1] == {"code": "0021", "name": "lantern, brass", "size": "1.0 2.0 0.5"}
    assert Opener(build_stack([Memory({"a/x": FILES["ledger"]}, {"a/x": Kind.TABLE})],
                              Profile(layouts=(examples.loaded("ledger"),)), CONTEXT)).rows("a/x", CONTEXT) == rows  # fmt: skip


def test_the_hamlet_stands_in_groups_with_its_models_listed_elsewhere() -> None:
    scene = opened(
        "hamlet", **{"a__models.lst": examples.MODELS, "a__props__lamp.obj": LAMP, "a__props__house.obj": LAMP}
    )
    assert scene.notes == ()
    # The group stands ten metres along x, turned a quarter to the left seen from above; what is z in the file is up.
    assert np.allclose(where(scene, "house"), (10, 0, -1), atol=1e-6)
    assert np.allclose(where(scene, "lamp"), (10, 0, -2), atol=1e-6)
    assert np.allclose(where(scene, "lamp.2"), (0, 0, -5), atol=1e-6)
    red, plain = (scene.meshes[node(scene, name).mesh or 0].primitives[0] for name in ("lamp", "lamp.2"))
    assert red.material is not None
    assert scene.materials[red.material].base_color == (1.0, 0.0, 0.0, 1.0)
    assert plain.material is None or scene.materials[plain.material].base_color != (1.0, 0.0, 0.0, 1.0)
    assert red.positions is not plain.positions or np.array_equal(red.positions, plain.positions)


def test_a_level_stands_in_a_level_but_not_in_itself() -> None:
    white = (255, 255, 255, 255)
    inner = examples.hamlet((0, -1, (1, 0, 0), 0.0, white), (2, -1, (0, 0, 0), 0.0, white))
    outer = examples.hamlet((2, -1, (0, 0, 3), 90.0, white))
    layout = examples.loaded("hamlet")
    files = {"a/town.hml": outer, "a/yard.hml": inner, "a/models.lst": examples.MODELS, "a/props/lamp.obj": LAMP}
    stack = build_stack([Memory(files, dict.fromkeys(files, Kind.LEVEL))], Profile(layouts=(layout,)), CONTEXT)
    scene = Opener(stack).scene(["a/town.hml"], CONTEXT)
    assert problems(scene) == []
    [(index, _, mesh)] = parts(scene)
    assert np.allclose(world_from_local(scene)[index][:3, 3], (0, 3, -1), atol=1e-6)
    assert len(mesh.primitives[0].indices) == 1
    alone = Opener(stack).scene(["a/yard.hml"], CONTEXT)
    assert any("stands within itself" in note for note in alone.notes)


@pytest.mark.parametrize(
    ("things", "words"),
    [
        ([(0, 1, 0.0), (0, 0, 0.0)], "in each other in a ring"),
        ([(0, 7, 0.0)], "stands in one that is not there"),
        ([(9, -1, 0.0)], "a model that the level does not list"),
        ([(0, -1, float("nan"))], "stands nowhere"),
    ],
)
def test_placements_that_cannot_be_are_told(things: list[tuple[int, int, float]], words: str) -> None:
    data = examples.hamlet(*((m, p, (x, 0, 0), 0.0, (9, 9, 9, 255)) for m, p, x in things))
    stack = build_stack(
        [Memory({"a/b": data, "a/models.lst": examples.MODELS}, {"a/b": Kind.LEVEL, "a/models.lst": Kind.TEXT})],
        Profile(layouts=(examples.loaded("hamlet"),)),
        CONTEXT,
    )
    with pytest.raises(InputError) as caught:
        Opener(stack).scene(["a/b"], CONTEXT)
    assert words in caught.value.fault.line()


def test_the_ground_and_what_stands_on_it_are_one_level() -> None:
    """A file with a mesh of its own and a list of what is placed: both are there."""
    layout = """
layout: ground
match: {magic: GRND}
records:
  file:
    - {name: magic, type: text, size: 4, equals: GRND}
    - {name: points, type: f32x3, count: 3}
    - {name: lamps, type: f32x3, count: 2}
yields:
  placements: {each: lamps, model: "'lamp.obj'", translation: item}
  meshes: {name: "'ground'", vertices: {elements: {position: points}}}
"""
    from pruxel.core.binary.load import load_layout

    numbers = [0, 0, 0, 9, 0, 0, 0, 0, 9, 1, 0, 1, 2, 0, 2]
    files = {"a/g": b"GRND" + struct.pack("<15f", *numbers), "a/lamp.obj": LAMP}
    profile = Profile(layouts=(load_layout(layout, "ground"),))
    stack = build_stack([Memory(files, {"a/g": Kind.LEVEL, "a/lamp.obj": Kind.MODEL})], profile, CONTEXT)
    scene = Opener(stack).scene(["a/g"], CONTEXT)
    assert sorted(n.name for _, n, _ in parts(scene)) == ["g", "lamp", "lamp.2"] or len(list(parts(scene))) == 3
    whole = trimesh.util.concatenate(
        [
            trimesh.Trimesh(world_positions(p, world_from_local(scene)[i]), p.indices, process=False)
            for i, _, mesh in parts(scene)
            for p in mesh.primitives
        ]
    )
    assert whole.bounds.tolist() == [[0, 0, 0], [9, 1, 9]]


def test_levels_that_all_place_each_other_come_to_an_end() -> None:
    """Twelve levels, each with all others in it: every file is opened once, and the rings are told."""
    names = [f"l{number}.hml" for number in range(12)]
    listed = "".join(f"{name}\n" for name in names).encode()
    level = examples.hamlet(*((number, -1, (1.0, 0, 0), 0.0, (255, 255, 255, 255)) for number in range(12)))
    files = {f"a/{name}": level for name in names} | {"a/models.lst": listed}
    reads: list[str] = []

    class Counted(Memory):
        def read(self, path: str, context: Context) -> memoryview:
            reads.append(path)
            return super().read(path, context)

    stack = build_stack(
        [Counted(files, dict.fromkeys(files, Kind.LEVEL))], Profile(layouts=(examples.loaded("hamlet"),)), CONTEXT
    )
    scene = Opener(stack).scene(["a/l0.hml"], CONTEXT)
    assert any("stands within itself" in note for note in scene.notes)
    assert len(reads) < 100
