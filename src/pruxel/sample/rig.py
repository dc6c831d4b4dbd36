"""Skeletons of sample creatures, their weights, and the clips that move them; and the bytes of both files."""

from __future__ import annotations

import struct
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.spatial.transform import Rotation

from pruxel.core.base.arrays import AnyArray

Vec = tuple[float, float, float]
# Angles in radians about x, y, z at a share of the clip (0 to 1).
Motion = Callable[[float], Vec]


@dataclass(frozen=True)
class Joint:
    """A joint at `place` in metres, Y up; `tip` is where its bone ends. `parent` is an earlier joint's name."""

    name: str
    place: Vec
    tip: Vec
    parent: str | None = None


@dataclass(frozen=True)
class Move:
    """A clip: its length, motions of joints, and how the first joint travels (metres)."""

    name: str
    seconds: float
    turns: dict[str, Motion]
    drift: Callable[[float], Vec] | None = None


@dataclass(frozen=True)
class Rig:
    """A skeleton with its clips; `only` ties whole parts to one joint."""

    path: str
    joints: tuple[Joint, ...]
    moves: tuple[Move, ...]
    only: dict[str, str]

    def weights(self, part: str, positions: AnyArray) -> tuple[AnyArray, AnyArray]:
        """Joint numbers (n, 4) uint8 and weights (n, 4) uint8 that sum to 255: near bones pull most."""
        names = [joint.name for joint in self.joints]
        distance = np.stack([_to_segment(positions, np.array(j.place), np.array(j.tip)) for j in self.joints], axis=1)
        pull = 1 / np.maximum(distance, 1e-3) ** 5
        if part in self.only:
            pull = np.tile(np.arange(len(names)) == names.index(self.only[part]), (len(positions), 1)).astype(float)
        # A skeleton of fewer than four joints has the first again, pulling with nothing.
        pull = np.pad(pull, ((0, 0), (0, max(4 - len(names), 0))))
        best = np.argsort(-pull, axis=1, kind="stable")[:, :4]
        share = np.take_along_axis(pull, best, axis=1)
        parts = np.floor(share / share.sum(axis=1, keepdims=True) * 255).astype(np.uint8)
        parts[:, 0] += (255 - parts.sum(axis=1, dtype=np.int64)).astype(np.uint8)
        return np.where(best < len(names), best, 0).astype(np.uint8), parts


def _to_segment(points: AnyArray, a: AnyArray, b: AnyArray) -> AnyArray:
    along = np.clip((points - a) @ (b - a) / max(float((b - a) @ (b - a)), 1e-12), 0, 1)
    return np.asarray(np.linalg.norm(points - (a + along[:, None] * (b - a)), axis=1))


def _turned(v: AnyArray | Vec) -> Vec:
    """Our axes → the game's, Z up."""
    return (float(v[0]), -float(v[2]), float(v[1]))


def _text(words: str) -> bytes:
    return struct.pack("<B", len(words.encode())) + words.encode()


def _from_parent(rig: Rig, joint: Joint) -> AnyArray:
    parent = next((np.array(j.place) for j in rig.joints if j.name == joint.parent), np.zeros(3))
    return np.array(joint.place) - parent


def skeleton_bytes(rig: Rig) -> bytes:
    """A `.bsk` file: every joint with its parent's number, offset in centimetres and turn."""
    names = [joint.name for joint in rig.joints]
    out = struct.pack("<4sHH", b"BSKL", 1, len(names))
    for joint in rig.joints:
        offset = _turned(_from_parent(rig, joint) * 100)
        parent = -1 if joint.parent is None else names.index(joint.parent)
        out += _text(joint.name) + struct.pack("<h3f4f", parent, *offset, 0.0, 0.0, 0.0, 1.0)
    return out


def clips_bytes(rig: Rig, rate: float = 24.0) -> bytes:
    """A `.bcl` file: clips of tracks; turns as four normalised shorts, offsets as three floats in centimetres."""
    out = struct.pack("<4sHH", b"BCLP", 1, len(rig.moves))
    for move in rig.moves:
        frames = round(move.seconds * rate) + 1
        shares = np.linspace(0, 1, frames)
        out += _text(move.name) + struct.pack("<fHH", rate, frames, len(move.turns) + (move.drift is not None))
        for joint, motion in move.turns.items():
            turns = Rotation.from_euler("XYZ", [motion(share) for share in shares]).as_quat()
            turned = np.stack([turns[:, 0], -turns[:, 2], turns[:, 1], turns[:, 3]], axis=1)
            out += _text(joint) + struct.pack("<B", 1) + np.round(turned * 32767).astype("<i2").tobytes()
        if move.drift is not None:
            start = _from_parent(rig, rig.joints[0])
            places = np.array([_turned((start + np.array(move.drift(share))) * 100) for share in shares])
            out += _text(rig.joints[0].name) + struct.pack("<B", 0) + places.astype("<f4").tobytes()
    return out
