"""Reef town: house front, letterbox, lamp, crate, signpost."""

from __future__ import annotations

import numpy as np

from pruxel.sample import sdf
from pruxel.sample.model import Model, Paint, Part, Spots, Surface, blend, plain, shaded
from pruxel.sample.noise import cells, fractal
from pruxel.sample.shapes import Shape, ball, box, hull, implicit, revolved, ring, simplified, together, tube


def _paint_house(s: Spots) -> Paint:
    wide, fine = fractal(s.position, s.seed, 5, 1.4), fractal(s.position, s.seed + 1, 4, 9.0)
    paint = plain(s, (0.89, 0.8, 0.66), 0.9)
    blend(paint, np.clip(0.35 + wide, 0, 0.7), (0.8, 0.66, 0.51))
    blend(paint, np.clip(0.5 - s.position[:, 1] * 0.8 + wide, 0, 0.7) * s.on("wall"), (0.45, 0.5, 0.4))
    course = (np.abs((s.position[:, 1] % 0.34) - 0.17) > 0.158) & s.on("plinth", "quoins")
    blend(paint, s.on("plinth", "quoins") * 1.0, (0.6, 0.56, 0.5), rough=0.95)
    blend(paint, course * 0.5, (0.34, 0.32, 0.29))
    tone = cells(s.position * (1, 0.5, 0.5), 3, 3.6)
    blend(paint, s.on("roof") * 1.0, (0.72, 0.3, 0.21), rough=0.7)
    blend(paint, s.on("roof") * np.clip(tone, 0, 0.7), (0.48, 0.17, 0.15))
    blend(paint, s.on("roof") * np.clip(wide - 0.1, 0, 0.8), (0.35, 0.42, 0.3), rough=0.95)
    grain = np.sin(s.position[:, 0] * 55 + 3 * fine) * 0.5 + 0.5
    blend(paint, s.on("door") * 1.0, (0.15, 0.4, 0.4), rough=0.6)
    blend(paint, s.on("door") * grain * 0.35, (0.08, 0.25, 0.27))
    blend(paint, s.on("trim") * 1.0, (0.93, 0.9, 0.82), rough=0.7)
    blend(paint, s.on("brass") * 1.0, (0.8, 0.58, 0.27), rough=0.3, metal=1.0)
    blend(paint, s.on("glass") * 1.0, (0.98, 0.75, 0.38), rough=0.15)
    paint.glow = s.on("glass")[:, None] * np.array([0.55, 0.36, 0.12])
    paint.height = 1.6 * fine - 3.0 * course + 1.2 * grain * s.on("door")
    return shaded(paint, s, 0.6)


def _roof() -> Shape:
    """Rows of shell tiles on two slopes, seen from the front as a gable end."""
    tile = ball((0.2, 0.05, 0.26), 12, 8)
    tiles = []
    for row in range(9):
        for column in range(5):
            x, z = 0.12 + row * 0.235, -0.72 + column * 0.34 + 0.17 * (row % 2)
            y = 4.62 - x * 0.72
            tiles += [tile.turned(2, -36).moved((x, y, z)), tile.turned(2, 36).moved((-x, y, z))]
    ridge = [ball((0.16, 0.1, 0.24), 12, 8).moved((0, 4.68, z)) for z in np.linspace(-0.75, 0.85, 6)]
    return together(*tiles, *ridge)


