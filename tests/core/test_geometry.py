"""Arrays in, arrays out: what geometry promises, over random input and against other people's code."""

from __future__ import annotations

import math

import numpy as np
import pytest
import trimesh
from hypothesis import assume, given
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation, Slerp

from pruxel.core.base.arrays import all_finite, as_floats, as_indices, bounds
from pruxel.core.base.context import Context
from pruxel.core.geometry.flat import unshared
from pruxel.core.geometry.measure import area_vectors, signed_volume, triangle_areas
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.geometry.polygons import convex_faces, fans, outlines, triangulate
from pruxel.core.geometry.skinning import blended_matrices, moved_points, slerp, turned_directions, value_at
from pruxel.core.geometry.tangents import vertex_tangents
from pruxel.core.geometry.transforms import (
    compose,
    decompose,
    matrix_quaternion,
    normal_matrix,
    quaternion_matrix,
    transform_points,
)
from pruxel.core.geometry.unique import bits_of, unique_corners, unique_rows
from pruxel.core.native.rows import taken
from pruxel.core.pictures.render import View, render
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene

SEEDS = st.integers(0, 2**32)


def turn(rng: np.random.Generator) -> np.ndarray:
    q = rng.normal(size=4)
    return q / np.linalg.norm(q)


def cloud(rng: np.random.Generator, vertices: int = 40, faces: int = 60) -> tuple[np.ndarray, np.ndarray]:
    """Random points and triangles over them, none with a corner twice."""
    points = as_floats(rng.normal(size=(vertices, 3)) * 10.0 ** rng.integers(-2, 3), 3)
    return points, as_indices([rng.permutation(vertices)[:3] for _ in range(faces)])


@given(SEEDS, st.sampled_from([1, 3, 40, 4000, 5000]), st.sampled_from([1, 2, 900]))
def test_corners_become_the_vertices_that_a_table_of_all_they_hold_finds(seed: int, points: int, kinds: int) -> None:
    """Few points with many kinds of corners are too long to look through: then a table does it, to the same end."""
    rng = np.random.default_rng(seed)
    odd = np.array([0.0, -0.0, np.nan, np.inf], np.float32)
    point = rng.integers(0, points, 600).astype(np.int32)
    normals = rng.integers(0, kinds, (600, 3)).astype(np.float32)
    normals[rng.random(600) < 0.2] = rng.choice(odd, 3)
    apart = rng.integers(-2, 2, (600, 1))
    layers = [[], [normals], [normals, apart], [apart, np.array(normals[:, :2])]][seed % 4]
    first, vertex = unique_corners(point, points, layers)
    columns = [bits_of(one) if one.dtype.kind == "f" else one for one in (point[:, None], *layers)]
    expected = unique_rows(np.concatenate(columns, axis=1))
    assert np.array_equal(first, expected[0])
    assert np.array_equal(vertex, expected[1])
    assert vertex.dtype == np.uint32


@pytest.mark.parametrize("count", [0, 1, 100_000])
@pytest.mark.parametrize("kind", [np.uint32, np.int32, np.int64])
def test_rows_are_taken_as_they_are_asked_for(count: int, kind: type) -> None:
    rng = np.random.default_rng(count)
    for values in (rng.normal(size=(500, 3)), rng.integers(0, 9, 500).astype(np.uint16), as_floats(np.ones((9, 2)), 2)):
        rows = rng.integers(0, len(values), count).astype(kind)
        found = taken(values, rows)
        assert found.dtype == values.dtype
        assert np.array_equal(found, values[rows])


@given(SEEDS)
def test_quaternions_and_matrices_say_the_same_turn(seed: int) -> None:
    q = turn(np.random.default_rng(seed))
    matrix = quaternion_matrix(q)
    assert np.allclose(matrix, Rotation.from_quat(q).as_matrix(), atol=1e-12)
    back = np.array(matrix_quaternion(matrix))
    assert min(np.abs(back - q).max(), np.abs(back + q).max()) < 1e-9
    assert np.allclose(quaternion_matrix(q * 7.5), matrix), "its length means nothing"


