"""Things of the courier service: submersible, helmet, mail sacks, anchor."""

from __future__ import annotations

import numpy as np

from pruxel.sample import sdf
from pruxel.sample.model import Model, Paint, Part, Spots, Surface, blend, plain, shaded
from pruxel.sample.noise import cells, fractal
from pruxel.sample.shapes import Shape, ball, box, implicit, revolved, ring, together, tube


def _porthole(radius: float) -> tuple[Shape, Shape]:
    """Brass ring with bolts, and glass; facing +X."""
    bolts = [
        ball(radius * 0.11, 8, 6).moved((0, radius * 0.12, 0)).moved((radius * np.sin(a), 0, radius * np.cos(a)))
        for a in np.linspace(0, 2 * np.pi, 9)[:-1]
    ]
    frame = together(ring(radius, radius * 0.17, 28, 10), *bolts).turned(2, -90)
    return frame, ball((radius * 0.3, radius * 0.95, radius * 0.95), 20, 10)


def _paint_sub(s: Spots) -> Paint:
    grain = fractal(s.position, s.seed, 4, 3.0)
    paint = plain(s, (0.9, 0.62, 0.18), 0.42, 0.0)
    blend(paint, np.clip(0.3 + grain, 0, 0.6), (0.83, 0.5, 0.13))
    hull, stripe = s.on("hull", "tower"), np.abs(s.position[:, 1] - 0.98) < 0.09
    blend(paint, (hull & stripe) * 1.0, (0.94, 0.9, 0.8))
    blend(paint, (hull & (s.position[:, 1] < 0.62)) * 1.0, (0.17, 0.33, 0.36), rough=0.6)
    seams = np.abs(((s.position[:, 2] + 3) % 0.62) - 0.31) < 0.008
    blend(paint, (s.on("hull") & seams) * 0.7, (0.3, 0.2, 0.1))
    rivet = cells(s.position * (1, 1, 0.6), 4, 9.0) < 0.12
    blend(paint, (s.on("hull") & rivet) * 0.4, (0.98, 0.78, 0.4))
    brass = s.on("ports", "propeller", "rail", "rack")
    blend(paint, brass * 1.0, (0.8, 0.57, 0.26), rough=0.3, metal=1.0)
    blend(paint, brass * np.clip((0.55 - s.open) * 2, 0, 0.9), (0.17, 0.38, 0.32), rough=0.7, metal=0.2)
    blend(paint, s.on("fins") * 1.0, (0.72, 0.25, 0.14), rough=0.5)
    rust = np.clip(fractal(s.position, 7, 5, 2.2) - 0.22, 0, 1) * 2.2 * np.clip(1.3 - s.open, 0, 1)
    blend(paint, np.clip(rust, 0, 0.85) * ~s.on("glass"), (0.4, 0.2, 0.11), rough=0.9, metal=0.0)
    blend(paint, s.on("glass") * 1.0, (0.16, 0.36, 0.4), rough=0.06, metal=0.0)
    blend(paint, s.on("lamps") * 1.0, (1.0, 0.94, 0.72), rough=0.1, metal=0.0)
    paint.height = -2.0 * (s.on("hull") & seams) + 1.5 * rivet * s.on("hull") + 0.5 * grain
    paint.glow = np.where(s.on("lamps"), 1.0, 0.0)[:, None] * np.array([1.0, 0.85, 0.5])
    return shaded(paint, s, 0.5)