def _wall() -> Shape:
    """The wall with its gable, leaning a little, with holes for door and windows."""
    body = sdf.rounded_box((0, 1.5, 0), (1.75, 1.55, 0.62), 0.1)

    def gable(p: np.ndarray) -> np.ndarray:
        slope = (np.abs(p[:, 0]) * 0.72 + p[:, 1] - 4.5) / 1.23
        return np.maximum.reduce([slope, np.abs(p[:, 0]) - 1.7, np.abs(p[:, 2]) - 0.6, 2.6 - p[:, 1]])

    door = sdf.join(
        sdf.rounded_box((0, 0.7, 0.6), (0.46, 1.0, 0.2), 0.02), sdf.ellipsoid((0, 1.65, 0.6), (0.46, 0.46, 0.2))
    )
    windows = sdf.mirrored_x(sdf.ellipsoid((1.12, 1.75, 0.62), (0.36, 0.36, 0.22)))
    top = sdf.ellipsoid((0, 3.2, 0.6), (0.44, 0.44, 0.24))
    field = sdf.cut(sdf.join(body, gable, blend=0.05), door, windows, top, blend=0.03)
    rough = sdf.displaced(field, lambda p: 0.02 * fractal(p, 3, 3, 2.0))
    return implicit(rough, (-1.95, -0.1, -0.75), (1.95, 4.6, 0.75), 0.045, 9000)


def house_front(seed: int) -> Model:
    """A house front of the reef market, 4.8 m tall, facing +Z."""
    frames, glass, brass = [], [], []
    for x, y, r in ((1.12, 1.75, 0.36), (-1.12, 1.75, 0.36), (0.0, 3.2, 0.44)):
        frames.append(ring(r, 0.07, 32, 10).turned(0, 90).moved((x, y, 0.62)))
        glass.append(ball((r, r, 0.06), 24, 10).moved((x, y, 0.5)))
        brass += [
            box((2 * r, 0.035, 0.035), 0.01).moved((x, y, 0.58)),
            box((0.035, 2 * r, 0.035), 0.01).moved((x, y, 0.58)),
        ]
    arch = tube([(0.5 * np.cos(a), 1.62 + 0.5 * np.sin(a), 0.64) for a in np.linspace(0, np.pi, 15)], [0.075] * 15, 10)
    posts = together(*(box((0.15, 1.65, 0.16), 0.03).moved((x, 0.82, 0.63)) for x in (-0.5, 0.5)))
    planks = together(
        *(
            box((0.155, 1.95 - 0.7 * abs(k) * 0.12, 0.06), 0.012).moved((k * 0.16, 0.95, 0.5))
            for k in (-2.5, -1.5, -0.5, 0.5, 1.5, 2.5)
        )
    )
    knob = together(
        ball(0.05, 14, 10).moved((0.3, 0.95, 0.57)), ring(0.075, 0.012, 20, 8).turned(0, 90).moved((0.3, 0.87, 0.57))
    )
    plinth = together(
        box((3.75, 0.36, 1.45), 0.06).moved((0, 0.12, 0.02)), box((1.3, 0.2, 0.7), 0.05).moved((0, 0.06, 1.0))
    )
    quoins = together(
        *(
            box((0.34 if k % 2 else 0.24, 0.32, 0.3), 0.04).moved(
                (x * (1.74 - (0 if k % 2 else 0.05)), 0.5 + 0.34 * k, 0.52)
            )
            for x in (-1, 1)
            for k in range(7)
        )
    )
    lantern = together(
        tube([(0.72, 2.35, 0.62), (0.72, 2.42, 0.85), (0.72, 2.3, 0.98)], [0.022] * 3, 8),
        ring(0.1, 0.02, 20, 8).moved((0.72, 2.24, 0.98)),
        ring(0.08, 0.018, 20, 8).moved((0.72, 1.98, 0.98)),
    )
    bulb = ball((0.085, 0.12, 0.085), 18, 12).moved((0.72, 2.11, 0.98))
    board = together(
        box((1.35, 0.34, 0.07), 0.03).moved((0, 2.42, 0.68)), box((0.28, 0.18, 0.03), 0.01).moved((0, 2.42, 0.73))
    )
    parts = (
        Part("wall", _wall(), "house_a"), Part("plinth", plinth, "house_a"), Part("quoins", quoins, "house_a"),
        Part("roof", _roof(), "house_a"), Part("door", planks, "house_a"),
        Part("trim_frames", together(*frames, arch, posts), "house_a"), Part("trim_board", board, "house_a"),
        Part("brass_fittings", together(*brass, knob, lantern), "house_a"), Part("glass", together(*glass, bulb), "house_a"),
    )  # fmt: skip
    return Model(
        "levels/market/hs07_front",
        parts,
        (Surface("house_a", 1024, _paint_house, relief=1.4),),
        quantised=True,
        title="house front",
    )


