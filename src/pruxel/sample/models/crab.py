"""The toll-keeping crab: keeper of the reef bridge, with cap, bell and one claw much too large."""

from __future__ import annotations

import itertools

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.sample import sdf
from pruxel.sample.model import Model, Paint, Part, Spots, Surface, blend, plain, shaded
from pruxel.sample.noise import cells, fractal
from pruxel.sample.shapes import Shape, ball, implicit, revolved, ring, together, tube


def _rim_bumps(seed: int) -> sdf.Field:
    def field(p: AnyArray) -> DoubleArray:
        angle = np.arctan2(p[:, 0], p[:, 2])
        rim = np.exp(-(((p[:, 1] - 0.56) / 0.1) ** 2))
        lumps = np.maximum(np.cos(angle * 13), 0) ** 3
        return 0.035 * rim * lumps + 0.012 * fractal(p, seed, 3, 7.0)

    return field


def _shell(seed: int) -> Shape:
    body = sdf.join(
        sdf.ellipsoid((0, 0.58, 0), (0.66, 0.27, 0.47)),
        sdf.ellipsoid((0, 0.68, -0.1), (0.48, 0.26, 0.34)),
        blend=0.12,
    )
    warts = sdf.join(
        *(
            sdf.ellipsoid((x, y, z), (r, r * 0.8, r))
            for x, y, z, r in (
                (0.28, 0.86, -0.06, 0.06), (-0.28, 0.86, -0.06, 0.06), (0.14, 0.93, -0.2, 0.05),
                (-0.14, 0.93, -0.2, 0.05), (0.42, 0.74, 0.12, 0.045), (-0.42, 0.74, 0.12, 0.045),
            )
        )
    )  # fmt: skip
    field = sdf.displaced(sdf.join(body, warts, blend=0.05), _rim_bumps(seed))
    field = sdf.cut(field, sdf.ellipsoid((0, 0.28, 0.02), (0.62, 0.2, 0.5)), blend=0.05)
    sockets = sdf.mirrored_x(sdf.ellipsoid((0.17, 0.76, 0.42), (0.075, 0.07, 0.08)))
    return implicit(sdf.cut(field, sockets, blend=0.03), (-0.8, 0.3, -0.62), (0.8, 1.05, 0.62), 0.011, 11_000)


def _belly() -> Shape:
    field = sdf.join(
        sdf.ellipsoid((0, 0.46, 0.02), (0.52, 0.17, 0.36)),
        sdf.mirrored_x(sdf.capsule((0.07, 0.5, 0.36), (0.05, 0.4, 0.44), 0.055, 0.035)),
        blend=0.03,
    )
    grooves = sdf.join(*(sdf.rounded_box((0, 0.3, z), (0.6, 0.02, 0.012), 0.01) for z in (-0.2, -0.08, 0.04, 0.16)))
    return implicit(sdf.cut(field, grooves, blend=0.02), (-0.6, 0.25, -0.4), (0.6, 0.68, 0.52), 0.012, 4000)


def _legs() -> Shape:
    sticks = []
    for number, (angle, reach) in enumerate(((-0.05, 0.98), (0.5, 1.02), (1.05, 0.9))):
        x, z = np.cos(angle), -np.sin(angle)
        hip = np.array([0.42 * x + 0.06, 0.5, 0.36 * z])
        knee = np.array([reach * 0.78 * x, 0.74 - 0.05 * number, reach * 0.74 * z])
        shin = np.array([reach * 1.04 * x, 0.4, reach * 0.98 * z])
        toe = np.array([reach * 1.12 * x, 0.015, reach * 1.05 * z])
        leg = sdf.join(
            sdf.capsule(hip, knee, 0.085, 0.07),
            sdf.capsule(knee, shin, 0.075, 0.055),
            sdf.capsule(shin, toe, 0.055, 0.012),
            sdf.ellipsoid(knee, (0.088, 0.088, 0.088)),
            blend=0.025,
        )
        sticks.append(leg)
    field = sdf.mirrored_x(sdf.join(*sticks))
    rough = sdf.displaced(field, lambda p: 0.006 * fractal(p, 5, 3, 14.0))
    return implicit(rough, (-1.25, -0.02, -1.0), (1.25, 0.9, 0.2), 0.014, 9000)


