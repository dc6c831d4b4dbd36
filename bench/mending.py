"""Steps that mend, beside general libraries: a million triangles each."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from bench.polydata import polydata
from bench.timing import best, by_turns, line
from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.base.context import Context
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.geometry.pieces import pieces
from pruxel.core.geometry.places import places
from pruxel.core.geometry.smoothing import face_shapes, smoothed
from pruxel.core.geometry.thinning import thinned
from pruxel.core.scene.model import Material, Mesh, Node, Primitive, Scene
from pruxel.core.scene.surface import parts_by
from pruxel.core.steps.registry import STEPS

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
    _splitting(points, faces)
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
        normals, weights = face_shapes(as_floats(points, 3), as_indices(faces), "angle")
        smoothed(as_indices(faces), normals, weights, np.radians(60))

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


def _splitting(points: np.ndarray, faces: np.ndarray) -> None:
    """By material, as parts come, and through the middle of all; the arrays are places, normals, UVs and triangles."""
    normals, uvs = vertex_normals(as_floats(points, 3), as_indices(faces)), as_floats(points[:, ::2], 2)
    stripe = (points[faces].mean(axis=1)[:, 0] / points[:, 0].max() * 8).astype(np.uint32)
    whole = Primitive(as_floats(points, 3), as_indices(faces), normals=normals, uvs=(uvs,))
    arrays = (whole.positions, whole.indices, normals, uvs)
    by_material = tuple(replace(part, material=number) for number, part in parts_by(whole, stripe))
    scene = Scene(
        "stripes", nodes=(Node("stripes", mesh=0),), roots=(0,), meshes=(Mesh("stripes", by_material),),
        materials=tuple(Material(f"m{number}") for number in range(8)),
    )  # fmt: skip
    params = STEPS.get("split_parts").parse({})
    run = STEPS.get("split_parts").run
    assert len(run(scene, params, Context()).scene.meshes) == 8

    def copy() -> None:
        for one in arrays:
            one.copy()

    line("split by material : one copy of the arrays", *by_turns(lambda: run(scene, params, Context()), copy), 3)
    half = stripe // 4
    line("split in two by chosen faces : the same", *by_turns(lambda: list(parts_by(whole, half)), copy), 4)


def _thinning(points: np.ndarray, faces: np.ndarray) -> None:
    import fast_simplification

    goal = len(faces) // 5
    place = np.arange(len(points), dtype=np.uint32)
    ours, theirs = by_turns(
        lambda: thinned(as_floats(points, 3), place, as_indices(faces), goal, np.inf),
        lambda: fast_simplification.simplify(points, faces.astype(np.int64), target_count=goal),
        2,
    )
    line("thin out to a fifth : fast_simplification", ours, theirs, 1.25)


if __name__ == "__main__":
    run()