def _paint_letterbox(s: Spots) -> Paint:
    wear = fractal(s.position, s.seed, 5, 6.0)
    paint = plain(s, (0.13, 0.47, 0.45), 0.4)
    blend(paint, np.clip(0.3 + wear, 0, 0.6), (0.1, 0.37, 0.37))
    bands = (np.abs(s.position[:, 1] - 1.06) < 0.03) | (np.abs(s.position[:, 1] - 0.24) < 0.04)
    blend(paint, bands * 0.95, (0.9, 0.86, 0.74))
    blend(paint, s.on("brass") * 1.0, (0.83, 0.61, 0.28), rough=0.28, metal=1.0)
    chipped = np.clip(fractal(s.position, 5, 5, 7.0) - 0.35 + (0.6 - s.open) * 0.4, 0, 1) * 4
    blend(paint, np.clip(chipped, 0, 1) * ~s.on("brass"), (0.4, 0.21, 0.12), rough=0.9)
    blend(paint, s.on("slot") * 1.0, (0.03, 0.05, 0.06), rough=0.9)
    paint.height = 1.2 * wear - 1.5 * np.clip(chipped, 0, 1)
    return shaded(paint, s, 0.5)


def letterbox(seed: int) -> Model:
    """A pillar box with three levels of detail standing in one place."""
    body = revolved(
        [
            (0.0, 0.0),
            (0.34, 0.0),
            (0.34, 0.1),
            (0.29, 0.16),
            (0.27, 0.22),
            (0.27, 1.2),
            (0.3, 1.25),
            (0.36, 1.28),
            (0.36, 1.34),
            (0.27, 1.42),
            (0.14, 1.48),
            (0.0, 1.5),
        ],
        48,
    )
    shell = ball((0.15, 0.07, 0.15), 20, 12).moved((0, 1.52, 0))
    lid = box((0.32, 0.06, 0.1), 0.015).turned(0, -12).moved((0, 1.17, 0.27))
    slot = box((0.26, 0.045, 0.06), 0.004).moved((0, 1.1, 0.262))
    plaque = box((0.24, 0.3, 0.04), 0.012).moved((0, 0.72, 0.265))
    horn = together(
        ring(0.07, 0.014, 26, 8).turned(0, 90).moved((0, 0.73, 0.29)),
        ball((0.03, 0.03, 0.012), 12, 8).moved((0, 0.73, 0.292)),
    )
    hinges = together(*(tube([(-0.17, y, 0.235), (-0.15, y + 0.08, 0.24)], [0.02, 0.02], 10) for y in (0.4, 0.9)))
    top = together(body, shell)
    parts = (
        Part("pillar", top, "letterbox"), Part("brass_lid", lid, "letterbox"), Part("slot", slot, "letterbox"),
        Part("brass_plaque", together(plaque, horn, hinges), "letterbox"),
        Part("pillar_lod1", simplified(top, 700), "letterbox", detail=1),
        Part("pillar_lod2", simplified(top, 220), "letterbox", detail=2),
    )  # fmt: skip
    return Model("props/p0113/p0113", parts, (Surface("letterbox", 512, _paint_letterbox),), title="letterbox")


def _paint_lamp(s: Spots) -> Paint:
    wear = fractal(s.position, s.seed, 5, 8.0)
    paint = plain(s, (0.16, 0.2, 0.21), 0.5, 0.6)
    blend(paint, np.clip(wear + 0.1, 0, 0.6), (0.24, 0.31, 0.3))
    blend(paint, s.on("brass") * 1.0, (0.82, 0.6, 0.28), rough=0.28, metal=1.0)
    blend(paint, (s.on("brass") * np.clip((0.5 - s.open) * 2, 0, 0.8)), (0.2, 0.44, 0.36), rough=0.7, metal=0.2)
    blend(paint, s.on("glow") * 1.0, (1.0, 0.88, 0.55), rough=0.2, metal=0.0)
    blend(
        paint,
        np.clip(0.35 - s.position[:, 1], 0, 1) * np.clip(0.6 + wear, 0, 1) * 2,
        (0.35, 0.36, 0.24),
        rough=0.95,
        metal=0.0,
    )
    paint.glow = s.on("glow")[:, None] * np.array([1.0, 0.72, 0.3])
    paint.height = 1.5 * wear
    return shaded(paint, s, 0.5)


