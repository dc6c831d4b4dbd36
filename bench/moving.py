"""Skinning, evaluating, carrying over and reducing clips, beside bare loops and general libraries."""

from __future__ import annotations

import time

import numba
import numpy as np
from scipy.interpolate import interp1d

from bench.timing import best, by_turns, line
from pruxel.core.fit.pairing import pair_joints, skeleton_of
from pruxel.core.fit.transfer import carried_over, fitted
from pruxel.core.geometry.reducing import needed_keys, needed_turns
from pruxel.core.geometry.skinning import held_surface
from pruxel.core.scene.keys import all_at_times
from pruxel.core.scene.model import Clip, ClipChannel, Node, Scene, Skin

_VERTICES, _JOINTS = 200_000, 60


@numba.njit(nogil=True)
def _bare(points, joints, weights, matrices, out):  # type: ignore[no-untyped-def]
    for i in range(len(points)):
        x, y, z = points[i, 0], points[i, 1], points[i, 2]
        for r in range(3):
            total = 0.0
            for k in range(4):
                m = matrices[joints[i, k]]
                total += weights[i, k] * (m[r, 0] * x + m[r, 1] * y + m[r, 2] * z + m[r, 3])
            out[i, r] = total


def _skinning(rng: np.random.Generator) -> None:
    points = rng.normal(size=(_VERTICES, 3)).astype(np.float32)
    joints = rng.integers(0, _JOINTS, (_VERTICES, 4)).astype(np.uint16)
    weights = rng.dirichlet(np.ones(4), _VERTICES).astype(np.float32)
    matrices = np.tile(np.eye(4), (_JOINTS, 1, 1))
    matrices[:, :3] += rng.normal(size=(_JOINTS, 3, 4)) * 0.2
    out = np.empty_like(points)
    ours, bare = by_turns(
        lambda: held_surface(points, None, None, joints, weights, matrices),
        lambda: _bare(points, joints, weights, matrices, out),
    )
    line("hold 200,000 vertices by 4 joints : a bare loop", ours, bare, 1.5)
    print(f"{'  frames a second':58} {1 / ours:8.0f}   goal 60")


def _body(rng: np.random.Generator, joints: int, prefix: str) -> Scene:
    """A tree of joints as bodies have: chains off a trunk."""
    above = [max(-1, n - 1 if n % 5 else (n // 10) * 5 - 1) for n in range(joints)]
    nodes = tuple(
        Node(
            f"{prefix}{n}", children=tuple(k for k in range(joints) if above[k] == n),
            translation=tuple(rng.uniform(-0.3, 0.3, 3).tolist()),
        )
        for n in range(joints)
    )  # fmt: skip
    roots = tuple(n for n in range(joints) if above[n] < 0)
    return Scene(
        "body", nodes=nodes, roots=roots, skins=(Skin("b", tuple(range(joints)), np.tile(np.eye(4), (joints, 1, 1))),)
    )


def _clip(rng: np.random.Generator, joints: int, keys: int) -> Clip:
    times = (np.arange(keys) / 30).astype(np.float32)
    channels = []
    for n in range(joints):
        turns = np.cumsum(rng.normal(size=(keys, 4)) * 0.02, axis=0) + (0, 0, 0, 1)
        turns /= np.linalg.norm(turns, axis=1, keepdims=True)
        channels.append(ClipChannel(n, "rotation", times, turns.astype(np.float32)))
    return Clip("c", tuple(channels))


def _evaluating(rng: np.random.Generator) -> None:
    """A hundred clips of two hundred joints, two seconds at thirty a second, between their keys."""
    clips = [_clip(rng, 200, 61) for _ in range(100)]
    seconds = np.arange(0, 2, 1 / 30) + 0.01
    times = clips[0].channels[0].times.astype(np.float64)
    stacked = [np.stack([c.values for c in clip.channels], axis=1).astype(np.float64) for clip in clips]

    def ours() -> None:
        for clip in clips:
            all_at_times(clip.channels, seconds)

    def theirs() -> None:
        for values in stacked:
            interp1d(times, values, axis=0, assume_sorted=True)(seconds)

    line("evaluate 100 clips of 200 joints : SciPy between keys", best(ours, 1), best(theirs), 3)


def _carrying(rng: np.random.Generator) -> None:
    source, target = _body(rng, 80, "j"), _body(np.random.default_rng(5), 80, "j")
    clips = [_clip(rng, 80, 61) for _ in range(50)]
    start = time.perf_counter()
    a, b = skeleton_of(source), skeleton_of(target)
    fit = fitted(source, target, a, b, pair_joints(a, b))
    for clip in clips:
        carried_over(fit, clip)
    print(f"{'carry 50 clips over onto 80 joints, seconds':58} {time.perf_counter() - start:8.2f}   goal seconds")


def _reducing(rng: np.random.Generator) -> None:
    times = np.arange(1_000_000) / 30
    rows = np.cumsum(rng.normal(size=(1_000_000, 3)) * 0.01, axis=0)
    turns = np.cumsum(rng.normal(size=(1_000_000, 4)) * 0.01, axis=0) + (0, 0, 0, 9)
    turns /= np.linalg.norm(turns, axis=1, keepdims=True)
    line(
        "leave keys out of 1,000,000 places : numpy.diff",
        best(lambda: needed_keys(times, rows, np.full(3, 0.05))), best(lambda: np.diff(rows, axis=0)), 60,
    )  # fmt: skip
    line(
        "leave keys out of 1,000,000 turns : numpy.diff",
        best(lambda: needed_turns(times, turns, 0.02)), best(lambda: np.diff(turns, axis=0)), 60,
    )  # fmt: skip


def run() -> None:
    """Print all ratios."""
    rng = np.random.default_rng(3)
    _skinning(rng)
    _evaluating(rng)
    _carrying(rng)
    _reducing(rng)
