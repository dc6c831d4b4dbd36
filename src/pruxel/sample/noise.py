"""Noise in space, the same for the same seed on every machine."""

from __future__ import annotations

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray


def _hash(x: AnyArray, y: AnyArray, z: AnyArray, seed: int) -> DoubleArray:
    """A number from 0 to 1 for each lattice point (multiplicative hashing of 32-bit words)."""
    h = (x.astype(np.uint32) * np.uint32(374761393)) ^ (y.astype(np.uint32) * np.uint32(668265263))
    h = h ^ (z.astype(np.uint32) * np.uint32(2147483647)) ^ np.uint32(seed * 1274126177 & 0xFFFFFFFF)
    h = (h ^ (h >> np.uint32(13))) * np.uint32(1274126177)
    h = h ^ (h >> np.uint32(16))
    return h.astype(np.float64) / 4294967295.0


def noise(points: AnyArray, seed: int) -> DoubleArray:
    """Smooth value noise at (n, 3) points, one lattice cell a unit; (n,) from -1 to 1."""
    base = np.floor(points)
    t = points - base
    t = t * t * (3 - 2 * t)
    i = base.astype(np.int64)
    total = np.zeros(len(points))
    for corner in range(8):
        step = [(corner >> k) & 1 for k in range(3)]
        weight = np.prod([t[:, k] if step[k] else 1 - t[:, k] for k in range(3)], axis=0)
        total += weight * _hash(i[:, 0] + step[0], i[:, 1] + step[1], i[:, 2] + step[2], seed)
    return total * 2 - 1


def fractal(points: AnyArray, seed: int, octaves: int = 4, frequency: float = 1.0) -> DoubleArray:
    """A sum of octaves of `noise`, each twice as fine and half as strong; (n,) about -1 to 1."""
    total, strength = np.zeros(len(points)), 0.5
    for octave in range(octaves):
        total += strength * noise(points * frequency * 2.0**octave, seed + octave * 17)
        strength *= 0.5
    return total * 1.6


def cells(points: AnyArray, seed: int, frequency: float = 1.0) -> DoubleArray:
    """Distance to the nearest of one jittered point a cell (Worley 1996); (n,) from 0 to about 1."""
    p = points * frequency
    base = np.floor(p).astype(np.int64)
    nearest = np.full(len(p), 9.0)
    for dx in (-1, 0, 1):
        for dy in (-1, 0, 1):
            for dz in (-1, 0, 1):
                cell = base + np.array((dx, dy, dz))
                jitter = np.stack([_hash(cell[:, 0], cell[:, 1], cell[:, 2], seed + k) for k in range(3)], axis=1)
                nearest = np.minimum(nearest, ((cell + jitter - p) ** 2).sum(axis=1))
    return np.sqrt(nearest)
