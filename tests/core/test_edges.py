"""Which faces meet at which edges, and what is left of a mesh: against the plain way."""

from __future__ import annotations

from collections import defaultdict

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.geometry import edges, smoothing
from pruxel.core.geometry.compact import apart, compacted
from pruxel.core.geometry.edges import BORDER, CROWDED, NO_LENGTH, twins
from pruxel.core.geometry.measure import area_vectors
from pruxel.core.geometry.smoothing import face_shapes, smoothed

TRIANGLES = hnp.arrays(np.uint32, st.tuples(st.integers(0, 60), st.just(3)), elements=st.integers(0, 12))


def plain_twins(corners: np.ndarray) -> np.ndarray:
    """The same by a dictionary of edges."""
    sides = defaultdict(list)
    found = np.full(corners.size, BORDER)
    for h in range(corners.size):
        a, b = int(corners[h // 3, h % 3]), int(corners[h // 3, (h + 1) % 3])
        if a == b:
            found[h] = NO_LENGTH
        else:
            sides[min(a, b), max(a, b)].append(h)
    for some in sides.values():
        if len(some) == 2:
            found[some[0]], found[some[1]] = some[1], some[0]
        elif len(some) > 2:
            found[some] = CROWDED
    return found


@settings(max_examples=200, deadline=None)
@given(TRIANGLES)
def test_twins_are_those_of_a_dictionary(corners: np.ndarray) -> None:
    assert np.array_equal(twins(as_indices(corners)), plain_twins(corners))


@pytest.mark.parametrize("turned", [False, True])
def test_a_hub_of_many_faces_is_as_right_and_no_slower_in_kind(turned: bool) -> None:
    count = 30_000
    rim = np.arange(1, count + 1)
    fan = np.stack([np.zeros(count, int), rim, np.roll(rim, -1)], axis=1)
    fan = count - fan if turned else fan
    found = twins(as_indices(fan))
    spokes = np.arange(count)
    assert np.array_equal(found.reshape(-1, 3)[:, 0], np.roll(3 * spokes + 2, 1))
    assert (found.reshape(-1, 3)[:, 1] == BORDER).all()


@settings(max_examples=200, deadline=None)
@given(TRIANGLES, st.randoms(use_true_random=False))
def test_what_is_kept_stands_where_it_stood(corners: np.ndarray, random: object) -> None:
    keep = np.array([random.random() < 0.5 for _ in corners], bool)  # type: ignore[attr-defined]
    some = corners[keep]
    old, new = compacted(as_indices(corners), keep, 13)
    used = np.unique(some)
    if old is None:
        assert len(used) == 13
        old = used
    assert np.array_equal(old, used)
    assert np.array_equal(old[new] if len(new) else some, some)


def test_unit_normals_are_those_of_the_areas() -> None:
    rng = np.random.default_rng(4)
    points, faces = as_floats(rng.normal(size=(50, 3)), 3), as_indices(rng.integers(0, 50, (200, 3)))
    vectors = area_vectors(points, faces)
    length = np.linalg.norm(vectors, axis=1, keepdims=True)
    assert (length == 0).any(), "some have no area"
    assert np.allclose(face_shapes(points, faces, "area")[0], vectors / np.where(length > 0, length, 1), atol=1e-6)


def both_ways(corners: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Twins found by chains, and by the way that is taken where chains are too long."""
    quick = twins(as_indices(corners))
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(edges, "_PATIENCE", -1)
        return quick, twins(as_indices(corners))


@settings(max_examples=100, deadline=None)
@given(TRIANGLES)
def test_both_ways_find_the_same_twins(corners: np.ndarray) -> None:
    quick, sorted_ = both_ways(corners)
    assert np.array_equal(quick, sorted_)


@settings(max_examples=200, deadline=None)
@given(TRIANGLES, st.integers(0, 9), st.floats(0, 179), st.sampled_from(("angle", "area")), st.floats(0, 1))
def test_corners_are_smooth_with_those_that_smooth_edges_lead_to(
    corners: np.ndarray, seed: int, angle: float, weight: smoothing.Weight, height: float
) -> None:
    positions = as_floats(np.random.default_rng(seed).normal(size=(13, 3)) * [1, 1, height], 3)
    indices = as_indices(corners)
    normals, weights = face_shapes(positions, indices, weight)
    twin = twins(indices)
    limit = np.float32(np.cos(np.radians(angle))) - np.float32(1e-6)
    pairs = []
    for h in np.flatnonzero(twin >= 0).tolist():
        t, g = h // 3, int(twin[h])
        u = g // 3
        if np.float32(normals[t] @ normals[u]) < limit:
            continue
        after_h, after_g = 3 * t + (h + 1) % 3, 3 * u + (g + 1) % 3
        same = corners[t, h % 3] == corners[u, g % 3]
        pairs += [(h, g), (after_h, after_g)] if same else [(h, after_g), (after_h, g)]
    # Where no face turns far from the mean of all, all are smooth.
    flat, size = corners.reshape(-1), corners.size
    faces = np.repeat(normals.astype(float), 3, axis=0)
    for place in np.unique(flat):
        mine = np.flatnonzero(flat == place)
        mean = (faces[mine] * weights.reshape(-1)[mine, None]).sum(axis=0)
        length = np.linalg.norm(mean)
        turned = faces[mine] @ (mean / length if length > 1e-6 else np.array([0.0, 1.0, 0.0]))
        away = turned[np.any(faces[mine] != 0, axis=1)] - np.cos(np.radians(angle / 2))
        assume(not len(away) or abs(away.min()) > 1e-4)
        if not len(away) or away.min() > 0:
            pairs += [(int(mine[0]), int(one)) for one in mine]
    rows, columns = np.array(pairs or [(0, 0)][: bool(size)], int).reshape(-1, 2).T
    _, plain = connected_components(coo_array((np.ones(len(rows)), (rows, columns)), (size, size)), directed=False)
    group, summed = smoothed(indices, normals, weights, np.radians(angle))
    found = group.reshape(-1)
    assert len(set(zip(found.tolist(), plain.tolist(), strict=True))) == len(set(found.tolist())) == len(set(plain))
    for number in np.unique(found):
        mine = np.flatnonzero(found == number)
        sums = (faces[mine] * weights.reshape(-1)[mine, None]).sum(axis=0)
        if np.linalg.norm(sums) > 1e-3:
            assert np.allclose(summed[number], sums / np.linalg.norm(sums), atol=1e-3)


@given(st.floats(1e-4, 1e4), st.floats(-1e4, 1e4))
def test_angles_are_those_of_the_arc_tangent(crossed: float, dot: float) -> None:
    assert abs(smoothing._angle.py_func(crossed, dot) - np.arctan2(crossed, dot)) < 2e-6


@settings(max_examples=200, deadline=None)
@given(TRIANGLES, st.integers(1, 9), st.integers(0, 99))
def test_what_is_taken_apart_by_labels_is_what_masks_leave(corners: np.ndarray, labels: int, seed: int) -> None:
    indices = as_indices(corners)
    label = np.random.default_rng(seed).integers(0, labels, len(corners)).astype(np.uint32)
    parts = list(apart(indices, label, 13))
    assert [one for one, *_ in parts] == np.unique(label).tolist()
    for one, faces, old, triangles in parts:
        assert np.array_equal(faces, np.flatnonzero(label == one))
        of_mask, masked = compacted(indices, label == one, 13)
        assert np.array_equal(old, np.arange(13) if of_mask is None else of_mask)
        assert np.array_equal(triangles, masked)
