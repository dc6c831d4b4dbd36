"""Living things that stay where they are: kelp, coral, a starfish."""

from __future__ import annotations

import numpy as np

from pruxel.sample import sdf
from pruxel.sample.model import Model, Paint, Part, Spots, Surface, blend, plain, shaded
from pruxel.sample.noise import cells, fractal
from pruxel.sample.shapes import Shape, ball, implicit, ribbon, together, tube


def _paint_kelp(s: Spots) -> Paint:
    vein = fractal(s.position, s.seed, 4, 7.0)
    paint = plain(s, (0.34, 0.42, 0.14), 0.45)
    blend(paint, np.clip(0.4 + vein, 0, 0.8), (0.5, 0.52, 0.16))
    blend(paint, np.clip(s.position[:, 1] / 2.6 - 0.2, 0, 0.8), (0.66, 0.6, 0.2))
    blend(paint, s.on("stems") * 1.0, (0.36, 0.32, 0.12), rough=0.6)
    blend(paint, s.on("floats") * 1.0, (0.7, 0.6, 0.22), rough=0.3)
    holes = cells(s.position, s.seed + 2, 9.0) < 0.19
    paint.opacity = np.where(s.on("blades") & holes, 0.0, 1.0)
    paint.height = 2.0 * vein
    return paint


def _blade(rng: np.random.Generator, base: np.ndarray, angle: float, length: float) -> Shape:
    t = np.linspace(0, 1, 12)
    out = np.array([np.cos(angle), 0, np.sin(angle)])
    sway = 0.05 * np.sin(t * 9 + rng.uniform(0, 6))
    path = base + out * (t * length * 0.75)[:, None] + np.array([0, 1, 0]) * (0.5 * length * np.sin(t * 2.1))[:, None]
    path = path + np.cross(out, [0, 1, 0]) * sway[:, None]
    widths = 0.17 * length * np.sin(np.pi * np.clip(t * 0.94 + 0.04, 0, 1)) ** 0.7 + 0.004
    return ribbon(path, widths, np.cross(out, [0, 1, 0]))


def kelp(seed: int) -> Model:
    """Kelp with see-through holes: double-sided sheets."""
    rng = np.random.default_rng(seed + 21)
    stems, blades, floats = [], [], []
    for _ in range(4):
        root = np.array([rng.uniform(-0.35, 0.35), 0, rng.uniform(-0.35, 0.35)])
        height, lean = rng.uniform(1.7, 2.6), rng.uniform(-0.25, 0.25, 2)
        t = np.linspace(0, 1, 14)
        path = root + np.stack(
            [lean[0] * t**2 + 0.06 * np.sin(t * 7), height * t, lean[1] * t**2 + 0.06 * np.cos(t * 6)], axis=1
        )
        stems.append(tube(path, np.linspace(0.024, 0.008, 14), 8))
        for k in range(2, 14):
            angle = k * 2.4 + rng.uniform(-0.3, 0.3)
            blades.append(_blade(rng, path[k], angle, rng.uniform(0.4, 0.62)))
            floats.append(
                ball((0.028, 0.042, 0.028), 10, 8).moved(path[k] + (0.03 * np.cos(angle), 0.02, 0.03 * np.sin(angle)))
            )
    parts = (
        Part("blades", together(*blades), "kelp", sharp_deg=80),
        Part("stems", together(*stems), "kelp"),
        Part("floats", together(*floats), "kelp"),
    )
    return Model(
        "flora/f009/f009",
        parts,
        (Surface("kelp", 512, _paint_kelp, alpha="MASK", double_sided=True, codec="BC3"),),
        title="kelp",
    )


def _paint_coral(s: Spots) -> Paint:
    pores = cells(s.position, s.seed, 24.0)
    tip = np.clip(s.position[:, 1] * 1.3 - 0.1, 0, 1)
    paint = plain(s, (0.72, 0.22, 0.3), 0.75)
    blend(paint, tip, (0.97, 0.58, 0.5))
    blend(paint, tip**4, (1.0, 0.9, 0.8))
    blend(paint, np.clip(0.3 - pores, 0, 1) * 2.2, (0.5, 0.12, 0.2))
    blend(paint, np.clip(0.08 - s.position[:, 1], 0, 1) * 9, (0.5, 0.45, 0.4), rough=0.95)
    paint.height = 3.0 * np.clip(pores, 0, 0.4)
    return shaded(paint, s, 0.6)


def coral(seed: int) -> Model:
    """A branching coral."""
    rng = np.random.default_rng(seed + 31)
    sticks: list[sdf.Field] = [sdf.ellipsoid((0, 0.02, 0), (0.26, 0.08, 0.22))]

    def grow(base: np.ndarray, along: np.ndarray, length: float, depth: int) -> None:
        tip = base + along * length
        radius = 0.022 + 0.016 * depth
        sticks.append(sdf.capsule(base, tip, radius, radius * 0.8))
        if depth == 0:
            return
        for k in range(3 if depth > 1 else 2):
            turn = rng.uniform(-0.75, 0.75, 3) + np.array((0, 0.55, 0))
            bent = along + turn * (0.9 if k else 0.5)
            grow(tip, bent / np.linalg.norm(bent), length * rng.uniform(0.68, 0.85), depth - 1)

    for angle in (0.2, 2.3, 4.4):
        start = np.array([0.09 * np.cos(angle), 0.03, 0.07 * np.sin(angle)])
        lean = np.array([0.55 * np.cos(angle), 0.8, 0.4 * np.sin(angle)])
        grow(start, lean / np.linalg.norm(lean), 0.27, 3)
    shape = implicit(sdf.join(*sticks, blend=0.025), (-0.85, -0.06, -0.75), (0.85, 1.15, 0.75), 0.0165, 9000)
    return Model(
        "flora/f031/f031",
        (Part("branches", shape, "coral"),),
        (Surface("coral", 512, _paint_coral),),
        quantised=True,
        title="branching coral",
    )


def _paint_star(s: Spots) -> Paint:
    bumps = cells(s.position, s.seed, 60.0)
    paint = plain(s, (0.86, 0.42, 0.16), 0.8)
    blend(paint, np.clip(0.45 - bumps, 0, 1) * 2.2, (1.0, 0.8, 0.5))
    blend(paint, np.clip(-s.normal[:, 1], 0, 1), (0.95, 0.85, 0.68))
    paint.height = 3.0 * np.clip(0.45 - bumps, 0, 1)
    return shaded(paint, s, 0.5)


def starfish(seed: int) -> Model:
    """A starfish, kept by an artist as loose OBJ with a TGA texture."""
    arms = [
        sdf.capsule((0, 0.018, 0), (0.115 * np.cos(a), 0.012 + 0.02 * (k == 1), 0.115 * np.sin(a)), 0.034, 0.012)
        for k, a in enumerate(np.linspace(0, 2 * np.pi, 6)[:-1] + 0.3)
    ]
    field = sdf.displaced(sdf.join(*arms, blend=0.035), lambda p: 0.003 * fractal(p, seed, 2, 60.0))
    shape = implicit(field, (-0.17, -0.04, -0.17), (0.17, 0.08, 0.17), 0.0042, 2400)
    return Model(
        "dev/starfish",
        (Part("starfish", shape, "starfish"),),
        (Surface("starfish", 256, _paint_star),),
        loose=True,
        title="starfish",
    )