def submersible(seed: int) -> Model:
    """The courier submersible's hull, 4.4 m long, nose to +Z."""
    t = np.linspace(-1, 1, 33)
    radius = 0.78 * np.clip(1 - np.abs(t) ** 2.6, 0, 1) ** 0.62 * (1 - 0.16 * (t < 0) * np.abs(t))
    hull = revolved([(float(max(r, 0)), float(2.1 * k)) for k, r in zip(t, radius, strict=True)], 48)
    hull = hull.turned(0, 90).scaled((1, 0.96, 1)).moved((0, 0.95, 0))
    tower = (
        revolved([(0.0, 0.0), (0.42, 0.0), (0.4, 0.3), (0.36, 0.5), (0.3, 0.58), (0.0, 0.64)], 36)
        .scaled((0.9, 1, 1.35))
        .moved((0, 1.5, 0.15))
    )
    frame, glass = _porthole(0.2)
    frames, panes = [], []
    for z in (-0.75, 0.0, 0.75):
        x = 0.775 - 0.045 * abs(z)
        frames += [frame.moved((x, 1.02, z)), frame.turned(1, 180).moved((-x, 1.02, z))]
        panes += [glass.moved((x, 1.02, z)), glass.turned(1, 180).moved((-x, 1.02, z))]
    front, dome = _porthole(0.42)
    frames.append(front.turned(1, -90).moved((0, 0.98, 1.78)))
    panes.append(dome.scaled((3.3, 1, 1)).turned(1, -90).moved((0, 0.98, 1.76)))
    fin = box((0.9, 0.07, 0.5), 0.03)
    fins = together(
        fin.turned(2, 12).moved((0.75, 0.95, -1.5)), fin.turned(2, -12).moved((-0.75, 0.95, -1.5)),
        box((0.07, 0.95, 0.5), 0.03).moved((0, 1.5, -1.62)), box((0.07, 0.6, 0.42), 0.03).moved((0, 0.42, -1.6)),
    )  # fmt: skip
    blade = ball((0.3, 0.11, 0.025), 18, 10).turned(0, 28).moved((0.26, 0, 0))
    screw = together(*(blade.turned(2, a) for a in (0, 90, 180, 270)), ball((0.1, 0.1, 0.16), 18, 10)).moved(
        (0, 0.95, -2.22)
    )
    guard = together(
        ring(0.55, 0.04, 40, 8).turned(0, 90), ring(0.55, 0.04, 40, 8).turned(0, 90).moved((0, 0, -0.16))
    ).moved((0, 0.95, -2.14))
    lamps = together(*(ball((0.11, 0.11, 0.06), 18, 10).moved((x, 0.52, 1.62)) for x in (-0.36, 0.36)))
    rims = together(*(ring(0.115, 0.025, 20, 8).turned(0, 90).moved((x, 0.52, 1.6)) for x in (-0.36, 0.36)))
    skids = together(
        *(
            tube([(x, 0.14, -1.2), (x, 0.05, -0.9), (x, 0.05, 0.9), (x, 0.16, 1.25)], [0.05] * 4, 12)
            for x in (-0.48, 0.48)
        )
    )
    struts = together(
        *(tube([(x, 0.06, z), (x * 0.8, 0.4, z)], [0.04, 0.04], 10) for x in (-0.48, 0.48) for z in (-0.7, 0.7))
    )
    scope = tube(
        [(0.12, 2.0, 0.1), (0.12, 2.5, 0.1), (0.12, 2.6, 0.16), (0.12, 2.6, 0.3)], [0.04, 0.04, 0.05, 0.06], 12
    )
    parts = (
        Part("hull", hull, "sub_paint"), Part("tower", tower, "sub_paint"), Part("fins", fins, "sub_paint"),
        Part("ports", together(*frames), "sub_paint"), Part("glass", together(*panes), "sub_paint"),
        Part("propeller", together(screw, guard), "sub_paint"), Part("lamps", lamps, "sub_paint"),
        Part("rail_skids", together(skids, struts), "sub_paint"), Part("rack_scope", together(scope, rims), "sub_paint"),
    )  # fmt: skip
    return Model(
        "vehicles/vx02/vx02_hull",
        parts,
        (Surface("sub_paint", 1024, _paint_sub, relief=1.2),),
        title="courier submersible",
    )


def _paint_helmet(s: Spots) -> Paint:
    wear = fractal(s.position, s.seed, 5, 9.0)
    paint = plain(s, (0.78, 0.45, 0.27), 0.3, 1.0)
    blend(paint, np.clip(wear + 0.1, 0, 0.7), (0.6, 0.3, 0.17), rough=0.48)
    blend(paint, s.on("rims", "bolts") * 1.0, (0.85, 0.64, 0.3), rough=0.24)
    green = np.clip((0.62 - s.open) * 2.2 + 0.6 * fractal(s.position, 3, 4, 5.0) - 0.1, 0, 0.9)
    blend(paint, green, (0.2, 0.46, 0.4), rough=0.85, metal=0.1)
    # Behind its panes it is dark.
    x, y, z = s.position.T
    front = (np.hypot(x, y - 0.2) < 0.112) & (z > 0)
    side = (np.hypot(z - 0.03, y - 0.22) < 0.073) & (np.abs(x) > 0.1)
    blend(paint, s.on("dome") * (front | side) * 1.0, (0.03, 0.045, 0.05), rough=0.9, metal=0.0)
    paint.height = 0.9 * wear
    return shaded(paint, s, 0.45)


def _paint_glass(s: Spots) -> Paint:
    streaks = fractal(s.position * (1, 3, 1), s.seed + 4, 4, 22.0)
    paint = plain(s, (0.62, 0.86, 0.84), 0.06)
    blend(paint, np.clip(streaks, 0, 0.7), (0.9, 0.96, 0.94), rough=0.3)
    paint.opacity = np.clip(0.3 + 0.35 * streaks, 0.2, 0.65)
    return paint