def lamp(seed: int) -> Model:
    """A street lamp with its collision hull among the visible parts."""
    post = revolved(
        [
            (0.0, 0.0),
            (0.22, 0.0),
            (0.22, 0.06),
            (0.15, 0.12),
            (0.13, 0.3),
            (0.09, 0.36),
            (0.06, 0.6),
            (0.05, 1.9),
            (0.075, 1.95),
            (0.05, 2.0),
            (0.05, 2.3),
            (0.0, 2.32),
        ],
        28,
    )
    curl = [
        (0.02 + 0.3 * np.sin(a) * (1 - a / 9), 2.25 + 0.32 * (1 - np.cos(a)) * (1 - a / 12), 0.0)
        for a in np.linspace(0, 3.6, 18)
    ]
    arm = tube(curl, list(np.linspace(0.04, 0.026, 18)), 12)
    at = np.array([0.26, 1.98, 0.0])
    roof = revolved([(0.0, 0.24), (0.15, 0.24), (0.14, 0.27), (0.08, 0.33), (0.03, 0.37), (0.0, 0.4)], 28).moved(at)
    floor = revolved([(0.0, -0.06), (0.05, -0.05), (0.11, 0.0), (0.11, 0.025), (0.0, 0.03)], 28).moved(at)
    bars = together(
        *(
            tube(
                [
                    at + np.array((0.1 * np.sin(a), 0.02, 0.1 * np.cos(a))),
                    at + np.array((0.13 * np.sin(a), 0.13, 0.13 * np.cos(a))),
                    at + np.array((0.12 * np.sin(a), 0.25, 0.12 * np.cos(a))),
                ],
                [0.009] * 3,
                8,
            )
            for a in np.linspace(0, 2 * np.pi, 9)[:-1]
        )
    )
    hook = tube(
        [at + np.array((0, 0.39, 0)), at + np.array((0.0, 0.47, 0)), at + np.array((-0.04, 0.52, 0))], [0.014] * 3, 8
    )
    bulb = ball((0.088, 0.115, 0.088), 22, 14).moved(at + np.array((0, 0.14, 0)))
    shells = together(
        *(
            ball((0.05, 0.035, 0.05), 12, 8).moved((0.17 * np.sin(a), 0.09, 0.17 * np.cos(a)))
            for a in np.linspace(0.3, 5.5, 5)
        )
    )
    whole = together(post, arm, roof, floor)
    parts = (
        Part("post", together(post, arm, shells), "lamp"),
        Part("brass_cage", together(roof, floor, bars, hook), "lamp"),
        Part("glow", bulb, "lamp"),
        Part("col_hull", hull(whole, 60), "lamp", collision=True),
    )
    return Model("props/p0021/p0021", parts, (Surface("lamp", 512, _paint_lamp),), title="street lamp")


