"""Interpolated numbers of a material → how a clip changes it.

Source: ISO/IEC 19775-1, interpolation component: colours go from key to key in hue, saturation and value.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping

import numpy as np

from pruxel.core.base.arrays import DoubleArray, frozen
from pruxel.core.formats.resampled import refined
from pruxel.core.formats.x3d.keys import Keys, spans, values_at
from pruxel.core.formats.x3d.things import Thing
from pruxel.core.geometry.colors import linear_from_srgb
from pruxel.core.scene.model import LookChannel, LookPath

Values = Callable[[str, float | tuple[float, ...]], DoubleArray]
_COLOR_OF = {"Material": "diffuseColor", "PhysicalMaterial": "baseColor", "UnlitMaterial": "emissiveColor"}
_DEFAULTS = {"diffuseColor": (0.8, 0.8, 0.8), "baseColor": (1.0, 1.0, 1.0), "emissiveColor": (0.0, 0.0, 0.0)}
# What curves change of materials, and how many numbers each has.
LOOK_FIELDS = dict.fromkeys(_DEFAULTS, 3) | dict.fromkeys(("transparency", "shininess", "roughness", "metallic"), 1)


def looks(number: int, own: Thing, fields: Mapping[str, Keys], seconds: float) -> Iterator[LookChannel]:
    """The tracks of a material, by its number, whose fields have keys (k,) of shares of the clock's time and values."""
    color = _COLOR_OF[own.kind]
    sources: dict[LookPath, tuple[tuple[str, ...], Callable[[Values], DoubleArray]]] = {
        "base_color": ((color, "transparency"), lambda v: _tinted(own, color, v)),
        "emissive": (("emissiveColor",), lambda v: _light(own, v("emissiveColor", _DEFAULTS["emissiveColor"]))),
        "roughness": (("roughness",), lambda v: v("roughness", 1.0)),
        "metallic": (("metallic",), lambda v: v("metallic", 1.0)),
    }
    if own.kind == "Material":
        sources["roughness"] = (("shininess",), lambda v: 1 - np.sqrt(v("shininess", 0.2)))
    if own.kind == "UnlitMaterial":
        del sources["emissive"]
    for path, (names, made) in sources.items():
        keys = [fields[name][0] for name in names if name in fields]
        times = np.unique(np.concatenate(keys)) * seconds if keys else np.zeros(0)
        times = times[times >= 0]
        if not len(times):
            continue

        def rows(at: DoubleArray, made: Callable[[Values], DoubleArray] = made) -> DoubleArray:
            return made(lambda field, default: _values(own, field, default, fields, at / seconds))

        times = refined(times, rows, turn=False)
        found = frozen(times.astype(np.float32)), frozen(rows(times).astype(np.float32))
        yield LookChannel(number, path, *found)


def _tinted(own: Thing, color: str, values: Values) -> DoubleArray:
    return np.concatenate([_light(own, values(color, _DEFAULTS[color])), 1 - values("transparency", 0.0)], axis=1)


def _light(own: Thing, shown: DoubleArray) -> DoubleArray:
    """Colours of physical materials are linear as they stand."""
    return shown if own.kind == "PhysicalMaterial" else linear_from_srgb(shown).astype(np.float64)


def _values(
    own: Thing, name: str, default: float | tuple[float, ...], fields: Mapping[str, Keys], shares: DoubleArray
) -> DoubleArray:
    """(n, k) a field at shares of the time, 0 to 1: by its keys, else as it stands."""
    if name not in fields:
        rest = own.numbers(name, default if isinstance(default, tuple) else (default,))
        return np.repeat(np.clip(rest, 0, 1)[None], len(shares), axis=0)
    at, values = fields[name]
    values = np.clip(values, 0, 1)
    if values.shape[1] == 1:
        return values_at((at, values), shares)
    row, after, part = spans(at, shares)
    hsv = _hsv(values)
    one, other = hsv[row], hsv[after]
    # What is grey has no hue, and takes that of the key at the other end.
    one[:, 0] = np.where(one[:, 1] > 0, one[:, 0], other[:, 0])
    other[:, 0] = np.where(other[:, 1] > 0, other[:, 0], one[:, 0])
    way = other - one
    way[:, 0] -= np.round(way[:, 0])  # around the shorter side of the circle
    return _rgb(one + way * part[:, None])


def _hsv(rgb: DoubleArray) -> DoubleArray:
    """(n, 3) hue as a share of the circle, saturation, value."""
    most, least = rgb.max(axis=1), rgb.min(axis=1)
    spread = most - least
    safe = np.where(spread > 0, spread, 1)
    r, g, b = rgb.T
    hue = np.select([most == r, most == g], [(g - b) / safe, 2 + (b - r) / safe], 4 + (r - g) / safe) / 6
    return np.stack([hue, spread / np.where(most > 0, most, 1), most], axis=1)


def _rgb(hsv: DoubleArray) -> DoubleArray:
    """(n, 3) red, green, blue: each a ramp around the circle."""
    away = np.abs((hsv[:, :1] + np.array([0.0, 2 / 3, 1 / 3])) % 1 * 6 - 3) - 1
    return hsv[:, 2:] * (1 - hsv[:, 1:2] * (1 - np.clip(away, 0, 1)))
