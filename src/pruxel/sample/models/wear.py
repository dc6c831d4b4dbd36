"""What the people of the reef wear and hold: suits in two builds, gloves and bare hands, tools."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.sample import sdf
from pruxel.sample.model import Model, Paint, Painter, Part, Spots, Surface, blend, plain, shaded
from pruxel.sample.models.moves import diver_rig
from pruxel.sample.noise import fractal
from pruxel.sample.rig import Rig
from pruxel.sample.shapes import Shape, ball, box, implicit, revolved, ring, together, tube

Color = tuple[float, float, float]
# How much taller and wider a build is than what is drawn here.
BUILDS = {"slim": (0.95, 0.94), "broad": (1.05, 1.16)}
_HAND = np.array((0.405, 0.7, 0.135))


def folk_rig(build: str) -> Rig:
    """The skeleton of a build: the joints that divers have, so that their clips move these people too."""
    tall, wide = BUILDS[build]
    rig = diver_rig("0", 1.0)
    joints = tuple(
        replace(j, place=_stretched(j.place, tall, wide), tip=_stretched(j.tip, tall, wide)) for j in rig.joints
    )
    only = {"collar": "chest", "scarf": "chest", "satchel": "hips", "buttons": "chest"}
    return Rig(f"folk/{build}/{build}", joints, (), only)


def _stretched(place: tuple[float, float, float], tall: float, wide: float) -> tuple[float, float, float]:
    return (place[0] * wide, place[1] * tall, place[2] * wide)


def _body(coat: float, sleeves: float) -> Shape:
    """Trunk, legs and arms in cloth; `coat` is how far a skirt goes down (0 for trousers), in metres."""
    parts = [
        sdf.ellipsoid((0, 1.13, -0.005), (0.185, 0.24, 0.125)),
        sdf.ellipsoid((0, 0.88, 0), (0.16, 0.2, 0.12)),
        sdf.capsule((0, 1.3, -0.02), (0, 1.36, -0.025), 0.085, 0.07),
    ]
    for side in (-1, 1):
        parts.append(sdf.capsule((0.09 * side, 0.76, 0), (0.13 * side, 0.42, 0.02), 0.105, 0.078))
        parts.append(sdf.capsule((0.13 * side, 0.42, 0.02), (0.14 * side, 0.13, 0), 0.078, 0.072))
        parts.append(sdf.capsule((0.19 * side, 1.255, -0.01), (0.38 * side, 0.98, 0.03), 0.078, 0.06))
        parts.append(sdf.capsule((0.38 * side, 0.98, 0.03), (0.4 * side, 0.765, 0.12), 0.06 * sleeves, 0.052 * sleeves))
    field = sdf.join(*parts, blend=0.045)
    if coat > 0:
        skirt = sdf.capsule((0, 0.92, 0), (0, 0.92 - coat, 0), 0.15, 0.235)
        hem = sdf.rounded_box((0, 0.92 - coat - 0.25, 0), (0.5, 0.25, 0.5), 0.01)
        field = sdf.join(field, sdf.cut(skirt, hem, blend=0.01), blend=0.05)
    folds = sdf.displaced(field, lambda p: 0.004 * np.sin(38 * p[:, 1] + 6 * np.sin(9 * p[:, 0] + 4 * p[:, 2])))
    return implicit(folds, (-0.55, 0.02, -0.3), (0.55, 1.48, 0.3), 0.0135, 5200)


def _woven(paint: Paint, s: Spots, where: AnyArray, fineness: float = 420.0) -> AnyArray:
    """Warp and weft: threads that go over and under each other; returns their height."""
    p = s.position
    flat = np.abs(s.normal[:, 0]) > 0.7
    across = np.where(flat, p[:, 2], p[:, 0])
    warp, weft = np.sin(across * fineness), np.sin(p[:, 1] * fineness)
    threads = np.where(warp * weft > 0, np.abs(warp), np.abs(weft))
    blend(paint, where * 0.22 * (1 - threads), (0.05, 0.05, 0.06))
    height: AnyArray = where * 0.7 * threads
    return height


def _seam(distance: AnyArray, width: float = 0.004) -> AnyArray:
    return np.exp(-((distance / width) ** 2))


def _dock(s: Spots) -> Paint:
    """Blue overalls over a striped shirt."""
    x, y, z = s.position.T
    blue, shirt, cream = (0.16, 0.27, 0.42), (0.85, 0.82, 0.74), (0.66, 0.2, 0.17)
    paint = plain(s, blue, 0.88)
    cloth = s.on("cloth") * 1.0
    bib = (np.abs(x) < 0.115) & (y < 1.2) & (z > 0)
    strap = (np.abs(np.abs(x) - 0.085) < 0.024) & (y > 1.0)
    over = cloth * ((y > 1.0) & ~bib & ~strap | (np.abs(x) > 0.23))
    blend(paint, over, shirt, rough=0.9)
    bands = (np.sin(np.where(np.abs(x) > 0.23, np.hypot(x, y - 1.3) * 150, y * 150)) > 0.15) * 1.0
    blend(paint, over * bands, cream)
    edge = _seam(np.abs(np.abs(x) - 0.115)) * (y < 1.2) * (y > 1.0) * (z > 0) + _seam(y - 1.2) * (np.abs(x) < 0.115)
    blend(paint, cloth * 0.8 * np.clip(edge, 0, 1), (0.82, 0.62, 0.3))
    pocket = _seam(np.maximum(np.abs(x) - 0.06, np.abs(y - 1.08) - 0.045)) * (z > 0.05)
    blend(paint, cloth * 0.8 * pocket, (0.82, 0.62, 0.3))
    knees = np.exp(-(((np.abs(x) - 0.13) / 0.06) ** 2 + ((y - 0.43) / 0.07) ** 2)) * (z > 0)
    worn = fractal(s.position, s.seed, 4, 16.0)
    blend(paint, cloth * np.clip(0.8 * knees + 0.35 * worn, 0, 0.7), (0.3, 0.43, 0.56))
    paint.height = _woven(paint, s, cloth) + 2.5 * cloth * np.clip(edge + pocket, 0, 1)
    blend(paint, s.on("boots") * 1.0, (0.2, 0.13, 0.09), rough=0.5)
    blend(paint, s.on("buckle") * 1.0, (0.85, 0.62, 0.28), rough=0.3, metal=1.0)
    return shaded(paint, s, 0.5)


def _post(s: Spots) -> Paint:
    """The long coat of the mail, with its scarf and brass buttons."""
    x, y, z = s.position.T
    coat, lining = (0.13, 0.3, 0.29), (0.85, 0.62, 0.26)
    paint = plain(s, coat, 0.92)
    cloth = s.on("cloth") * 1.0
    legs = cloth * (y < 0.5)
    blend(paint, legs, (0.19, 0.17, 0.18))
    felt = fractal(s.position, s.seed, 5, 70.0)
    blend(paint, cloth * np.clip(0.35 * felt, 0, 0.3), (0.25, 0.46, 0.42))
    front = (z > 0.02) & (y > 0.5)
    opening = _seam(x - 0.012 - 0.02 * (y > 1.0)) * front
    cuffs = ((np.abs(x) > 0.34) & (y < 0.86)) * 1.0
    hem = _seam(y - 0.53, 0.012) + _seam(y - 0.56, 0.003)
    blend(paint, cloth * np.clip(cuffs + hem * (y > 0.5), 0, 1), lining)
    blend(paint, cloth * 0.9 * opening, (0.03, 0.09, 0.09))
    lapel = (np.abs(x) < 0.1 * np.clip((y - 1.02) / 0.25, 0, 1)) & (y > 1.02) & (z > 0.02)
    blend(paint, cloth * 0.75 * lapel, (0.09, 0.21, 0.21))
    pockets = ((np.abs(np.abs(x) - 0.12) < 0.055) & (np.abs(y - 0.78) < 0.012) & (z > 0.03)) * 1.0
    blend(paint, cloth * pockets, (0.08, 0.19, 0.19))
    belt = _seam(y - 0.94, 0.026) * (np.abs(x) < 0.24)
    blend(paint, cloth * np.clip(belt * 1.4, 0, 1), (0.33, 0.19, 0.1), rough=0.5)
    paint.height = _woven(paint, s, legs) + cloth * (0.6 * felt - 2.5 * opening + 2.0 * belt + 1.5 * pockets)
    stripes = (np.sin(np.arctan2(x, z) * 18) > 0) * 1.0
    scarf = s.on("scarf") * 1.0
    blend(paint, scarf, (0.72, 0.2, 0.16), rough=0.95)
    blend(paint, scarf * stripes * 0.85, (0.93, 0.87, 0.74))
    paint.height = paint.height + scarf * 1.2 * np.sin(y * 900)
    blend(paint, s.on("satchel") * 1.0, (0.5, 0.32, 0.17), rough=0.6)
    blend(paint, s.on("boots") * 1.0, (0.12, 0.1, 0.1), rough=0.4)
    blend(paint, s.on("buckle", "buttons") * 1.0, (0.86, 0.66, 0.3), rough=0.28, metal=1.0)
    return shaded(paint, s, 0.5)


def _stall(s: Spots) -> Paint:
    """A tunic with a woven border, and an apron."""
    x, y, z = s.position.T
    tunic, border, apron = (0.56, 0.24, 0.3), (0.9, 0.76, 0.44), (0.84, 0.79, 0.68)
    paint = plain(s, tunic, 0.9)
    cloth = s.on("cloth") * 1.0
    blend(paint, cloth * (y < 0.6), (0.25, 0.22, 0.2))
    rim = np.clip(_seam(y - 0.65, 0.02) * (y > 0.6) + ((np.abs(x) > 0.33) & (y < 0.88)), 0, 1)
    blend(paint, cloth * rim, border)
    zigzag = np.abs(((np.arctan2(x, z) * 9) % 1) - 0.5) * 0.05
    blend(paint, cloth * rim * (np.abs(y - 0.64 - zigzag) < 0.007), (0.3, 0.1, 0.2))
    bib = (z > 0.02) & (np.abs(x) < 0.12 + 0.05 * np.clip((0.95 - y) * 5, 0, 1)) & (y < 1.17) & (y > 0.66)
    blend(paint, cloth * bib, apron, rough=0.95)
    stains = np.clip(fractal(s.position, s.seed + 2, 4, 13.0) - 0.15, 0, 1) * bib
    blend(paint, cloth * 0.7 * stains, (0.5, 0.45, 0.36))
    cord = _seam(y - 0.95, 0.011)
    blend(paint, cloth * cord, (0.78, 0.7, 0.55))
    paint.height = _woven(paint, s, cloth, 360.0) + cloth * (2.0 * cord + 1.5 * bib)
    blend(paint, s.on("collar") * 1.0, border, rough=0.9)
    blend(paint, s.on("boots") * 1.0, (0.42, 0.28, 0.17), rough=0.6)
    return shaded(paint, s, 0.5)


def _oilskin(s: Spots) -> Paint:
    """Yellow oilskin for the surface."""
    x, y, z = s.position.T
    paint = plain(s, (0.86, 0.64, 0.12), 0.34)
    cloth = s.on("cloth", "collar") * 1.0
    creases = fractal(s.position * (1, 0.5, 1), s.seed, 5, 22.0)
    blend(paint, cloth * np.clip(-creases, 0, 0.45), (0.6, 0.4, 0.05))
    legs = s.on("cloth") * (y < 0.62)
    blend(paint, legs, (0.19, 0.22, 0.24), rough=0.5)
    band = np.clip(_seam(y - 1.05, 0.016) + _seam(np.abs(x) - 0.3, 0.014) * (y > 0.8) * (np.abs(x) > 0.2), 0, 1)
    blend(paint, s.on("cloth") * band, (0.86, 0.88, 0.9), rough=0.22)
    flap = _seam(x + 0.015) * (z > 0.02) * (y > 0.62)
    blend(paint, s.on("cloth") * flap, (0.35, 0.24, 0.05))
    paint.height = cloth * (1.4 * creases - 2.5 * flap + 1.2 * band)
    blend(paint, s.on("boots") * 1.0, (0.14, 0.22, 0.19), rough=0.3)
    blend(paint, s.on("buttons", "buckle") * 1.0, (0.25, 0.26, 0.28), rough=0.35, metal=1.0)
    return shaded(paint, s, 0.45)


def _boots(tall: float) -> Shape:
    soles = [box((0.115, 0.05, 0.27), 0.02).moved((0.14 * s, 0.025, 0.04)) for s in (-1, 1)]
    toes = [ball((0.056, 0.05, 0.088), 22, 12).moved((0.14 * s, 0.06, 0.078)) for s in (-1, 1)]
    profile = [
        (0.0, 0.03),
        (0.078, 0.04),
        (0.08, 0.1),
        (0.086, tall),
        (0.094, tall + 0.015),
        (0.08, tall + 0.03),
        (0.0, tall + 0.02),
    ]
    shafts = [revolved(profile, 24).moved((0.14 * s, 0, 0.0)) for s in (-1, 1)]
    return together(*soles, *toes, *shafts)


def _buttons(places: list[tuple[float, float, float]]) -> Shape:
    return together(*(ball((0.014, 0.014, 0.008), 14, 8).moved(place) for place in places))


def _dyed(s: Spots) -> AnyArray:
    """Where oilskin may be dyed: red the cloth, green what trims it."""
    trim = s.on("collar", "boots") * 1.0
    return np.stack([s.on("cloth") * 1.0, trim, np.zeros_like(trim)], axis=1)


def _suit(name: str, painter: Painter, coat: float, sleeves: float, boots: float, *extra: Part) -> Model:
    dye = _dyed if name == "oilskin" else None
    surface = Surface(f"suit_{name}", 512, painter, later=True, green_down=name == "stall", dye=dye)
    parts = (
        Part("cloth", _body(coat, sleeves), surface.name, sharp_deg=70),
        Part("boots", _boots(boots), surface.name),
        *(replace(part, material=surface.name) for part in extra),
    )
    return Model(f"folk/slim/suits/{name}", parts, (surface,), quantised=True, title=f"suit {name}")


def dock(seed: int) -> Model:
    """For work on the docks."""
    clasps = together(*(box((0.03, 0.025, 0.012), 0.004).moved((0.085 * s, 1.185, 0.118)) for s in (-1, 1)))
    return _suit("dock", _dock, 0, 0.92, 0.2, Part("clasps buckle", clasps, ""))


def post(seed: int) -> Model:
    """For the mail."""
    strap = tube([(0.15, 1.33, 0.03), (0.04, 1.15, 0.14), (-0.1, 0.95, 0.15), (-0.215, 0.8, 0.05)], [0.014] * 4, 8)
    bag = together(strap, box((0.1, 0.2, 0.25), 0.03).moved((-0.265, 0.7, 0.02)))
    wrap = together(
        ring(0.088, 0.036, 34, 12).moved((0, 1.345, -0.022)),
        tube([(0.06, 1.34, 0.09), (0.07, 1.22, 0.15), (0.075, 1.08, 0.155)], [0.034, 0.036, 0.03], 12),
    )
    brass = _buttons([(0.055, 1.14 - 0.09 * k, 0.125 + 0.012 * (k > 0)) for k in range(4)])
    return _suit(
        "post", _post, 0.4, 1.12, 0.32, Part("scarf", wrap, ""), Part("satchel", bag, ""), Part("buttons", brass, "")
    )


def stall(seed: int) -> Model:
    """For a stall on the market."""
    return _suit(
        "stall", _stall, 0.29, 1.2, 0.13, Part("collar", ring(0.078, 0.022, 30, 10).moved((0, 1.365, -0.025)), "")
    )


def oilskin(seed: int) -> Model:
    """For rain."""
    collar = revolved(
        [(0.07, 1.33), (0.098, 1.35), (0.115, 1.43), (0.108, 1.435), (0.088, 1.37), (0.07, 1.35)], 30
    ).moved((0, 0, -0.02))
    knobs = _buttons([(0.03, 1.18 - 0.11 * k, 0.128) for k in range(5)])
    return _suit(
        "oilskin", _oilskin, 0.33, 1.15, 0.36, Part("collar", collar, "", sharp_deg=60), Part("buttons", knobs, "")
    )


def _hand(thick: float) -> Shape:
    """A left hand, fingers a little bent."""
    parts = [sdf.capsule(_HAND + (0, 0.055, -0.012), _HAND + (0, 0.01, 0.004), 0.03 * thick, 0.034 * thick)]
    parts.append(sdf.ellipsoid(_HAND + (0, -0.012, 0.012), (0.026 * thick, 0.043, 0.044 * thick)))
    for k in range(4):
        root = _HAND + (0, -0.04, -0.018 + 0.02 * k)
        middle = root + (-0.006, -0.034, 0.01)
        parts.append(sdf.capsule(root, middle, 0.0115 * thick, 0.0105 * thick))
        parts.append(sdf.capsule(middle, middle + (-0.014, -0.027, 0.006), 0.0105 * thick, 0.009 * thick))
    thumb = _HAND + (-0.012, 0.002, 0.04)
    parts.append(sdf.capsule(thumb, thumb + (-0.018, -0.036, 0.022), 0.0135 * thick, 0.011 * thick))
    return implicit(sdf.join(*parts, blend=0.012), _HAND - (0.08, 0.14, 0.07), _HAND + (0.08, 0.1, 0.1), 0.005, 1500)


def _paint_hands(s: Spots) -> Paint:
    paint = plain(s, (0.84, 0.61, 0.5), 0.6)
    grain = fractal(s.position, s.seed, 4, 60.0)
    blend(paint, np.clip(0.35 * grain, 0, 0.4), (0.78, 0.44, 0.37))
    blend(paint, np.clip((0.655 - s.position[:, 1]) * 22, 0, 0.5), (0.84, 0.47, 0.4))
    paint.height = 0.6 * grain
    return shaded(paint, s, 0.4)


def _paint_gloves(s: Spots) -> Paint:
    paint = plain(s, (0.45, 0.29, 0.16), 0.62)
    worn = fractal(s.position, s.seed, 5, 45.0)
    blend(paint, np.clip(0.6 * worn, 0, 0.6), (0.62, 0.44, 0.26))
    blend(paint, s.on("cuffs") * 1.0, (0.28, 0.17, 0.1))
    blend(paint, s.on("cuffs") * _seam(np.sin(s.position[:, 1] * 260), 0.3), (0.82, 0.7, 0.45))
    paint.height = 1.5 * worn
    return shaded(paint, s, 0.5)


def hands(seed: int) -> Model:
    """Bare hands."""
    return Model(
        "folk/slim/gloves/hands",
        (Part("hands", together(left := _hand(1.0), left.mirrored()), "hands"),),
        (Surface("hands", 256, _paint_hands),),
        title="bare hands",
    )


def gloves(seed: int) -> Model:
    """Leather gloves with wide cuffs: the right one is the left one mirrored, texels and all."""
    cuff = revolved([(0.046, -0.02), (0.068, 0.06), (0.072, 0.058), (0.05, -0.025)], 22)
    cuffs = together(*(cuff.turned(0, -24).moved((0.402 * s, 0.76, 0.118)) for s in (-1, 1)))
    left = _hand(1.18)
    parts = (
        Part("glove_left", left, "leather"),
        Part("glove_right", left.mirrored(), "leather", mirrors="glove_left"),
        Part("cuffs", cuffs, "leather"),
    )
    return Model("folk/slim/gloves/gloves", parts, (Surface("leather", 256, _paint_gloves),), title="gloves")


def _paint_tool(steel: Color, grip: Color) -> Callable[[Spots], Paint]:
    def paint_tool(s: Spots) -> Paint:
        paint = plain(s, steel, 0.35, 1.0)
        spots = fractal(s.position, s.seed, 5, 42.0)
        blend(paint, np.clip(spots - 0.05, 0, 0.8), (0.34, 0.2, 0.12), rough=0.85, metal=0.2)
        blend(paint, s.on("grip") * 1.0, grip, rough=0.75, metal=0.0)
        blend(paint, s.on("grip") * 0.6 * np.clip(np.sin(s.position[:, 1] * 420), 0, 1), (0.1, 0.07, 0.05))
        blend(paint, s.on("glow") * 1.0, (1.0, 0.86, 0.5), rough=0.15, metal=0.0)
        if s.on("glow").any():
            paint.glow = s.on("glow")[:, None] * np.array((1.0, 0.72, 0.3))
        paint.height = 0.8 * spots
        return shaded(paint, s, 0.4)

    return paint_tool


def wrench(seed: int) -> Model:
    """A wrench that points forward, held at its origin."""
    shaft = box((0.02, 0.3, 0.032), 0.006).moved((0, 0.05, 0))
    jaw = sdf.cut(
        sdf.rounded_box((0, 0.235, 0), (0.014, 0.055, 0.055), 0.01),
        sdf.rounded_box((0, 0.27, 0.012), (0.03, 0.045, 0.02), 0.004),
    )
    head = implicit(jaw, (-0.03, 0.16, -0.08), (0.03, 0.31, 0.08), 0.004, 900)
    parts = (
        Part("steel", together(shaft, head).turned(0, 90), "wrench"),
        Part("grip", box((0.03, 0.15, 0.04), 0.012).moved((0, -0.03, 0)).turned(0, 90), "wrench"),
    )
    return Model(
        "folk/tools/wrench",
        parts,
        (Surface("wrench", 256, _paint_tool((0.58, 0.6, 0.62), (0.5, 0.14, 0.1))),),
        title="wrench",
    )


def lantern(seed: int) -> Model:
    """A hand lantern, held by its ring at its origin."""
    frame = together(
        ring(0.035, 0.006, 24, 8).turned(0, 90).moved((0, -0.03, 0)),
        revolved([(0, -0.07), (0.05, -0.085), (0.062, -0.105), (0.055, -0.112), (0, -0.112)], 24),
        revolved([(0, -0.25), (0.06, -0.25), (0.066, -0.24), (0.052, -0.225), (0, -0.225)], 24),
        *(
            tube(
                [(0.05 * np.sin(a), -0.11, 0.05 * np.cos(a)), (0.05 * np.sin(a), -0.23, 0.05 * np.cos(a))],
                [0.006, 0.006],
                8,
            )
            for a in np.arange(4) * np.pi / 2
        ),
    )
    parts = (
        Part("steel", frame, "lantern"),
        Part("glow", ball((0.034, 0.052, 0.034), 20, 14).moved((0, -0.17, 0)), "lantern"),
    )
    return Model(
        "folk/tools/lantern",
        parts,
        (Surface("lantern", 256, _paint_tool((0.72, 0.52, 0.3), (0.2, 0.2, 0.2)), later=True),),
        title="lantern",
    )
