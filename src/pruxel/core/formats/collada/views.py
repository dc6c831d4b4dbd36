"""Cameras and lights."""

from __future__ import annotations

import math

import numpy as np

from pruxel.core.formats.collada.document import Document
from pruxel.core.formats.xml import Tag
from pruxel.core.scene.model import Camera, Light

_KINDS = {"directional": "directional", "point": "point", "spot": "spot"}


def camera_of(document: Document, tag: Tag) -> Camera | None:
    """The view of a camera; None for one without any, which is told."""
    name = tag.get("name") or tag.get("id") or "camera"
    optics = tag.first("optics", "technique_common")
    perspective = None if optics is None else optics.first("perspective")
    straight = None if optics is None else optics.first("orthographic")
    view = perspective or straight
    if view is None:
        document.tell(f"camera '{name}' has no view and is left out", tag)
        return None
    near, far = _number(document, view, "znear", 0.01), _number(document, view, "zfar", 0.0)
    near = near if near > 0 else 0.01
    aspect = _number(document, view, "aspect_ratio", 0.0)
    last = far if far > near else None
    if perspective is None:
        wide, high = _number(document, view, "xmag", 0.0), _number(document, view, "ymag", 0.0)
        wide = wide or high * (aspect or 1.0) or 1.0
        return Camera(name, xmag=wide, ymag=high or wide / (aspect or 1.0), near=near, far=last)
    wide, high = (math.radians(_number(document, view, key, 0.0)) for key in ("xfov", "yfov"))
    if not 0 < high < math.pi:
        high = 2 * math.atan(math.tan(wide / 2) / (aspect or 4 / 3)) if 0 < wide < math.pi else math.radians(45)
    elif not aspect and 0 < wide < math.pi:
        aspect = math.tan(wide / 2) / math.tan(high / 2)
    return Camera(name, yfov_rad=high, aspect=aspect if aspect > 0 else None, near=near, far=last)


def light_of(document: Document, tag: Tag) -> Light | None:
    """A light; one from all sides has no place and is told."""
    name = tag.get("name") or tag.get("id") or "light"
    common = tag.first("technique_common")
    own = None if common is None else next(common.all(*_KINDS), None)
    if own is None:
        document.notes.append(f"{document.file}: light '{name}' has no place or direction and is left out")
        return None
    values = document.numbers(own.first("color"), (1.0, 1.0, 1.0))[:3]
    color = np.clip(np.nan_to_num(values), 0, 1e6)
    strength = max(float(color.max()), 1e-9)
    r, g, b = (color / strength).tolist()
    angle = math.radians(min(max(_number(document, own, "falloff_angle", 180.0), 0.1), 180.0)) / 2
    kind = own.name
    return Light(
        name,
        kind="spot" if kind == "spot" else "point" if kind == "point" else "directional",
        color=(r, g, b),
        intensity=strength,
        outer_cone_rad=angle if kind == "spot" else math.pi / 4,
    )


def _number(document: Document, tag: Tag, key: str, default: float) -> float:
    value = float(document.numbers(tag.first(key), (default,))[0])
    return value if math.isfinite(value) and abs(value) < 1e9 else default
