"""What the layouts of earlier engines read of their files is what was written, place by place."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation
from typer.testing import CliRunner

from pruxel.cli.main import app
from pruxel.core.base.context import Context
from pruxel.core.binary.conventions import Conventions
from pruxel.core.binary.load import load_layout
from pruxel.core.extract.clips import read_clips
from pruxel.core.extract.clips_on_scene import with_clips
from pruxel.core.extract.file import ParsedFile, parse_file
from pruxel.core.extract.level import read_level
from pruxel.core.extract.markers import with_markers
from pruxel.core.extract.meshes import read_model
from pruxel.core.extract.skeleton import read_skeleton
from pruxel.core.extract.textures import read_textures
from pruxel.core.knowledge.kinds import layouts_for
from pruxel.core.scene.model import Primitive, Scene
from pruxel.core.scene.pose import posed
from pruxel.core.scene.walk import world_from_local
from pruxel.sample.dredged import SHAPES
from pruxel.sample.engines import deep, engine_files, hermit, swell, tide, turtle
from tests.conftest import ROOT

FOLDER = ROOT / "src/pruxel/sample/data/layouts"
FILES = engine_files()
CONTEXT = Context()
UP = Conventions()


def read(name: str) -> ParsedFile:
    """A file by the layout that claims it among all of the game's."""
    path = next(path for path in FILES if path.endswith(name))
    data = memoryview(FILES[path])
    layouts = [load_layout(one.read_text(), one.name) for one in sorted(FOLDER.glob("*.yaml"))]
    claiming = layouts_for(bytes(data[:512]), len(data), path, layouts)
    assert len(claiming) == 1, [one.layout for one in claiming]
    return parse_file(data, claiming[0], path, UP, CONTEXT)


def parts(scene: Scene) -> list[Primitive]:
    return [one for mesh in scene.meshes for one in mesh.primitives]


def near(found: np.ndarray, wanted: np.ndarray, within: float) -> None:
    assert found.shape == wanted.shape
    assert np.abs(found - wanted).max() <= within


def outward(part: Primitive) -> bool:
    """Whether the faces of a nearly closed shape look away from its middle: its signed volume is above 0."""
    middle = part.positions - part.positions.mean(axis=0)
    a, b, c = (middle[part.indices[:, n]].astype(float) for n in range(3))
    return float((a * np.cross(b, c)).sum()) > 0


@pytest.mark.parametrize("name", ["bell.wds", "jelly.jel", "amphora.bob", "life_ring.pkd", "turtle.trt"])
def test_faces_look_outward(name: str) -> None:
    assert all(outward(one) for one in parts(read_model(read(name), CONTEXT).scene))


def test_words_give_every_point_and_faces_of_any_size() -> None:
    net = SHAPES["bell"]()
    [part] = parts(read_model(read("bell.wds"), CONTEXT).scene)
    near(part.positions, net.positions, 1e-5)
    assert len(part.indices) == 2 * len(tide.quads(net))


def test_fixed_point_is_in_metres_and_tints_are_parts_of_their_own() -> None:
    net = SHAPES["starfish"]()
    model = read_model(read("starfish.fxp"), CONTEXT)
    found = np.concatenate([one.positions for one in parts(model.scene)])
    assert cKDTree(found).query(net.positions)[0].max() < 1e-5
    assert cKDTree(net.positions).query(found)[0].max() < 1e-5
    assert sum(len(one.indices) for one in parts(model.scene)) == 2 * len(tide.quads(net))
    colors = sorted(one.base_color[:3] for one in model.materials if one.base_color is not None)
    assert np.allclose(colors, [[209 / 255, 87 / 255, 61 / 255], [242 / 255, 204 / 255, 153 / 255]], atol=1e-6)


def test_a_jellyfish_takes_every_shape() -> None:
    scene = read_model(read("jelly.jel"), CONTEXT).scene
    [part] = parts(scene)
    [clip] = scene.clips
    assert clip.name == "stroke"
    first = tide.jelly_shape(0)
    near(part.positions, first, 3e-3)
    assert len(part.targets) in {tide.FRAMES - 1, tide.FRAMES}
    for number, target in enumerate(part.targets[-(tide.FRAMES - 1) :], 1):
        assert target.positions is not None
        near(part.positions + target.positions, tide.jelly_shape(number / tide.FRAMES * 2 * np.pi), 3e-3)


def test_vertices_of_varying_size_keep_their_tints() -> None:
    net = SHAPES["amphora"]()
    [part] = parts(read_model(read("amphora.bob"), CONTEXT).scene)
    near(part.positions, net.positions, 1e-6)
    near(part.colors[0][:, :3], net.colors, 0.045)
    assert len(np.unique(part.colors[0][:, 0].round(3))) > 3


def test_an_eel_swims_as_its_angles_say() -> None:
    file = read("eel.eel")
    skeleton = read_skeleton(file, CONTEXT)
    rest = world_from_local(skeleton)
    joints = list(skeleton.skins[0].joints)
    [part] = parts(read_model(file, CONTEXT, rest[joints]).scene)
    near(part.positions, swell.eel_rest(), 1e-5)
    assert outward(part)
    [clip] = read_clips(file, CONTEXT)
    assert (clip.name, clip.frames, round(clip.seconds, 3)) == (
        "swim",
        swell.FRAMES,
        round((swell.FRAMES - 1) / swell.RATE, 3),
    )
    assert len(clip.tracks) == swell.JOINTS - 1
    names = [skeleton.nodes[joint].name for joint in joints]
    assert names == [f"spine_{n}" for n in range(swell.JOINTS - 1, -1, -1)]


