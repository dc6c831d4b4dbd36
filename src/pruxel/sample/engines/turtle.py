"""A turtle of the third engine: inverse matrices, joints without names, turns of 48 bits, its way by itself."""

from __future__ import annotations

import struct

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.sample.engines.shapes import tube

FRAMES, RATE = 20, 15.0
# Each joint: its parent (255 for none) and its place in the model. Body, head, front and back flippers.
JOINTS = (
    (255, (0.0, 0.3, 0.0)),
    (0, (0.0, 0.32, 0.34)),
    (0, (0.24, 0.28, 0.2)),
    (0, (-0.24, 0.28, 0.2)),
    (0, (0.18, 0.28, -0.26)),
    (0, (-0.18, 0.28, -0.26)),
)
_MOVES = (False, False, True, True, True, True)
_LIMBS = ((1, (0.0, 0.06, 0.2), 0.075, 0.8), (2, (0.46, -0.02, 0.1), 0.09, 0.3), (3, (-0.46, -0.02, 0.1), 0.09, 0.3),
          (4, (0.24, -0.02, -0.14), 0.06, 0.35), (5, (-0.24, -0.02, -0.14), 0.06, 0.35))  # fmt: skip


def body() -> tuple[DoubleArray, AnyArray, AnyArray, DoubleArray]:
    """Positions (n, 3), faces (q, 4), of each vertex two joints (n, 2), and how much the first counts (n,)."""
    t = np.linspace(0, 1, 12)
    shell = np.stack([0 * t, 0.31 + 0.03 * np.sin(np.pi * t), 0.84 * t - 0.42], axis=1)
    places, faces = tube(shell, 0.34 * np.sin(np.pi * (0.03 + 0.94 * t)) ** 0.7, 16, 0.45)
    joints, shares = [np.zeros((len(places), 2), int)], [np.ones(len(places))]
    every, corners = [places], [faces]
    for joint, end, wide, flat in _LIMBS:
        s = np.linspace(0, 1, 8)
        line = np.array(JOINTS[joint][1]) - 0.15 * np.array(end) + s[:, None] * np.array(end) * 1.15
        part, around = tube(line, wide * np.sin(np.pi * (0.1 + 0.86 * s)) ** 0.6, 9, flat)
        corners.append(around + sum(len(one) for one in every))
        every.append(part)
        joints.append(np.tile([joint, 0], (len(part), 1)))
        shares.append(np.repeat(np.clip(0.2 + 1.6 * s, 0, 1), 9))
    return np.concatenate(every), np.concatenate(corners), np.concatenate(joints), np.concatenate(shares)


def model_bytes() -> bytes:
    """Its size, then a mark; joints as matrices that lead from the model to them, by columns; rows of 10 bytes."""
    places, faces, joints, shares = body()
    triangles = np.concatenate([faces[:, [0, 1, 2]], faces[:, [0, 2, 3]]])
    data = struct.pack("<4sHHH", b"TRTL", len(JOINTS), len(places), len(triangles))
    for parent, (x, y, z) in JOINTS:
        data += struct.pack("<B12f", parent, 1, 0, 0, 0, 1, 0, 0, 0, 1, -x, -y, -z)
    rows = np.zeros(len(places), np.dtype([("place", "<i2", 3), ("joints", "u1", 2), ("first", "u1"), ("spare", "u1")]))
    rows["place"], rows["joints"], rows["first"] = np.rint(places * 4096), joints, np.rint(shares * 255)
    data += rows.tobytes() + triangles.astype("<u2").tobytes()
    return struct.pack("<I", len(data) + 4) + data


def turn(joint: int, frame: int) -> tuple[float, float, float, float]:
    """The turn of a joint at a frame, a quaternion xyzw: flippers beat about the long axis of the body."""
    if not _MOVES[joint]:
        return (0.0, 0.0, 0.0, 1.0)
    left, back = JOINTS[joint][1][0] > 0, joint >= 4
    half = (0.3 if back else 0.5) * np.sin(2 * np.pi * frame / FRAMES + (1.3 if back else 0.0)) / 2
    lift = np.sin(half)
    w = np.sqrt(1 - (1 + 0.12**2) * lift**2)
    return (0.12 * float(lift), 0.0, float(lift if left else -lift), float(w))


def packed_turn(turn: tuple[float, float, float, float]) -> tuple[int, int, int]:
    """Three of the four components in 15 bits each, without the largest; which that is stands in the upper bits."""
    values = np.array(turn)
    dropped = int(np.abs(values).argmax())
    rest = np.delete(values * np.sign(values[dropped]), dropped) * np.sqrt(2)
    a, b, c = (int(one) & 0x7FFF for one in np.rint(rest * 16383).astype(int).tolist())
    return a | (dropped >> 1) << 15, b | (dropped & 1) << 15, c


def way() -> DoubleArray:
    """Where the whole turtle is at each frame, (FRAMES, 3): forward, and a little up and down."""
    t = np.arange(FRAMES) / FRAMES
    return np.stack([0 * t, 0.05 * np.sin(2 * np.pi * t), 0.9 * t], axis=1)


def poses_bytes() -> bytes:
    """No mark at all: counts, which joints move, the way, then keys: one for what stays, one a frame for what moves."""
    mask = sum(1 << joint for joint, moves in enumerate(_MOVES) if moves)
    data = struct.pack("<HHfI", len(JOINTS), FRAMES, RATE, mask) + way().astype("<f4").tobytes()
    for joint, moves in enumerate(_MOVES):
        for frame in range(FRAMES if moves else 1):
            data += struct.pack("<3H", *packed_turn(turn(joint, frame)))
    return data