def helmet(seed: int) -> Model:
    """A diver's round helmet."""
    dome = revolved(
        [
            (0.0, 0.0),
            (0.17, 0.0),
            (0.2, 0.03),
            (0.215, 0.1),
            (0.222, 0.2),
            (0.2, 0.3),
            (0.15, 0.38),
            (0.08, 0.425),
            (0.0, 0.437),
        ],
        48,
    )
    collar = revolved(
        [
            (0.17, 0.02),
            (0.2, 0.0),
            (0.3, -0.05),
            (0.33, -0.1),
            (0.32, -0.125),
            (0.27, -0.1),
            (0.17, -0.03),
            (0.17, 0.02),
        ],
        48,
    )
    frame, glass = _porthole(0.1)
    front, front_glass = (
        frame.turned(1, -90).scaled(1.15).moved((0, 0.2, 0.225)),
        glass.turned(1, -90).scaled(1.15).moved((0, 0.2, 0.215)),
    )
    sides = [frame.scaled(0.75).turned(1, 180 * k).moved((0.21 - 0.42 * k, 0.22, 0.03)) for k in (0, 1)]
    panes = [glass.scaled(0.75).turned(1, 180 * k).moved((0.2 - 0.4 * k, 0.22, 0.03)) for k in (0, 1)]
    bolts = [
        ball(0.016, 10, 6).moved((0.285 * np.sin(a), -0.035, 0.285 * np.cos(a)))
        for a in np.linspace(0, 2 * np.pi, 13)[:-1]
    ]
    vent = together(
        tube([(0.1, 0.35, -0.12), (0.17, 0.42, -0.18), (0.18, 0.47, -0.2)], [0.03, 0.03, 0.04], 12),
        ring(0.045, 0.014, 18, 8).moved((0.18, 0.48, -0.2)),
    )
    parts = (
        Part("dome", together(dome, vent), "helmet_copper"),
        Part("collar", collar, "helmet_copper"),
        Part("rims", together(front, *sides), "helmet_copper"),
        Part("bolts", together(*bolts), "helmet_copper"),
        Part("glass", together(front_glass, *panes), "helmet_glass"),
    )
    glass_surface = Surface("helmet_glass", 128, _paint_glass, alpha="BLEND", codec="BC3")
    surfaces = (Surface("helmet_copper", 512, _paint_helmet), glass_surface)
    return Model("gear/g204/g204", parts, surfaces, title="diver's helmet")


def _paint_sack(s: Spots) -> Paint:
    weave = np.sin(s.position[:, 0] * 330) * np.sin(s.position[:, 1] * 330)
    wide = fractal(s.position, s.seed, 4, 5.0)
    paint = plain(s, (0.74, 0.63, 0.43), 0.95)
    blend(paint, np.clip(0.4 + wide, 0, 0.7), (0.63, 0.51, 0.33))
    stripe = (np.abs(s.position[:, 1] - 0.3) < 0.035) | (np.abs(s.position[:, 1] - 0.4) < 0.012)
    blend(paint, (s.on("sack") & stripe) * 0.85, (0.16, 0.42, 0.42))
    blend(paint, s.on("rope") * 1.0, (0.55, 0.36, 0.18))
    letters = s.on("letters")
    blend(paint, letters * 1.0, (0.95, 0.92, 0.84), rough=0.8)
    blend(paint, (letters & (cells(s.position, 3, 9.0) < 0.25)) * 0.9, (0.75, 0.2, 0.16))
    blend(paint, np.clip(0.12 - s.position[:, 1], 0, 1) * 5, (0.36, 0.31, 0.22))
    paint.height = 0.8 * weave * s.on("sack") + 1.4 * wide
    return shaded(paint, s, 0.55)


def _sack_shapes(seed: int, lean: float) -> tuple[Shape, Shape, Shape]:
    bag = sdf.join(
        sdf.ellipsoid((0, 0.24, 0), (0.25, 0.25, 0.22)), sdf.ellipsoid((0.02, 0.1, 0.01), (0.28, 0.13, 0.25)),
        sdf.capsule((lean * 0.5, 0.4, 0), (lean, 0.56, 0), 0.11, 0.07), sdf.ellipsoid((lean * 1.15, 0.63, 0), (0.13, 0.06, 0.12)),
        blend=0.1,
    )  # fmt: skip
    folds = sdf.displaced(
        bag,
        lambda p: (
            0.014 * np.sin(np.arctan2(p[:, 0], p[:, 2]) * 9 + 4 * p[:, 1]) * np.exp(-(((p[:, 1] - 0.52) / 0.14) ** 2))
            + 0.022 * fractal(p, seed, 3, 4.0)
        ),
    )
    sack = implicit(
        sdf.cut(folds, sdf.rounded_box((0, -0.5, 0), (1, 0.5, 1), 0.01), blend=0.03),
        (-0.4, -0.03, -0.4),
        (0.4, 0.75, 0.4),
        0.0105,
        5000,
    )
    rope = together(
        ring(0.098, 0.02, 28, 8).turned(2, -10).moved((lean * 0.95, 0.545, 0)),
        tube([(lean, 0.54, 0.1), (lean + 0.04, 0.46, 0.17), (lean + 0.02, 0.38, 0.22)], [0.017, 0.015, 0.02], 8),
    )
    letters = together(
        *(
            box((0.14, 0.09, 0.008), 0.002).turned(2, a).turned(1, b).moved((lean + x, 0.69, z))
            for a, b, x, z in ((24, 10, 0.03, 0.02), (-18, -25, -0.05, 0.0), (70, 40, 0.0, -0.04))
        )
    )
    return sack, rope, letters


