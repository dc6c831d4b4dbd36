"""Random triangle soups for property tests."""

from __future__ import annotations

import numpy as np
from hypothesis import strategies as st

from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene


@st.composite
def soups(draw: st.DrawFn) -> Scene:
    """A scene of one part: up to 40 vertices at a scale from a millimetre to ten kilometres."""
    vertices = draw(st.integers(3, 40))
    seed = draw(st.integers(0, 2**31))
    scale = 10.0 ** draw(st.integers(-3, 4))
    rng = np.random.default_rng(seed)
    positions = as_floats(rng.uniform(-1, 1, (vertices, 3)) * scale, 3)
    corners = np.stack([rng.permutation(vertices)[:3] for _ in range(draw(st.integers(1, 60)))])
    faces = as_indices(corners)
    uvs = as_floats(rng.uniform(-2, 3, (vertices, 2)), 2)
    primitive = Primitive(positions, faces, normals=vertex_normals(positions, faces), uvs=(uvs,))
    return Scene("soup", nodes=(Node("soup", mesh=0),), roots=(0,), meshes=(Mesh("soup", (primitive,)),))
