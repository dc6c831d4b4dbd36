"""A scene as the formats of printers and scanners have it: parts as they stand, in a unit and with an axis up."""

from __future__ import annotations

import re
from typing import Any, Literal, cast

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import AnyArray, Bytes, FloatArray, IndexArray
from pruxel.core.formats.registry import Options
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene
from pruxel.core.scene.pose import standing, stiff
from pruxel.core.scene.reframe import Up, axes_of, reframed

PER_METRE = {"mm": 1000.0, "cm": 100.0, "m": 1.0, "in": 1000 / 25.4}


class SolidOptions(Options):
    """Unit and axis of formats that say neither themselves."""

    unit: Literal["mm", "cm", "m", "in"] = Field("mm", title="Unit", description="Printers take millimetres")
    up: Literal["y", "z"] = Field("z", title="Axis up", description="Printers take Z")


class MetreOptions(SolidOptions):
    """As for solids, in metres with Y up, as programs that show scenes take it."""

    unit: Literal["mm", "cm", "m", "in"] = Field("m", title="Unit", description="Said in a comment alone")
    up: Literal["y", "z"] = Field("y", title="Axis up", description="Said in a comment alone")


_SAYS = re.compile(r"unit (mm|cm|m|in), ([YZ]) up")


def frame_words(options: SolidOptions) -> str:
    """Unit and axis as they stand in heads and comments of our files, for formats that have no place for them."""
    return f"unit {options.unit}, {options.up.upper()} up"


def frame_in(text: str) -> tuple[float, Up] | None:
    """Metres in a unit, and the axis up, where a head says them as ours do."""
    said = _SAYS.search(text)
    return None if said is None else (1 / PER_METRE[said[1]], "y" if said[2] == "Y" else "z")


def framed(scene: Scene, options: SolidOptions) -> Scene:
    """The scene in the options' axes and unit."""
    return reframed(scene, axes_of(options.up), PER_METRE[options.unit])


def solids(scene: Scene, options: SolidOptions) -> list[tuple[Node, Mesh]]:
    """Every part that has triangles, where it stands, in the options' axes and unit."""
    still = framed(stiff(scene), options)
    return [(node, mesh) for _, node, mesh in standing(still) if mesh.primitives]


def plain_bytes(rows: AnyArray) -> Bytes:
    """The bytes of rows as they lie in memory, uncopied."""
    return memoryview(cast("Any", np.ascontiguousarray(rows))).cast("B") if rows.size else b""


def joined(primitives: list[Primitive]) -> tuple[FloatArray, IndexArray]:
    """Positions (n, 3) and triangles (m, 3) of all primitives, one behind the other."""
    if not primitives:
        return np.zeros((0, 3), np.float32), np.zeros((0, 3), np.uint32)
    if len(primitives) == 1:
        return primitives[0].positions, primitives[0].indices
    first = np.cumsum([0, *(len(p.positions) for p in primitives)])
    indices = [p.indices + np.uint32(at) for p, at in zip(primitives, first, strict=False)]
    return np.concatenate([p.positions for p in primitives]), np.concatenate(indices)