def _paint_wood(s: Spots) -> Paint:
    along = np.where(np.abs(s.normal[:, 0]) > 0.6, s.position[:, 2], s.position[:, 0])
    warp = fractal(s.position, s.seed, 4, 3.0)
    grain = np.sin((s.position[:, 1] * 60 + along * 4) + 5 * warp) * 0.5 + 0.5
    paint = plain(s, (0.62, 0.45, 0.29), 0.85)
    blend(paint, grain * 0.45, (0.42, 0.28, 0.17))
    blend(paint, np.clip(0.2 + warp, 0, 0.6), (0.5, 0.43, 0.34))
    blend(paint, s.on("iron") * 1.0, (0.22, 0.22, 0.23), rough=0.6, metal=0.8)
    blend(paint, s.on("iron") * np.clip(0.3 + warp * 1.5, 0, 0.8), (0.42, 0.22, 0.13), rough=0.95, metal=0.0)
    blend(paint, s.on("sign") * 1.0, (0.88, 0.82, 0.67), rough=0.8)
    edge = s.on("sign") * np.clip((np.abs(s.position[:, 1] % 0.42 - 0.21) - 0.1) * 40, 0, 1)
    blend(paint, edge, (0.13, 0.42, 0.41))
    blend(paint, np.clip((0.5 - s.open) * 2, 0, 0.7), (0.22, 0.23, 0.17), rough=0.95)
    paint.height = 1.4 * grain + 1.2 * warp
    return shaded(paint, s, 0.55)


def crate(seed: int) -> Model:
    """A mail crate of planks with iron corners."""
    planks = []
    for k in range(5):
        y = 0.075 + k * 0.145
        planks += [box((0.94, 0.132, 0.03), 0.008).moved((0, y, z)) for z in (-0.46, 0.46)]
        planks += [box((0.03, 0.132, 0.9), 0.008).moved((x, y, 0)) for x in (-0.46, 0.46)]
    lid = [box((0.178, 0.03, 1.0), 0.008).moved((-0.38 + 0.19 * k, 0.75, 0)) for k in range(5)]
    battens = [box((1.0, 0.05, 0.12), 0.012).moved((0, 0.78, z)) for z in (-0.3, 0.3)]
    posts = [box((0.09, 0.74, 0.09), 0.015).moved((x, 0.37, z)) for x in (-0.46, 0.46) for z in (-0.46, 0.46)]
    iron = [
        box((0.13, 0.13, 0.13), 0.02).moved((x * 0.465, y, z * 0.465))
        for x in (-1, 1)
        for z in (-1, 1)
        for y in (0.06, 0.7)
    ]
    bottom = box((0.9, 0.03, 0.9)).moved((0, 0.03, 0))
    parts = (
        Part("planks", together(*planks, bottom), "crate_wood"),
        Part("lid", together(*lid, *battens), "crate_wood"),
        Part("posts", together(*posts), "crate_wood"),
        Part("iron_corners", together(*iron), "crate_wood"),
    )
    return Model(
        "props/p0042/p0042",
        parts,
        (Surface("crate_wood", 512, _paint_wood, codec="BC1"),),
        loose=True,
        title="mail crate",
    )


def signpost(seed: int) -> Model:
    """A signpost with three boards pointing to reef towns."""
    post = tube([(0, 0, 0), (0.02, 0.8, 0), (0, 1.7, 0.01), (0.03, 2.2, 0)], [0.075, 0.065, 0.06, 0.05], 14)
    rocks = together(
        *(
            ball((0.16, 0.1, 0.14), 14, 8)
            .turned(1, 50 * k)
            .moved((0.17 * np.sin(k * 2.1), 0.04, 0.17 * np.cos(k * 2.1)))
            for k in range(5)
        )
    )
    boards = []
    for y, turn, length in ((1.95, 15, 0.95), (1.53, 200, 0.85), (1.11, -30, 0.75)):
        plank = together(
            box((length, 0.24, 0.05), 0.015).moved((length / 2 - 0.12, 0, 0.08)),
            box((0.17, 0.17, 0.048), 0.012).turned(2, 45).moved((length - 0.12, 0, 0.08)),
        )
        boards.append(plank.turned(1, turn).moved((0, y, 0)))
    straps = together(*(ring(0.075, 0.02, 20, 8).moved((0.01, y, 0)) for y in (1.95, 1.53, 1.11)))
    parts = (
        Part("post", post, "sign_wood"),
        Part("stones", rocks, "sign_wood"),
        Part("sign_boards", together(*boards), "sign_wood"),
        Part("iron_straps", straps, "sign_wood"),
    )
    return Model("props/p0118/p0118", parts, (Surface("sign_wood", 512, _paint_wood, codec="BC1"),), title="signpost")