@pytest.mark.parametrize("axis", range(3))
@pytest.mark.parametrize("degrees", [0.0, 1e-6, 90.0, 179.9999, 180.0, 270.0])
def test_turns_at_the_edge_keep_their_way(axis: int, degrees: float) -> None:
    half = math.radians(degrees) / 2
    q = np.zeros(4)
    q[axis], q[3] = math.sin(half), math.cos(half)
    assert np.allclose(quaternion_matrix(matrix_quaternion(quaternion_matrix(q))), quaternion_matrix(q), atol=1e-7)


def test_no_turn_at_all_is_no_turn() -> None:
    assert np.array_equal(quaternion_matrix((0, 0, 0, 0)), np.eye(3))


@given(SEEDS)
def test_placements_are_taken_apart_and_put_together(seed: int) -> None:
    rng = np.random.default_rng(seed)
    scale = rng.uniform(0.01, 100, 3) * rng.choice([1, 1, -1], 3)
    whole = compose(rng.normal(size=3) * 100, turn(rng), scale)
    assert np.allclose(compose(*decompose(whole)), whole, atol=1e-9 * np.abs(whole).max())
    assert (np.prod(decompose(whole)[2]) < 0) == (np.prod(scale) < 0)


@given(SEEDS)
def test_normals_stay_square_to_what_they_stand_on(seed: int) -> None:
    rng = np.random.default_rng(seed)
    matrix = np.eye(4)
    matrix[:3, :3] = rng.normal(size=(3, 3))
    assume(abs(np.linalg.det(matrix[:3, :3])) > 1e-2)
    along, other = rng.normal(size=(2, 3))
    normal = np.cross(along, other)
    turned = normal_matrix(matrix) @ normal
    size = np.linalg.norm(turned) * np.linalg.norm(matrix[:3, :3])
    assert abs(turned @ (matrix[:3, :3] @ along)) < 1e-9 * size * np.linalg.norm(along)
    # A mirror turns the faces too, so that the normal stays on the side that it was on.
    sign = np.sign(np.linalg.det(matrix[:3, :3]))
    assert sign * (np.cross(matrix[:3, :3] @ along, matrix[:3, :3] @ other) @ turned) > 0


def test_what_stays_where_it_is_is_the_same_array() -> None:
    points = as_floats(np.ones((4, 3)), 3)
    assert transform_points(points, np.eye(4)) is points


@given(SEEDS)
def test_areas_and_volumes_are_those_of_another_program(seed: int) -> None:
    rng = np.random.default_rng(seed)
    points, faces = cloud(rng)
    other = trimesh.Trimesh(points, faces, process=False)
    assert np.allclose(triangle_areas(points, faces), other.area_faces, rtol=1e-4, atol=1e-9)
    solid = trimesh.creation.icosphere(2, radius=float(rng.uniform(0.1, 10)))
    positions, corners = as_floats(solid.vertices, 3), as_indices(solid.faces)
    assert signed_volume(positions, corners) == pytest.approx(solid.volume, rel=1e-4)
    assert signed_volume(positions, as_indices(corners[:, ::-1])) == pytest.approx(-solid.volume, rel=1e-4)


@given(SEEDS)
def test_vertex_normals_are_of_unit_length_and_weigh_by_area(seed: int) -> None:
    points, faces = cloud(np.random.default_rng(seed))
    normals = vertex_normals(points, faces)
    assert np.allclose(np.linalg.norm(normals, axis=1), 1, atol=1e-5)
    summed = np.zeros((len(points), 3))
    np.add.at(summed, faces.ravel(), np.repeat(area_vectors(points, faces), 3, axis=0))
    length = np.linalg.norm(summed, axis=1, keepdims=True)
    clear = length[:, 0] > 1e-3 * length.max()
    assert np.allclose(normals[clear], (summed / np.maximum(length, 1e-30))[clear], atol=1e-3)


def test_vertices_without_a_face_look_up() -> None:
    points = as_floats([[0, 0, 0], [1, 0, 0], [0, 1, 0], [9, 9, 9]], 3)
    assert vertex_normals(points, as_indices([[0, 1, 2]]))[3].tolist() == [0, 1, 0]
    assert vertex_normals(points, as_indices([[0, 0, 0]]))[0].tolist() == [0, 1, 0]


