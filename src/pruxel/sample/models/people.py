"""Divers of the courier service in their round helmets, and the lantern fish that follows them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from pruxel.sample import sdf
from pruxel.sample.model import Model, Paint, Part, Spots, Surface, blend, plain, shaded
from pruxel.sample.models.moves import FISH_RIG, diver_rig
from pruxel.sample.models.tall import ARMS_OUT, tall_rig
from pruxel.sample.noise import fractal
from pruxel.sample.rig import Rig, Vec
from pruxel.sample.shapes import Shape, ball, box, implicit, ring, together, tube

Color = tuple[float, float, float]


def _suit_painter(suit: Color, trim: Color) -> Callable[[Spots], Paint]:
    def paint_suit(s: Spots) -> Paint:
        worn = fractal(s.position, s.seed, 5, 14.0)
        paint = plain(s, suit, 0.85)
        blend(paint, np.clip(worn * 0.8, 0, 0.5), (0.7 * suit[0], 0.7 * suit[1], 0.7 * suit[2]))
        blend(paint, s.on("belt", "boots", "gloves") * 1.0, trim, rough=0.55)
        blend(paint, s.on("helmet", "rims", "buckle") * 1.0, (0.8, 0.5, 0.28), rough=0.28, metal=1.0)
        blend(paint, s.on("helmet") * np.clip((0.6 - s.open) * 1.8, 0, 0.7), (0.24, 0.46, 0.4), rough=0.8, metal=0.1)
        blend(paint, s.on("glass") * 1.0, (0.09, 0.22, 0.26), rough=0.06, metal=0.0)
        blend(paint, s.on("bag") * 1.0, (0.55, 0.38, 0.22), rough=0.8)
        paint.height = 0.8 * worn
        return shaded(paint, s, 0.5)

    return paint_suit


# Where an arm hangs, bends and ends, and where its glove is, on the left.
HANGING = ((0.22, 1.22, 0), (0.38, 0.98, 0.03), (0.4, 0.74, 0.13), (0.405, 0.68, 0.15))
Arms = tuple[Vec, Vec, Vec, Vec]


def _body(stout: float, arms: Arms) -> Shape:
    parts = [
        sdf.ellipsoid((0, 1.02, 0), (0.25 * stout, 0.34, 0.19 * stout)),
        sdf.ellipsoid((0, 0.74, 0), (0.21 * stout, 0.18, 0.17 * stout)),
    ]
    for side in (-1, 1):
        parts.append(sdf.capsule((0.1 * side, 0.7, 0), (0.13 * side, 0.42, 0.02), 0.105, 0.085))
        parts.append(sdf.capsule((0.13 * side, 0.42, 0.02), (0.14 * side, 0.14, 0), 0.085, 0.08))
        shoulder, elbow, wrist, _ = ((x * side, y, z) for x, y, z in arms)
        parts.append(sdf.capsule(shoulder, elbow, 0.085, 0.07))
        parts.append(sdf.capsule(elbow, wrist, 0.07, 0.062))
    field = sdf.join(*parts, blend=0.05)
    wide = arms[2][0] + 0.2
    return implicit(field, (-wide, 0.0, -0.35), (wide, 1.5, 0.35), 0.016, 5200)


def diver(
    code: str,
    suit: Color,
    trim: Color,
    stout: float,
    height: float,
    rig_of: Callable[[str, float], Rig] = diver_rig,
    arms: Arms = HANGING,
) -> Callable[[int], Model]:
    """A diver; `height` in metres."""

    def build(seed: int) -> Model:
        k = height / 1.78

        def fit(shape: Shape) -> Shape:
            return shape.scaled(k)

        helmet = together(
            ball((0.2, 0.21, 0.2), 32, 18).moved((0, 1.55, 0)), ring(0.19, 0.035, 36, 10).moved((0, 1.38, 0))
        )
        front = ring(0.105, 0.022, 28, 8).turned(0, 90).moved((0, 1.56, 0.185))
        sides = [ring(0.06, 0.016, 22, 8).turned(2, 90).moved((0.19 * s, 1.57, 0.02)) for s in (-1, 1)]
        glass = together(ball((0.095, 0.095, 0.03), 22, 10).moved((0, 1.56, 0.18)))
        boots = [box((0.16, 0.13, 0.3), 0.04).moved((0.14 * s, 0.065, 0.04)) for s in (-1, 1)]
        x, y, z = arms[3]
        gloves = [ball((0.075, 0.09, 0.075), 18, 12).moved((x * s, y, z)) for s in (-1, 1)]
        strap = tube([(-0.2, 1.3, 0.12), (0.02, 1.06, 0.23), (0.24, 0.84, 0.13)], [0.022, 0.022, 0.022], 8)
        parts = (
            Part("body", fit(_body(stout, arms)), f"suit_{code}"),
            Part("helmet", fit(helmet), f"suit_{code}"),
            Part("rims", fit(together(front, *sides)), f"suit_{code}"),
            Part("glass", fit(glass), f"suit_{code}"),
            Part("belt", fit(together(ring(0.2 * stout, 0.035, 32, 8).moved((0, 0.83, 0)), strap)), f"suit_{code}"),
            Part("buckle", fit(box((0.09, 0.07, 0.03), 0.01).moved((0, 0.83, 0.23 * stout))), f"suit_{code}"),
            Part("boots", fit(together(*boots)), f"suit_{code}"),
            Part("gloves", fit(together(*gloves)), f"suit_{code}"),
            Part("bag", fit(box((0.14, 0.24, 0.26), 0.05).moved((0.3, 0.74, 0.02))), f"suit_{code}"),
        )
        surface = Surface(f"suit_{code}", 512, _suit_painter(suit, trim))
        rig = rig_of(code, k)
        return Model(rig.path, parts, (surface,), quantised=True, title=f"diver {code}", rig=rig)

    return build


def _paint_fish(s: Spots) -> Paint:
    scales = fractal(s.position, s.seed, 4, 26.0)
    paint = plain(s, (0.23, 0.3, 0.42), 0.45)
    blend(paint, np.clip(0.5 - s.position[:, 1] * 4, 0, 1), (0.72, 0.7, 0.62))
    blend(paint, np.clip(scales, 0, 0.6), (0.34, 0.46, 0.55))
    blend(paint, s.on("fins") * 0.9, (0.8, 0.42, 0.3), rough=0.6)
    blend(paint, s.on("eyes") * 1.0, (0.95, 0.9, 0.75), rough=0.1)
    blend(paint, s.on("lure") * 1.0, (0.98, 0.85, 0.45), rough=0.3)
    paint.glow = s.on("lure")[:, None] * np.array((1.0, 0.8, 0.4))
    return shaded(paint, s, 0.5)


def lantern_fish(seed: int) -> Model:
    """A round fish with a light on a stalk."""
    body = sdf.join(
        sdf.ellipsoid((0, 0.3, 0), (0.2, 0.24, 0.33)), sdf.ellipsoid((0, 0.3, -0.36), (0.06, 0.12, 0.2)), blend=0.08
    )
    mouth = sdf.cut(body, sdf.ellipsoid((0, 0.2, 0.36), (0.15, 0.045, 0.14)), blend=0.02)
    shape = implicit(mouth, (-0.3, 0, -0.65), (0.3, 0.62, 0.42), 0.013, 6000)
    tail = ball((0.015, 0.2, 0.12), 20, 12).moved((0, 0.3, -0.62))
    back = ball((0.014, 0.12, 0.16), 20, 12).moved((0, 0.56, -0.05))
    side = [ball((0.13, 0.012, 0.08), 20, 12).turned(2, 25 * s).moved((0.25 * s, 0.24, -0.02)) for s in (-1, 1)]
    eyes = [ball(0.05, 20, 12).moved((0.15 * s, 0.38, 0.2)) for s in (-1, 1)]
    stalk = tube([(0, 0.5, 0.16), (0, 0.72, 0.3), (0, 0.68, 0.5)], [0.018, 0.012, 0.01], 10)
    parts = (
        Part("body", together(shape, stalk), "fish_skin"),
        Part("fins", together(tail, back, *side), "fish_skin"),
        Part("eyes", together(*eyes), "fish_skin"),
        Part("lure", ball(0.05, 22, 14).moved((0, 0.66, 0.53)), "fish_skin"),
    )
    surface = Surface("fish_skin", 512, _paint_fish)
    return Model(FISH_RIG.path, parts, (surface,), title="lantern fish", rig=FISH_RIG)


def _paint_hat(s: Spots) -> Paint:
    turn = np.arctan2(s.position[:, 0], s.position[:, 2]) + 9.0 * s.position[:, 1]
    stripes = np.clip(np.sin(4 * turn) * 4, 0, 1)
    paint = plain(s, (0.72, 0.16, 0.14), 0.9)
    blend(paint, stripes * s.on("cone"), (0.95, 0.93, 0.86))
    blend(paint, s.on("brim", "tuft") * 1.0, (0.97, 0.96, 0.92))
    paint.height = 2.0 * fractal(s.position, s.seed, 4, 60.0) * s.on("brim", "tuft")
    return shaded(paint, s, 0.5)


def holiday_hat(seed: int) -> Model:
    """A striped hat with a tuft."""
    spine = [(0, 0.02, 0), (0, 0.2, 0), (0.02, 0.36, 0), (0.1, 0.48, 0.02), (0.2, 0.46, 0.04)]
    cone = tube(spine, [0.2, 0.16, 0.11, 0.06, 0.02], 28)
    parts = (
        Part("cone", cone, "hat_wool"),
        Part("brim", ring(0.2, 0.055, 40, 14).moved((0, 0.03, 0)), "hat_wool"),
        Part("tuft", ball(0.06, 24, 16).moved((0.23, 0.44, 0.045)), "hat_wool"),
    )
    return Model("gear/g900/g900", parts, (Surface("hat_wool", 512, _paint_hat),), title="holiday hat")


postmaster = diver("0107", (0.2, 0.33, 0.42), (0.3, 0.2, 0.13), 1.12, 1.86)
courier_girl = diver("0233", (0.72, 0.52, 0.2), (0.24, 0.18, 0.15), 0.92, 1.62)
lamplighter = diver("0521", (0.24, 0.3, 0.22), (0.4, 0.3, 0.14), 0.86, 2.05, tall_rig, ARMS_OUT)
toll_clerk = diver("0412", (0.42, 0.22, 0.2), (0.16, 0.17, 0.19), 1.0, 1.74)