def _claw(scale: float, open_by: float, seed: int) -> Shape:
    """A claw at the origin pointing to +Z: palm, fixed finger below, moving finger above."""
    palm = sdf.ellipsoid((0, 0, 0.1), (0.17, 0.2, 0.24))
    lower = sdf.join(
        sdf.capsule((0, -0.1, 0.22), (0, -0.13, 0.46), 0.1, 0.075),
        sdf.capsule((0, -0.13, 0.46), (0, -0.03, 0.62), 0.075, 0.022),
        blend=0.05,
    )
    upper = sdf.turned(
        sdf.join(
            sdf.capsule((0, 0.11, 0.22), (0, 0.17, 0.44), 0.1, 0.08),
            sdf.capsule((0, 0.17, 0.44), (0, 0.04, 0.64), 0.08, 0.018),
            blend=0.05,
        ),
        (0, 0.08, 0.2),
        0,
        -open_by,
    )
    teeth = sdf.join(*(sdf.ellipsoid((0, -0.05 - 0.012 * k, 0.34 + 0.07 * k), (0.04, 0.03, 0.028)) for k in range(3)))
    field = sdf.join(sdf.join(palm, lower, upper, blend=0.06), teeth, blend=0.02)
    field = sdf.displaced(
        field, lambda p: 0.012 * fractal(p, seed, 3, 8.0) + 0.016 * np.maximum(0.35 - cells(p, seed, 9.0), 0)
    )
    return implicit(field, (-0.26, -0.34, -0.2), (0.26, 0.48, 0.74), 0.0115, 6000).scaled(scale)


def _arm(points: list[tuple[float, float, float]], radius: float) -> Shape:
    field = sdf.join(
        *(
            sdf.capsule(a, b, radius * (1 + 0.12 * k), radius * (1.15 + 0.12 * k))
            for k, (a, b) in enumerate(itertools.pairwise(points))
        ),
        blend=0.03,
    )
    low, high = np.min(points, axis=0) - 0.2, np.max(points, axis=0) + 0.2
    return implicit(field, low, high, 0.013, 1600)


def _eyes() -> tuple[Shape, Shape, Shape]:
    """Stalks, balls and lids; the right lid hangs lower."""
    stalks, balls, lids = [], [], []
    for side, droop in ((1, -16), (-1, -42)):
        top = np.array([0.2 * side, 1.0, 0.5])
        bend = [(0.17 * side, 0.74, 0.4), (0.185 * side, 0.86, 0.45), tuple(top - (0, 0.05, 0.01))]
        stalks.append(tube(bend, [0.055, 0.045, 0.06], 14))
        balls.append(ball(0.098, 28, 18).moved(top))
        shell = [(float(0.106 * np.cos(a)), float(0.106 * np.sin(a))) for a in np.linspace(0.1, np.pi / 2, 9)]
        inner = [(float(0.1 * np.cos(a)), float(0.1 * np.sin(a))) for a in np.linspace(np.pi / 2, 0.1, 9)]
        lid = revolved([*shell, *inner], 28)
        lids.append(lid.turned(0, droop).turned(2, -10 * side).moved(top))
    return together(*stalks), together(*balls), together(*lids)


def _cap() -> tuple[Shape, Shape]:
    """The keeper's cap: felt, and brass for band, badge and button."""
    felt = revolved(
        [
            (0.0, 0.0),
            (0.2, 0.0),
            (0.205, 0.02),
            (0.2, 0.1),
            (0.215, 0.13),
            (0.245, 0.165),
            (0.235, 0.2),
            (0.15, 0.222),
            (0.0, 0.23),
        ],
        44,
    )
    peak = sdf.cut(sdf.ellipsoid((0, 0.0, 0.12), (0.19, 0.03, 0.2)), sdf.ellipsoid((0, -0.03, 0.1), (0.19, 0.035, 0.2)))
    visor = implicit(peak, (-0.22, -0.05, -0.1), (0.22, 0.06, 0.36), 0.008, 1400)
    badge = ball((0.055, 0.062, 0.018), 24, 12).moved((0, 0.1, 0.205))
    band = ring(0.203, 0.014, 44, 8).moved((0, 0.035, 0))
    button = ball(0.022, 14, 8).moved((0, 0.232, 0))

    def seat(shape: Shape) -> Shape:
        return shape.turned(2, -9).turned(0, -7).moved((-0.03, 0.885, 0.0))

    return seat(together(felt, visor)), seat(together(badge, band, button))