def sack(seed: int) -> Model:
    """One mail sack."""
    bag, rope, letters = _sack_shapes(seed + 4, 0.03)
    parts = (Part("sack", bag, "sack_cloth"), Part("rope", rope, "sack_cloth"), Part("letters", letters, "sack_cloth"))
    return Model(
        "props/p0310/p0310_a", parts, (Surface("sack_cloth", 512, _paint_sack),), quantised=True, title="mail sack"
    )


def sack_pile(seed: int) -> Model:
    """Three mail sacks leaning on each other."""
    parts = []
    for number, (lean, x, z, turn, size) in enumerate(
        ((0.05, 0.0, 0.0, 0, 1.0), (-0.08, 0.5, 0.1, 40, 0.85), (0.1, 0.22, 0.42, -70, 0.72))
    ):
        bag, rope, letters = (
            s.scaled(size).turned(1, turn).moved((x, 0, z)) for s in _sack_shapes(seed + number, lean)
        )
        parts += [
            Part(f"sack_{number + 1}", bag, "pile_cloth"),
            Part(f"rope_{number + 1}", rope, "pile_cloth"),
            Part(f"letters_{number + 1}", letters, "pile_cloth"),
        ]
    return Model(
        "props/p0310/p0310_b",
        tuple(parts),
        (Surface("pile_cloth", 512, _paint_sack),),
        quantised=True,
        title="pile of mail sacks",
    )


def _paint_anchor(s: Spots) -> Paint:
    rust = fractal(s.position, s.seed, 5, 6.0)
    paint = plain(s, (0.24, 0.25, 0.27), 0.6, 0.7)
    blend(paint, np.clip(0.45 + 1.3 * rust, 0, 1), (0.47, 0.24, 0.13), rough=0.95, metal=0.0)
    blend(paint, np.clip(cells(s.position, 2, 14.0) < 0.2, 0, 1) * 0.6, (0.7, 0.66, 0.55), rough=0.95, metal=0.0)
    paint.height = 3.0 * rust
    return shaded(paint, s, 0.5)


def anchor(seed: int) -> Model:
    """An anchor 1.8 m tall, saved in hundredths of a millimetre by a tool nobody maintains."""
    angles = np.radians(np.linspace(205, 335, 15))
    arc = [(float(0.62 * np.cos(a)), float(0.72 + 0.62 * np.sin(a)), 0.0) for a in angles]
    thick = list(0.075 - 0.03 * np.abs(np.linspace(-1, 1, 15)))
    fluke = sdf.ellipsoid((0.6, 0.5, 0), (0.06, 0.16, 0.12))
    flukes = implicit(
        sdf.mirrored_x(sdf.turned(fluke, (0.6, 0.5, 0), 2, 0.45)), (-0.85, 0.25, -0.2), (0.85, 0.75, 0.2), 0.018, 1200
    )
    shank = tube([(0, 0.1, 0), (0, 0.6, 0), (0, 1.3, 0), (0, 1.58, 0)], [0.075, 0.07, 0.06, 0.07], 16)
    stock = tube([(0, 1.38, -0.5), (0, 1.38, 0), (0, 1.38, 0.5)], [0.04, 0.055, 0.04], 14)
    knobs = together(*(ball(0.06, 14, 10).moved((0, 1.38, z)) for z in (-0.52, 0.52)))
    eye = ring(0.11, 0.03, 26, 10).turned(0, 90).moved((0, 1.69, 0))
    parts = (
        Part("arms", together(tube(arc, thick, 14), flukes), "anchor_iron"),
        Part("shank", together(shank, eye), "anchor_iron"),
        Part("stock", together(stock, knobs), "anchor_iron"),
    )
    return Model(
        "props/p0077/p0077",
        parts,
        (Surface("anchor_iron", 512, _paint_anchor, codec="BC1"),),
        oversize=1000.0,
        title="anchor",
    )
