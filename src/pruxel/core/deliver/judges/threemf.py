"""3MF before the consortium's own library, strictly."""

from __future__ import annotations

import sys
from importlib.util import find_spec
from pathlib import Path
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.deliver.judges.registry import Exhibit, judge
from pruxel.core.deliver.proof.checks import Check
from pruxel.core.deliver.proof.expected_parts import compare_parts
from pruxel.core.deliver.proof.judge import JudgeMissing, ask_judge
from pruxel.core.deliver.proof.surfaces import Surface
from pruxel.core.disk.scratch import scratch_folder
from pruxel.core.formats.threemf.write import UNITS, Placed, Solid, ThreemfOptions, drawn_in_order, solids_of
from pruxel.core.geometry.colors import srgb_from_linear
from pruxel.core.scene.model import Scene

_CHILD = "pruxel.core.deliver.judges.lib3mf_child"
_UNITS = ("micron", "millimeter", "centimeter", "inch", "foot", "meter")


@judge("3mf in lib3mf", "lib3mf, strict")
def read_by_lib3mf(one: Exhibit) -> list[Check]:
    """Unit, parts in place, triangles and colours; a warning is a failed check."""
    assert isinstance(one.options, ThreemfOptions)
    listed, placed = solids_of(one.scene, one.options.unit)
    read = _read(one.main)
    number = int(read["unit"])
    unit = _UNITS[number] if 0 <= number < len(_UNITS) else "none"
    wanted = UNITS[one.options.unit]
    warnings = read["warnings"].tolist()
    written = [_written(one.scene, listed[part.solid], part) for part in placed]
    found = [
        Surface(name, read[f"corners{at}"], colors=(read[f"colors{at}"] / np.float32(255),), materials=_none(read, at))
        for at, name in enumerate(read["names"].tolist())
    ]
    return [
        Check("warnings", "0", "; ".join(warnings[:3]) or "0", not warnings),
        Check("unit of length", wanted, unit, unit == wanted),
        *compare_parts(written, found, one.tolerances),
    ]


def _none(read: Any, at: int) -> AnyArray:  # noqa: ANN401 - NumPy's archive
    return np.full(len(read[f"corners{at}"]), "", object)


def _written(scene: Scene, solid: Solid, part: Placed) -> Surface:
    order = drawn_in_order(solid)
    corners = solid.triangles[order].reshape(-1)
    places = solid.points[corners].astype(np.float64) @ part.world[:3, :3].T + part.world[:3, 3]
    if solid.colors is not None:
        colors = solid.colors[order].reshape(-1, 4) / np.float32(255)
    else:
        bases = np.array([m.base_color for m in scene.materials] + [(1.0, 1.0, 1.0, 1.0)], np.float32)
        bases[:, :3] = srgb_from_linear(bases[:, :3])
        colors = np.repeat(np.rint(bases * 255)[solid.materials[order]] / np.float32(255), 3, axis=0)
    return Surface(part.name, places, colors=(colors,), materials=np.full(len(corners), "", object))


def _read(main: Path) -> Any:  # noqa: ANN401
    if find_spec("lib3mf") is None:
        message = "lib3mf is not installed; run 'make setup'"
        raise JudgeMissing(message)
    with scratch_folder() as folder:
        out = folder / "read.npz"
        ask_judge([sys.executable, "-m", _CHILD], [str(main.resolve()), str(out)])
        with np.load(out) as saved:
            return dict(saved)
