"""Heads and hair of the people of the reef; each hangs on the joint of that name."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.sample import sdf
from pruxel.sample.model import Model, Paint, Part, Spots, Surface, blend, plain, shaded
from pruxel.sample.noise import fractal
from pruxel.sample.rig import Joint, Rig
from pruxel.sample.shapes import Shape, ball, implicit, ribbon, together

Color = tuple[float, float, float]
CENTRE = np.array((0.0, 1.56, 0.015))
_EYE = np.array((0.056, 0.012, 0.108))
_EYE_SIZE = 0.036
HEAD_RIG = Rig(
    "folk/heads/head",
    (Joint("chest", (0, 1.0, 0), (0, 1.3, 0)), Joint("head", (0, 1.38, 0), (0, 1.7, 0), "chest")),
    (),
    dict.fromkeys(("skin", "eyes", "hair", "strands"), "head"),
)


@dataclass(frozen=True)
class Face:
    """What makes one face another: colours, and sizes beside the usual."""

    skin: Color
    lips: Color
    brows: Color
    iris: Color
    jaw: float = 1.0
    nose: float = 1.0
    cheeks: float = 1.0
    freckles: float = 0.0
    stubble: float = 0.0


def _skull(face: Face) -> sdf.Field:
    def at(x: float, y: float, z: float) -> AnyArray:
        return CENTRE + np.array((x, y, z))

    solid = sdf.join(
        sdf.ellipsoid(at(0, 0.035, -0.01), (0.134, 0.145, 0.142)),
        sdf.ellipsoid(at(0, -0.07, 0.04), (0.098 * face.jaw, 0.088, 0.092)),
        sdf.ellipsoid(at(0.062 * face.cheeks, -0.042, 0.09), (0.045, 0.04, 0.04)),
        sdf.ellipsoid(at(-0.062 * face.cheeks, -0.042, 0.09), (0.045, 0.04, 0.04)),
        sdf.ellipsoid(at(0, -0.128, 0.088), (0.036 * face.jaw, 0.026, 0.034)),
        sdf.capsule(at(0, -0.1, -0.03), at(0, -0.29, -0.045), 0.058, 0.072),
        blend=0.045,
    )
    sockets = [sdf.ellipsoid(at(0.056 * s, 0.012, 0.142), (0.042, 0.03, 0.03)) for s in (-1, 1)]
    solid = sdf.cut(solid, *sockets, blend=0.03)
    lids = [
        sdf.cut(
            sdf.ellipsoid(CENTRE + _EYE * (s, 1, 1) + (0, 0.003, 0), np.full(3, _EYE_SIZE + 0.0055)),
            sdf.ellipsoid(CENTRE + _EYE * (s, 1, 1) + (0, -0.006, 0.045), (0.037, 0.0205, 0.06)),
        )
        for s in (-1, 1)
    ]
    nose = sdf.join(
        sdf.capsule(at(0, 0.03, 0.125), at(0, -0.035, 0.155 + 0.01 * face.nose), 0.014, 0.0215 * face.nose),
        sdf.ellipsoid(at(0.019 * face.nose, -0.043, 0.143), (0.014, 0.012, 0.017)),
        sdf.ellipsoid(at(-0.019 * face.nose, -0.043, 0.143), (0.014, 0.012, 0.017)),
        blend=0.018,
    )
    lips = sdf.join(
        sdf.capsule(at(-0.03, -0.0865, 0.117), at(0.03, -0.0865, 0.117), 0.0085),
        sdf.capsule(at(-0.022, -0.1, 0.118), at(0.022, -0.1, 0.118), 0.0095),
        blend=0.004,
    )
    ears = [
        sdf.cut(
            sdf.ellipsoid(at(0.138 * s, 0.0, -0.005), (0.022, 0.046, 0.032)),
            sdf.ellipsoid(at(0.156 * s, 0.004, 0.012), (0.014, 0.03, 0.02)),
            blend=0.012,
        )
        for s in (-1, 1)
    ]
    brows = [sdf.capsule(at(0.028 * s, 0.052, 0.134), at(0.088 * s, 0.055, 0.107), 0.013, 0.009) for s in (-1, 1)]
    return sdf.join(solid, *lids, nose, lips, *ears, *brows, blend=0.02)


def _paint_head(face: Face) -> Callable[[Spots], Paint]:
    def paint_head(s: Spots) -> Paint:
        p = s.position - CENTRE
        x, y, z = np.abs(p[:, 0]), p[:, 1], p[:, 2]
        skin = s.on("skin") * 1.0
        grain = fractal(s.position, s.seed, 4, 38.0)
        paint = plain(s, face.skin, 0.62)
        red = (face.skin[0] * 0.98, face.skin[1] * 0.72, face.skin[2] * 0.68)
        front = np.clip((z - 0.05) * 20, 0, 1)

        def spot(cx: float, cy: float, rx: float, ry: float) -> AnyArray:
            return np.exp(-(((x - cx) / rx) ** 2 + ((y - cy) / ry) ** 2)) * front

        blend(paint, skin * 0.75 * spot(0.07, -0.04, 0.034, 0.026), red)
        blend(paint, skin * 0.6 * spot(0.0, -0.036, 0.022, 0.02), red)
        blend(paint, skin * 0.7 * np.clip((x - 0.128) * 60, 0, 1) * (z < 0.05), red)
        blend(paint, skin * 0.45 * np.clip(grain, 0, 1), (face.skin[0] * 0.9, face.skin[1] * 0.86, face.skin[2] * 0.84))
        dark = (face.skin[0] * 0.55, face.skin[1] * 0.4, face.skin[2] * 0.38)
        blend(paint, skin * 0.55 * spot(0.056, 0.034, 0.04, 0.012), dark)
        specks = np.clip((fractal(s.position, s.seed + 3, 2, 95.0) - 0.42) * 5, 0, 1)
        cheeks = spot(0.05, -0.03, 0.05, 0.03)
        blend(paint, skin * face.freckles * specks * cheeks, dark)
        beard = np.clip((-0.055 - y) * 22, 0, 1) * np.clip((z + 0.035) * 14, 0, 1) * (y > -0.165)
        hairs = 0.62 + 0.5 * fractal(s.position, s.seed + 5, 3, 150.0)
        mouth = (x / 0.039) ** 2 + ((y + 0.093) / 0.0155) ** 2
        blend(paint, skin * face.stubble * beard * np.clip(hairs, 0, 1) * (mouth > 1.1), face.brows, rough=0.9)
        blend(paint, skin * 0.7 * np.clip((1.1 - mouth) * 3, 0, 1) * front, face.lips, rough=0.42)
        parting = np.exp(-(((y + 0.0935 - 14 * x * x * 0.3) / 0.0022) ** 2)) * (x < 0.037) * front
        blend(paint, skin * 0.8 * parting, (0.28, 0.1, 0.1))
        nostrils = np.exp(-(((x - 0.012) / 0.005) ** 2 + ((y + 0.053) / 0.004) ** 2)) * (z > 0.11)
        blend(paint, skin * 0.75 * nostrils, dark)
        arch = 0.058 + 0.12 * (x - 0.03) - 2.4 * (x - 0.055) ** 2
        brow = np.clip(1.3 - np.abs(y - arch) / (0.0095 - 0.05 * np.clip(x - 0.06, 0, 1)), 0, 1)
        brow = brow * np.clip((x - 0.018) * 90, 0, 1) * np.clip((0.098 - x) * 90, 0, 1) * front
        strokes = 0.75 + 0.35 * fractal(s.position * (1, 0.4, 1), s.seed + 9, 2, 260.0)
        blend(paint, skin * np.clip(brow * strokes, 0, 1), face.brows, rough=0.9)
        paint.height = skin * (0.5 * grain + 1.6 * brow * strokes)
        paint = shaded(paint, s, 0.35)
        return _paint_eyes(paint, s, face)

    return paint_head


def _paint_eyes(paint: Paint, s: Spots, face: Face) -> Paint:
    """White, iris and pupil by how far a place lies from where the eye looks."""
    eyes = s.on("eyes") * 1.0
    side = np.where(s.position[:, :1] < 0, -1.0, 1.0)
    centre = CENTRE + _EYE * np.concatenate([side, np.ones_like(side), np.ones_like(side)], axis=1)
    out = (s.position - centre) / _EYE_SIZE
    away = np.degrees(np.arccos(np.clip(out @ np.array((0.0, 0.03, 0.9995)), -1, 1)))
    around = np.arctan2(out[:, 1], out[:, 0])
    blend(paint, eyes, (0.93, 0.92, 0.9), rough=0.12, metal=0.0)
    blend(paint, eyes * np.clip((away - 55) / 40, 0, 0.5), (0.8, 0.5, 0.45))
    rays = 0.8 + 0.2 * np.sin(around * 23) * np.clip((away - 14) / 8, 0, 1)
    tone = np.clip(rays * (0.75 + 0.35 * (out[:, 1] < 0)), 0.4, 1.2)
    iris = eyes * np.clip((31 - away) / 2, 0, 1)
    color = np.clip(np.asarray(face.iris) * tone[:, None], 0, 1)
    paint.base = paint.base * (1 - iris[:, None]) + color * iris[:, None]
    blend(paint, eyes * np.exp(-(((away - 30.5) / 2.6) ** 2)), (0.07, 0.06, 0.07))
    blend(paint, eyes * np.clip((14.5 - away) / 2, 0, 1), (0.02, 0.02, 0.03))
    glint = np.degrees(np.arccos(np.clip(out @ np.array((0.18, 0.26, 0.948)), -1, 1)))
    blend(paint, eyes * np.clip((6.5 - glint) / 1.5, 0, 1), (1.0, 1.0, 1.0))
    return paint


def head(name: str, face: Face) -> Callable[[int], Model]:
    """A head with eyes of their own."""

    def build(seed: int) -> Model:
        low, high = CENTRE - (0.2, 0.31, 0.18), CENTRE + (0.2, 0.2, 0.23)
        skin = implicit(_skull(face), low, high, 0.006, 6500)
        eyes = [ball(_EYE_SIZE, 28, 18).turned(0, 90).moved(CENTRE + _EYE * (s, 1, 1)) for s in (-1, 1)]
        parts = (Part("skin", skin, f"head_{name}"), Part("eyes", together(*eyes), f"head_{name}", sharp_deg=80))
        surface = Surface(f"head_{name}", 512, _paint_head(face))
        return Model(f"folk/heads/{name}", parts, (surface,), title=f"head {name}", rig=HEAD_RIG)

    return build


def _paint_hair(color: Color, light: Color) -> Callable[[Spots], Paint]:
    def paint_hair(s: Spots) -> Paint:
        p = s.position - CENTRE
        around = np.arctan2(p[:, 0], p[:, 2] + 0.02)
        strands = fractal(np.stack([around * 9, p[:, 1] * 4, p[:, 2] * 3], axis=1), s.seed, 4, 4.0)
        paint = plain(s, color, 0.72)
        blend(paint, np.clip(0.45 + 0.9 * strands, 0, 1), light, rough=0.6)
        blend(paint, np.clip(-0.3 - strands, 0, 0.8), (color[0] * 0.4, color[1] * 0.4, color[2] * 0.4))
        paint.height = 1.8 * strands
        return shaded(paint, s, 0.55)

    return paint_hair


def _cap(front: float, grow: float) -> sdf.Field:
    """Hair that lies on the skull, free of the face: `front` is how low it comes over the forehead."""
    shell = sdf.ellipsoid(CENTRE + (0, 0.045, -0.018), np.array((0.139, 0.148, 0.148)) + grow)
    face = sdf.ellipsoid(CENTRE + (0, -0.075 + front, 0.165), (0.125, 0.155, 0.165))
    nape = sdf.ellipsoid(CENTRE + (0, -0.2, 0.01), (0.3, 0.15, 0.19))
    ears = [sdf.ellipsoid(CENTRE + (0.15 * s, -0.02, 0.0), (0.03, 0.055, 0.036)) for s in (-1, 1)]
    return sdf.cut(shell, face, nape, *ears, blend=0.02)


def _locks(s: AnyArray) -> AnyArray:
    p = s - CENTRE
    around = np.arctan2(p[:, 0], p[:, 2] + 0.03)
    return 0.006 * np.sin(around * 11 + 14 * p[:, 1]) + 0.0035 * np.sin(around * 27 - 9 * p[:, 1])


def _hair(name: str, field: sdf.Field, color: Color, light: Color, *extra: Part) -> Model:
    low, high = CENTRE - (0.24, 0.3, 0.3), CENTRE + (0.24, 0.29, 0.24)
    shape = implicit(sdf.displaced(field, _locks), low, high, 0.0075, 5200)
    surface = Surface(f"hair_{name}", 256, _paint_hair(color, light), relief=1.6, double_sided=True)
    parts = (Part("hair", shape, surface.name, sharp_deg=60), *extra)
    return Model(f"folk/hair/{name}", parts, (surface,), title=f"hair {name}", rig=HEAD_RIG)


def bun(seed: int) -> Model:
    """Hair put up."""
    knot = sdf.ellipsoid(CENTRE + (0, 0.15, -0.13), (0.07, 0.06, 0.065))
    sides = [
        sdf.capsule(CENTRE + (0.125 * s, 0.05, 0.055), CENTRE + (0.122 * s, -0.07, 0.05), 0.017, 0.006) for s in (-1, 1)
    ]
    return _hair("bun", sdf.join(_cap(0.055, 0.012), knot, *sides, blend=0.025), (0.3, 0.13, 0.07), (0.52, 0.27, 0.14))


def crop(seed: int) -> Model:
    """Short hair, combed up at the front."""
    quiff = [
        sdf.ellipsoid(CENTRE + (0.034 * k, 0.172 - 0.012 * abs(k), 0.085), (0.036, 0.04, 0.062))
        for k in (-2, -1, 0, 1, 2)
    ]
    return _hair("crop", sdf.join(_cap(0.035, 0.009), *quiff, blend=0.03), (0.06, 0.05, 0.05), (0.17, 0.14, 0.13))


def braid(seed: int) -> Model:
    """A braid over the shoulder."""
    t = np.linspace(0, 1, 13)
    path = np.stack([0.05 + 0.11 * np.sin(t * 1.9), -0.03 - 0.33 * t, -0.15 + 0.2 * t**1.3], axis=1) + CENTRE
    beads = [
        sdf.ellipsoid(q + (0.012 * (-1) ** k, 0, 0), (0.038 - 0.0012 * k, 0.032, 0.034 - 0.001 * k))
        for k, q in enumerate(path)
    ]
    fringe = [
        sdf.ellipsoid(CENTRE + (x, 0.125, 0.105 - 1.4 * x * x), (0.05, 0.05, 0.042))
        for x in (-0.09, -0.045, 0.0, 0.045)
    ]
    field = sdf.join(_cap(0.04, 0.011), *beads, *fringe, blend=0.022)
    return _hair("braid", field, (0.62, 0.42, 0.16), (0.86, 0.68, 0.36))


def _paint_cards(color: Color, light: Color) -> Callable[[Spots], Paint]:
    painted = _paint_hair(color, light)

    def paint_cards(s: Spots) -> Paint:
        paint = painted(s)
        p = s.position - CENTRE
        around = np.arctan2(p[:, 0], p[:, 2] + 0.02)
        strands = fractal(np.stack([around * 13, p[:, 1] * 0.7, p[:, 2] * 0.3], axis=1), s.seed + 9, 3, 2.2)
        # Towards their ends the strands stand apart.
        thin = np.clip((0.01 - p[:, 1]) / 0.22, 0, 1)
        paint.opacity = np.where(s.on("strands"), np.clip(1.5 + 3.0 * (strands - 0.8 * thin**1.6), 0, 1), 1.0)
        # They lie over each other: what is baked as shade would be nearly black.
        paint.base = np.clip(paint.base * np.where(s.on("strands"), 1.35, 1.0)[:, None], 0, 1)
        return paint

    return paint_cards


def _card(around: float, out: float, length: float, phase: float) -> Shape:
    """A strip of hair from the crown over the skull and down, turned `around` from the front, radians."""
    t = np.linspace(0, 1, 12)
    polar = np.minimum(0.16 + 1.75 * t, 1.5)
    hang = np.maximum(t - 0.75, 0) / 0.25
    radius = np.array((0.148, 0.162, 0.158)) + out
    sway = 0.007 * np.sin(7 * t + phase) * t
    flat = np.sin(polar) + 0.09 * hang
    path = np.stack(
        [radius[0] * np.sin(around) * flat + sway, radius[1] * np.cos(polar) - length * hang**1.2,
         radius[2] * np.cos(around) * flat - 0.018],
        axis=1,
    )  # fmt: skip
    widths = np.interp(t, [0, 0.35, 0.8, 1], [0.02, 0.062, 0.062, 0.014])
    return ribbon(path + CENTRE + (0, 0.03, 0), widths, (-np.cos(around), 0.0, np.sin(around)))


def waves(seed: int) -> Model:
    """Long hair in cards: strips with strands cut out, over a cap."""
    random = np.random.default_rng(seed + 31)
    cards = []
    for layer, count in enumerate((24, 21, 17)):
        for around in np.linspace(0.85, 2 * np.pi - 0.85, count) + random.uniform(-0.05, 0.05, count):
            length = random.uniform(0.15, 0.2) - 0.035 * layer
            cards.append(_card(float(around), 0.004 + 0.006 * layer, length, float(random.uniform(0, 6))))
    low, high = CENTRE - (0.24, 0.3, 0.3), CENTRE + (0.24, 0.29, 0.24)
    cap = implicit(sdf.displaced(_cap(0.045, 0.006), _locks), low, high, 0.0075, 2600)
    color, light = (0.2, 0.07, 0.05), (0.46, 0.2, 0.12)
    surface = Surface(
        "hair_waves", 512, _paint_cards(color, light), alpha="MASK", codec="BC3", relief=1.2, double_sided=True
    )
    parts = (Part("hair", cap, surface.name, sharp_deg=60), Part("strands", together(*cards), surface.name))
    return Model("folk/hair/waves", parts, (surface,), title="hair waves", rig=HEAD_RIG)


freckled = head(
    "freckled", Face((0.86, 0.62, 0.5), (0.66, 0.26, 0.25), (0.3, 0.14, 0.08), (0.24, 0.46, 0.38), 0.94, 0.9, 1.05, 0.8)
)
bearded = head(
    "bearded",
    Face((0.55, 0.36, 0.25), (0.42, 0.2, 0.17), (0.07, 0.05, 0.04), (0.34, 0.2, 0.1), 1.14, 1.2, 0.95, 0, 0.8),
)
fair = head("fair", Face((0.93, 0.75, 0.64), (0.75, 0.33, 0.33), (0.5, 0.33, 0.14), (0.25, 0.42, 0.66), 0.9, 0.8, 1.0))