@given(SEEDS)
def test_tangents_are_square_to_normals_and_run_along_u(seed: int) -> None:
    rng = np.random.default_rng(seed)
    across, down = rng.uniform(0.1, 5, 2)
    frame = Rotation.from_quat(turn(rng)).as_matrix()
    mirrored = bool(rng.integers(2))
    flat = np.array([[0, 0, 0], [across, 0, 0], [across, down, 0], [0, down, 0]])
    uvs = flat[:, :2] / (across, down)
    # V grows downwards, so upwards in the plane is falling V.
    uvs[:, 1] = 1 - uvs[:, 1]
    if mirrored:
        uvs[:, 0] = 1 - uvs[:, 0]
    points = as_floats(flat @ frame.T, 3)
    faces = as_indices([[0, 1, 2], [0, 2, 3]])
    found = vertex_tangents(points, vertex_normals(points, faces), as_floats(uvs, 2), faces)
    way = frame[:, 0] * (-1 if mirrored else 1)
    assert np.allclose(found[:, :3], way, atol=1e-5)
    assert (found[:, 3] == (-1 if mirrored else 1)).all()


def test_tangents_where_coordinates_have_no_area_are_still_usable() -> None:
    points, faces = cloud(np.random.default_rng(3))
    normals = vertex_normals(points, faces)
    found = vertex_tangents(points, normals, as_floats(np.zeros((len(points), 2)), 2), faces)
    assert np.allclose(np.linalg.norm(found[:, :3], axis=1), 1, atol=1e-5)
    assert np.abs((found[:, :3] * normals).sum(axis=1)).max() < 1e-5
    assert set(np.abs(found[:, 3])) == {1}


def star(rng: np.random.Generator, corners: int) -> np.ndarray:
    """A simple outline around the middle, hardly ever convex, counter-clockwise in its plane."""
    # No two corners are half a turn apart, however few there are: made so, since rejecting is not allowed too often.
    angles = (np.arange(corners) + rng.uniform(0, 0.35, corners)) * 2 * np.pi / corners
    reach = rng.uniform(0.2, 1.0, corners)
    return np.stack([np.cos(angles) * reach, np.sin(angles) * reach, np.zeros(corners)], axis=1)


@given(SEEDS, st.integers(4, 24))
def test_polygons_are_cut_without_losing_or_covering_anything_twice(seed: int, corners: int) -> None:
    rng = np.random.default_rng(seed)
    outline = star(rng, corners)
    frame = Rotation.from_quat(turn(rng)).as_matrix()
    points = as_floats(outline @ frame.T, 3)
    cut, face_of, fanned = triangulate(points, np.arange(corners), np.array([[0, corners]]))
    assert (len(cut), fanned) == (corners - 2, 0)
    assert (face_of == 0).all()
    x, y = outline[:, 0], outline[:, 1]
    area = 0.5 * float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1)))
    each = area_vectors(points, as_indices(cut)) @ frame[:, 2] / 2
    assert each.sum() == pytest.approx(area, abs=1e-4)
    assert each.min() > -1e-5, "a triangle lies the wrong way round"
    ring = outlines(as_indices(cut), np.array([corners], np.uint32))
    start = int(np.flatnonzero(ring == 0)[0])
    assert np.roll(ring, -start).tolist() == list(range(corners))


@given(SEEDS, st.lists(st.integers(3, 9), min_size=1, max_size=12))
def test_many_polygons_come_back_from_their_triangles(seed: int, sizes: list[int]) -> None:
    rng = np.random.default_rng(seed)
    rings = [star(rng, n) + (3.0 * i, 0, 0) for i, n in enumerate(sizes)]
    points = as_floats(np.concatenate(rings), 3)
    starts = np.concatenate([[0], np.cumsum(sizes)[:-1]])
    cut, face_of, _ = triangulate(points, np.arange(len(points)), np.stack([starts, sizes], axis=1))
    assert np.bincount(face_of, minlength=len(sizes)).tolist() == [n - 2 for n in sizes]
    found = outlines(as_indices(cut), np.array(sizes, np.uint32))
    for start, size in zip(starts, sizes, strict=True):
        ring = found[start : start + size]
        at = int(np.flatnonzero(ring == start)[0])
        assert np.roll(ring, -at).tolist() == list(range(start, start + size))


