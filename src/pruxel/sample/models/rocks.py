"""Rocks: the bridge arch and a boulder."""

from __future__ import annotations

import itertools

import numpy as np

from pruxel.sample import sdf
from pruxel.sample.model import Model, Paint, Part, Spots, Surface, blend, plain, shaded
from pruxel.sample.noise import cells, fractal
from pruxel.sample.shapes import hull, implicit, simplified


def _paint_rock(s: Spots) -> Paint:
    scale = 1.0 / max(float(np.ptp(s.position, axis=0).max()), 0.1)
    p = s.position * scale * 3.0
    wide, fine, cell = fractal(p, s.seed, 5, 1.2), fractal(p, s.seed + 2, 4, 9.0), cells(p, s.seed, 2.5)
    paint = plain(s, (0.52, 0.47, 0.44), 0.93)
    blend(paint, np.clip(0.5 + wide * 1.3, 0, 1), (0.38, 0.36, 0.38))
    strata = np.sin(p[:, 1] * 9 + wide * 4) * 0.5 + 0.5
    blend(paint, strata * 0.4, (0.66, 0.56, 0.47))
    moss = np.clip(s.normal[:, 1] * 1.4 - 0.35 + fine * 0.6, 0, 1)
    blend(paint, moss * 0.8, (0.33, 0.42, 0.27), rough=0.98)
    pink = np.clip(fractal(p, 41, 4, 2.6) - 0.3, 0, 1) * 3
    blend(paint, np.clip(pink, 0, 0.75), (0.72, 0.42, 0.44))
    blend(paint, np.clip((0.12 - np.abs(cell - 0.5)) * 4, 0, 0.3), (0.26, 0.25, 0.26))
    blend(paint, np.clip(0.9 - s.position[:, 1] * scale * 9, 0, 0.75), (0.78, 0.7, 0.54), rough=0.95)
    paint.height = 2.6 * fine + 2.0 * wide
    return shaded(paint, s, 0.65)


def arch(seed: int) -> Model:
    """The arch that the crab guards, 5 m wide."""
    spine = [(2.0 * np.cos(a), 0.2 + 2.1 * np.sin(a), 0.25 * np.sin(3 * a)) for a in np.linspace(-0.1, np.pi + 0.1, 9)]
    solid = sdf.join(
        *(sdf.capsule(a, b, 0.62 - 0.04 * k % 3 * 0.5, 0.58) for k, (a, b) in enumerate(itertools.pairwise(spine))),
        sdf.ellipsoid((2.2, 0.1, 0), (0.95, 0.6, 0.9)),
        sdf.ellipsoid((-2.25, 0.15, 0.1), (1.05, 0.7, 1.0)),
        blend=0.35,
    )
    rough = sdf.displaced(solid, lambda p: 0.24 * fractal(p, seed, 4, 0.9) + 0.16 * (cells(p, seed + 5, 1.3) - 0.5))
    flat = sdf.cut(rough, sdf.rounded_box((0, -2.0, 0), (9, 2.0, 9), 0.01), blend=0.05)
    shape = implicit(flat, (-3.7, -0.1, -1.6), (3.7, 3.5, 1.6), 0.06, 9000)
    return Model(
        "levels/reef/rk_arch",
        (Part("arch", shape, "rock_arch"),),
        (Surface("rock_arch", 1024, _paint_rock, relief=1.8),),
        quantised=True,
        title="rock arch",
    )


def boulder(seed: int) -> Model:
    """A boulder with three levels of detail and a collision hull."""
    solid = sdf.join(
        sdf.ellipsoid((0, 0.5, 0), (0.85, 0.6, 0.7)),
        sdf.ellipsoid((0.5, 0.3, 0.3), (0.5, 0.4, 0.45)),
        sdf.ellipsoid((-0.55, 0.25, 0.35), (0.4, 0.32, 0.4)),
        blend=0.25,
    )
    rough = sdf.displaced(solid, lambda p: 0.16 * fractal(p, seed + 9, 5, 1.6) + 0.14 * (cells(p, seed, 2.0) - 0.5))
    flat = sdf.cut(rough, sdf.rounded_box((0, -1.0, 0), (3, 1.0, 3), 0.01), blend=0.04)
    shape = implicit(flat, (-1.4, -0.06, -1.2), (1.5, 1.5, 1.3), 0.03, 5000)
    parts = (
        Part("rock_lod0", shape, "rock_b"),
        Part("rock_lod1", simplified(shape, 1200), "rock_b", detail=1),
        Part("rock_lod2", simplified(shape, 300), "rock_b", detail=2),
        Part("rock_col", hull(shape, 80), "rock_b", collision=True),
    )
    return Model("levels/reef/rk_b02", parts, (Surface("rock_b", 512, _paint_rock, relief=1.8),), title="boulder")
