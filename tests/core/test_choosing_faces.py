"""Faces chosen by hand: in a window, grown from some, and what steps do with just those."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.base.errors import UsageError
from pruxel.core.geometry.measure import area_vectors
from pruxel.core.scene.checks import problems
from pruxel.core.scene.faces import Window, grown, mask_of, numbers_of, within
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene
from pruxel.core.scene.pose import standing
from pruxel.core.scene.walk import parts
from pruxel.core.steps.references import FaceSet
from tests.contracts.test_steps import flawed
from tests.core.test_repairs import performed
from tests.scenes import animated, everything, two_boxes


@given(st.lists(st.booleans(), max_size=60))
def test_numbers_say_just_those_faces(chosen: list[bool]) -> None:
    mask = np.array(chosen, bool)
    text = numbers_of(mask)
    assert np.array_equal(mask_of(text, len(mask), "x"), mask)
    assert FaceSet(part="x", faces=text).faces == text
    assert mask_of(f" {text} ,", len(mask), "x").sum() == mask.sum()


@pytest.mark.parametrize("numbers", ["0-12", "12", "5-3", "1, 0-99"])
def test_faces_that_are_not_there_are_refused(numbers: str) -> None:
    scene = two_boxes()
    with pytest.raises(UsageError, match="other faces"):
        performed("remove_faces", scene, faces=[{"part": "large", "faces": numbers}])
    with pytest.raises(UsageError, match="no part called 'nobody'"):
        performed("flip_faces", scene, faces=[{"part": "nobody", "faces": "0"}])
    for wrong in ("-1", "a", "0-", "1--2", "9999999999"):
        with pytest.raises(UsageError, match="cannot run so"):
            performed("flip_faces", scene, faces=[{"part": "large", "faces": wrong}])


def cube(*, apart: bool = False) -> Mesh:
    """A cube of six squares, each cut in four triangles or more; as two primitives."""
    shape = trimesh.creation.box().subdivide()
    if apart:
        shape = trimesh.Trimesh(
            shape.vertices[shape.faces].reshape(-1, 3), np.arange(144).reshape(-1, 3), process=False
        )
    points = as_floats(shape.vertices, 3)
    return Mesh("cube", tuple(Primitive(points, as_indices(faces)) for faces in (shape.faces[:20], shape.faces[20:])))


@pytest.mark.parametrize("apart", [False, True])
def test_what_is_level_ends_at_the_edges_and_a_piece_is_whole(*, apart: bool) -> None:
    mesh = cube(apart=apart)
    normals = np.concatenate([area_vectors(p.positions, p.indices) for p in mesh.primitives])
    first = np.zeros(48, bool)
    first[7] = True
    level = grown(mesh, first, "what is level", np.deg2rad(10))
    assert np.array_equal(level, (normals @ normals[7]) > 0)
    assert grown(mesh, first, "the whole piece", 0).all()
    assert grown(mesh, first, "what is level", np.deg2rad(95)).all()
    near = grown(mesh, first, "their neighbours", 0)
    assert first.sum() < near.sum() < 48
    assert near[7]
    assert np.array_equal(grown(mesh, first, "no farther", 0), first)
    none = np.zeros(48, bool)
    assert not grown(mesh, none, "the whole piece", 0).any()


def looking_along_z(half: float) -> np.ndarray:  # type: ignore[type-arg]
    """Clip space from world, looking down -Z from far away, without perspective."""
    return np.diag([1 / half, 1 / half, -0.01, 1.0])


def test_a_window_takes_what_lies_wholly_in_it() -> None:
    scene = Scene("cube", nodes=(Node("cube", mesh=0),), roots=(0,), meshes=(cube(),))
    front = within(scene, Window(looking_along_z(1), -1, -1, 1, 1), {"cube"}, through=False)["cube"]
    normals = np.concatenate([area_vectors(p.positions, p.indices) for p in scene.meshes[0].primitives])
    assert np.array_equal(front, normals[:, 2] > 0)
    assert within(scene, Window(looking_along_z(1), -1, -1, 1, 1), {"cube"}, through=True)["cube"].all()
    right = within(scene, Window(looking_along_z(1), -0.01, -1, 1, 1), {"cube"}, through=True)["cube"]
    middles = np.concatenate([p.positions[p.indices].mean(axis=1) for p in scene.meshes[0].primitives])
    assert (middles[right][:, 0] > 0).all()
    assert (
        right.sum()
        == (
            np.concatenate([p.positions[p.indices][:, :, 0].min(axis=1) for p in scene.meshes[0].primitives]) >= -1e-6
        ).sum()
    )
    assert within(scene, Window(looking_along_z(1), -1, -1, 1, 1), set(), through=True) == {}
    behind = np.diag([1.0, 1.0, 1.0, 1.0])
    behind[3] = (0, 0, 1, -9)  # all of it lies behind the eye
    assert within(scene, Window(behind, -1, -1, 1, 1), {"cube"}, through=True) == {}


FACES = [{"part": "large", "faces": "0-1, 6-8"}, {"part": "small", "faces": "11"}]


def triangles(scene: Scene, part: str) -> np.ndarray:  # type: ignore[type-arg]
    """(m, 3, 3) in world space, in order of where they are."""
    [mesh] = [mesh for _, node, mesh in standing(scene) if node.name == part]
    found = np.concatenate([p.positions[p.indices] for p in mesh.primitives])
    return found[np.lexsort(np.round(found.mean(axis=1), 4).T)]


def test_only_chosen_faces_go_turn_and_are_dressed() -> None:
    scene = two_boxes()
    gone = performed("remove_faces", scene, faces=FACES).scene
    assert [sum(len(p.indices) for p in m.primitives) for _, _, m in parts(gone)] == [7, 11]
    turned = performed("flip_faces", scene, faces=FACES).scene
    for part, count in (("large", 5), ("small", 1)):
        was, now = triangles(scene, part), triangles(turned, part)
        assert np.allclose(was.mean(axis=1), now.mean(axis=1), atol=1e-5)
        one, two = (np.cross(t[:, 1] - t[:, 0], t[:, 2] - t[:, 0]) for t in (was, now))
        assert (np.einsum("ij,ij->i", one, two) < 0).sum() == count
    dressed = performed("assign_material", scene, faces=FACES, material="tar").scene
    worn = {node.name: [len(p.indices) for p in mesh.primitives if p.material == 1] for _, node, mesh in parts(dressed)}
    assert worn == {"large": [5], "small": [1]}
    assert [m.name for m in dressed.materials] == ["paint", "tar"]
    for made in (gone, turned, dressed):
        assert problems(made) == []


def test_chosen_faces_become_a_part() -> None:
    split = performed("split_parts", two_boxes(), by="chosen faces", faces=FACES).scene
    sizes = {node.name: sum(len(p.indices) for p in mesh.primitives) for _, node, mesh in parts(split)}
    assert sizes == {"large.chosen": 5, "large.rest": 7, "small.chosen": 1, "small.rest": 11}
    shared = two_boxes()
    shared = replace(shared, nodes=(*shared.nodes[:2], replace(shared.nodes[2], mesh=0)), meshes=shared.meshes[:1])
    split = performed("split_parts", shared, by="chosen faces", faces=FACES).scene
    assert {n.name: sum(len(p.indices) for p in m.primitives) for _, n, m in parts(split)} == sizes
    whole = performed("split_parts", two_boxes(), by="chosen faces", faces=[{"part": "large", "faces": "0-11"}])
    assert "no part has more" in whole.summary


def test_faces_of_what_moves_stay_with_their_joints_and_shapes() -> None:
    scene = animated()
    turned = performed("flip_faces", scene, faces=[{"part": "body", "faces": "3-6"}]).scene
    first, second = turned.meshes[0].primitives
    assert (len(first.indices), len(second.indices)) == (8, 4)
    assert all(p.joints is not None and p.targets[0].positions is not None for p in (first, second))
    assert np.allclose(triangles(scene, "body").mean(axis=1), triangles(turned, "body").mean(axis=1), atol=1e-6)
    polygons = flawed()
    cut = performed("remove_faces", polygons, faces=[{"part": "large", "faces": "0"}]).scene
    assert problems(cut) == []
    assert (
        problems(performed("assign_material", everything(), faces=[{"part": "body", "faces": "0"}], material="x").scene)
        == []
    )
