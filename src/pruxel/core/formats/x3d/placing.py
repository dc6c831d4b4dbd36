"""Where a Transform puts what is below it (ISO/IEC 19775-1, 10.4.4)."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.formats.x3d.solids import axis_quaternions
from pruxel.core.formats.x3d.things import Thing
from pruxel.core.geometry.transforms import matrices_of

FIELDS: dict[str, tuple[float, ...]] = {
    "translation": (0.0, 0.0, 0.0),
    "rotation": (0.0, 0.0, 1.0, 0.0),
    "scale": (1.0, 1.0, 1.0),
    "scaleOrientation": (0.0, 0.0, 1.0, 0.0),
    "center": (0.0, 0.0, 0.0),
}
_TURNLESS: DoubleArray = np.array([0.0, 0.0, 0.0, 1.0])


def placement(thing: Thing) -> dict[str, DoubleArray]:
    """The fields that place: three numbers each, or a quaternion xyzw."""
    found = {key: thing.numbers(key, default) for key, default in FIELDS.items()}
    return {key: axis_quaternions(value[None])[0] if len(value) == 4 else value for key, value in found.items()}


def matrices(rows: Mapping[str, DoubleArray]) -> DoubleArray:
    """(n, 4, 4) parent_from_local = T C R SR S SR^-1 C^-1 of fields with a row for each."""
    one, none = np.ones(3), np.zeros(3)
    turned = rows["scaleOrientation"]
    back = turned * np.array([-1.0, -1.0, -1.0, 1.0])
    found: DoubleArray = matrices_of(rows["translation"] + rows["center"], rows["rotation"], one)
    found = found @ matrices_of(none, turned, rows["scale"]) @ matrices_of(none, back, one)
    return found @ matrices_of(-rows["center"], _TURNLESS, one)
