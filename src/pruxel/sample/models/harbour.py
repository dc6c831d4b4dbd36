"""What drifts and lies about the harbour: a jelly that light goes through, and a boat as its makers left it."""

from __future__ import annotations

import numpy as np

from pruxel.sample import sdf
from pruxel.sample.model import Model, Paint, Part, Spots, Surface, blend, plain, shaded
from pruxel.sample.noise import cells, fractal
from pruxel.sample.shapes import Shape, ball, box, implicit, ribbon, ring, simplified, together, tube

_RIM = 0.34


def _paint_jelly(s: Spots) -> Paint:
    out = np.hypot(s.position[:, 0], s.position[:, 2])
    around = np.arctan2(s.position[:, 2], s.position[:, 0])
    cloud = fractal(s.position, s.seed, 4, 6.0)
    bell, arms, threads = s.on("bell"), s.on("arms"), s.on("threads")
    paint = plain(s, (0.62, 0.78, 0.92), 0.12)
    blend(paint, np.clip(0.4 + cloud, 0, 0.7) * bell, (0.8, 0.72, 0.94))
    rays = np.clip(np.abs(np.sin(around * 8)) - 0.82, 0, 1) * 5 * bell
    blend(paint, np.clip(rays, 0, 0.8), (0.95, 0.9, 1.0))
    rim = np.clip((out - 0.86 * _RIM) / (0.12 * _RIM), 0, 1) * bell
    blend(paint, rim, (0.98, 0.86, 0.94))
    blend(paint, arms * np.clip(0.6 + cloud, 0, 1), (0.96, 0.78, 0.86), rough=0.3)
    blend(paint, s.on("organs") * 1.0, (0.98, 0.52, 0.62), rough=0.35)
    facing = np.abs(s.normal[:, 1])
    paint.opacity = np.where(bell, 0.3 + 0.3 * (1 - facing) + 0.3 * rim + 0.12 * np.clip(rays, 0, 1), 1.0)
    paint.opacity = np.where(arms, np.clip(0.62 + 0.4 * cloud, 0.3, 0.9), paint.opacity)
    paint.opacity = np.where(threads, 0.55, paint.opacity)
    paint.glow = s.on("organs")[:, None] * np.array([0.5, 0.14, 0.22])
    paint.height = 1.2 * cloud
    return paint


def _frill(angle: float, rng: np.random.Generator) -> Shape:
    """An arm below the mouth: a sheet that waves more the further down it goes."""
    t = np.linspace(0, 1, 26)
    out = np.array([np.cos(angle), 0, np.sin(angle)])
    side = np.cross(out, [0, 1, 0])
    sway = (0.05 * t * np.sin(t * 8 + rng.uniform(0, 6)))[:, None] * side
    path = out * (0.05 + 0.1 * t**1.5)[:, None] + np.array([0, 1, 0]) * (0.82 - 0.55 * t)[:, None] + sway
    return ribbon(path, 0.1 * (1 - t) ** 0.7 * (1 + 0.35 * np.sin(t * 34)) + 0.006, side)


def jelly(seed: int) -> Model:
    """A moon jelly: a bell that light goes through, its organs inside, arms and threads below."""
    rng = np.random.default_rng(seed + 77)
    outer = sdf.ellipsoid((0, 0.78, 0), (_RIM, 0.26, _RIM))
    inner = sdf.ellipsoid((0, 0.735, 0), (_RIM * 0.94, 0.25, _RIM * 0.94))

    def below(p: np.ndarray) -> np.ndarray:
        around = np.arctan2(p[:, 2], p[:, 0])
        return p[:, 1] - 0.72 - 0.012 * np.cos(around * 12)

    bell = implicit(sdf.cut(outer, inner, below, blend=0.008), (-0.37, 0.66, -0.37), (0.37, 1.07, 0.37), 0.0095, 9000)
    arms = together(*(_frill(a, rng) for a in np.arange(4) * np.pi / 2 + 0.4))
    threads, organs = [], []
    for k in range(20):
        angle, length = k * 2 * np.pi / 20, rng.uniform(0.26, 0.44)
        t = np.linspace(0, 1, 9)
        swing = 0.03 * np.sin(t * 5 + rng.uniform(0, 6)) * t
        far = 0.955 * _RIM + swing
        path = np.stack([far * np.cos(angle), 0.725 - length * t, far * np.sin(angle)], axis=1)
        threads.append(tube(path, 0.0035 * (1 - 0.7 * t), 5))
    for k in range(4):
        bow = np.linspace(-2.2, 2.2, 16)
        places = np.stack([0.13 + 0.055 * np.cos(bow), np.full(16, 0.9), 0.055 * np.sin(bow)], axis=1)
        organs.append(tube(places, np.full(16, 0.016), 10).turned(1, -np.degrees(k * np.pi / 2 + 0.8)))
    parts = (
        Part("organs", together(*organs), "jelly"),
        Part("arms", arms, "jelly", sharp_deg=80),
        Part("threads", together(*threads), "jelly"),
        Part("bell", bell, "jelly", sharp_deg=70),
    )
    surface = Surface("jelly", 512, _paint_jelly, alpha="BLEND", double_sided=True, codec="BC3", relief=0.5)
    return Model("actors/jelly_moon/jelly_moon", parts, (surface,), title="moon jelly")


