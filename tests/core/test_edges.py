"""Which faces meet at which edges, and what is left of a mesh: against the plain way."""

from __future__ import annotations

from collections import defaultdict

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp

from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.geometry.compact import compacted, kept
from pruxel.core.geometry.edges import BORDER, CROWDED, NO_LENGTH, twins
from pruxel.core.geometry.measure import area_vectors
from pruxel.core.geometry.normals import face_normals

TRIANGLES = hnp.arrays(np.uint32, st.tuples(st.integers(0, 60), st.just(3)), elements=st.integers(0, 12))


def plain_twins(corners: np.ndarray) -> np.ndarray:
    """The same by a dictionary of edges."""
    edges = defaultdict(list)
    found = np.full(corners.size, BORDER)
    for h in range(corners.size):
        a, b = int(corners[h // 3, h % 3]), int(corners[h // 3, (h + 1) % 3])
        if a == b:
            found[h] = NO_LENGTH
        else:
            edges[min(a, b), max(a, b)].append(h)
    for some in edges.values():
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
    some = kept(as_indices(corners), keep)
    assert np.array_equal(some, corners[keep])
    found = compacted(some, 13)
    used = np.unique(some)
    if found is None:
        assert len(used) == 13
        return
    old, new = found
    assert np.array_equal(old, used)
    assert np.array_equal(old[new] if len(new) else some, some)


def test_unit_normals_are_those_of_the_areas() -> None:
    rng = np.random.default_rng(4)
    points, faces = as_floats(rng.normal(size=(50, 3)), 3), as_indices(rng.integers(0, 50, (200, 3)))
    vectors = area_vectors(points, faces)
    length = np.linalg.norm(vectors, axis=1, keepdims=True)
    assert (length == 0).any(), "some have no area"
    assert np.allclose(face_normals(points, faces), vectors / np.where(length > 0, length, 1), atol=1e-6)