def test_packed_rows_are_unpacked() -> None:
    net = SHAPES["life_ring"]()
    [part] = parts(read_model(read("life_ring.pkd"), CONTEXT).scene)
    near(part.positions, net.positions, 5e-4)
    assert part.normals is not None
    assert (part.normals * deep.ring_normals(net)).sum(axis=1).min() > 0.998
    near(part.colors[0][:, :3], net.colors, 3e-3)
    assert len(part.indices) == 2 * (net.width - 1) * (net.height - 1)


def test_a_palette_in_tiles_is_the_picture() -> None:
    [found] = read_textures(read("weed.pal"), CONTEXT)
    assert np.array_equal(found.texels[..., :3], deep.PALETTE[deep.weed_numbers()])


def test_the_shore_places_what_stands_on_it() -> None:
    level = read_level(read("shore.things"))
    assert level.counts() == [1, 2, 1]
    assert [name.rsplit("/", 1)[-1] for name in level.models] == ["bell.wds", "starfish.fxp", "jelly.jel"]
    assert np.allclose(level.placements.positions[1], [0.8, 0, 0.3])


def test_a_hermit_crab_has_its_points_on_its_bones_and_coats_to_choose_from() -> None:
    file = read("hermit.bones")
    skeleton = read_skeleton(file, CONTEXT)
    rest = world_from_local(skeleton)
    model = read_model(file, CONTEXT, rest)
    shell, legs = parts(model.scene)
    assert outward(shell)
    wanted = np.concatenate(
        [
            (rest[one.bone] @ np.column_stack([one.positions, np.ones(len(one.positions))]).T).T[:, :3]
            for one in hermit.pieces()
        ]
    )
    found = np.concatenate([shell.positions, legs.positions])
    assert cKDTree(found).query(wanted)[0].max() < 1e-5
    assert len(shell.indices) + len(legs.indices) == 2 * sum(len(one.faces) for one in hermit.pieces())
    for part, column in ((shell, 1), (legs, 2)):
        colors = [model.materials[one.material].base_color for one in part.dressings]
        assert np.allclose(colors, [coat[column] for coat in hermit.COATS])
        assert [one.variant for one in part.dressings] == [coat[0] for coat in hermit.COATS]
    whole = with_markers(skeleton, file, CONTEXT)
    claw = next(number for number, node in enumerate(whole.nodes) if node.name == "claw")
    shin = next(number for number, node in enumerate(whole.nodes) if node.name == "shin_lf")
    assert claw in whole.nodes[shin].children
    [clip] = read_clips(read("hermit.moves"), CONTEXT)
    assert (clip.name, clip.rate, clip.seconds) == ("scuttle", hermit.RATE, hermit.LAST / hermit.RATE)
    moved = posed(with_clips(skeleton, (clip,))[0], with_clips(skeleton, (clip,))[0].clips[0], 12 / hermit.RATE)
    for bone in hermit.bones():
        if bone.parent < 0:
            continue
        turn = next(node.rotation for node in moved.nodes if node.name == bone.name)
        wanted_turn = Rotation.from_euler("y", bone.turn, degrees=True) * Rotation.from_euler(
            "z", hermit.angle(bone.name, 12), degrees=True
        )
        assert (Rotation.from_quat(turn).inv() * wanted_turn).magnitude() < 1e-4, bone.name


def test_a_turtle_swims_its_way_by_numbers_alone() -> None:
    file = read("turtle.trt")
    skeleton = read_skeleton(file, CONTEXT)
    near(world_from_local(skeleton)[:, :3, 3], np.array([place for _, place in turtle.JOINTS]), 1e-6)
    model = read_model(file, CONTEXT)
    [part] = parts(model.scene)
    places, faces, joints, shares = turtle.body()
    near(part.positions, places, 2e-4)
    assert len(part.indices) == 2 * len(faces)
    assert part.joints is not None
    assert part.weights is not None
    own = np.take_along_axis(part.weights, (part.joints == joints[:, :1]).argmax(axis=1)[:, None], axis=1)[:, 0]
    assert np.abs(own - shares)[joints[:, 0] != 0].max() < 3e-3
    loose = read_clips(read("turtle_swim.tmv"), CONTEXT)
    scene, share = with_clips(skeleton, loose)
    assert share == 1.0
    for frame in (0, 3, 11, turtle.FRAMES - 1):
        moved = posed(scene, scene.clips[0], frame / turtle.RATE)
        path = next(node for node in moved.nodes if node.name == "root path")
        assert np.allclose(path.translation, turtle.way()[frame], atol=1e-6)
        for joint in range(len(turtle.JOINTS)):
            wanted_turn = Rotation.from_quat(turtle.turn(joint, frame))
            assert (Rotation.from_quat(moved.nodes[joint].rotation).inv() * wanted_turn).magnitude() < 3e-4


@pytest.mark.parametrize("path", [path for path in FILES if not path.endswith((".pal", ".moves", ".tmv"))])
def test_each_opens_from_the_game(game: Path, path: str) -> None:
    """By the profile, beside everything else that the game holds."""
    told = CliRunner().invoke(app, ["inspect", str(game), "--entry", path, "--json"])
    assert told.exit_code == 0, told.output
    assert sum(mesh["triangles"] for mesh in json.loads(told.stdout)["meshes"]) > 200
