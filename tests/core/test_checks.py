"""What does not hold together is named: one scene for each way of being broken, each refused in words of its own."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.scene.checks import INVARIANTS, entered, problems
from pruxel.core.scene.materials import Clearcoat, TextureRef, Volume
from pruxel.core.scene.model import Attribute, ClipChannel, MorphTarget, Node, Primitive, Scene, Strokes
from tests.scenes import animated, everything, two_boxes

NAN, INF = float("nan"), float("inf")


def at(items: tuple[Any, ...], index: int, **values: object) -> tuple[Any, ...]:
    """The tuple with one of its items changed."""
    return tuple(replace(item, **values) if n == index else item for n, item in enumerate(items))


def node(index: int, **values: object) -> Callable[[Scene], Scene]:
    return lambda s: replace(s, nodes=at(s.nodes, index, **values))


def material(**values: object) -> Callable[[Scene], Scene]:
    return lambda s: replace(s, materials=at(s.materials, 0, **values))


def primitive(change: Callable[[Primitive], dict[str, object]]) -> Callable[[Scene], Scene]:
    def apply(scene: Scene) -> Scene:
        mesh = scene.meshes[0]
        first = replace(mesh.primitives[0], **change(mesh.primitives[0]))
        return replace(scene, meshes=at(scene.meshes, 0, primitives=(first, *mesh.primitives[1:])))

    return apply


def strokes(**values: object) -> Callable[[Scene], Scene]:
    def apply(scene: Scene) -> Scene:
        return replace(scene, meshes=at(scene.meshes, 1, strokes=at(scene.meshes[1].strokes, 0, **values)))

    return apply


def channel(**values: object) -> Callable[[Scene], Scene]:
    def apply(scene: Scene) -> Scene:
        return replace(scene, clips=at(scene.clips, 0, channels=at(scene.clips[0].channels, 0, **values)))

    return apply


def with_nan(array: np.ndarray) -> np.ndarray:
    made = array.copy()
    made.flat[made.size // 2] = np.nan
    return made


def twice_moved(scene: Scene) -> Scene:
    clip = scene.clips[0]
    return replace(scene, clips=at(scene.clips, 0, channels=(*clip.channels, clip.channels[0])))


def turned_to_nothing(scene: Scene) -> Scene:
    times = np.array([0.0, 1.0], np.float32)
    nothing = ClipChannel(2, "rotation", times, np.array([[0, 0, 0, 1], [0, 0, 0, 0]], np.float32))
    return replace(scene, clips=at(scene.clips, 0, channels=(nothing,)))


HARMS: dict[str, tuple[Callable[[Scene], Scene], str]] = {
    # The tree.
    "its own child": (node(0, children=(0,)), "below itself"),
    "each other's child": (lambda s: replace(s, nodes=at(at(s.nodes, 2, children=(3,)), 3, children=(2,))), "parents"),
    "a ring that no root reaches": (
        lambda s: replace(s, nodes=(*s.nodes, Node("a", children=(8,)), Node("b", children=(7,)))), "below itself"),
    "two parents": (node(1, children=(3,)), "'knee' has 2 parents"),
    "a root with a parent": (lambda s: replace(s, roots=(*s.roots, 3)), "root 'knee' has a parent"),
    "a root listed twice": (lambda s: replace(s, roots=(*s.roots, s.roots[0])), "listed twice"),
    "a child that is not there": (node(0, children=(99,)), "nodes[99] of 7"),
    "a child before the first": (node(0, children=(-1,)), "nodes[-1] of 7"),
    "a shared name": (node(1, name="top"), "share a name"),
    "NUL in a name": (node(1, name="pr\0op"), "must not hold NUL"),
    # Placements.
    "nowhere": (node(1, translation=(0.0, NAN, 0.0)), "'prop' stands nowhere"),
    "too far": (node(1, translation=(1e30, 0.0, 0.0)), "'prop' stands nowhere"),
    "endlessly large": (node(1, scale=(1.0, INF, 1.0)), "'prop' stands nowhere"),
    "two numbers": (node(1, translation=(0.0, 0.0)), "3, 4 and 3"),
    "no turn": (node(1, rotation=(0.0, 0.0, 0.0, 0.0)), "unit length"),
    "a turn of length two": (node(1, rotation=(0.0, 0.0, 0.0, 2.0)), "unit length"),
    "a matrix of nothing": (node(1, matrix=((NAN,) * 4,) * 4), "its matrix"),
    "endless weights": (node(4, weights=(INF,)), "stands nowhere"),
    # References.
    "a mesh that is not there": (node(1, mesh=9), "meshes[9] of 2"),
    "a skin that is not there": (node(4, skin=1), "skins[1] of 1"),
    "a camera that is not there": (node(5, camera=3), "cameras[3] of 1"),
    "a texture that is not there": (material(normal_texture=TextureRef(7)), "textures[7] of 2"),
    "a texture of a coat that is not there": (
        material(clearcoat=Clearcoat(1.0, roughness_texture=TextureRef(5))), "textures[5] of 2"),
    "an image that is not there": (lambda s: replace(s, textures=at(s.textures, 0, image=4)), "images[4] of 2"),
    "a material that is not there": (primitive(lambda _: {"material": 6}), "materials[6] of 2"),
    "a joint that is not there": (lambda s: replace(s, skins=at(s.skins, 0, joints=(2, 70))), "nodes[70] of 7"),
    "a moved node that is not there": (channel(node=44), "nodes[44] of 7"),
    # Attributes.
    "positions that are none": (primitive(lambda p: {"positions": with_nan(p.positions)}), "positions holds something"),
    "normals that are none": (primitive(lambda p: {"normals": with_nan(p.normals)}), "normals holds something"),
    "too few normals": (primitive(lambda p: {"normals": p.normals[:-1]}), "normals has shape"),
    "flat positions": (primitive(lambda p: {"positions": p.positions[:, :2], "targets": ()}), "positions has 2 numbers"),
    "UVs of three": (primitive(lambda p: {"uvs": (p.positions,)}), "uvs[0] has 3 numbers"),
    "one row of colours": (primitive(lambda _: {"colors": (np.ones((1, 4), np.float32),)}), "colors[0] has shape"),
    "a long attribute": (
        primitive(lambda _: {"attributes": (Attribute("_heat", np.zeros((3, 1), np.float32)),)}), "'_heat' has shape"),
    "a target of another": (
        primitive(lambda _: {"targets": (MorphTarget("grin", np.zeros((2, 3), np.float32)),)}), "'grin' positions"),
    "weights without joints": (primitive(lambda _: {"joints": None}), "go together"),
    "more joints than weights": (
        primitive(lambda p: {"joints": np.concatenate([p.joints, p.joints], axis=1)}), "differ in shape"),
    "a weight below zero": (primitive(lambda p: {"weights": p.weights - 0.5}), "below zero"),
    "a joint beyond its skin": (primitive(lambda p: {"joints": p.joints + 5}), "names joint 6 of 2"),
    # Corners.
    "a corner beyond": (primitive(lambda p: {"indices": p.indices + 1000}), "beyond the 24 vertices"),
    "pairs for triangles": (primitive(lambda p: {"indices": p.indices[:, :2]}), "indices have shape"),
    "polygons of another number": (
        primitive(lambda _: {"face_sizes": np.array([4, 4], np.uint32)}), "its polygons are not its triangles"),
    "polygons of two": (
        primitive(lambda p: {"face_sizes": np.full(len(p.indices), 2, np.uint32)}), "its polygons are not its triangles"),
    "a line to nowhere": (strokes(indices=np.array([[0, 9]], np.uint32)), "names a vertex that does not exist"),
    "a line of three": (strokes(indices=np.array([[0, 1, 2]], np.uint32)), "strokes have shape"),
    "a point that is none": (strokes(positions=np.full((3, 3), np.nan, np.float32)), "stands nowhere"),
    "a colour of fewer points": (strokes(colors=(np.ones((1, 4), np.float32),)), "another shape than they"),
    # Materials, cameras, lights.
    "brighter than white": (material(base_color=(1.5, 0.0, 0.0, 1.0)), "not between 0 and 1"),
    "three of four": (material(base_color=(1.0, 0.0, 0.0)), "a colour has not its numbers"),
    "rough as nothing": (material(roughness=NAN), "not between 0 and 1"),
    "endless glow": (material(emissive_strength=INF), "emissive_strength is not a number"),
    "a coat that is none": (material(clearcoat=Clearcoat(NAN)), "factor is not a number"),
    "a volume without end": (material(volume=Volume(INF)), "thickness is not a number"),
    "a moved texture": (
        material(base_color_texture=TextureRef(0, offset=(0.0, NAN))), "offset is not a number"),
    "coordinates beyond 64 bits": (
        material(base_color_texture=TextureRef(0, uv_set=2**64)), "uv_set is not a number"),
    "NUL in the name of a material": (material(name="ru\0st"), "name holds NUL"),
    "NUL in the name of a mesh": (lambda s: replace(s, meshes=at(s.meshes, 0, name="\0")), "holds NUL"),
    "an eye of no angle": (lambda s: replace(s, cameras=at(s.cameras, 0, yfov_rad=NAN)), "yfov_rad is not a number"),
    "a lamp without end": (lambda s: replace(s, lights=at(s.lights, 0, intensity=INF)), "intensity is not a number"),
    # Skins.
    "no joints": (
        lambda s: replace(s, skins=at(s.skins, 0, joints=(), inverse_bind=np.zeros((0, 4, 4)))), "has no joints"),
    "too few matrices": (
        lambda s: replace(s, skins=at(s.skins, 0, inverse_bind=np.eye(4)[None])), "do not fit its 2 joints"),
    "matrices that are none": (
        lambda s: replace(s, skins=at(s.skins, 0, inverse_bind=np.full((2, 4, 4), np.nan))), "do not fit its 2 joints"),
    # Clips.
    "no keys": (channel(times=np.zeros(0, np.float32)), "do not ascend"),
    "times that go back": (channel(times=np.array([0.0, 2.0, 1.0], np.float32)), "do not ascend"),
    "two keys at one time": (channel(times=np.array([0.0, 1.0, 1.0], np.float32)), "do not ascend"),
    "a time before the start": (channel(times=np.array([-1.0, 0.0, 1.0], np.float32)), "do not ascend"),
    "a time that is none": (channel(times=np.array([0.0, NAN, 1.0], np.float32)), "do not ascend"),
    "a key too few": (channel(values=np.tile([0, 0, 0, 1], (2, 1)).astype(np.float32)), "8 numbers for 3 keys"),
    "a spline without tangents": (channel(interpolation="CUBICSPLINE"), "12 numbers for 3 keys"),
    "a key that is none": (channel(values=np.full((3, 4), np.nan, np.float32)), "a key is not a number"),
    "a turn to nothing": (turned_to_nothing, "no length"),
    "moved twice": (twice_moved, "moved twice"),
}  # fmt: skip


@pytest.mark.parametrize("harm", HARMS)
def test_each_harm_is_named_and_refused_where_scenes_enter(harm: str) -> None:
    change, words = HARMS[harm]
    broken = change(everything())
    found = problems(broken)
    assert any(words in line for line in found), found
    if all(line.startswith("clip ") for line in found):
        # A bad key costs no model: what is left of the clips enters, and what is not is told.
        made = entered(broken, "thing.glb")
        assert problems(made) == []
        assert any("clip '" in note for note in made.notes)
        return
    with pytest.raises(InputError) as refused:
        entered(broken, "thing.glb")
    fault = refused.value.fault
    assert (fault.code, fault.file) == (ErrorCode.MALFORMED, "thing.glb")
    assert fault.found
    assert fault.hint


@pytest.mark.parametrize("scene", [everything(), animated(), two_boxes(), Scene("empty")], ids=lambda s: s.name)
def test_sound_scenes_pass_as_they_are(scene: Scene) -> None:
    assert problems(scene) == []
    assert entered(scene, "thing.glb") is scene


def test_every_check_has_refused_something() -> None:
    """A check that never refused anything is none."""
    idle = {check.__name__ for check in INVARIANTS}
    for change, _ in HARMS.values():
        broken = change(everything())
        if list(INVARIANTS[0](broken)):
            idle.discard(INVARIANTS[0].__name__)
            continue
        idle -= {check.__name__ for check in INVARIANTS[1:] if list(check(broken))}
    assert not idle


def test_a_thousand_faults_are_five_and_a_number() -> None:
    scene = two_boxes()
    nodes = tuple(Node(f"n{i}", translation=(NAN, 0.0, 0.0)) for i in range(1000))
    with pytest.raises(InputError) as refused:
        entered(replace(scene, nodes=(*scene.nodes, *nodes)), "thing.glb")
    found = str(refused.value.fault.found)
    assert found.count(";") == 4
    assert found.endswith("(and 995 more)")


def test_a_deep_tree_is_no_ring() -> None:
    depth = 200_000
    nodes = tuple(Node(f"n{i}", children=(i + 1,) if i + 1 < depth else ()) for i in range(depth))
    assert problems(Scene("deep", nodes=nodes, roots=(0,))) == []


def test_what_has_no_vertices_is_sound() -> None:
    empty = Primitive(np.zeros((0, 3), np.float32), np.zeros((0, 3), np.uint32))
    scene = two_boxes()
    points = Strokes(np.zeros((0, 3), np.float32), np.zeros((0, 1), np.uint32))
    assert problems(replace(scene, meshes=at(scene.meshes, 0, primitives=(empty,), strokes=(points,)))) == []
