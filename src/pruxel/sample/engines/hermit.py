"""A hermit crab of the first engine: all in words; points seen from their bone, a table of coats, sparse keys."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.sample.engines.shapes import tube

RATE, LAST = 12, 24
# Where each leg begins beside the shell, and where it points in degrees about up.
_LEGS = (("lf", 0.1, 0.06, -35.0), ("lb", 0.1, -0.06, 35.0), ("rf", -0.1, 0.06, 215.0), ("rb", -0.1, -0.06, 145.0))
# A coat: its name, and the colours of shell and legs.
COATS = (
    ("plain", (0.80, 0.62, 0.42), (0.72, 0.33, 0.22)),
    ("mossy", (0.42, 0.55, 0.30), (0.55, 0.42, 0.24)),
    ("pearl", (0.92, 0.88, 0.86), (0.55, 0.50, 0.62)),
)


@dataclass(frozen=True)
class Bone:
    """A bone: where it stands in its parent, and its turn about up in degrees."""

    name: str
    parent: int
    place: tuple[float, float, float]
    turn: float


@dataclass(frozen=True, eq=False)
class Piece:
    """A round body: `positions` (n, 3) seen from its bone, `faces` (q, 4); its kind is 0 for shell, 1 for legs."""

    bone: int
    kind: int
    positions: DoubleArray
    faces: AnyArray


def bones() -> list[Bone]:
    """The shell, and four legs of two bones each."""
    found = [Bone("shell", -1, (0.0, 0.16, 0.0), 0.0)]
    for name, x, z, turn in _LEGS:
        found.append(Bone(f"leg_{name}", 0, (x, -0.05, z), turn))
        found.append(Bone(f"shin_{name}", len(found) - 1, (0.14, 0.05, 0.0), 0.0))
    return found


def pieces() -> list[Piece]:
    """The bodies of shell and legs."""
    t = np.linspace(0, 1, 12)
    line = np.stack([0 * t, 0.14 * t - 0.04, 0.3 * t - 0.16], axis=1)
    found = [Piece(0, 0, *tube(line, 0.15 * np.sin(np.pi * (0.04 + 0.93 * t)) ** 0.8 * (1.1 - 0.6 * t), 14))]
    for number, bone in enumerate(bones()):
        if bone.parent < 0:
            continue
        end = np.array([0.14, 0.05, 0.0]) if bone.name.startswith("leg") else np.array([0.07, -0.16, 0.0])
        s = np.linspace(0, 1, 6)
        wide = 0.028 * (1 - 0.6 * s) * np.sin(np.pi * (0.1 + 0.85 * s)) ** 0.5
        found.append(Piece(number, 1, *tube(s[:, None] * end, wide, 7)))
    return found


def angle(bone: str, frame: int) -> float:
    """How far a bone is lifted at a frame that has a key, in degrees about its own z."""
    phase = {"lf": 0.0, "rb": 0.0, "rf": np.pi, "lb": np.pi}[bone[-2:]]
    return round(float((16 if bone.startswith("leg") else -24) * np.sin(2 * np.pi * frame / LAST + phase)), 3)


def keyed(bone: str) -> list[int]:
    """The frames at which a bone has keys: every sixth, the shins' every fourth."""
    return list(range(0, LAST + 1, 6 if bone.startswith("leg") else 4))


def body_text() -> str:
    """Bones, points, faces, coats and a place to attach things to, in words."""
    everyone, bodies = bones(), pieces()
    lines = ["tidebones 1", "# one line a bone: name parent place turn", f"bones {len(everyone)}"]
    lines += [f'"{b.name}" {b.parent} {b.place[0]} {b.place[1]} {b.place[2]} {b.turn}' for b in everyone]
    lines.append(f"points {sum(len(piece.positions) for piece in bodies)}")
    lines += [f"{x:.6f} {y:.6f} {z:.6f} {piece.bone}" for piece in bodies for x, y, z in piece.positions.tolist()]
    lines.append(f"faces {sum(len(piece.faces) for piece in bodies)}")
    first = 0
    for piece in bodies:
        lines += [f"{a} {b} {c} {d} {piece.kind}" for a, b, c, d in (piece.faces + first).tolist()]
        first += len(piece.positions)
    lines.append(f"coats {len(COATS)}")
    lines += [f"{name} {' '.join(map(str, shell))} {' '.join(map(str, legs))}" for name, shell, legs in COATS]
    lines += ["holds 1", "claw shin_lf 0.07 -0.16 0"]
    return "\n".join(lines) + "\n"


def moves_text() -> str:
    """A clip: of each bone that moves the frames that have keys, and its angle at each."""
    moving = [bone for bone in bones() if bone.parent >= 0]
    lines = ["tidemoves 1", f"scuttle {RATE} {len(moving)}"]
    for bone in moving:
        lines.append(f"{bone.name} {bone.turn} {len(keyed(bone.name))}")
        lines += [f"  {frame} {angle(bone.name, frame)}" for frame in keyed(bone.name)]
    return "\n".join(lines) + "\n"
