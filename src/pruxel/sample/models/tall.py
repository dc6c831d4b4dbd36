"""The tall build: joints of other names, rolled along their bones, arms out at rest; and the fifteen ways it moves."""

from __future__ import annotations

from math import pi, sin, tau

import numpy as np
from scipy.spatial.transform import Rotation

from pruxel.sample.models.moves import diver_rig
from pruxel.sample.models.swings import bend, sway
from pruxel.sample.rig import Joint, Motion, Move, Rig, Vec

ARMS_OUT = ((0.22, 1.27, 0.0), (0.48, 1.27, 0.0), (0.74, 1.27, 0.0), (0.81, 1.27, 0.0))
_NAMES = {
    "hips": "Pelvis", "chest": "Ribs", "head": "Skull", "thigh": "UpperLeg", "shin": "LowerLeg", "foot": "Ankle",
    "arm": "UpperArm", "forearm": "LowerArm", "hand": "Wrist",
}  # fmt: skip
_ROLLS = {"UpperArm": 0.6, "LowerArm": -0.9, "Wrist": 1.4, "UpperLeg": 0.4, "LowerLeg": -0.3, "Ankle": 0.8}
_HANG = 1.15  # radians from arms out to arms down


def _named(name: str) -> str:
    side, _, bone = name.rpartition("_")
    return _NAMES[bone] + {"left": ".L", "right": ".R", "": ""}[side]


def _along(place: Vec, tip: Vec, roll: float) -> Vec:
    """The rotation vector that lays Y along a bone, and rolls it."""
    way = np.array(tip) - np.array(place)
    way = way / np.linalg.norm(way)
    up = np.array([0.0, 1.0, 0.0])
    axis = np.cross(up, way)
    size = float(np.linalg.norm(axis))
    angle = float(np.arctan2(size, up @ way))
    lay = Rotation.from_rotvec(axis / size * angle if size > 1e-9 else np.array([angle, 0.0, 0.0]))
    x, y, z = (lay * Rotation.from_rotvec([0.0, roll, 0.0])).as_rotvec()
    return float(x), float(y), float(z)


def _joint(joint: Joint, k: float) -> Joint:
    name = _named(joint.name)
    place, tip = joint.place, joint.tip
    if "arm" in joint.name or "hand" in joint.name:
        side = 1 if joint.name.startswith("left") else -1
        number = ("arm", "forearm", "hand").index(joint.name.rpartition("_")[2])
        ends = (*ARMS_OUT, (0.88, 1.27, 0.0))
        place, tip = ((x * side * k, y * k, z * k) for x, y, z in (ends[number], ends[number + 1]))
    above = None if joint.parent is None else _named(joint.parent)
    return Joint(name, place, tip, above, _along(place, tip, _ROLLS.get(name.split(".")[0], 0.0)))


def tall_rig(code: str, k: float) -> Rig:
    """The tall build `k` times the usual size, with its clips."""
    drawn = diver_rig(code, k)
    only = {part: _named(joint) for part, joint in drawn.only.items()}
    return Rig(drawn.path, tuple(_joint(joint, k) for joint in drawn.joints), _moves(k), only)


def _down(name: str, swing: Motion | None = None) -> Motion:
    """An arm that hangs, and swings as it does."""
    side = -1 if name.endswith(".L") else 1

    def angles(share: float) -> Vec:
        x, y, z = swing(share) if swing is not None else (0.0, 0.0, 0.0)
        return (x, y, z + side * _HANG)

    return angles


def _hanging() -> dict[str, Motion]:
    return {name: _down(name) for name in ("UpperArm.L", "UpperArm.R")}


def _treads(most: float, swing: float) -> dict[str, Motion]:
    """Legs and arms by turns, as a walk and a run have them."""
    turns: dict[str, Motion] = {"Ribs": sway(1, 0.25 * most), "Skull": sway(1, -0.2 * most)}
    for side, late in ((".L", 0.0), (".R", 0.5)):
        turns[f"UpperLeg{side}"] = sway(0, -most, late)
        turns[f"LowerLeg{side}"] = bend(0, 1.4 * most, late + 0.2)
        turns[f"UpperArm{side}"] = _down(side, sway(0, swing, late))
    return turns


def _waving(side: str, up: float) -> dict[str, Motion]:
    """One arm up and to and fro; the other hangs."""
    other = ".R" if side == ".L" else ".L"
    sign = 1 if side == ".L" else -1
    return {
        f"UpperArm{other}": _down(other),
        f"UpperArm{side}": lambda share: (0.0, 0.0, sign * up * min(1.0, 5 * sin(share * pi))),
        f"LowerArm{side}": lambda share: (0.0, 0.0, sign * (0.5 + 0.4 * sin(3 * tau * share))),
        "Skull": bend(2, -0.12 * sign),
    }


