"""Fewer triangles: how near the shape stays, what stays where, and holes that are closed."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.base.errors import UsageError
from pruxel.core.geometry.edges import twins
from pruxel.core.geometry.measure import signed_volume
from pruxel.core.geometry.places import places
from pruxel.core.geometry.quadrics import quadrics, squared_distance
from pruxel.core.scene.model import MorphTarget, Primitive
from tests.core.test_repairs import counted, lone, performed, sphere
from tests.scenes import animated, box, everything, two_boxes


def sheet(side: int = 24) -> Primitive:
    """A flat square of many faces, its texture coordinates apart along the middle."""
    x, y = (axis.ravel() for axis in np.meshgrid(np.arange(side + 1), np.arange(side + 1)))
    points = np.stack([x / side, y / side, np.zeros(len(x))], axis=1)
    corner = (np.arange(side)[:, None] * (side + 1) + np.arange(side)).ravel()
    faces = np.concatenate([
        np.stack([corner, corner + 1, corner + side + 2], axis=1),
        np.stack([corner, corner + side + 2, corner + side + 1], axis=1),
    ])  # fmt: skip
    right = points[faces].mean(axis=1)[:, 0] > 0.5
    faces[right] += len(points)
    uvs = np.concatenate([points[:, :2] * 0.4, points[:, :2] * 0.4 + [0.5, 0.0]])
    used = np.unique(faces)
    new = np.searchsorted(used, faces)
    return Primitive(
        as_floats(np.concatenate([points, points])[used], 3), as_indices(new), uvs=(as_floats(uvs[used], 2),)
    )


@settings(deadline=None, max_examples=20)
@given(seed=st.integers(0, 1000))
def test_a_quadric_is_the_mean_squared_distance_from_its_planes(seed: int) -> None:
    rng = np.random.default_rng(seed)
    points = rng.uniform(-1, 1, (5, 3))
    faces = np.array([[0, 1, 2], [0, 2, 3], [0, 3, 4]])
    row = quadrics(points, faces, np.zeros(9, np.int8))[0]
    at, total, weights = rng.uniform(-1, 1, 3), 0.0, 0.0
    for a, b, c in points[faces]:
        normal = np.cross(b - a, c - a)
        weight = np.linalg.norm(normal)
        total += weight * (np.dot(at - a, normal / weight)) ** 2
        weights += weight
    assert squared_distance(row, *at) == pytest.approx(total / weights, rel=1e-6, abs=1e-12)


@pytest.mark.parametrize("share", [50, 20, 5])
def test_a_sphere_stays_one(share: int) -> None:
    ball = sphere(4)
    result = performed("thin_out", lone(ball), share=share)
    [thin] = result.scene.meshes[0].primitives
    assert len(thin.indices) <= round(len(ball.indices) * share / 100)
    assert (twins(thin.indices) >= 0).all(), "it is still closed"
    assert signed_volume(thin.positions, thin.indices) == pytest.approx(
        signed_volume(ball.positions, ball.indices), rel=0.5 / share
    )
    # Its vertices are some of those that were there.
    assert cKDTree(ball.positions).query(thin.positions)[0].max() == 0
    # A library that may put vertices anywhere comes nearer; not by much.
    other = trimesh.Trimesh(ball.positions, ball.indices).simplify_quadric_decimation(face_count=len(thin.indices))
    mine = trimesh.Trimesh(thin.positions, thin.indices, process=False)
    assert off_sphere(mine) <= 3 * off_sphere(other) + 1e-4


def off_sphere(mesh: trimesh.Trimesh) -> float:
    points, _ = trimesh.sample.sample_surface(mesh, 4000, seed=1)
    return float(np.abs(np.linalg.norm(points, axis=1) - 1).mean())


def test_flat_stays_flat_and_seams_and_borders_stay_where_they_are() -> None:
    wide = sheet()
    result = performed("thin_out", lone(wide), share=1)
    [thin] = result.scene.meshes[0].primitives
    assert len(thin.indices) < 24
    assert counted(result)["largest error"] == 0
    corners = thin.positions[thin.indices]
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum() / 2
    assert area == pytest.approx(1, abs=1e-6)
    # Every vertex keeps the texture coordinates of its side of the seam.
    left = thin.uvs[0][:, 0] < 0.45
    wanted = thin.positions[:, :2] * 0.4 + np.where(left[:, None], 0, [0.5, 0.0])
    assert np.abs(thin.uvs[0] - wanted).max() < 1e-6
    middles = corners.mean(axis=1)[:, 0]
    assert ((middles > 0.5) == ~left[thin.indices[:, 0]]).all()


def test_an_error_bounds_how_far_it_goes_and_what_was_not_reached_is_told() -> None:
    ball = sphere(4)
    near = performed("thin_out", lone(ball), share=1, most_error=0.004)
    assert 0 < counted(near)["largest error"] <= 0.004
    assert counted(near)["triangles after"] > len(ball.indices) * 0.1
    assert near.notes
    hard = performed("thin_out", lone(box()), share=10)
    assert counted(hard)["triangles after"] == 12
    assert hard.notes


def test_weights_shapes_and_materials_come_along() -> None:
    ball = sphere(3)
    joints = np.zeros((len(ball.positions), 4), np.uint16)
    joints[:, 0] = ball.positions[:, 1] > 0
    weights = np.tile(np.array([1, 0, 0, 0], np.float32), (len(ball.positions), 1))
    target = MorphTarget("swell", as_floats(ball.positions * 0.1, 3))
    upper = ball.positions[ball.indices].mean(axis=1)[:, 1] > 0
    whole = replace(ball, joints=joints, weights=weights, targets=(target,))
    halves = [
        replace(whole, indices=as_indices(ball.indices[side]), material=k) for k, side in enumerate((upper, ~upper))
    ]
    scene = replace(
        everything(), meshes=(replace(everything().meshes[0], primitives=tuple(halves)), *everything().meshes[1:])
    )
    made = performed("thin_out", scene, share=30, parts=["body"]).scene.meshes[0].primitives
    assert [p.material for p in made] == [0, 1]
    for p in made:
        assert p.joints is not None
        assert np.array_equal(p.joints[:, 0], p.positions[:, 1] > 0)
        assert np.allclose(p.targets[0].positions, p.positions * 0.1, atol=1e-7)
    together = np.concatenate([p.positions[p.indices] for p in made])
    _, place = places(as_floats(together.reshape(-1, 3), 3))
    assert (twins(as_indices(place.reshape(-1, 3))) >= 0).all(), "no gap opens between materials"


@pytest.mark.parametrize("gone", [1, 6, 20])
def test_holes_are_filled_and_what_was_open_wider_stays(gone: int) -> None:
    ball = sphere(3)
    middle = ball.positions[ball.indices].mean(axis=1)
    near = np.argsort(np.linalg.norm(middle - [0, 0, 1], axis=1))[:gone]
    holed = replace(ball, indices=as_indices(np.delete(ball.indices, near, axis=0)))
    result = performed("fill_holes", lone(holed), edges=40)
    [closed] = result.scene.meshes[0].primitives
    assert (twins(closed.indices) >= 0).all()
    assert counted(result)["holes filled"] >= 1
    # The new faces look where the others look.
    assert signed_volume(closed.positions, closed.indices) == pytest.approx(
        signed_volume(ball.positions, ball.indices), rel=0.03
    )
    few = performed("fill_holes", lone(holed), edges=3)
    assert counted(few)["holes filled"] == (1 if gone == 1 else 0)
    assert counted(performed("fill_holes", lone(sheet()), edges=20))["holes filled"] == 0


def test_joined_parts_stand_where_they_stood() -> None:
    scene = two_boxes()
    result = performed("join_parts", scene, parts=["small", "large"], name="both")
    [part] = [node for node in result.scene.nodes if node.mesh is not None]
    assert part.name == "both"
    assert result.renamed == {"small": "both"}
    assert result.removed == ("large",)
    assert len(result.scene.meshes[part.mesh or 0].primitives) == 2
    for wrong, why in ((everything(), "skeletons"), (animated(), "nothing to join")):
        with pytest.raises(UsageError, match=why):
            performed("join_parts", wrong)
    flat = replace(scene, nodes=(*scene.nodes[:2], replace(scene.nodes[2], scale=(0.0, 1.0, 1.0))))
    with pytest.raises(UsageError, match="scaled to nothing"):
        performed("join_parts", flat, parts=["small", "large"])
    with pytest.raises(UsageError, match="another"):
        performed("join_parts", scene, name="top")