def _paint_boat(s: Spots) -> Paint:
    warp = fractal(s.position, s.seed, 5, 3.0)
    strakes = np.sin(s.position[:, 1] * 58 + 0.8 * warp) * 0.5 + 0.5
    paint = plain(s, (0.2, 0.44, 0.46), 0.6)
    blend(paint, np.clip(strakes**6, 0, 0.6) * s.on("hull"), (0.1, 0.24, 0.26), rough=0.8)
    blend(paint, np.clip(-0.1 - s.position[:, 1], 0, 1) * 7 * s.on("hull"), (0.62, 0.3, 0.22))
    blend(paint, np.clip(warp - 0.1, 0, 0.7), (0.6, 0.62, 0.52), rough=0.9)
    wood = s.on("benches", "rail", "oars")
    blend(paint, wood * 1.0, (0.62, 0.45, 0.28), rough=0.75)
    blend(paint, wood * np.clip(np.sin(s.position[:, 0] * 70 + 4 * warp), 0, 1) * 0.4, (0.42, 0.28, 0.16))
    blend(paint, s.on("wreath") * 1.0, (0.34, 0.5, 0.2), rough=0.8)
    blend(paint, s.on("wreath") * (cells(s.position, 5, 18.0) < 0.3), (0.9, 0.62, 0.24))
    paint.height = 1.5 * warp - 1.4 * strakes**6 * s.on("hull")
    return shaded(paint, s, 0.55)


def rowboat(seed: int) -> Model:
    """A mail boat as its makers left it: on its side, a hundredth of its size, three levels of its hull in one place.

    Its benches are there twice, and a wreath of the last festival still hangs on it.
    """

    def sheer(p: np.ndarray) -> np.ndarray:
        return 0.16 + 0.1 * (p[:, 2] / 1.7) ** 2 - p[:, 1]

    outside, inside = sdf.ellipsoid((0, 0.1, 0), (0.62, 0.5, 1.75)), sdf.ellipsoid((0, 0.14, 0), (0.57, 0.45, 1.68))
    hull = implicit(sdf.cut(outside, inside, sheer, blend=0.015), (-0.7, -0.46, -1.85), (0.7, 0.34, 1.85), 0.024, 8000)
    bench = [box((1.06 - 0.2 * abs(z), 0.035, 0.24), 0.008).moved((0, 0.03, z)) for z in (-0.8, 0.0, 0.75)]
    edge = np.linspace(0, 2 * np.pi, 60)
    across, along = 0.6 * np.cos(edge), 1.7 * np.sin(edge)
    rail = tube(np.stack([across, 0.17 + 0.1 * (along / 1.7) ** 2, along], axis=1), np.full(60, 0.028), 8)
    oar = together(
        tube([(0, 0, -1.1), (0, 0, 0.0), (0, 0, 0.85)], [0.02, 0.024, 0.02], 10),
        ball((0.075, 0.014, 0.26), 14, 8).moved((0, 0, 1.0)),
    )
    oars = together(oar.turned(1, 8).moved((0.18, 0.09, 0)), oar.turned(1, -6).moved((-0.2, 0.09, 0.05)))
    wreath = ring(0.15, 0.045, 30, 10).turned(0, 90).moved((0, 0.02, 1.72))
    lying = {
        "hull": hull,
        "hull_b": simplified(hull, 1600),
        "hull_c": simplified(hull, 420),
        "benches": together(*bench, *bench),
        "rail": rail,
        "oars": oars,
        "wreath_festival": wreath,
    }
    parts = tuple(Part(name, shape.turned(2, -90).moved((0, 0.62, 0)), "boat_paint") for name, shape in lying.items())
    return Model(
        "vehicles/vx07/vx07",
        parts,
        (Surface("boat_paint", 512, _paint_boat, relief=1.1),),
        oversize=0.01,
        title="mail boat",
    )