def test_a_very_long_outline_is_cut_as_a_fan_and_counted() -> None:
    angles = np.linspace(0, 2 * np.pi, 50, endpoint=False)
    points = as_floats(np.stack([np.cos(angles), np.sin(angles), 0 * angles], axis=1), 3)
    cut, _, fanned = triangulate(points, np.arange(50), np.array([[0, 50]]), most=40)
    assert fanned == 1
    assert (cut[:, 0] == 0).all()


def test_an_outline_folded_over_itself_ends() -> None:
    points = as_floats([[0, 0, 0], [1, 0, 0], [0, 0, 0], [1, 0, 0], [0.5, 0, 0]], 3)
    cut, _, _ = triangulate(points, np.arange(5), np.array([[0, 5]]))
    assert len(cut) == 3


@pytest.mark.parametrize(
    ("ring", "convex"),
    [
        ([(0, 0), (1, 0), (1, 1), (0, 1)], True),
        ([(0, 0), (2, 0), (2, 2), (1, 0.5)], False),
        ([(0, 0), (1, 0), (2, 0), (1, 1)], True),
        ([(math.cos(4 * math.pi * k / 5), math.sin(4 * math.pi * k / 5)) for k in range(5)], False),
    ],
    ids=["square", "dart", "a corner on a side", "five-pointed star"],
)
def test_convex_is_what_any_reader_cuts_rightly(ring: list[tuple[float, float]], *, convex: bool) -> None:
    points = as_floats([(x, y, 0) for x, y in ring], 3)
    corners, sizes = np.arange(len(ring), dtype=np.uint32), np.array([len(ring)], np.uint32)
    assert convex_faces(points, corners, sizes).tolist() == [convex]
    if convex:
        area = np.linalg.norm(area_vectors(points, fans(corners, sizes)).sum(axis=0)) / 2
        assert area == pytest.approx(np.abs(triangle_areas(points, fans(corners, sizes))).sum())


def test_hard_corners_have_vertices_of_their_own() -> None:
    points, faces = cloud(np.random.default_rng(5))
    rows, corners = unshared(faces)
    assert np.array_equal(points[rows][corners], points[faces])
    assert np.array_equal(np.sort(corners.ravel()), np.arange(faces.size))


@given(SEEDS)
def test_a_vertex_of_one_joint_follows_it(seed: int) -> None:
    rng = np.random.default_rng(seed)
    matrices = np.stack([compose(rng.normal(size=3), turn(rng), rng.uniform(0.5, 2, 3)) for _ in range(4)])
    points = as_floats(rng.normal(size=(10, 3)), 3)
    joints = rng.integers(0, 4, (10, 1))
    each = blended_matrices(matrices, joints, np.ones((10, 1), np.float32))
    for point, joint, moved in zip(points, joints[:, 0], moved_points(points, each), strict=True):
        assert np.allclose(moved, (matrices[joint] @ [*point, 1])[:3], atol=1e-4)
    normals = points / np.linalg.norm(points, axis=1, keepdims=True)
    assert np.allclose(np.linalg.norm(turned_directions(as_floats(normals, 3), each), axis=1), 1, atol=1e-5)


@given(SEEDS, st.floats(0, 1))
def test_between_two_turns_is_the_shorter_arc(seed: int, share: float) -> None:
    rng = np.random.default_rng(seed)
    first, second = turn(rng), turn(rng)
    found = slerp(first, second, share)
    wanted = Slerp([0, 1], Rotation.from_quat([first, second]))(share)
    assert (Rotation.from_quat(found).inv() * wanted).magnitude() < 1e-6
    assert np.linalg.norm(found) == pytest.approx(1)
    whole = (Rotation.from_quat(first).inv() * Rotation.from_quat(second)).magnitude()
    gone = (Rotation.from_quat(first).inv() * Rotation.from_quat(found)).magnitude()
    assert gone == pytest.approx(whole * share, abs=1e-6)


