"""Noise in space, the same for the same seed on every machine."""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray


@numba.njit(cache=True, nogil=True)
def _hash(x, y, z, seed):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """A number from 0 to 1 for a lattice point (multiplicative hashing of 32-bit words)."""
    h = np.uint32(np.uint32(x) * np.uint32(374761393)) ^ np.uint32(np.uint32(y) * np.uint32(668265263))
    h = np.uint32(h ^ np.uint32(np.uint32(z) * np.uint32(2147483647)))
    h = np.uint32(h ^ np.uint32((seed * 1274126177) & 0xFFFFFFFF))
    h = np.uint32(np.uint32(h ^ (h >> np.uint32(13))) * np.uint32(1274126177))
    h = np.uint32(h ^ (h >> np.uint32(16)))
    return np.float64(h) / 4294967295.0


@numba.njit(cache=True, nogil=True)
def _add_noise(points, frequency, seed, strength, total):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    base, t = np.empty(3, np.int64), np.empty(3)
    for n in range(len(points)):
        for k in range(3):
            at = points[n, k] * frequency
            base[k] = np.int64(np.floor(at))
            part = at - np.floor(at)
            t[k] = part * part * (3 - 2 * part)
        found = 0.0
        for corner in range(8):
            weight = 1.0
            for k in range(3):
                weight *= t[k] if (corner >> k) & 1 else 1 - t[k]
            found += weight * _hash(
                base[0] + (corner & 1), base[1] + ((corner >> 1) & 1), base[2] + ((corner >> 2) & 1), seed
            )
        total[n] += strength * (found * 2 - 1)


@numba.njit(cache=True, nogil=True)
def _nearest_point(points, frequency, seed, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    p, base = np.empty(3), np.empty(3, np.int64)
    for n in range(len(points)):
        for k in range(3):
            p[k] = points[n, k] * frequency
            base[k] = np.int64(np.floor(p[k]))
        nearest = 9.0
        for step in range(27):
            x, y, z = base[0] + step // 9 - 1, base[1] + step // 3 % 3 - 1, base[2] + step % 3 - 1
            a = x + _hash(x, y, z, seed) - p[0]
            b = y + _hash(x, y, z, seed + 1) - p[1]
            c = z + _hash(x, y, z, seed + 2) - p[2]
            nearest = min(nearest, a * a + b * b + c * c)
        out[n] = np.sqrt(nearest)


def noise(points: AnyArray, seed: int) -> DoubleArray:
    """Smooth value noise at (n, 3) points, one lattice cell a unit; (n,) from -1 to 1."""
    total = np.zeros(len(points))
    _add_noise(np.ascontiguousarray(points, np.float64), 1.0, seed, 1.0, total)
    return total


def fractal(points: AnyArray, seed: int, octaves: int = 4, frequency: float = 1.0) -> DoubleArray:
    """A sum of octaves of `noise`, each twice as fine and half as strong; (n,) about -1 to 1."""
    plain, total, strength = np.ascontiguousarray(points, np.float64), np.zeros(len(points)), 0.5
    for octave in range(octaves):
        _add_noise(plain, frequency * 2.0**octave, seed + octave * 17, strength, total)
        strength *= 0.5
    return total * 1.6


def cells(points: AnyArray, seed: int, frequency: float = 1.0) -> DoubleArray:
    """Distance to the nearest of one jittered point a cell (Worley 1996); (n,) from 0 to about 1."""
    out = np.empty(len(points))
    _nearest_point(np.ascontiguousarray(points, np.float64), frequency, seed, out)
    return out
