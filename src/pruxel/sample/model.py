"""What a sample model is before it becomes bytes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.sample.rig import Rig
from pruxel.sample.shapes import Shape


@dataclass(frozen=True, eq=False)
class Spots:
    """Texels to be painted: position, normal (n, 3) in metres, Y up; `open` (n,) sky share; `part` names by number."""

    position: AnyArray
    normal: AnyArray
    open: AnyArray
    part: AnyArray
    names: tuple[str, ...]
    seed: int

    def on(self, *names: str) -> AnyArray:
        """Which texels lie on parts whose names start so."""
        wanted = [i for i, name in enumerate(self.names) if name.startswith(names)]
        return np.isin(self.part, wanted)


@dataclass(eq=False)
class Paint:
    """What a painter returns: base (n, 3) display values 0..1, the others (n,) 0..1, height in texels."""

    base: AnyArray
    rough: AnyArray
    metal: AnyArray
    opacity: AnyArray
    height: AnyArray
    glow: AnyArray | None = None


Painter = Callable[[Spots], Paint]


def plain(spots: Spots, color: tuple[float, float, float], rough: float = 0.8, metal: float = 0.0) -> Paint:
    """One colour everywhere, to paint over."""
    n = len(spots.position)
    return Paint(
        np.tile(np.asarray(color, float), (n, 1)),
        np.full(n, rough),
        np.full(n, metal),
        np.ones(n),
        np.zeros(n),
    )


def blend(paint: Paint, where: AnyArray, color: tuple[float, float, float], **others: float) -> None:
    """Mix a colour (and `rough`, `metal`) in, by a weight from 0 to 1."""
    weight = np.clip(where, 0, 1)
    paint.base = paint.base * (1 - weight[:, None]) + np.asarray(color) * weight[:, None]
    for name, value in others.items():
        setattr(paint, name, getattr(paint, name) * (1 - weight) + value * weight)


def shaded(paint: Paint, spots: Spots, strength: float = 0.5) -> Paint:
    """Darken creases by the baked openness."""
    paint.base = np.clip(paint.base * (1 - strength + strength * spots.open[:, None]), 0, 1)
    return paint


@dataclass(frozen=True, eq=False)
class Part:
    """One part of a model. A material of None marks a collision hull's plain surface.

    One that `mirrors` another is its mirror image and wears the same texels.
    """

    name: str
    shape: Shape
    material: str
    detail: int = 0
    collision: bool = False
    inward: bool = False
    sharp_deg: float = 40.0
    mirrors: str = ""


@dataclass(frozen=True, eq=False)
class Surface:
    """A material to be painted: texels a side, how, and flags for the file.

    `later` is how the game's makers came to pack their maps: gloss for roughness, light in place of opacity, in a slot
    that the material's file says nothing more about. `green_down` is a slip of theirs. `dye` says where cloth may be
    dyed: (n, 3) 0..1, a channel a colour.
    """

    name: str
    side: int
    paint: Painter
    alpha: str = "OPAQUE"
    double_sided: bool = False
    codec: str = "BC7"
    relief: float = 1.0
    later: bool = False
    green_down: bool = False
    dye: Callable[[Spots], AnyArray] | None = None


@dataclass(frozen=True, eq=False)
class Model:
    """A named model: path in the pack without its ending, parts, surfaces, and lengths' extra factor (a quirk).

    One with a `rig` has a skeleton beside it.
    """

    path: str
    parts: tuple[Part, ...]
    surfaces: tuple[Surface, ...]
    oversize: float = 1.0
    quantised: bool = False
    loose: bool = False
    title: str = ""
    rig: Rig | None = None
