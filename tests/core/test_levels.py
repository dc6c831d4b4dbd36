"""Levels: what is placed stands where a plain computation puts it, and what cannot be placed is told."""

from __future__ import annotations

import io
import struct
from dataclasses import replace

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.binary.conventions import Conventions
from pruxel.core.binary.load import load_layout
from pruxel.core.extract.conventions import turned_matrices
from pruxel.core.extract.conventions import turning as turning_of
from pruxel.core.extract.file import parse_file
from pruxel.core.extract.level import Level, read_level
from pruxel.core.formats.gltf import write_glb
from pruxel.core.formats.gltf.options import GltfOptions
from pruxel.core.geometry.transforms import compose, quaternion_matrix
from pruxel.core.recipe.inputs import Opener
from pruxel.core.scene.checks import problems
from pruxel.core.scene.place import Placements, placed
from pruxel.core.scene.walk import parts, world_from_local, world_positions
from pruxel.core.sources.stack import Stack
from pruxel.sample.containers import level_bytes

LAYOUT = """
layout: quaternions
title: A level with quaternions
match: {magic: LV, extensions: [.lv]}
records:
  file:
    - {name: magic, type: text, size: 2, equals: LV}
    - {name: count, type: u16}
    - {name: models, type: model, count: 2}
    - {name: placed, type: placement, count: count}
  model:
    - {name: path, type: text, size: 8}
  placement:
    - {name: model, type: u32}
    - {name: position, type: f32x3}
    - {name: turn, type: TURN}
    - {name: scale, type: f32x3}
yields:
  placements:
    models: models.path
    model: placed.model
    translation: placed.position
    rotation: ROTATION
    scale: placed.scale
"""
MARKET = "levels/market/market.blv"
AXES = st.permutations(["x", "y", "z"]).flatmap(
    lambda names: st.tuples(*(st.sampled_from([name, f"-{name}"]) for name in names))
)
NUMBER = st.floats(-1000, 1000, width=32)
SIZE = st.floats(0.125, 8, width=32)


def level(rows: list[bytes], turn: str, conventions: Conventions, rotation: str = "placed.turn") -> Level:
    layout = load_layout(LAYOUT.replace("TURN", turn).replace("ROTATION", rotation), "level.yaml")
    data = b"LV" + struct.pack("<H8s8s", len(rows), b"a.brm", b"b.brm") + b"".join(rows)
    return read_level(parse_file(memoryview(data), layout, "one.lv", conventions, Context()))


def matrices(where: Placements) -> list[np.ndarray]:
    return [compose(*row) for row in zip(where.positions, where.rotations, where.scales, strict=True)]


@given(
    axes=AXES,
    position=st.tuples(NUMBER, NUMBER, NUMBER),
    turn=st.tuples(*[st.floats(-1, 1, width=32)] * 4).filter(lambda q: sum(v * v for v in q) > 0.01),
    scale=st.tuples(SIZE, SIZE, SIZE),
)
def test_placements_are_turned_like_any_node(
    axes: tuple[str, str, str],
    position: tuple[float, ...],
    turn: tuple[float, float, float, float],
    scale: tuple[float, ...],
) -> None:
    how = Conventions(axes=axes, unit_m=0.5)
    where = level([struct.pack("<I10f", 1, *position, *turn, *scale)], "f32x4", how).placements
    basis = turning_of(how).ours_from_file
    inner = basis @ (quaternion_matrix(turn) * np.asarray(scale)) @ basis.T
    assert np.allclose(matrices(where)[0][:3, :3], inner, atol=1e-4)
    assert np.allclose(where.positions[0], basis @ position * 0.5, atol=1e-3)
    up = basis.T @ (0, 1, 0)
    about = struct.pack("<I7f", 0, *position, turn[0], *scale)
    line = "axis_angle(vec({:.0f}, {:.0f}, {:.0f}), placed.turn)".format(*up)
    found = matrices(level([about], "f32", how, line).placements)[0]
    quaternion = (*(np.sin(turn[0] / 2) * up), np.cos(turn[0] / 2))
    assert np.allclose(found, turned_matrices(compose(position, quaternion, scale), turning_of(how)), atol=1e-3)