def _bell() -> Shape:
    profile = [
        (0.0, 0.0),
        (0.1, -0.005),
        (0.118, 0.0),
        (0.112, 0.02),
        (0.088, 0.06),
        (0.075, 0.11),
        (0.06, 0.145),
        (0.03, 0.165),
        (0.0, 0.17),
    ]
    body = revolved(profile, 36)
    handle = tube([(0, 0.16, 0), (0, 0.2, 0), (0, 0.27, 0), (0, 0.3, 0)], [0.016, 0.022, 0.02, 0.03], 14)
    clapper = ball(0.03, 16, 10).moved((0, -0.015, 0))
    return together(body, handle, clapper)


def _barnacles() -> Shape:
    rng = np.random.default_rng(11)
    one = revolved([(0.05, 0.0), (0.042, 0.02), (0.026, 0.04), (0.019, 0.041), (0.014, 0.022), (0.0, 0.018)], 14)
    spots = [
        (0.38, 0.8, -0.22),
        (0.46, 0.72, -0.2),
        (0.43, 0.78, -0.12),
        (-0.5, 0.7, -0.14),
        (-0.44, 0.76, -0.24),
        (0.05, 0.9, -0.36),
        (0.13, 0.84, -0.4),
    ]
    return together(
        *(
            one.scaled(float(rng.uniform(0.7, 1.25))).turned(2, -x * 70).turned(0, z * 60).moved((x, y - 0.012, z))
            for x, y, z in spots
        )
    )


def _paint_body(s: Spots) -> Paint:
    grain, spots = fractal(s.position, s.seed, 5, 4.0), cells(s.position, s.seed, 11.0)
    paint = plain(s, (0.74, 0.2, 0.1), 0.5)
    blend(paint, 0.5 + 0.9 * grain, (0.87, 0.36, 0.15))
    upper = np.clip((s.position[:, 1] - 0.55) * 3.0, 0, 1) * s.on("shell")
    blend(paint, upper * np.clip(0.4 + 1.4 * fractal(s.position, s.seed + 3, 4, 3.2), 0, 0.85), (0.45, 0.09, 0.1))
    blend(paint, np.clip((0.3 - spots) * 5, 0, 0.75) * s.on("shell", "claw", "arm"), (0.97, 0.74, 0.4))
    under = np.clip(-s.normal[:, 1] * 1.6 - 0.15, 0, 1)
    blend(paint, under * 0.85, (0.95, 0.78, 0.58), rough=0.65)
    blend(paint, 0.92 * s.on("belly"), (0.93, 0.77, 0.57), rough=0.6)
    toes = np.clip((0.14 - s.position[:, 1]) * 9, 0, 1) * s.on("legs")
    blend(paint, toes, (0.2, 0.08, 0.09), rough=0.3)
    tips = s.on("claw_r", "claw_l") * np.clip((np.abs(s.position[:, 2]) - 0.86) * 6, 0, 1)
    blend(paint, tips, (0.2, 0.07, 0.08), rough=0.28)
    barnacle = s.on("barnacles")
    blend(paint, barnacle * 1.0, (0.86, 0.84, 0.76), rough=0.92)
    ridges = np.abs(np.sin(np.arctan2(s.normal[:, 0], s.normal[:, 2]) * 7)) * barnacle
    blend(paint, ridges * 0.35, (0.5, 0.48, 0.42))
    paint.height = 2.2 * grain + 2.4 * np.clip(0.3 - spots, 0, 1) + 1.6 * fractal(s.position, 9, 3, 40.0)
    creases = np.clip((0.62 - s.open) * 2.2, 0, 0.8)
    blend(paint, creases * 0.5, (0.25, 0.09, 0.1))
    algae = (
        np.clip(fractal(s.position, 31, 4, 2.4) - 0.25, 0, 1)
        * np.clip(s.normal[:, 1], 0, 1)
        * s.on("shell", "legs", "arm")
    )
    blend(paint, algae * 1.5, (0.29, 0.4, 0.24), rough=0.9)
    return shaded(paint, s, 0.45)


