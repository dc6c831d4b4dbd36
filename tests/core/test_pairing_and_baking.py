"""Quadrilaterals of triangles, transforms baked into vertices, normals taken from elsewhere."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.base.errors import UsageError
from pruxel.core.geometry.edges import twins
from pruxel.core.geometry.nearest import nearest_places
from pruxel.core.geometry.pairing import paired
from pruxel.core.geometry.polygons import convex_faces, outlines
from pruxel.core.geometry.texels import cover
from pruxel.core.scene.checks import problems
from pruxel.core.scene.model import Clip, ClipChannel, Light, Mesh, Node, Primitive, Scene
from pruxel.core.scene.pose import standing
from pruxel.core.scene.walk import world_from_local
from tests.core.test_repairs import performed
from tests.core.test_shaping import SHEETS, alone, done
from tests.scenes import animated, two_boxes


def faces(p: Primitive) -> set[tuple[int, ...]]:
    """Triangles whatever corner they begin at, the way round kept."""
    return {tuple(np.roll(t, -int(np.argmin(t)))) for t in p.indices.astype(int)}


def test_a_grid_becomes_quadrilaterals_and_nothing_is_drawn_otherwise() -> None:
    scene = alone(SHEETS["grid"])
    [was], [now] = scene.meshes[0].primitives, done(scene, "pair_triangles").meshes[0].primitives
    assert faces(was) == faces(now)
    assert now.face_sizes is not None
    assert now.face_sizes.tolist() == [4] * 16
    corners = outlines(now.indices, now.face_sizes).reshape(-1, 4)
    assert all(len(set(ring)) == 4 for ring in corners.tolist())
    # Every ring is a square of the grid: its corners are x and x + 1, y and y + 1.
    places = SHEETS["grid"].vertices[corners][:, :, [0, 2]]
    assert (np.ptp(places, axis=1) == 1).all()
    assert done(done(scene, "pair_triangles"), "cut_to_triangles").meshes[0].primitives[0].face_sizes is None


@given(seed=st.integers(0, 2**32 - 1), least=st.floats(0, 1))
def test_pairs_are_convex_keep_all_triangles_and_polygons(seed: int, least: float) -> None:
    rng = np.random.default_rng(seed)
    shape = trimesh.creation.icosphere(subdivisions=1)
    points = as_floats(shape.vertices + rng.normal(scale=0.1, size=shape.vertices.shape), 3)
    indices = as_indices(shape.faces[rng.permutation(len(shape.faces))[: rng.integers(1, 80)]])
    first = Primitive(points, indices)
    found = paired(points, indices, twins(indices), np.full(len(indices), 3), np.pi / 3, least)
    made = replace(first, indices=found.indices)
    assert faces(first) == faces(made)
    assert sorted(found.order) == list(range(len(indices)))
    corners = outlines(found.indices, found.sizes)
    assert convex_faces(points, corners, found.sizes).all()
    # Once more over what is paired: what is a polygon stays one, at its place.
    again = paired(points, found.indices, twins(found.indices), found.sizes, np.pi / 3, least)
    assert (again.sizes == 4).sum() >= (found.sizes == 4).sum()
    assert faces(replace(first, indices=again.indices)) == faces(first)


def test_a_bent_pair_and_a_seam_stay_triangles() -> None:
    box = trimesh.creation.box()
    assert (done(alone(box), "pair_triangles").meshes[0].primitives[0].face_sizes == 4).all()
    roof = trimesh.Trimesh([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0.5, 0.5, 0.8]], [[0, 1, 3], [1, 2, 3]], process=False)
    assert done(alone(roof), "pair_triangles", angle=10).meshes[0].primitives[0].face_sizes is None
    apart = trimesh.Trimesh(box.vertices[box.faces].reshape(-1, 3), np.arange(36).reshape(-1, 3), process=False)
    assert done(alone(apart), "pair_triangles").meshes[0].primitives[0].face_sizes is None


def at_rest(scene: Scene) -> list[np.ndarray]:  # type: ignore[type-arg]
    return [p.positions for _, _, mesh in standing(scene) for p in mesh.primitives]


@pytest.mark.parametrize("what", ["everything", "turn and scale", "scale"])
def test_baked_transforms_leave_all_where_it_is(what: str) -> None:
    scene = two_boxes()
    made = performed("bake_transforms", scene, what=what).scene
    assert problems(made) == []
    for was, now in zip(at_rest(scene), at_rest(made), strict=True):
        assert np.abs(was - now).max() < 1e-5
    for node in made.nodes:
        assert node.matrix is None
        assert np.allclose(node.scale, 1)
        assert what == "scale" or np.allclose(node.rotation, (0, 0, 0, 1))
        assert what != "everything" or np.allclose(node.translation, 0)
    # The small box is mirrored: its fronts stay fronts.
    world = world_from_local(made)
    for index, node in enumerate(made.nodes):
        if node.mesh is not None:
            [p] = made.meshes[node.mesh].primitives
            assert np.linalg.det(world[index]) > 0
            assert trimesh.Trimesh(p.positions, p.indices).volume > 0
    assert performed("bake_transforms", made, what=what).scene is made


def test_what_clips_move_and_views_stay_where_they_are() -> None:
    turning = ClipChannel(2, "rotation", *(as_floats(x, w) for x, w in (([[0.0], [1.0]], 1), ([[0, 0, 0, 1]] * 2, 4))))
    turning = replace(turning, times=np.array([0, 1], np.float32))
    scene = replace(two_boxes(), clips=(Clip("spin", (turning,)),))
    made = performed("bake_transforms", scene).scene
    assert made.nodes[0].scale == scene.nodes[0].scale  # its child moves in it
    assert made.nodes[2].scale == scene.nodes[2].scale
    assert made.nodes[1].translation == (0.0, 0.0, 0.0)
    for was, now in zip(at_rest(scene), at_rest(made), strict=True):
        assert np.abs(was - now).max() < 1e-5
    lit = replace(two_boxes(), lights=(Light("sun"),), nodes=(
        replace(two_boxes().nodes[0], children=(1, 2, 3)), *two_boxes().nodes[1:], Node("sun", light=0, translation=(1, 0, 0)),
    ))  # fmt: skip
    baked = performed("bake_transforms", lit).scene
    assert np.allclose(world_from_local(baked)[3], world_from_local(lit)[3])
    moving = animated()
    assert np.allclose(at_rest(performed("bake_transforms", moving).scene)[0], at_rest(moving)[0], atol=1e-6)


def test_only_chosen_parts_are_baked_and_shared_meshes_part() -> None:
    scene = two_boxes()
    shared = replace(
        scene, nodes=(scene.nodes[0], scene.nodes[1], replace(scene.nodes[2], mesh=0)), meshes=scene.meshes[:1]
    )
    made = performed("bake_transforms", shared, parts=["small"]).scene
    assert len(made.meshes) == 2
    assert vars(made.nodes[1]) == vars(shared.nodes[1]) | {"mesh": made.nodes[1].mesh}
    with pytest.raises(UsageError, match="nobody"):
        performed("bake_transforms", scene, parts=["nobody"])


@given(seed=st.integers(0, 2**32 - 1))
def test_nothing_of_a_surface_is_nearer_than_what_is_found(seed: int) -> None:
    rng = np.random.default_rng(seed)
    shape = trimesh.creation.icosphere(subdivisions=2)
    points = rng.normal(size=(20, 3)).astype(np.float32)
    surface, indices = as_floats(shape.vertices, 3), as_indices(shape.faces)
    near = nearest_places(points, surface, indices)
    assert np.allclose(near.weights.sum(axis=1), 1)
    assert near.weights.min() >= -1e-9
    there = np.einsum("nk,nkc->nc", near.weights, surface[indices[near.triangle]])
    assert np.allclose(np.linalg.norm(points - there, axis=1), near.distance, atol=1e-6)
    u, v = (x.reshape(-1) for x in np.meshgrid(np.linspace(0, 1, 12), np.linspace(0, 1, 12)))
    inside = u + v <= 1
    weights = np.stack([1 - u - v, u, v], axis=1)[inside]
    dense = np.einsum("wk,mkc->mwc", weights, surface[indices]).reshape(-1, 3)
    least = np.linalg.norm(points[:, None] - dense[None], axis=2).min(axis=1)
    assert (near.distance <= least + 1e-6).all()


def test_normals_are_those_of_the_shell_wherever_parts_stand() -> None:
    shell = trimesh.creation.icosphere(subdivisions=3, radius=2)
    rng = np.random.default_rng(4)
    cards = rng.normal(size=(60, 3))
    cards *= 2.3 / np.linalg.norm(cards, axis=1, keepdims=True)
    leaf = Primitive(as_floats((cards - (0, 1, 0)) / (2, 1, 0.5), 3), as_indices(np.arange(60).reshape(-1, 3)))
    crown = Primitive(as_floats(shell.vertices, 3), as_indices(shell.faces))
    scene = Scene(
        "tree", nodes=(Node("crown", mesh=0), Node("leaves", mesh=1, translation=(0, 1, 0), scale=(2, 1, 0.5))),
        roots=(0, 1), meshes=(Mesh("crown", (crown,)), Mesh("leaves", (leaf,))),
    )  # fmt: skip
    made = performed("take_normals", scene, source="crown").scene
    assert made.meshes[0] is scene.meshes[0]
    [(_, node, mesh)] = [one for one in standing(made) if one[1].name == "leaves"]
    assert node.name == "leaves"
    found = mesh.primitives[0].normals
    assert found is not None
    assert (np.einsum("ij,ij->i", found, cards / 2.3) > 0.995).all()
    far = performed("take_normals", scene, source="crown", within=0.1)
    assert {e.label: e.value for e in far.measured}["vertices"] == 0
    none = performed("take_normals", scene, source="crown", share=0).scene.meshes[1].primitives[0].normals
    own = performed("make_normals", scene, parts=["leaves"], angle=180).scene
    assert none is not None
    assert own is not None
    lonely = replace(scene, meshes=(Mesh("crown", ()), scene.meshes[1]))
    with pytest.raises(UsageError, match="no surface"):
        performed("take_normals", lonely, source="crown", parts=["leaves"])


def test_texels_are_covered_once_where_triangles_meet_and_never_outside() -> None:
    uvs = as_floats([[0.1, 0.1], [0.9, 0.1], [0.9, 0.9], [0.1, 0.9], [5, 5], [np.nan, 0]], 2)
    out, covered = np.zeros((50, 50, 2), np.float32), np.zeros((50, 50), bool)
    cover(uvs, as_indices([[0, 1, 2], [0, 2, 3], [0, 1, 4], [5, 1, 2]]), uvs, out, covered)
    y, x = np.mgrid[0:50, 0:50]
    middle = (np.stack([x, y], axis=2) + 0.5) / 50
    square = ((middle > 0.1) & (middle < 0.9)).all(axis=2)
    assert covered[square].all()
    low = square & (middle[..., 1] > middle[..., 0])
    assert np.abs(out[low] - middle[low]).max() < 1e-5