def _still(motion: Motion, moving: float) -> Motion:
    """A motion that is over after a share of the clip."""
    return lambda share: motion(min(share / moving, 1.0))


def _short_of(motion: Motion, share_of: float) -> Motion:
    """A motion that stops a little before it comes round."""
    return lambda share: motion(share * share_of)


def _dip(most: float) -> Motion:
    """Forward and back, gently."""
    return lambda share: (most * sin(pi * share) ** 2, 0.0, 0.0)


def _bob(most: float) -> Motion:
    return lambda share: (0.0, most * sin(2 * tau * share), 0.0)


def _carrying() -> dict[str, Motion]:
    turns = _treads(0.35, 0.0)
    for side, sign in ((".L", 1), (".R", -1)):
        turns[f"UpperArm{side}"] = lambda _share, s=sign: (0.0, -0.9 * s, -0.5 * s)  # type: ignore[misc]
        turns[f"LowerArm{side}"] = lambda _share, s=sign: (0.0, -0.7 * s, 0.0)  # type: ignore[misc]
    return turns


def _sorting() -> dict[str, Motion]:
    """Letters from the left hand into boxes on the right, one after the other."""
    return {
        "Ribs": sway(1, 0.35),
        "Skull": sway(1, 0.25, 0.05),
        "UpperArm.L": lambda _share: (0.0, -1.0, -0.7),
        "LowerArm.L": lambda _share: (0.0, -0.8, 0.0),
        "UpperArm.R": lambda share: (0.0, 0.7 + 0.5 * sin(2 * tau * share), 0.6),
        "LowerArm.R": lambda share: (0.0, 0.6 + 0.4 * sin(2 * tau * share + 1.0), 0.0),
    }


def _swimming() -> dict[str, Motion]:
    turns: dict[str, Motion] = {"Pelvis": lambda share: (1.2 + 0.06 * sin(tau * share), 0.0, 0.0)}
    for side, sign, late in ((".L", 1, 0.0), (".R", -1, 0.5)):
        turns[f"UpperLeg{side}"] = sway(0, 0.3, late)
        turns[f"LowerLeg{side}"] = bend(0, 0.4, late)
        turns[f"UpperArm{side}"] = lambda share, s=sign: (0.0, s * 0.9 * sin(tau * share), s * 0.4)  # type: ignore[misc]
    return turns


def _moves(k: float) -> tuple[Move, ...]:
    idle = {**_hanging(), "Ribs": sway(0, 0.06), "Skull": sway(1, 0.4)}
    walk = _treads(0.45, 0.35)
    over = {**walk, "Pelvis": lambda _share: (pi, 0.0, 0.0)}
    breath = {"Ribs": sway(0, 0.09), "Skull": sway(0, -0.06), **{f"UpperArm{s}": sway(2, 0.05) for s in (".L", ".R")}}
    return (
        Move("walk", 1.4, walk, _bob(0.02 * k)),
        Move("run", 0.8, _treads(0.8, 0.9), _bob(0.05 * k)),
        Move("swim", 2.0, _swimming(), lambda _share: (0.0, 0.5 * k, 0.0)),
        Move("wave", 2.0, _waving(".R", 0.7)),
        Move("carry", 1.6, _carrying(), _bob(0.015 * k)),
        Move("sort_mail", 3.0, _sorting()),
        # It has ended long before its last key.
        Move("wait", 4.0, {joint: _still(motion, 0.6) for joint, motion in idle.items()}),
        # A few frames are missing at its end.
        Move("stroll", 1.5, {joint: _short_of(motion, 0.965) for joint, motion in walk.items()}),
        # The axes of another program were not carried into it.
        Move("stagger", 1.4, over),
        # Told from how the joints rest, to be added to any other.
        Move("breathe", 3.0, breath, lambda share: (0.0, 0.01 * sin(tau * share), 0.0), added=True),
        # Its frames are counted as if there were thirty times as many a second.
        Move("hop", 1.0, _treads(0.3, 0.2), _bob(0.12 * k), rate=720.0),
        # Faster on its way than its legs can tread: feet slide.
        Move("march", 2.0, _treads(0.3, 0.3), lambda share: (0.0, 0.02 * sin(2 * tau * share), 1.9 * k * share)),
        Move("salute", 1.5, _waving(".L", 0.9)),
        Move(
            "puff", 2.0, {**_hanging(), "Skull": sway(0, 0.1)},
            sizes={"Ribs": lambda share: (1 + 0.12 * sin(tau * share), 1.0, 1 + 0.12 * sin(tau * share))},
        ),
        Move("bow", 2.4, {**_hanging(), "Ribs": _dip(0.8), "Skull": _dip(0.4)}),
    )  # fmt: skip