def _paint_gear(s: Spots) -> Paint:
    wear = fractal(s.position, s.seed, 4, 18.0)
    paint = plain(s, (0.83, 0.6, 0.26), 0.3, 1.0)
    blend(paint, np.clip(0.2 + wear, 0, 0.8), (0.62, 0.42, 0.19), rough=0.5)
    blend(paint, np.clip((0.6 - s.open) * 2.4, 0, 0.9), (0.16, 0.4, 0.33), rough=0.75, metal=0.25)
    felt = s.on("cap_felt")
    blend(paint, felt * 1.0, (0.1, 0.17, 0.29), rough=0.92, metal=0.0)
    blend(paint, felt * np.clip(0.35 + 0.8 * wear, 0, 0.5), (0.17, 0.26, 0.4))
    blend(paint, felt * np.clip(s.normal[:, 1] * fractal(s.position, 4, 3, 6.0) * 2, 0, 0.5), (0.34, 0.4, 0.42))
    paint.height = np.where(felt, 1.2 * fractal(s.position, 8, 2, 130.0), 0.9 * wear)
    return shaded(paint, s, 0.4)


def _paint_eyes(s: Spots) -> Paint:
    paint = plain(s, (0.98, 0.9, 0.68), 0.12)
    side = np.where(s.position[:, 0] > 0, 1.0, -1.0)
    centre = np.stack([0.2 * side, np.full(len(side), 1.0), np.full(len(side), 0.5)], axis=1)
    away = s.position - centre
    look = np.stack([0.12 * np.ones(len(side)), -0.08 * np.ones(len(side)), np.ones(len(side))], axis=1)
    look /= np.linalg.norm(look, axis=1, keepdims=True)
    angle = np.degrees(np.arccos(np.clip((away * look).sum(axis=1) / 0.098, -1, 1)))
    blend(paint, np.clip((38 - angle) / 3, 0, 1), (0.9, 0.55, 0.1), rough=0.08)
    blend(paint, np.clip((36 - angle) / 3, 0, 1) * np.clip((angle - 24) / 6, 0, 0.6), (0.6, 0.26, 0.05))
    blend(paint, np.clip((23 - angle) / 2.5, 0, 1), (0.03, 0.03, 0.05), rough=0.04)
    blend(paint, np.clip((angle - 55) / 30, 0, 0.6), (0.85, 0.5, 0.35))
    return paint


def toll_crab(seed: int) -> Model:
    """About 1.9 m wide, standing on y = 0 and looking to +Z."""
    stalks, balls, lids = _eyes()
    felt, brass = _cap()
    big = _claw(1.22, 0.42, seed + 1).turned(1, 14).turned(0, -10).moved((-0.74, 0.62, 0.56))
    small = _claw(0.78, 0.25, seed + 2).turned(1, -16).turned(0, -16).moved((0.66, 0.52, 0.5))
    arm_big = _arm([(-0.46, 0.5, 0.24), (-0.76, 0.44, 0.34), (-0.75, 0.58, 0.56)], 0.09)
    arm_small = _arm([(0.46, 0.5, 0.24), (0.68, 0.42, 0.3), (0.66, 0.5, 0.5)], 0.07)
    bell = _bell().turned(0, 8).moved((0.52, 0.28, 0.92))
    parts = (
        Part("shell", _shell(seed), "crab_body"),
        Part("belly", _belly(), "crab_body"),
        Part("legs", _legs(), "crab_body"),
        Part("arm_r", arm_big, "crab_body"),
        Part("arm_l", arm_small, "crab_body"),
        Part("claw_r", big, "crab_body", inward=True),
        Part("claw_l", small, "crab_body"),
        Part("eye_stalks", stalks, "crab_body"),
        Part("eye_lids", lids, "crab_body"),
        Part("barnacles", _barnacles(), "crab_body"),
        Part("eyes", balls, "crab_eyes"),
        Part("cap_felt", felt, "crab_gear"),
        Part("cap_brass", brass, "crab_gear"),
        Part("bell", bell, "crab_gear"),
    )
    surfaces = (
        Surface("crab_body", 1024, _paint_body, relief=1.2),
        Surface("crab_eyes", 256, _paint_eyes, relief=0.0),
        Surface("crab_gear", 512, _paint_gear, relief=0.8),
    )
    return Model("actors/crab_toll/crab_toll", parts, surfaces, quantised=True, title="toll-keeping crab")
