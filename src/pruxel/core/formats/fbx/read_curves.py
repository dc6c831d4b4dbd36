"""Keys of one number, and several curves → keys of one value."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.core.formats.fbx.document import TICKS
from pruxel.core.formats.fbx.objects import Thing, array, whole
from pruxel.core.formats.resampled import refined, with_jumps
from pruxel.core.scene.model import Interpolation

CONSTANT, _LINEAR, _CUBIC = 0x2, 0x4, 0x8
MOST_SECONDS = 1e6
_LARGEST = 1e15  # beyond this a key is no value of a placement


@dataclass(frozen=True, eq=False)
class Curve:
    """Keys of one number: seconds (k,), values (k,), how each goes on (k,), and slopes a second at both its sides."""

    times: DoubleArray
    values: DoubleArray
    flags: AnyArray
    leaving: DoubleArray
    arriving: DoubleArray

    def at(self, seconds: DoubleArray) -> DoubleArray:
        """(n,) the value at times (n,), held before the first key and after the last."""
        count = len(self.times)
        if count == 1:
            return np.full(len(seconds), self.values[0])
        last = np.clip(np.searchsorted(self.times, seconds, "right") - 1, 0, count - 2)
        span = np.maximum(self.times[last + 1] - self.times[last], 1e-12)
        share = np.clip((seconds - self.times[last]) / span, 0, 1)
        a, b = self.values[last], self.values[last + 1]
        line = a + (b - a) * share
        m, n = self.leaving[last] * span, self.arriving[last + 1] * span
        cubed, squared = share**3, share**2
        curved = (2 * cubed - 3 * squared + 1) * a + (cubed - 2 * squared + share) * m
        curved = curved + (3 * squared - 2 * cubed) * b + (cubed - squared) * n
        how = self.flags[last]
        held = np.where(share < 1, a, b)
        return np.where(how & CONSTANT, held, np.where(how & _CUBIC, curved, line))


def curve_of(thing: Thing) -> Curve | None:
    """The keys of a curve; None where it has none that can be used."""
    element = thing.element
    times = whole(element, "KeyTime") / TICKS
    values = array(element, "KeyValueFloat").astype(np.float64)
    count = min(len(times), len(values))
    times, values = times[:count], values[:count]
    flags, leaving, arriving = _attributes(thing, count)
    fine = (np.abs(values) < _LARGEST) & (np.abs(times) < MOST_SECONDS)
    order = np.argsort(times[fine], kind="stable")
    times, values, flags, leaving, arriving = (a[fine][order] for a in (times, values, flags, leaving, arriving))
    new = np.concatenate([np.diff(times) > 0, [True]]) if len(times) else np.zeros(0, bool)
    if not new.any():
        return None
    return Curve(times[new], values[new], flags[new], leaving[new], arriving[new])


def _attributes(thing: Thing, count: int) -> tuple[AnyArray, DoubleArray, DoubleArray]:
    """Flags and slopes of every key, which stand once for runs of keys; a key tells of the next one's left side."""
    flags, data = whole(thing.element, "KeyAttrFlags"), array(thing.element, "KeyAttrDataFloat").astype(np.float64)
    runs = np.clip(whole(thing.element, "KeyAttrRefCount"), 0, count)
    listed = min(len(flags), len(runs), len(data) // 4)
    if not listed:
        return np.full(count, _LINEAR), np.zeros(count), np.zeros(count)
    row = np.repeat(np.arange(listed), runs[:listed])[:count]
    row = np.pad(row, (0, count - len(row)), mode="edge") if len(row) else np.zeros(count, np.int64)
    slopes = np.clip(np.nan_to_num(data[: 4 * listed].reshape(-1, 4)[row]), -_LARGEST, _LARGEST)
    arriving = np.concatenate([[0.0], slopes[:-1, 1]]) if count else slopes[:, 1]
    return flags[row], slopes[:, 0], arriving


def keys_of(
    curves: Sequence[Curve], values: Callable[[DoubleArray], DoubleArray], *, turn: bool
) -> tuple[DoubleArray, DoubleArray, Interpolation]:
    """Times (k,) where the curves have keys, and where straight lines or arcs between these would stray, more of them.

    `values` gives rows (n, width) at times (n,); returned are those at the keys, and how they go on.
    """
    times = np.unique(np.concatenate([curve.times for curve in curves]))
    steps = all(bool((curve.flags[:-1] & CONSTANT).all()) for curve in curves)
    how: Interpolation = "STEP" if steps and len(times) > 1 else "LINEAR"
    if how == "LINEAR":
        times = with_jumps(times, [c.times[1:][(c.flags[:-1] & CONSTANT) > 0] for c in curves])
        times = refined(times, values, turn=turn)
    return times, values(times), how
