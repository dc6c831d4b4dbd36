"""Steps that mend, beside general libraries: a million triangles each."""

from __future__ import annotations

import numpy as np

from bench.polydata import polydata
from bench.timing import best, line
from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.geometry.edges import twins
from pruxel.core.geometry.normals import face_normals, vertex_normals
from pruxel.core.geometry.pieces import pieces
from pruxel.core.geometry.places import places
from pruxel.core.geometry.smoothing import corner_normals, smooth_groups
from pruxel.core.geometry.thinning import thinned
from pruxel.core.scene.model import Primitive
from pruxel.core.scene.surface import part_of

_SIDE = 708  # a grid of so many corners a side has about a million triangles
_DISTANCE = 2e-4


def _grid() -> tuple[np.ndarray, np.ndarray]:
    """A wavy grid, its corners just beside multiples of the distance that welding allows."""
    x, y = (axis.ravel() for axis in np.meshgrid(np.arange(_SIDE), np.arange(_SIDE)))
    points = np.stack([x * 0.01, np.sin(x * 0.05) * np.cos(y * 0.04) * 0.3, y * 0.01], axis=1)
    corner = (np.arange(_SIDE - 1)[:, None] * _SIDE + np.arange(_SIDE - 1)).ravel()
    first = np.stack([corner, corner + _SIDE, corner + _SIDE + 1], axis=1)
    second = np.stack([corner, corner + _SIDE + 1, corner + 1], axis=1)
    return points.astype(np.float32), np.concatenate([first, second]).astype(np.uint32)


def run() -> None:
    """Print all ratios."""
    points, faces = _grid()
    moved = points[faces].reshape(-1, 3)
    moved = as_floats(moved + np.random.default_rng(1).uniform(-2e-5, 2e-5, moved.shape), 3)
    apart = as_indices(np.arange(len(moved)).reshape(-1, 3))
    first, _ = places(moved, _DISTANCE)
    print(f"welded: {len(first):,} places of {_SIDE * _SIDE:,}")
    _beside_vtk(points, faces, moved, apart)
    _beside_trimesh(points, faces)
    middles = points[faces].mean(axis=1)[:, 0]
    whole = Primitive(as_floats(points, 3), as_indices(faces))
    arrays = (whole.positions, whole.indices)

    sides = (middles > 3.5, middles <= 3.5)

    def split() -> None:
        for side in sides:
            part_of(whole, side)

    line("split in two by a mask : one copy of the arrays", best(split), best(lambda: [a.copy() for a in arrays]), 3)
    _thinning(points, faces)


def _beside_vtk(points: np.ndarray, faces: np.ndarray, moved: np.ndarray, apart: np.ndarray) -> None:
    try:
        from vtkmodules.vtkFiltersCore import vtkCleanPolyData, vtkPolyDataNormals
    except ImportError:
        print("weld, normals : VTK  not measured, the package vtk is not installed")
        return

    loose, closed = polydata(moved, apart), polydata(points, faces)

    def cleaned() -> None:
        filter_ = vtkCleanPolyData()
        filter_.SetInputData(loose)
        filter_.ToleranceIsAbsoluteOn()
        filter_.SetAbsoluteTolerance(_DISTANCE)
        filter_.Update()

    def their_normals(*, hard: bool) -> None:
        filter_ = vtkPolyDataNormals()
        filter_.SetInputData(closed)
        filter_.SetFeatureAngle(60)
        filter_.ConsistencyOff()
        filter_.SetSplitting(hard)
        filter_.Update()

    def our_normals() -> None:
        normals = face_normals(as_floats(points, 3), as_indices(faces))
        group = smooth_groups(as_indices(faces), twins(as_indices(faces)), normals, np.radians(60))
        corner_normals(as_floats(points, 3), as_indices(faces), normals, group, "angle")

    line("weld 3,000,000 corners : VTK", best(lambda: places(as_floats(moved, 3), _DISTANCE)), best(cleaned, 1), 0.4)
    smooth = best(lambda: vertex_normals(as_floats(points, 3), as_indices(faces)))
    line("normals : VTK", smooth, best(lambda: their_normals(hard=False), 2), 0.15)
    line("normals with hard edges : VTK", best(our_normals), best(lambda: their_normals(hard=True), 2), 0.15)


def _beside_trimesh(points: np.ndarray, faces: np.ndarray) -> None:
    import trimesh

    def theirs() -> None:
        mesh = trimesh.Trimesh(points, faces, process=False)
        trimesh.graph.connected_component_labels(mesh.face_adjacency, node_count=len(faces))

    line("connected pieces : trimesh", best(lambda: pieces(as_indices(faces), len(points))), best(theirs, 1), 0.1)


def _thinning(points: np.ndarray, faces: np.ndarray) -> None:
    import fast_simplification

    goal = len(faces) // 5
    place = np.arange(len(points), dtype=np.uint32)
    ours = best(lambda: thinned(as_floats(points, 3), place, as_indices(faces), goal, np.inf), 1)
    theirs = best(lambda: fast_simplification.simplify(points, faces.astype(np.int64), target_count=goal), 1)
    line("thin out to a fifth : fast_simplification", ours, theirs, 1.25)


if __name__ == "__main__":
    run()
