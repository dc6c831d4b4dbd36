"""The numbers of materials, as they stand and as curves change them.

Physically based materials stand under names of their makers, "maker|word"; what the last word says is what counts.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.core.formats.fbx.objects import Thing
from pruxel.core.formats.fbx.read_curves import Curve, keys_of
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import TRACK_WIDTHS, LookChannel, LookPath

_BRIGHTEST = 1e4
_SAME = 1e-6  # within which a material looks as at rest
# What is read of a material, one behind the other.
_PATHS: tuple[LookPath, ...] = ("base_color", "emissive", "roughness", "metallic")


class Said(Protocol):
    """Properties by name, each number of them a float or, where curves change it, one for each of several times."""

    @property
    def properties(self) -> Mapping[str, Any]:
        """All that are there."""

    def number(self, name: str, default: Any) -> Any:  # noqa: ANN401
        """A property that is a number."""

    def numbers(self, name: str, default: Sequence[Any]) -> tuple[Any, ...]:
        """A property that is a row of numbers."""


@dataclass(frozen=True, eq=False)
class Changing:
    """A material at several times: `columns` has each number of what curves change, (n,) float64."""

    thing: Thing
    columns: Mapping[str, Sequence[DoubleArray]]

    @property
    def properties(self) -> Mapping[str, Any]:
        """All that are there, changed or not."""
        return self.thing.properties | dict(self.columns)

    def number(self, name: str, default: Any) -> Any:  # noqa: ANN401
        """A property that is a number."""
        return self.columns[name][0] if name in self.columns else self.thing.number(name, default)

    def numbers(self, name: str, default: Sequence[Any]) -> tuple[Any, ...]:
        """A property that is a row of numbers."""
        if name in self.columns and len(self.columns[name]) >= len(default):
            return tuple(self.columns[name][: len(default)])
        return self.thing.numbers(name, default)


def material_of(thing: Thing) -> Material:
    """The numbers of a material at rest."""
    rows = _numbers(thing)
    r, g, b, alpha, *glow, rough, metal = (float(value) for value in rows)
    strength = max(1.0, *glow)
    return Material(
        thing.name or "material",
        base_color=(r, g, b, alpha),
        metallic=metal,
        roughness=rough,
        emissive=(glow[0] / strength, glow[1] / strength, glow[2] / strength),
        emissive_strength=strength,
        alpha_mode="BLEND" if alpha < 1 else "OPAQUE",
        double_sided=bool(thing.number("DoubleSided", 0.0)),
    )


def looks_of(thing: Thing, material: int, slots: Mapping[str, Mapping[str, Curve]]) -> Iterator[LookChannel]:
    """How curves change a material, by its number: what differs from its rest at some time, and has a place here."""
    curves = [curve for axes in slots.values() for curve in axes.values()]
    rest = _numbers(thing)
    strength = max(1.0, *rest[4:7].tolist())
    rest[4:7] /= strength

    def values(at: DoubleArray) -> DoubleArray:
        columns = {name: _columns(thing, name, axes, at) for name, axes in slots.items()}
        found = np.array(np.broadcast_to(_numbers(Changing(thing, columns)).T, (len(at), len(rest))))
        found[:, 4:7] = np.minimum(found[:, 4:7] / strength, 1.0)
        return found

    times, rows, how = keys_of(curves, values, turn=False)
    begin = 0
    for path in _PATHS:
        own = slice(begin, begin := begin + TRACK_WIDTHS[path])
        if np.abs(rows[:, own] - rest[own]).max() > _SAME:
            yield LookChannel(
                material, path, times.astype(np.float32), rows[:, own].astype(np.float32), interpolation=how
            )


def _columns(thing: Thing, name: str, axes: Mapping[str, Curve], at: DoubleArray) -> list[DoubleArray]:
    """Each number of a property at times (n,): by its curve, else as it stands."""
    if not axes.keys() & {"X", "Y", "Z"}:
        return [next(iter(axes.values())).at(at)]
    rest = thing.numbers(name, (0.0, 0.0, 0.0))
    return [axes[axis].at(at) if axis in axes else np.full(len(at), rest[k]) for k, axis in enumerate("XYZ")]


def _numbers(said: Said) -> AnyArray:
    """Colour and opacity, glow, roughness and metalness: nine numbers, or rows (n,) of them.

    The shininess s stands for the roughness 1 - sqrt(s) / 10, where none is said.
    """
    rgb = _color(said, ("DiffuseColor", "Diffuse"), "DiffuseFactor", (0.8, 0.8, 0.8))
    glow = _color(said, ("EmissiveColor", "Emissive"), "EmissiveFactor", (0.0, 0.0, 0.0))
    shine = said.number("ShininessExponent", said.number("Shininess", 0.0))
    rough = 1 - _word(said, ("glossiness",), np.sqrt(np.clip(shine, 0, 100)) / 10)
    rough = _word(said, ("roughness",), rough)
    metal = _word(said, ("metallic", "metalness"), 0.0)
    listed = [*_pbr_color(said, rgb), _alpha(said), *glow, np.clip(rough, 0, 1), np.clip(metal, 0, 1)]
    return np.stack(np.broadcast_arrays(*listed)).astype(np.float64)


def _color(said: Said, names: tuple[str, ...], factor: str, default: tuple[float, float, float]) -> list[Any]:
    name = next((name for name in names if name in said.properties), "")
    share = said.number(factor, 1.0)
    return [np.clip(value * share, 0.0, _BRIGHTEST) for value in said.numbers(name, default)]


def _alpha(said: Said) -> Any:  # noqa: ANN401
    """Opaque unless it says otherwise; a transparency of 1 with a black transparent colour is none."""
    if "Opacity" in said.properties:
        return np.clip(said.number("Opacity", 1.0), 0.0, 1.0)
    share = said.number("TransparencyFactor", 0.0)
    r, g, b = said.numbers("TransparentColor", (1.0, 1.0, 1.0))
    return np.clip(1 - share * ((r + g + b) / 3), 0.0, 1.0)


def _word(said: Said, words: tuple[str, ...], default: Any) -> Any:  # noqa: ANN401
    """A number under a name whose last word is one of these."""
    name = next((name for name in said.properties if name.lower().rpartition("|")[2] in words), "")
    return said.number(name, default)


def _pbr_color(said: Said, otherwise: Sequence[Any]) -> list[Any]:
    """What a name of a maker says is the colour, else what is said without."""
    words = {"base_color", "basecolor"}
    name = next((n for n in said.properties if "|" in n and n.lower().rpartition("|")[2] in words), "")
    return [np.clip(value, 0.0, 1.0) for value in said.numbers(name, otherwise)]
