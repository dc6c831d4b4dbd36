"""Viewpoints → cameras, lights → lights, each with where it stands."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.formats.x3d.solids import axis_turn
from pruxel.core.formats.x3d.things import Thing
from pruxel.core.scene.model import Camera, Light

VIEWS = {"Viewpoint", "OrthoViewpoint", "DirectionalLight", "PointLight", "SpotLight"}


@dataclass(frozen=True, eq=False)
class Seen:
    """A camera or a light, and its placement (4, 4)."""

    thing: Camera | Light
    matrix: DoubleArray


def view_of(thing: Thing) -> Seen:
    """A view or a light; it looks along -Z of its placement."""
    matrix = np.eye(4)
    if thing.kind in {"Viewpoint", "OrthoViewpoint"}:
        matrix[:3, :3] = axis_turn(thing.numbers("orientation", (0.0, 0.0, 1.0, 0.0)))
        matrix[:3, 3] = thing.numbers("position", (0.0, 0.0, 10.0))
        return Seen(_camera(thing), matrix)
    if thing.kind != "DirectionalLight":
        matrix[:3, 3] = thing.numbers("location", (0.0, 0.0, 0.0))
    if thing.kind != "PointLight":
        matrix[:3, :3] = _towards(thing.numbers("direction", (0.0, 0.0, -1.0)))
    return Seen(_light(thing), matrix)


def _camera(thing: Thing) -> Camera:
    name = thing.name or next(iter(thing.texts("description")), "") or thing.kind
    if thing.kind == "OrthoViewpoint":
        low_x, low_y, high_x, high_y = thing.numbers("fieldOfView", (-1.0, -1.0, 1.0, 1.0)).tolist()
        return Camera(name, xmag=abs(high_x - low_x) / 2 or 1.0, ymag=abs(high_y - low_y) / 2 or 1.0)
    angle = thing.number("fieldOfView", math.pi / 4)
    return Camera(name, yfov_rad=angle if 0 < angle < math.pi else math.pi / 4)


def _light(thing: Thing) -> Light:
    name = thing.name or thing.kind
    r, g, b = np.clip(thing.numbers("color", (1.0, 1.0, 1.0)), 0, 1).tolist()
    strength = min(max(thing.number("intensity", 1.0), 0.0), 1e6)
    if thing.kind == "DirectionalLight":
        return Light(name, kind="directional", color=(r, g, b), intensity=strength)
    reach = thing.number("radius", 100.0)
    room = reach if 0 < reach < 1e9 else None
    if thing.kind == "PointLight":
        return Light(name, kind="point", color=(r, g, b), intensity=strength, range=room)
    outer = min(max(thing.number("cutOffAngle", math.pi / 4), 1e-3), math.pi / 2)
    inner = min(max(thing.number("beamWidth", math.pi / 2), 0.0), outer * (1 - 1e-6))
    return Light(
        name, kind="spot", color=(r, g, b), intensity=strength, range=room, inner_cone_rad=inner, outer_cone_rad=outer
    )


def _towards(direction: DoubleArray) -> DoubleArray:
    """(3, 3) a turn of -Z into a direction."""
    length = float(np.linalg.norm(direction))
    if length < 1e-12:
        return np.eye(3)
    back = -direction / length
    side = np.cross([0.0, 1.0, 0.0] if abs(back[1]) < 0.999 else [1.0, 0.0, 0.0], back)
    side /= np.linalg.norm(side)
    return np.stack([side, np.cross(back, side), back], axis=1)
