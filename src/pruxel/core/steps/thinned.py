"""A mesh with fewer triangles: what thinning out and making levels of detail share."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import as_indices
from pruxel.core.geometry.places import places
from pruxel.core.geometry.thinning import thinned
from pruxel.core.scene.model import Mesh
from pruxel.core.scene.surface import remeshed, surface_of, used_only


def thinned_mesh(mesh: Mesh, share: float, most_error: float, distance: float) -> tuple[Mesh, float]:
    """The mesh with a share of its triangles, moved by no more than `most_error` metres (0 for any), and how far."""
    whole = surface_of(mesh)
    first, place = places(whole.positions, distance)
    goal = round(len(whole.indices) * share)
    found = thinned(whole.positions[first], place, whole.indices, goal, most_error or np.inf)
    ends = np.searchsorted(found.faces, whole.faces_from)
    made = [
        used_only(replace(p, indices=as_indices(found.indices[a:b] - np.uint32(first_vertex)), face_sizes=None))
        for p, a, b, first_vertex in zip(mesh.primitives, ends[:-1], ends[1:], whole.vertices_from[:-1], strict=True)
    ]
    return remeshed(mesh, made), found.error
