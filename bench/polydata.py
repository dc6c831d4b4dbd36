"""Arrays as VTK's meshes, for those benches that measure beside it."""

from __future__ import annotations

from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray


def polydata(positions: AnyArray, faces: AnyArray) -> Any:
    """Positions (n, 3) and triangles (m, 3); raises `ImportError` where the package is not installed."""
    from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray
    from vtkmodules.vtkCommonCore import vtkPoints
    from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData

    points, cells, poly = vtkPoints(), vtkCellArray(), vtkPolyData()
    points.SetData(numpy_to_vtk(np.ascontiguousarray(positions, np.float32), deep=True))
    corners = np.concatenate([np.full((len(faces), 1), 3), faces], axis=1).astype(np.int64).ravel()
    cells.SetCells(len(faces), numpy_to_vtkIdTypeArray(corners, deep=True))
    poly.SetPoints(points)
    poly.SetPolys(cells)
    return poly
