"""Samplers → curves, and the values of these at any time."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, usable_rows
from pruxel.core.formats.collada.document import Document, inputs_of
from pruxel.core.formats.xml import Tag

_STEP, _LINE, _CURVE = 0, 1, 2
_KINDS = {"STEP": _STEP, "LINEAR": _LINE, "BEZIER": _CURVE, "HERMITE": _CURVE, "CARDINAL": _LINE, "BSPLINE": _LINE}
_HALVINGS = 40
_MOST_SECONDS = 1e6


@dataclass(frozen=True, eq=False)
class Curve:
    """Keys at times (k,) with values (k, w); how each goes on (k,), its control points (k, w, 2): time, value."""

    times: DoubleArray
    values: DoubleArray
    how: AnyArray
    leaving: DoubleArray
    arriving: DoubleArray

    @property
    def steps(self) -> bool:
        """Whether it only jumps."""
        return bool((self.how[:-1] == _STEP).all())

    def at(self, seconds: DoubleArray) -> DoubleArray:
        """(n, w) the values at times (n,), held before the first key and after the last."""
        count = len(self.times)
        if count == 1:
            return np.repeat(self.values, len(seconds), axis=0)
        row = np.clip(np.searchsorted(self.times, seconds, "right") - 1, 0, count - 2)
        span = self.times[row + 1] - self.times[row]
        share = np.clip((seconds - self.times[row]) / span, 0, 1)[:, None]
        a, b = self.values[row], self.values[row + 1]
        how = self.how[row][:, None]
        line = a + (b - a) * share
        held = np.where(share < 1, a, b)
        if not (how == _CURVE).any():
            return np.where(how == _STEP, held, line)
        first, last = self.leaving[row], self.arriving[row + 1]
        # Control points beyond the stretch would let time run backwards.
        x1 = np.clip((first[..., 0] - self.times[row][:, None]) / span[:, None], 0, 1)
        x2 = np.clip((last[..., 0] - self.times[row][:, None]) / span[:, None], 0, 1)
        s = _parameter(x1, x2, np.broadcast_to(share, x1.shape))
        inside = (share > 0) & (share < 1)
        curved = np.where(inside, _bezier(s, a, first[..., 1], last[..., 1], b), line)
        return np.where(how == _STEP, held, np.where(how == _CURVE, curved, line))


def _bezier(s: DoubleArray, a: DoubleArray, b: DoubleArray, c: DoubleArray, d: DoubleArray) -> DoubleArray:
    t = 1 - s
    found: DoubleArray = t**3 * a + 3 * t * t * s * b + 3 * t * s * s * c + s**3 * d
    return found


def _parameter(x1: DoubleArray, x2: DoubleArray, share: DoubleArray) -> DoubleArray:
    """Where a Bézier curve whose times are 0, x1, x2, 1 has come to a share of the time; by halving."""
    low, high = np.zeros_like(x1), np.ones_like(x1)
    for _ in range(_HALVINGS):
        middle = (low + high) / 2
        under = _bezier(middle, np.zeros_like(x1), x1, x2, np.ones_like(x1)) < share
        low, high = np.where(under, middle, low), np.where(under, high, middle)
    return (low + high) / 2


def curve_of(document: Document, sampler: Tag) -> Curve | None:
    """The curve of a sampler; None where it has no keys that can be used."""
    sources = {i.semantic: i.source for i in inputs_of(document, sampler)}
    times, values = document.values(sources.get("INPUT"))[:, 0], document.values(sources.get("OUTPUT"))
    count = min(len(times), len(values))
    if not count or not values.shape[1]:
        return None
    times, values = times[:count], values[:count]
    with np.errstate(invalid="ignore"):
        fine = usable_rows(values) & (np.abs(times) < _MOST_SECONDS)
    values = np.where(usable_rows(values)[:, None], values, 0.0)
    times = np.where(fine, times, 0.0)
    words = (document.names(sources.get("INTERPOLATION")) + ["LINEAR"] * count)[:count]
    how = np.array([_KINDS.get(word.upper(), _LINE) for word in words])
    hermite = np.array([word.upper() == "HERMITE" for word in words])
    leaving = _controls(document.values(sources.get("OUT_TANGENT")), times, values, hermite, forward=True)
    arriving = _controls(document.values(sources.get("IN_TANGENT")), times, values, hermite, forward=False)
    fine &= usable_rows(leaving) & usable_rows(arriving)
    order = np.argsort(times[fine], kind="stable")
    times, values, how, leaving, arriving = (a[fine][order] for a in (times, values, how, leaving, arriving))
    new = np.concatenate([np.diff(times) > 1e-9, [True]]) if len(times) else np.zeros(0, bool)
    if not new.any():
        return None
    return Curve(times[new], values[new], how[new], leaving[new], arriving[new])


def _controls(
    listed: DoubleArray, times: DoubleArray, values: DoubleArray, hermite: AnyArray, *, forward: bool
) -> DoubleArray:
    """(k, w, 2) control points. Of tangents with one number a value, time runs evenly; none lie on the straight line.

    Tangents of HERMITE keys are derivatives; a third of them leads to the control point.
    """
    count, width = values.shape
    gaps = np.diff(times)
    room = np.concatenate([gaps, gaps[-1:]]) if forward else np.concatenate([gaps[:1], gaps])
    third = (room if len(room) else np.ones(count)) / 3
    sign = 1.0 if forward else -1.0
    at = np.repeat((times + sign * third)[:, None], width, axis=1)
    if len(listed) >= count and listed.shape[1] == 2 * width:
        found = listed[:count].reshape(count, width, 2).copy()
    elif len(listed) >= count and listed.shape[1] == width:
        found = np.stack([at, listed[:count]], axis=2)
    else:
        steps = np.diff(values, axis=0) / 3 if count > 1 else np.zeros((1, width))
        slope = np.concatenate([steps, steps[-1:]])[:count] if forward else np.concatenate([steps[:1], steps])[:count]
        return np.stack([at, values + sign * slope], axis=2)
    found = np.where(usable_rows(found)[:, None, None], found, np.nan)  # such keys are left out
    tangent = found[hermite]
    found[hermite] = np.stack([at[hermite], values[hermite] + sign * tangent[..., 1] / 3], axis=2)
    return found
