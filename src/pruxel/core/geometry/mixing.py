"""Values between keys of many channels that have their keys at the same times."""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, FloatArray, frozen

_NEAR = 0.995  # the cosine of a twelfth of a right angle or so, from where a series is as good as the sine


@numba.njit(cache=True, nogil=True)
def _share(s, square):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """sin(s a) / sin(a) by a series, for small squares of the angle a."""
    t = s * s
    second = (7 - t * (10 - 3 * t)) / 360
    third = (31 - t * (49 - t * (21 - 3 * t))) / 15120
    return s * (1 + square * ((1 - t) / 6 + square * (second + square * third)))


@numba.njit(cache=True, nogil=True)
def _lines(rows, before, after, share, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for c in range(rows.shape[0]):
        for m in range(len(before)):
            a, b, s = before[m], after[m], share[m]
            for w in range(rows.shape[2]):
                out[c, m, w] = rows[c, a, w] * (1 - s) + rows[c, b, w] * s


@numba.njit(cache=True, nogil=True)
def _unit(rows, c, k, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    x, y, z, w = (
        np.float64(rows[c, k, 0]),
        np.float64(rows[c, k, 1]),
        np.float64(rows[c, k, 2]),
        np.float64(rows[c, k, 3]),
    )
    length = np.sqrt(x * x + y * y + z * z + w * w)
    if length > 0:
        out[0], out[1], out[2], out[3] = x / length, y / length, z / length, w / length
    else:
        out[0], out[1], out[2], out[3] = 0.0, 0.0, 0.0, 1.0


@numba.njit(cache=True, nogil=True)
def _arcs(rows, before, after, share, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    first, second = np.empty(4), np.empty(4)
    for c in range(rows.shape[0]):
        at = last = -1
        cosine = angle = sine = sign = square = 1.0
        near = False
        for m in range(len(before)):
            s = share[m]
            if before[m] != at:
                if at >= 0 and before[m] == last:
                    first[:] = second
                else:
                    _unit(rows, c, before[m], first)
                at, last = before[m], after[m]
                _unit(rows, c, last, second)
                cosine = first[0] * second[0] + first[1] * second[1] + first[2] * second[2] + first[3] * second[3]
                sign = -1.0 if cosine < 0 else 1.0
                near = abs(cosine) > _NEAR
                if near:
                    # The angle's square from one less its cosine, good to 1e-12 there.
                    e = max(1 - abs(cosine), 0.0)
                    square = e * (2 + e * (1 / 3 + e * 4 / 45))
                else:
                    angle = np.arccos(min(abs(cosine), 1.0))
                    sine = np.sin(angle)
            if near:
                a, b = _share(1 - s, square), _share(s, square)
            else:
                a, b = np.sin((1 - s) * angle) / sine, np.sin(s * angle) / sine
            b *= sign
            x, y = a * first[0] + b * second[0], a * first[1] + b * second[1]
            z, w = a * first[2] + b * second[2], a * first[3] + b * second[3]
            length = np.sqrt(x * x + y * y + z * z + w * w)
            out[c, m, 0], out[c, m, 1], out[c, m, 2], out[c, m, 3] = x / length, y / length, z / length, w / length


def between_keys(rows: FloatArray, before: AnyArray, after: AnyArray, share: DoubleArray, *, turn: bool) -> DoubleArray:
    """(c, m, w) values of channels with keys (c, k, w) float32 at shares (m,) of the way from one key to another.

    before, after (m,): the numbers of the keys. `turn`: quaternions of any length, met along the shorter arc; one
    without length turns nowhere.
    """
    out = np.empty((rows.shape[0], len(before), rows.shape[2]))
    (_arcs if turn else _lines)(frozen(rows), before, after, share, out)
    return out


@numba.njit(cache=True, nogil=True)
def _stand(places, turns, sizes, above, order, fixed, is_fixed, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    m = np.empty((3, 4))
    for t in range(out.shape[0]):
        for n in order:
            if is_fixed[n]:
                m[:] = fixed[n, :3]
            else:
                x, y, z, w = turns[t, n, 0], turns[t, n, 1], turns[t, n, 2], turns[t, n, 3]
                for c in range(3):
                    size = sizes[t, n, c]
                    if c == 0:
                        m[0, 0], m[1, 0], m[2, 0] = 1 - 2 * (y * y + z * z), 2 * (x * y + z * w), 2 * (x * z - y * w)
                    elif c == 1:
                        m[0, 1], m[1, 1], m[2, 1] = 2 * (x * y - z * w), 1 - 2 * (x * x + z * z), 2 * (y * z + x * w)
                    else:
                        m[0, 2], m[1, 2], m[2, 2] = 2 * (x * z + y * w), 2 * (y * z - x * w), 1 - 2 * (x * x + y * y)
                    for r in range(3):
                        m[r, c] *= size
                    m[c, 3] = places[t, n, c]
            p = above[n]
            for r in range(3):
                for c in range(4):
                    if p < 0:
                        out[t, n, r, c] = m[r, c]
                    else:
                        value = out[t, p, r, 0] * m[0, c] + out[t, p, r, 1] * m[1, c] + out[t, p, r, 2] * m[2, c]
                        out[t, n, r, c] = value + (out[t, p, r, 3] if c == 3 else 0.0)
            out[t, n, 3, 0] = out[t, n, 3, 1] = out[t, n, 3, 2] = 0.0
            out[t, n, 3, 3] = 1.0


def standing_matrices(
    places: DoubleArray,
    turns: DoubleArray,
    sizes: DoubleArray,
    above: AnyArray,
    order: AnyArray,
    fixed: DoubleArray,
    is_fixed: AnyArray,
) -> DoubleArray:
    """The (m, n, 4, 4) world_from_local matrices of n nodes at m moments.

    places (m, n, 3), unit turns (m, n, 4) xyzw and sizes (m, n, 3) are each node's in its parent; `above` (n,) is the
    number of that, -1 for none; `order` (n,) lists nodes each after its parent. Where `is_fixed` (n,), the parent_from_
    local matrix of `fixed` (n, 4, 4) stands in their place.
    """
    out = np.empty((*places.shape[:2], 4, 4))
    _stand(places, turns, sizes, above, order, fixed, is_fixed, out)
    return out
