"""Cameras and lights. Cameras look along +X of their node, lights shine along -Y; ours do both along -Z."""

from __future__ import annotations

import math

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.formats.fbx.document import color, number, prop
from pruxel.core.formats.fbx.elements import Element
from pruxel.core.formats.fbx.objects import Thing
from pruxel.core.scene.model import Camera, Light, Scene
from pruxel.core.scene.reframe import with_views_apart

# ours_from_theirs: +X to -Z, +Z to +X; and -Y to -Z.
CAMERA: DoubleArray = np.array([[0.0, 0, 1], [0, 1, 0], [-1, 0, 0]])
LIGHT: DoubleArray = np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]])
_GAUGE_MM = 35.0
_KINDS = ("point", "directional", "spot")
_FARTHEST = 1e4


def with_views_as_written(scene: Scene, new_from_old: DoubleArray) -> Scene:
    """The scene with its cameras and lights as the format has them, one a node, before its axes turn."""
    return with_views_apart(scene, CAMERA @ new_from_old, LIGHT @ new_from_old)


def camera_rows(camera: Camera, per_metre: float) -> list[Element]:
    """The properties of a camera: programs go by its field of view, or by film and focal length; both say the same."""
    aspect = camera.aspect or 1.0
    far = camera.far if camera.far is not None else _FARTHEST
    rows = [
        prop("CameraProjectionType", "enum", "", "", 0 if camera.yfov_rad is not None else 1),
        prop("AspectRatioMode", "enum", "", "", 1),
        number("AspectWidth", 1000.0 * aspect, ""),
        number("AspectHeight", 1000.0, ""),
        number("NearPlane", camera.near * per_metre, ""),
        number("FarPlane", far * per_metre, ""),
    ]
    if camera.yfov_rad is None:
        return [*rows, number("OrthoZoom", camera.ymag)]
    high = _GAUGE_MM / max(aspect, 1.0)
    return [
        *rows,
        prop("ApertureMode", "enum", "", "", 2),
        number("FieldOfView", math.degrees(camera.yfov_rad)),
        number("FilmWidth", high * aspect / 25.4, ""),
        number("FilmHeight", high / 25.4, ""),
        number("FilmAspectRatio", aspect, ""),
        number("FocalLength", high / 2 / math.tan(camera.yfov_rad / 2)),
    ]


def light_rows(light: Light, per_metre: float) -> list[Element]:
    """The properties of a light; its strength in hundredths."""
    rows = [
        prop("LightType", "enum", "", "", _KINDS.index(light.kind)),
        color("Color", light.color),
        number("Intensity", 100 * light.intensity),
        prop("DecayType", "enum", "", "", 0 if light.kind == "directional" else 2),
    ]
    if light.kind == "spot":
        rows.append(number("InnerAngle", math.degrees(2 * light.inner_cone_rad)))
        rows.append(number("OuterAngle", math.degrees(2 * light.outer_cone_rad)))
    if light.range is not None:
        rows.append(prop("EnableFarAttenuation", "bool", "", "", 1))
        rows.append(number("FarAttenuationEnd", light.range * per_metre, ""))
    return rows


def camera_of(thing: Thing, name: str, metres: float) -> Camera:
    """A camera by its properties, its planes in the file's unit."""
    wide, high = thing.number("AspectWidth", 0.0), thing.number("AspectHeight", 0.0)
    film = thing.number("FilmWidth", 0.816), thing.number("FilmHeight", 0.612)
    aspect = wide / high if wide > 0 and high > 0 else film[0] / film[1] if min(film) > 0 else 1.0
    near, far = thing.number("NearPlane", 10.0) * metres, thing.number("FarPlane", 0.0) * metres
    planes = (max(near, 1e-6), far if far > near > 0 else None)
    if int(thing.number("CameraProjectionType", 0)) == 1:
        zoom = max(thing.number("OrthoZoom", 1.0), 1e-6)
        return Camera(name, xmag=zoom * aspect, ymag=zoom, near=planes[0], far=planes[1])
    fov = math.radians(_view_deg(thing, film[1], aspect))
    return Camera(name, yfov_rad=min(max(fov, 1e-3), math.pi - 1e-3), aspect=aspect, near=planes[0], far=planes[1])


def _view_deg(thing: Thing, film_height: float, aspect: float) -> float:
    """The field of view from bottom to top, by the way in which the file says it."""
    mode = int(thing.number("ApertureMode", 2))
    view = thing.number("FieldOfView", 25.115)
    if mode == 0:
        return thing.number("FieldOfViewY", view)
    if mode == 1:
        return math.degrees(2 * math.atan(math.tan(math.radians(min(view, 179.0)) / 2) / aspect))
    focal = thing.number("FocalLength", 0.0)
    if mode == 3 and focal > 0:
        return math.degrees(2 * math.atan(film_height * 25.4 / 2 / focal))
    return view


def light_of(thing: Thing, name: str, metres: float) -> Light:
    """A light by its properties; its reach in the file's unit."""
    kind = int(thing.number("LightType", 0))
    r, g, b = (min(max(v, 0.0), 1.0) for v in thing.numbers("Color", (1.0, 1.0, 1.0)))
    outer = math.radians(min(max(thing.number("OuterAngle", thing.number("Cone angle", 45.0)), 0.1), 180.0)) / 2
    inner = math.radians(min(max(thing.number("InnerAngle", 0.0), 0.0), 180.0)) / 2
    reach = thing.number("FarAttenuationEnd", 0.0) * metres if thing.number("EnableFarAttenuation", 0.0) else 0.0
    return Light(
        name,
        _KINDS[kind] if 0 <= kind < len(_KINDS) else "point",  # type: ignore[arg-type]
        color=(r, g, b),
        intensity=min(max(thing.number("Intensity", 100.0) / 100, 0.0), 1e9),
        range=reach if reach > 0 and kind != 1 else None,
        inner_cone_rad=min(inner, outer * (1 - 1e-6)),
        outer_cone_rad=outer,
    )
