"""Stacks of curves → clips."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, frozen
from pruxel.core.formats.fbx.document import TICKS
from pruxel.core.formats.fbx.objects import Key, Objects, Thing, array, whole
from pruxel.core.formats.fbx.read_nodes import Placement
from pruxel.core.formats.resampled import channel_of, counted_from, refined, with_jumps
from pruxel.core.scene.model import ChannelPath, Clip, ClipChannel, Interpolation, ShownChannel

_CONSTANT, _LINEAR, _CUBIC = 0x2, 0x4, 0x8
_MOST_SECONDS = 1e6
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
        return np.where(how & _CONSTANT, held, np.where(how & _CUBIC, curved, line))


def curve_of(thing: Thing) -> Curve | None:
    """The keys of a curve; None where it has none that can be used."""
    element = thing.element
    times = whole(element, "KeyTime") / TICKS
    values = array(element, "KeyValueFloat").astype(np.float64)
    count = min(len(times), len(values))
    times, values = times[:count], values[:count]
    flags, leaving, arriving = _attributes(thing, count)
    fine = (np.abs(values) < _LARGEST) & (np.abs(times) < _MOST_SECONDS)
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


@dataclass(frozen=True)
class Target:
    """What a clip may move: the node of a model, and how it stands when nothing moves it."""

    node: int
    rest: Placement


def clips_of(
    objects: Objects,
    targets: Mapping[Key, Target],
    channels: Mapping[Key, tuple[int, int]],
    weights: Mapping[int, tuple[float, ...]],
    notes: list[str],
) -> list[Clip]:
    """A clip for each stack; `channels` are node and place of each shape's channel, `weights` the rest of each node."""
    clips = []
    for stack in objects.all("AnimationStack"):
        layers = list(objects.under(stack, "AnimationLayer"))
        if len(layers) > 1:
            notes.append(f"not taken over: {len(layers) - 1:,} further layers of clip '{stack.name}'")
        found: list[ClipChannel | ShownChannel] = []
        if layers:
            moved, shaped = _curves(objects, layers[0], channels)
            for key, slots in moved.items():
                if key in targets:
                    found += _placements(targets[key], slots)
                    found += _seen(targets[key].node, slots)
            for node, columns in shaped.items():
                found.append(_shapes(node, columns, weights.get(node, ())))
        if found:
            tracks = counted_from(found, _begin(stack))
            moving = tuple(one for one in tracks if isinstance(one, ClipChannel))
            shown = tuple(one for one in tracks if isinstance(one, ShownChannel))
            clips.append(Clip(stack.name, moving, shown=shown))
    return clips


def _begin(stack: Thing) -> float:
    begin = stack.number("LocalStart", 0.0) / TICKS
    return begin if abs(begin) < _MOST_SECONDS else 0.0


Slots = dict[str, dict[str, Curve]]


def _curves(
    objects: Objects, layer: Thing, channels: Mapping[Key, tuple[int, int]]
) -> tuple[dict[Key, Slots], dict[int, dict[int, Curve]]]:
    """The curves of a layer: by model, property and axis; and by node and place of a shape."""
    moved: dict[Key, Slots] = {}
    shaped: dict[int, dict[int, Curve]] = {}
    for node in objects.under(layer, "AnimationCurveNode"):
        curves = {}
        for key, slot in objects.below.get(node.key, ()):
            thing = objects.things.get(key)
            curve = curve_of(thing) if thing is not None and thing.kind == "AnimationCurve" else None
            if curve is not None:
                curves[slot.rpartition("|")[2]] = curve
        if not curves:
            continue
        for model, slot in objects.over(node, "Model"):
            moved.setdefault(model.key, {})[slot] = curves
        for channel, _ in objects.over(node, "Deformer"):
            if channel.key in channels and "DeformPercent" in curves:
                part, place = channels[channel.key]
                shaped.setdefault(part, {})[place] = curves["DeformPercent"]
    return moved, shaped


