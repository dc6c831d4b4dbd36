"""A program that lets the consortium's library read a 3MF file strictly when asked [FILE, OUT.npz].

What it saw is arrays: per item its name, corners in the world, and the colour of each corner as the file gives it.
"""

from __future__ import annotations

import resource
from typing import Any

import lib3mf
import numpy as np

from pruxel.core.native.answering import answered

_MOST_BYTES = 6 << 30


def _triangles(item: Any) -> tuple[np.ndarray, Any]:  # noqa: ANN401 - objects of the library
    mesh = item.GetObjectResource()
    points = np.array([tuple(v.Coordinates) for v in mesh.GetVertices()], np.float64).reshape(-1, 3)
    corners = np.array([tuple(t.Indices) for t in mesh.GetTriangleIndices()], np.int64).reshape(-1, 3)
    rows = np.array([list(row) for row in item.GetObjectTransform().Fields])  # (4, 3): points stand before it
    return (points @ rows[:3] + rows[3])[corners].reshape(-1, 3), mesh


def _colors(model: Any, mesh: Any) -> np.ndarray:  # noqa: ANN401
    """(c, 4) uint8 of every corner; white where nothing is said."""
    found = []
    for one in mesh.GetAllTriangleProperties():
        if not one.ResourceID:
            found += [(255, 255, 255, 255)] * 3
            continue
        kind = model.GetPropertyTypeByID(one.ResourceID)
        if kind == lib3mf.PropertyType.BaseMaterial:
            group = model.GetBaseMaterialGroupByID(one.ResourceID)
            shown = [group.GetDisplayColor(place) for place in one.PropertyIDs]
        else:
            group = model.GetColorGroupByID(one.ResourceID)
            shown = [group.GetColor(place) for place in one.PropertyIDs]
        found += [(c.Red, c.Green, c.Blue, c.Alpha) for c in shown]
    return np.array(found, np.uint8).reshape(-1, 4)


def read(file: str, out: str) -> None:
    """Read, and write what was seen; anything that the library says against the file is an error."""
    wrapper = lib3mf.get_wrapper()
    model = wrapper.CreateModel()
    reader = model.QueryReader("3mf")
    reader.SetStrictModeActive(True)  # noqa: FBT003 - the library's own flag
    reader.ReadFromFile(file)
    warnings = [reader.GetWarning(n)[1] for n in range(reader.GetWarningCount())]
    saved: dict[str, Any] = {"unit": int(model.GetUnit()), "warnings": np.array(warnings, dtype=str)}
    items, number, names = model.GetBuildItems(), 0, []
    while items.MoveNext():
        item = items.GetCurrent()
        corners, mesh = _triangles(item)
        names.append(item.GetPartNumber())
        saved[f"corners{number}"], saved[f"colors{number}"] = corners, _colors(model, mesh)
        number += 1
    np.savez(out, names=np.array(names, dtype=str), **saved)


if __name__ == "__main__":
    resource.setrlimit(resource.RLIMIT_AS, (_MOST_BYTES, _MOST_BYTES))
    answered(lambda words: read(*words))
