"""Skeletons of sample creatures, their weights, and the clips that move them; and the bytes of both files."""

from __future__ import annotations

import struct
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from scipy.spatial.transform import Rotation

from pruxel.core.base.arrays import AnyArray

Vec = tuple[float, float, float]
# Angles in radians about x, y, z at a share of the clip (0 to 1).
Motion = Callable[[float], Vec]


@dataclass(frozen=True)
class Joint:
    """A joint at `place` in metres, Y up; `tip` is where its bone ends. `parent` is an earlier joint's name.

    `turn` is how it rests in the world: a rotation vector in radians.
    """

    name: str
    place: Vec
    tip: Vec
    parent: str | None = None
    turn: Vec = (0.0, 0.0, 0.0)


@dataclass(frozen=True)
class Move:
    """A clip: its length, motions of joints, and how the first joint travels (metres).

    `rate` is what the file says, `shown` how many keys a second there are. A clip that is added to another tells turns
    from how joints rest; `sizes` are factors. Of parts that no joint holds, `paths` are their ways in metres; `seen`
    is above a half while they are to be seen. `glows` is how materials shine.
    """

    name: str
    seconds: float
    turns: dict[str, Motion]
    drift: Motion | None = None
    sizes: dict[str, Motion] = field(default_factory=dict)
    rate: float = 24.0
    shown: float = 24.0
    added: bool = False
    paths: dict[str, Motion] = field(default_factory=dict)
    seen: dict[str, Callable[[float], float]] = field(default_factory=dict)
    glows: dict[str, Motion] = field(default_factory=dict)


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


def _above(rig: Rig, joint: Joint) -> Joint:
    """The joint above it, or the ground."""
    return next((j for j in rig.joints if j.name == joint.parent), Joint("", (0, 0, 0), (0, 0, 0)))


def _from_parent(rig: Rig, joint: Joint) -> tuple[AnyArray, Rotation]:
    """How it rests in the joint above it: offset in metres, turn."""
    above = _above(rig, joint)
    back = Rotation.from_rotvec(above.turn).inv()
    return back.apply(np.array(joint.place) - np.array(above.place)), back * Rotation.from_rotvec(joint.turn)


def _as_the_game_turns(turns: Rotation) -> AnyArray:
    """(n, 4) xyzw in the game's axes."""
    found = np.atleast_2d(turns.as_quat())
    return np.stack([found[:, 0], -found[:, 2], found[:, 1], found[:, 3]], axis=1)


def skeleton_bytes(rig: Rig) -> bytes:
    """A `.bsk` file: every joint with its parent's number, offset in centimetres and turn."""
    names = [joint.name for joint in rig.joints]
    out = struct.pack("<4sHH", b"BSKL", 1, len(names))
    for joint in rig.joints:
        offset, turn = _from_parent(rig, joint)
        parent = -1 if joint.parent is None else names.index(joint.parent)
        out += _text(joint.name) + struct.pack("<h3f", parent, *_turned(offset * 100))
        out += _as_the_game_turns(turn)[0].astype("<f4").tobytes()
    return out


def clips_bytes(rig: Rig) -> bytes:
    """A `.bcl` file: clips of tracks; turns as four normalised shorts, offsets (centimetres) and sizes as floats."""
    out = struct.pack("<4sHH", b"BCLP", 1, len(rig.moves))
    for move in rig.moves:
        frames = round(move.seconds * move.shown) + 1
        shares = np.linspace(0, 1, frames)
        tracks = [_turn_track(rig, move, joint, shares) for joint in move.turns]
        if move.drift is not None:
            tracks.append(_drift_track(rig, move.drift, shares, added=move.added))
        for joint, motion in move.sizes.items():
            # Along z of the game is along y of ours.
            sizes = np.array([motion(share) for share in shares])[:, [0, 2, 1]]
            tracks.append(_text(joint) + struct.pack("<B", 2) + sizes.astype("<f4").tobytes())
        for part, path in move.paths.items():
            places = np.array([_turned(np.array(path(share)) * 100) for share in shares])
            tracks.append(_text(part) + struct.pack("<B", 0) + places.astype("<f4").tobytes())
        for part, seen in move.seen.items():
            shown = np.array([seen(share) for share in shares])
            tracks.append(_text(part) + struct.pack("<B", 3) + shown.astype("<f4").tobytes())
        for material, glow in move.glows.items():
            colors = np.array([glow(share) for share in shares])
            tracks.append(_text(material) + struct.pack("<B", 4) + colors.astype("<f4").tobytes())
        out += _text(move.name) + struct.pack("<fHH", move.rate, frames, len(tracks)) + b"".join(tracks)
    return out


def _turn_track(rig: Rig, move: Move, joint: str, shares: AnyArray) -> bytes:
    """A joint turned in the axes of the world that it rests in; one that the rig does not know rests unturned."""
    ours = next((one for one in rig.joints if one.name == joint), Joint(joint, (0, 0, 0), (0, 0, 0)))
    above, rests = Rotation.from_rotvec(_above(rig, ours).turn), Rotation.from_rotvec(ours.turn)
    turns = above.inv() * Rotation.from_euler("XYZ", [move.turns[joint](share) for share in shares]) * rests
    if move.added:
        turns = (above.inv() * rests).inv() * turns
    keys = np.round(_as_the_game_turns(turns) * 32767).astype("<i2")
    return _text(joint) + struct.pack("<B", 1) + keys.tobytes()


def _drift_track(rig: Rig, drift: Motion, shares: AnyArray, *, added: bool) -> bytes:
    start = np.zeros(3) if added else np.array(rig.joints[0].place)
    places = np.array([_turned((start + np.array(drift(share))) * 100) for share in shares])
    return _text(rig.joints[0].name) + struct.pack("<B", 0) + places.astype("<f4").tobytes()