def _placements(target: Target, slots: Slots) -> list[ClipChannel]:
    rest, found = target.rest, []
    own = {"Lcl Translation": rest.translation, "Lcl Rotation": rest.angles_deg, "Lcl Scaling": rest.scale}
    curves = {name: slots.get(name, {}) for name in own}

    def values(name: str, at: DoubleArray) -> DoubleArray:
        axes = curves[name]
        columns = [axes[a].at(at) if a in axes else np.full(len(at), own[name][k]) for k, a in enumerate("XYZ")]
        return np.stack(columns, axis=1)

    def turn(at: DoubleArray) -> DoubleArray:
        return rest.pivots.turn(values("Lcl Rotation", at))

    def place(at: DoubleArray) -> DoubleArray:
        rows = zip(values("Lcl Translation", at), turn(at), values("Lcl Scaling", at), strict=True)
        return np.stack([rest.pivots.place(t, r, s) for t, r, s in rows])

    def together(*names: str) -> list[Curve]:
        return [curve for name in names for curve in curves[name].values()]

    if curves["Lcl Rotation"]:
        found.append(_channel(target.node, "rotation", together("Lcl Rotation"), turn))
    pivoted = not rest.pivots.still and bool(curves["Lcl Rotation"] or curves["Lcl Scaling"])
    if pivoted:
        found.append(_channel(target.node, "translation", together(*own), place))
    elif curves["Lcl Translation"]:
        found.append(_channel(target.node, "translation", together("Lcl Translation"), place))
    if curves["Lcl Scaling"]:
        scaled = together("Lcl Scaling")
        found.append(_channel(target.node, "scale", scaled, lambda at: values("Lcl Scaling", at)))
    return found


def _seen(node: int, slots: Slots) -> list[ShownChannel]:
    """When a model is to be seen: from a half of its visibility on."""
    curve = slots.get("Visibility", {}).get("Visibility")
    if curve is None:
        return []
    # Where a line between two keys goes through the half, it is seen, or no longer seen, from there on.
    a, b = curve.values[:-1] - 0.5, curve.values[1:] - 0.5
    through = ((a < 0) != (b < 0)) & ((curve.flags[:-1] & _CONSTANT) == 0)
    share = np.where(through, a / np.where(a == b, 1.0, a - b), 0.0)
    crossed = curve.times[:-1] + share * np.diff(curve.times)
    times = np.unique(np.concatenate([curve.times, crossed[through]]))
    seen = curve.at(np.minimum(times + 1e-6, times[-1])) >= 0.5
    if seen.all():
        return []
    keys = frozen(times.astype(np.float32)), frozen(seen.astype(np.float32)[:, None])
    return [ShownChannel(node, *keys)]


def _shapes(node: int, columns: dict[int, Curve], rest: tuple[float, ...]) -> ClipChannel:
    count = max(len(rest), max(columns) + 1)

    def values(at: DoubleArray) -> DoubleArray:
        still = [rest[k] if k < len(rest) else 0.0 for k in range(count)]
        return np.stack(
            [columns[k].at(at) / 100 if k in columns else np.full(len(at), still[k]) for k in range(count)], axis=1
        )

    return _channel(node, "weights", list(columns.values()), values)


def _channel(
    node: int, path: ChannelPath, curves: list[Curve], values: Callable[[DoubleArray], DoubleArray]
) -> ClipChannel:
    """Keys where the curves have theirs, and where straight lines or arcs between these would stray, more of them."""
    times = np.unique(np.concatenate([curve.times for curve in curves]))
    steps = all(bool((curve.flags[:-1] & _CONSTANT).all()) for curve in curves)
    how: Interpolation = "STEP" if steps and len(times) > 1 else "LINEAR"
    if how == "LINEAR":
        times = with_jumps(times, [c.times[1:][(c.flags[:-1] & _CONSTANT) > 0] for c in curves])
        times = refined(times, values, turn=path == "rotation")
    return channel_of(node, path, times, values(times), how)