def test_the_market_stands_as_its_level_says(stack: Stack) -> None:
    opener = Opener(stack)
    scene = opener.scene([MARKET], Context())
    told = opener.level(MARKET, Context())
    assert (len(scene.roots), scene.notes, problems(scene)) == (len(told.placements.model), (), [])
    fronts = [n for n, root in enumerate(scene.roots) if scene.nodes[root].name.startswith("hs07_front")]
    assert len(fronts) == told.counts()[told.models.index("levels/market/hs07_front.brm")] == 10
    house = opener.scene(["levels/market/hs07_front.brm"], Context())
    visible = [node.name for _, node, _ in parts(house) if node.role == "visual" and node.detail == 0]
    world, where = world_from_local(scene), matrices(told.placements)
    for number in fronts:
        node = scene.nodes[scene.roots[number]]
        assert len(node.children) == len(visible)
        for child, mine in zip(node.children, (p for p in parts(house) if p[1].name in visible), strict=True):
            own = world_from_local(house)[mine[0]]
            assert np.allclose(world[child], where[number] @ own, atol=1e-6)
    [file] = write_glb(scene, "market", GltfOptions(), Context())
    read = trimesh.load(io.BytesIO(b"".join(bytes(piece) for piece in file.pieces)), file_type="glb")
    ours = np.concatenate([world_positions(p, world[i]) for i, _, mesh in parts(scene) for p in mesh.primitives])
    assert np.allclose(read.bounds, [ours.min(axis=0), ours.max(axis=0)], atol=1e-4)
    assert len(scene.meshes) < len(list(parts(scene))) / 5


def test_people_in_a_level_stand_still(stack: Stack) -> None:
    opener = Opener(stack)
    diver = opener.scene(["actors/act_0107/act_0107.brm"], Context())
    assert diver.skins
    one = np.array([[1.0, 0.0, 2.0]])
    where = Placements(np.array([0, 0]), np.repeat(one, 2, 0), np.tile([0.0, 0, 0, 1], (2, 1)), np.ones((2, 3)))
    scene = placed("both", [diver], where, Limits())
    assert (scene.skins, scene.clips, problems(scene)) == ((), (), [])
    assert len(scene.roots) == 2
    with pytest.raises(InputError, match="more than one scene may hold"):
        placed("both", [diver], where, replace(Limits(), nodes=3))


def test_a_skeleton_that_leads_back_to_its_model_is_told(stack: Stack) -> None:
    diver = "actors/act_0107/act_0107.brm"

    class Circular:
        """The game with a model that is its own skeleton."""

        def resolve(self, name: str, beside: str) -> object:
            found = stack.resolve(name, beside)
            return replace(found, path=diver) if name.endswith(".bsk") else found

        def __getattr__(self, name: str) -> object:
            return getattr(stack, name)

    scene = Opener(Circular()).scene([diver], Context())  # type: ignore[arg-type]
    assert (scene.skins, bool(scene.meshes)) == ((), True)
    assert any("leads back to itself" in note for note in scene.notes)


def test_what_cannot_be_placed_is_told(stack: Stack) -> None:
    class Changed:
        """The game with another market."""

        def __init__(self, data: bytes) -> None:
            self.data = data

        def read(self, path: str, context: Context) -> memoryview:
            return memoryview(self.data) if path == MARKET else stack.read(path, context)

        def __getattr__(self, name: str) -> object:
            return getattr(stack, name)

    def opened(models: list[str], rows: list[tuple[int, float, float, float, float, float]]) -> Opener:
        return Opener(Changed(level_bytes(models, rows)))  # type: ignore[arg-type]

    good, bad, within = "props/p0021/p0021.brm", "props/p0099/p0099.brm", MARKET
    rows = [(0, 0.0, 0.0, 0.0, 0.0, 1.0), (1, 1.0, 0.0, 0.0, 0.0, 1.0), (2, 2.0, 0.0, 0.0, 0.0, 1.0)]
    scene = opened([good, bad, within], rows).scene([MARKET], Context())
    assert [scene.nodes[root].name for root in scene.roots] == ["p0021"]
    assert any(f"no model '{bad}'" in note for note in scene.notes)
    assert any(f"the level '{MARKET}' stands within itself" in note for note in scene.notes)
    for wrong, code in (
        ((1, 0.0, 0.0, 0.0, 0.0, 1.0), ErrorCode.REFERENCE),
        ((0, float("nan"), 0.0, 0.0, 0.0, 1.0), ErrorCode.MALFORMED),
    ):
        with pytest.raises(InputError) as caught:
            opened([good], [rows[0], wrong]).scene([MARKET], Context())
        assert caught.value.fault.code == code
        assert caught.value.fault.offset is not None
    with pytest.raises(InputError) as caught:
        level([struct.pack("<I8f", 0, 0, 0, 0, 0, 0, 1, 1, 1)], "f32x2", Conventions())
    assert (caught.value.fault.code, caught.value.fault.expected) == (ErrorCode.LAYOUT, "rows of 4 or 1 numbers")