@given(SEEDS, st.floats(-1, 4))
def test_keys_are_met_and_held_at_the_ends(seed: int, seconds: float) -> None:
    rng = np.random.default_rng(seed)
    times = np.cumsum(rng.uniform(0.1, 0.6, 4)).astype(np.float32)
    keys = rng.normal(size=(4, 3)).astype(np.float32)
    line = value_at(times, keys, seconds, "LINEAR", turn=False)
    for axis in range(3):
        assert line[axis] == pytest.approx(np.interp(seconds, times, keys[:, axis]), abs=1e-5)
    step = value_at(times, keys, seconds, "STEP", turn=False)
    before = int(np.searchsorted(times, seconds, "right")) - 1
    assert np.array_equal(step, keys[max(before, 0)])
    flat = np.zeros((12, 3), np.float32)
    flat[1::3] = keys
    for at, key in zip(times, keys, strict=True):
        assert np.allclose(value_at(times, flat, float(at), "CUBICSPLINE", turn=False), key, atol=1e-6)
    eased = value_at(times, flat, seconds, "CUBICSPLINE", turn=False)
    low, high = keys.min(axis=0) - 1e-5, keys.max(axis=0) + 1e-5
    assert ((eased >= low) & (eased <= high)).all(), "without tangents it never leaves its keys"


@given(SEEDS, st.integers(1, 50), st.integers(1, 5))
def test_bounds_are_lowest_and_highest(seed: int, count: int, width: int) -> None:
    points = np.random.default_rng(seed).normal(size=(count, width)).astype(np.float32)
    low, high = bounds(points)
    assert np.array_equal(low, points.min(axis=0))
    assert np.array_equal(high, points.max(axis=0))


@pytest.mark.parametrize("bad", [np.nan, np.inf, -np.inf])
@pytest.mark.parametrize("at", [0, 7, -1])
def test_one_number_that_is_none_is_seen(bad: float, at: int) -> None:
    values = np.ones((5, 3), np.float32)
    assert all_finite(values)
    values.flat[at] = bad
    assert not all_finite(values)
    assert all_finite(np.zeros((0, 3), np.float32))
    assert all_finite(np.array([2**31], np.uint32))


@pytest.mark.parametrize("axis", range(3))
@pytest.mark.parametrize("turned", [False, True])
def test_what_is_flat_is_drawn_square_on_from_its_front(axis: int, *, turned: bool) -> None:
    corners = np.insert(np.array([[0, 0], [2, 0], [2, 1], [0, 1]], float), axis, 0.5, axis=1)
    faces = as_indices([[0, 1, 2], [0, 2, 3]])
    faces = as_indices(faces[:, ::-1]) if turned else faces
    positions = as_floats(corners, 3)
    mesh = Mesh("card", (Primitive(positions, faces, normals=vertex_normals(positions, faces)),))
    scene = Scene("card", nodes=(Node("card", mesh=0),), roots=(0,), meshes=(mesh,))
    drawn = render(scene, Context(), View(width=80, height=80))
    covered = float((drawn[..., 3] > 128).mean())
    assert covered > 0.35, "it is seen from its edge"
    # Backs are hatched: a front of one colour has few steps from one texel to the next.
    inside = drawn[35:45, 25:55, :3].astype(int)
    assert np.abs(np.diff(inside, axis=1)).max() < 40


def test_what_stands_behind_many_see_through_sheets_is_drawn() -> None:
    square = np.array([[-1, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0]], float)
    sheets = [square + (0, 0, 0.1 * k) for k in range(24)]
    faces = as_indices([[0, 1, 2], [0, 2, 3]])
    glass = Material("glass", base_color=(1, 1, 1, 0.0), alpha_mode="BLEND")
    made = [Primitive(as_floats(s, 3), faces, material=int(k > 0)) for k, s in enumerate(sheets)]
    scene = Scene(
        "panes", nodes=(Node("panes", mesh=0),), roots=(0,), meshes=(Mesh("panes", tuple(made)),),
        materials=(Material("wall", base_color=(1, 0, 0, 1)), glass),
    )  # fmt: skip
    drawn = render(scene, Context(), View(width=24, height=24, azimuth_deg=0, elevation_deg=0, samples=1))
    assert drawn[12, 12, 3] == 255
    assert drawn[12, 12, 0] > 2 * drawn[12, 12, 1]
