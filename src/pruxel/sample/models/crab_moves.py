"""How the toll-keeping crab moves: its parts by themselves, without a skeleton, each about a point of its own."""

from __future__ import annotations

from math import sin, tau

import numpy as np
from scipy.spatial.transform import Rotation

from pruxel.sample.rig import Joint, Motion, Move, Rig, Vec

_PIVOTS: dict[str, Vec] = {
    "claw_r": (-0.75, 0.58, 0.56), "claw_l": (0.66, 0.5, 0.5), "arm_r": (-0.46, 0.5, 0.24), "arm_l": (0.46, 0.5, 0.24),
    "legs": (0.0, 0.45, 0.0), "eye_lids": (0.0, 1.0, 0.5), "bell": (0.52, 0.57, 0.94), "shell": (0.0, 0.45, 0.0),
    "belly": (0.0, 0.45, 0.0), "barnacles": (0.0, 0.45, 0.0), "eyes": (0.0, 0.45, 0.0), "eye_stalks": (0.0, 0.45, 0.0),
}  # fmt: skip


# Where a part's places are counted from, of those that do not begin at the ground's middle.
_STANDS: dict[str, Vec] = {"bell": (0.52, 0.344, 0.929)}


def _about(part: str, motion: Motion) -> Motion:
    """How far a part goes whose turns are about its point, and not about where its places are counted from."""

    def path(share: float) -> Vec:
        pivot, stands = np.array(_PIVOTS[part]), np.array(_STANDS.get(part, (0.0, 0.0, 0.0)))
        x, y, z = pivot + Rotation.from_euler("XYZ", motion(share)).apply(stands - pivot)
        return float(x), float(y), float(z)

    return path


def _move(name: str, seconds: float, turns: dict[str, Motion], gone: tuple[str, ...] = ()) -> Move:
    return Move(
        name, seconds, turns, paths={part: _about(part, motion) for part, motion in turns.items()},
        seen={part: lambda share: 1.0 if share < 0.4 else 0.0 for part in gone},
    )  # fmt: skip


def _snap(most: float, late: float = 0.0) -> Motion:
    return lambda share: (-most * max(0.0, sin(tau * (share - late))), 0.0, 0.0)


def _rock(axis: int, most: float, times: int = 2) -> Motion:
    def motion(share: float) -> Vec:
        x, y, z = (most * sin(times * tau * share) if k == axis else 0.0 for k in range(3))
        return x, y, z

    return motion


def _blink(share: float) -> Vec:
    """Twice, the second time longer."""
    shut = max(0.0, 1 - abs(share - 0.2) / 0.1, min(1.0, 2 - abs(share - 0.65) / 0.1))
    return 1.25 * shut, 0.0, 0.0


CRAB_MOVES = Rig(
    "actors/crab_toll/crab_toll_moves",
    (Joint("legs", (0, 0, 0), (0, 0, 0)),),
    (
        _move("snap", 1.2, {"claw_r": _snap(0.5), "claw_l": _snap(0.4, 0.1), "eye_lids": _blink}),
        _move(
            "scuttle", 0.9,
            {
                "legs": _rock(1, 0.16), "shell": _rock(2, 0.05), "belly": _rock(2, 0.05), "barnacles": _rock(2, 0.05),
                "claw_r": _rock(1, 0.12), "claw_l": _rock(1, -0.1),
            },
        ),
        _move("ring", 1.5, {"bell": _rock(2, 0.6, 3), "eye_lids": _blink}, gone=("cap_felt", "cap_brass")),
    ),
    {},
)  # fmt: skip
