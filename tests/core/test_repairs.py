"""The kernels that mend surfaces, against slow twins and known shapes; and the steps on whole scenes."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

import pruxel.core.steps  # noqa: F401 - registers all steps
from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.base.context import Context
from pruxel.core.base.errors import UsageError
from pruxel.core.geometry.edges import BORDER, CROWDED, NO_LENGTH, twins
from pruxel.core.geometry.faults import doubled, hidden, without_area
from pruxel.core.geometry.measure import area_vectors, signed_volume, triangle_areas
from pruxel.core.geometry.pieces import pieces
from pruxel.core.geometry.places import places
from pruxel.core.geometry.winding import agreeing
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene
from pruxel.core.steps.registry import STEPS, StepResult
from tests.scenes import box, two_boxes


def performed(kind: str, scene: Scene, /, **params: object) -> StepResult:
    step = STEPS.get(kind)
    return step.run(scene, step.parse(params), Context())


def lone(primitive: Primitive, *others: Primitive) -> Scene:
    return Scene("lone", nodes=(Node("lone", mesh=0),), roots=(0,), meshes=(Mesh("lone", (primitive, *others)),))


def counted(result: StepResult) -> dict[str, object]:
    return {evidence.label: evidence.value for evidence in result.measured}


def sphere(subdivisions: int = 2) -> Primitive:
    ball = trimesh.creation.icosphere(subdivisions=subdivisions)
    return Primitive(as_floats(ball.vertices, 3), as_indices(ball.faces))


def soup(primitive: Primitive, jitter: float = 0.0) -> Primitive:
    """Every triangle with corners of its own, each a little off."""
    corners = primitive.positions[primitive.indices].reshape(-1, 3)
    corners = corners + np.random.default_rng(3).uniform(-jitter, jitter, corners.shape)
    return Primitive(as_floats(corners, 3), as_indices(np.arange(len(corners)).reshape(-1, 3)))


@settings(deadline=None)
@given(seed=st.integers(0, 10_000), distance=st.sampled_from([0.0, 0.05, 0.2, 0.5]))
def test_places_are_those_of_the_slow_twin(seed: int, distance: float) -> None:
    """Each point joins the nearest place before it that is near enough: by comparing with all of them."""
    rng = np.random.default_rng(seed)
    points = as_floats(np.round(rng.uniform(-1, 1, (60, 3)), 1) if seed % 2 else rng.uniform(-1, 1, (60, 3)), 3)
    firsts: list[int] = []
    wanted = []
    for k, point in enumerate(points.astype(np.float64)):
        apart = [float(((points[j].astype(np.float64) - point) ** 2).sum()) for j in firsts]
        nearest = int(np.argmin(apart)) if apart else -1
        if nearest >= 0 and apart[nearest] <= distance * distance:
            wanted.append(nearest)
        else:
            wanted.append(len(firsts))
            firsts.append(k)
    first, place = places(points, distance)
    assert first.tolist() == firsts
    assert place.tolist() == wanted


def test_places_are_counted_right_across_the_borders_of_rounding_and_far_away() -> None:
    """A grid of corners that lie just beside multiples of the distance: rounding would tell many apart."""
    count = 120
    x, y = (axis.ravel() for axis in np.meshgrid(np.arange(count), np.arange(count)))
    exact = np.stack([x * 0.01 + 0.005, y * 0.01 + 0.005, np.zeros(len(x))], axis=1)
    for far in (0.0, 1000.0):
        near = exact + far + np.random.default_rng(1).uniform(-0.0004, 0.0004, (6, *exact.shape))
        first, place = places(as_floats(near.reshape(-1, 3), 3), 0.002)
        assert len(first) == count * count
        assert (np.bincount(place) == 6).all()
    for odd in ([np.nan, 0, 0], [np.inf, 0, 0], [1e30, 0, 0]):
        first, place = places(as_floats([[0, 0, 0], odd, [0, 0, 0], odd], 3), 0.1)
        assert place.tolist() == [0, 1, 0, 2]


@settings(deadline=None)
@given(seed=st.integers(0, 10_000))
def test_pieces_and_twins_are_those_of_slow_twins(seed: int) -> None:
    rng = np.random.default_rng(seed)
    corners = as_indices(rng.integers(0, 25, (rng.integers(1, 30), 3)))
    label, count = pieces(corners, 25)
    rows, columns = corners[:, [0, 1]].ravel(), corners[:, [1, 2]].ravel()
    joined = coo_array((np.ones(len(rows), bool), (rows, columns)), shape=(25, 25))
    _, known = connected_components(joined, directed=False)
    of_face = known[corners[:, 0]]
    assert count == len(np.unique(of_face))
    assert len({(int(a), int(b)) for a, b in zip(label, of_face, strict=True)}) == count
    ends = np.stack([corners, np.roll(corners, -1, axis=1)], axis=2).reshape(-1, 2)
    keys = [tuple(sorted(pair)) for pair in ends.tolist()]
    twin = twins(corners)
    for h, key in enumerate(keys):
        same = [g for g, other in enumerate(keys) if other == key and g != h]
        if key[0] == key[1]:
            assert twin[h] == NO_LENGTH
        elif len(same) == 1:
            assert twin[h] == same[0]
        else:
            assert twin[h] == (CROWDED if same else BORDER)


@settings(deadline=None, max_examples=40)
@given(seed=st.integers(0, 10_000), share=st.floats(0, 0.45))
def test_faces_turned_at_random_agree_again(seed: int, share: float) -> None:
    ball, rng = sphere(), np.random.default_rng(seed)
    indices = np.array(ball.indices)
    turned = rng.random(len(indices)) < share
    indices[turned] = indices[turned][:, ::-1]
    other = box(0.5, (9, 0, 0))
    scene = lone(replace(ball, indices=as_indices(indices)), other)
    result = performed("agree_faces", scene)
    [mended, left] = result.scene.meshes[0].primitives
    wrong = int(turned.sum())
    assert counted(result)["faces turned"] in {wrong, len(indices) - wrong}
    assert abs(signed_volume(mended.positions, mended.indices)) == pytest.approx(
        signed_volume(ball.positions, ball.indices), rel=1e-5
    )
    assert left.indices is other.indices
    assert counted(performed("agree_faces", result.scene))["faces turned"] == 0


def test_a_one_sided_band_is_told() -> None:
    """Ten quadrilaterals around, the last joined to the first upside down."""
    faces = []
    for k in range(10):
        a, b, c, d = 2 * k, 2 * k + 1, 2 * k + 2, 2 * k + 3
        if k == 9:
            c, d = 1, 0
        faces += [(a, c, d), (a, d, b)]
    corners = as_indices(faces)
    found = agreeing(corners, twins(corners), np.ones(len(corners)))
    assert found.contradictions > 0


def test_a_polygon_turns_whole() -> None:
    flat = as_floats([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [2, 0, 0], [2, 1, 0], [3, 0, 0], [3, 1, 0]], 3)
    quads = as_indices([[0, 1, 2], [0, 2, 3], [2, 4, 1], [2, 5, 4], [4, 6, 7], [4, 7, 5]])
    scene = lone(Primitive(flat, quads, face_sizes=np.array([4, 4, 4], np.uint32)))
    mended = performed("agree_faces", scene).scene.meshes[0].primitives[0]
    assert mended.face_sizes is not None
    assert (area_vectors(mended.positions, mended.indices)[:, 2] > 0).all()


def test_a_soup_is_welded_and_seams_stay() -> None:
    ball = sphere(3)
    loose = soup(ball, 1e-5)
    result = performed("weld_vertices", lone(loose), distance=1e-3)
    welded = result.scene.meshes[0].primitives[0]
    assert len(welded.positions) == len(ball.positions)
    assert (twins(welded.indices) >= 0).all()
    # A box whose sides have texture coordinates of their own: its places are welded, its 24 vertices stay.
    seamed = performed("weld_vertices", lone(soup_of_sides(1e-5)), distance=1e-3, normals=180)
    [made] = seamed.scene.meshes[0].primitives
    assert len(made.positions) == 24
    assert len(np.unique(made.positions, axis=0)) == 8
    assert counted(seamed)["places"] == 8
    # Across materials one place too, though each keeps vertices of its own.
    halves = as_floats(box().positions + np.float32(2e-5), 3)
    both = performed("weld_vertices", lone(box(), replace(box(), positions=halves, material=1)), distance=1e-3)
    one, other = both.scene.meshes[0].primitives
    assert np.array_equal(one.positions, other.positions)


def soup_of_sides(jitter: float) -> Primitive:
    sides = box()
    corners = sides.indices.reshape(-1)
    moved = sides.positions[corners] + np.random.default_rng(5).uniform(-jitter, jitter, (len(corners), 3))
    side = np.repeat(np.arange(6), 6)[:, None]
    uvs = as_floats(sides.uvs[0][corners] + side, 2)
    return Primitive(as_floats(moved, 3), as_indices(np.arange(len(corners)).reshape(-1, 3)), uvs=(uvs,))


def test_what_welding_makes_a_line_goes_and_its_polygon_falls_apart() -> None:
    points = as_floats([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [1.0001, 0, 0], [2, 0, 0]], 3)
    faces = as_indices([[0, 1, 2], [0, 2, 3], [1, 4, 5], [1, 5, 2]])
    scene = lone(Primitive(points, faces, face_sizes=np.array([4, 4], np.uint32)))
    result = performed("weld_vertices", scene, distance=0.001)
    [welded] = result.scene.meshes[0].primitives
    assert counted(result)["faces that lost their area"] == 1
    assert welded.face_sizes is not None
    assert welded.face_sizes.tolist() == [4, 3]


def test_normals_of_a_sphere_are_its_directions_and_of_a_box_its_sides() -> None:
    for weight in ("angle", "area"):
        [ball] = performed("make_normals", lone(sphere(4)), angle=60, weight=weight).scene.meshes[0].primitives
        assert ball.normals is not None
        assert np.abs(ball.normals - ball.positions).max() < 0.01
        assert len(ball.positions) == len(sphere(4).positions)
    welded = performed("weld_vertices", lone(replace(box(), uvs=(), normals=None))).scene
    assert len(welded.meshes[0].primitives[0].positions) == 8
    [hard] = performed("make_normals", welded, angle=30).scene.meshes[0].primitives
    assert len(hard.positions) == 24
    assert np.allclose(np.abs(hard.normals).max(axis=1), 1)
    [smooth] = performed("make_normals", welded, angle=180).scene.meshes[0].primitives
    assert len(smooth.positions) == 8
    # By angle each side counts alike, however it is cut: normals point out of the corners.
    assert np.allclose(smooth.normals, smooth.positions / np.linalg.norm(smooth.positions, axis=1, keepdims=True), atol=1e-3)  # fmt: skip


def test_hard_edges_stay_where_they_are_and_seams_do_not_show() -> None:
    hard = performed("make_normals", lone(box()), edges="as they are").scene.meshes[0].primitives[0]
    assert hard.normals is not None
    assert np.allclose(hard.normals, box().normals, atol=1e-6)
    # Two squares in one plane, parted by their texture coordinates and tilted normals: smooth over the seam.
    points = as_floats([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [1, 0, 0], [2, 0, 0.5], [2, 1, 0.5], [1, 1, 0]], 3)
    faces = as_indices([[0, 1, 2], [0, 2, 3], [4, 5, 6], [4, 6, 7]])
    uvs = as_floats(np.random.default_rng(1).uniform(0, 1, (8, 2)), 2)
    [made] = performed("make_normals", lone(Primitive(points, faces, uvs=(uvs,))), angle=60).scene.meshes[0].primitives
    assert made.normals is not None
    at = {tuple(p): set() for p in made.positions.tolist()}
    for point, normal in zip(made.positions.tolist(), made.normals.tolist(), strict=True):
        at[tuple(point)].add(tuple(np.round(normal, 5)))
    assert all(len(normals) == 1 for normals in at.values())


def test_faults_are_found_and_nothing_else() -> None:
    points = as_floats([[0, 0, 0], [1, 0, 0], [0, 1, 0], [2, 0, 0], [0, 0, 0], [1000, 0, 0], [0, 0.02, 0]], 3)
    faces = as_indices([[0, 1, 2], [0, 1, 3], [0, 4, 1], [0, 5, 6], [1, 2, 0], [0, 2, 1]])
    assert without_area(points, faces).tolist() == [False, True, True, False, False, False]
    assert doubled(faces, both_sides=False).tolist() == [False, False, False, False, True, False]
    assert doubled(faces, both_sides=True).tolist() == [False, False, False, False, True, True]
    inner, outer = sphere(2), replace(sphere(2), positions=as_floats(sphere(2).positions * 3, 3))
    both = performed("remove_faces", lone(inner, outer), what="hidden inside")
    assert counted(both)["faces removed"] == len(inner.indices)
    [left] = both.scene.meshes[0].primitives
    assert left.indices is outer.indices
    assert not hidden(inner.positions, inner.indices, rays=32).any()
    # A hole in the outer one lets the inner one be seen from outside, at least in part.
    holed = replace(outer, indices=as_indices(outer.indices[outer.positions[outer.indices].mean(axis=1)[:, 2] < 2.2]))
    seen = performed("remove_faces", lone(inner, holed), what="hidden inside", rays=256)
    assert 0 < counted(seen)["faces removed"] < len(inner.indices)


def test_crumbs_go_and_what_would_leave_nothing_is_refused() -> None:
    crumb = Primitive(as_floats([[5, 5, 5], [6, 5, 5], [5, 6, 5]], 3), as_indices([[0, 1, 2]]))
    result = performed("remove_faces", lone(sphere(), crumb), what="crumbs")
    assert counted(result) == {
        "faces removed": 1, "faces left": len(sphere().indices), "vertices removed": 3,
    }  # fmt: skip
    with pytest.raises(UsageError, match="no face would be left"):
        performed("remove_faces", lone(crumb), what="crumbs")


def test_parts_are_split_by_what_is_asked() -> None:
    far = replace(box(0.5, (9, 0, 0)), uvs=(as_floats(box().uvs[0] * 0.9 + [1.05, 0.05], 2),))
    scene = lone(replace(box(), uvs=(as_floats(box().uvs[0] * 0.9 + 0.05, 2),)), far)
    named = {
        by: [n.name for n in performed("split_parts", scene, by=by).scene.nodes] for by in ("piece", "texture tile")
    }
    assert named == {"piece": ["lone", "lone.1", "lone.2"], "texture tile": ["lone", "lone.1001", "lone.1002"]}
    assert performed("split_parts", two_boxes(), by="material").summary == "no part has more than one material"
    with pytest.raises(UsageError, match="too many parts"):
        performed("split_parts", lone(soup(sphere(), 1e-4)), by="piece", distance=0, most=100)


def test_parts_are_renamed_by_pattern_and_stay_apart() -> None:
    result = performed("rename_parts", two_boxes(), pattern="{parent}_{material}")
    assert result.renamed == {"large": "top_paint", "small": "top_paint.2"}
    with pytest.raises(UsageError, match="no name"):
        performed("rename_parts", two_boxes(), find="large", put="")
    with pytest.raises(UsageError, match="control characters"):
        performed("rename_parts", two_boxes(), pattern="a\0b")


def test_areas_of_an_empty_surface() -> None:
    nothing = Primitive(as_floats(np.zeros((0, 3)), 3), as_indices(np.zeros((0, 3))))
    assert len(triangle_areas(nothing.positions, nothing.indices)) == 0
    for name in ("weld_vertices", "agree_faces", "make_normals", "remove_faces", "split_parts", "cut_to_triangles"):
        assert performed(name, lone(nothing)).scene.nodes
