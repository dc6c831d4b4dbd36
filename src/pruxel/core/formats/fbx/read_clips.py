"""Stacks of curves → clips."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import DoubleArray, frozen
from pruxel.core.formats.fbx.document import TICKS
from pruxel.core.formats.fbx.objects import Key, Objects, Thing
from pruxel.core.formats.fbx.read_curves import CONSTANT, MOST_SECONDS, Curve, curve_of, keys_of
from pruxel.core.formats.fbx.read_looks import looks_of
from pruxel.core.formats.fbx.read_nodes import Placement
from pruxel.core.formats.resampled import channel_of, counted_from
from pruxel.core.scene.keys import by_kind
from pruxel.core.scene.model import ChannelPath, Clip, ClipChannel, LookChannel, ShownChannel

_OVERRIDES = {1, 2}  # how a layer counts: instead of those below it
_WHOLE = 99.99  # per cent of its weight


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
    materials: Mapping[Key, int],
    notes: list[str],
) -> list[Clip]:
    """A clip for each stack.

    `channels` are node and place of each shape's channel, `weights` the rest of each node, `materials` their numbers.
    """
    clips = []
    for stack in objects.all("AnimationStack"):
        found: list[ClipChannel | ShownChannel | LookChannel] = []
        moved, shaped, left = _layered(objects, stack, channels)
        if left:
            notes.append(f"not taken over: what {left:,} layers of clip '{stack.name}' add to those below them")
        for key, slots in moved.items():
            if key in targets:
                found += _placements(targets[key], slots)
                found += _seen(targets[key].node, slots)
            if key in materials:
                found += looks_of(objects.things[key], materials[key], slots)
        for node, columns in shaped.items():
            found.append(_shapes(node, columns, weights.get(node, ())))
        if found:
            moving, shown, looks = by_kind(counted_from(found, _begin(stack)))
            clips.append(Clip(stack.name, moving, shown=shown, looks=looks))
    return clips


def _begin(stack: Thing) -> float:
    begin = stack.number("LocalStart", 0.0) / TICKS
    return begin if abs(begin) < MOST_SECONDS else 0.0


Slots = dict[str, dict[str, Curve]]


def _layered(
    objects: Objects, stack: Thing, channels: Mapping[Key, tuple[int, int]]
) -> tuple[dict[Key, Slots], dict[int, dict[int, Curve]], int]:
    """The curves of all layers, and how many are left out: those that add to what is below, or count in part."""
    moved: dict[Key, Slots] = {}
    shaped: dict[int, dict[int, Curve]] = {}
    left = 0
    for number, layer in enumerate(objects.under(stack, "AnimationLayer")):
        over, more = ({}, {}) if layer.number("Mute", 0) else _curves(objects, layer, channels)
        alone = layer.number("BlendMode", 0) in _OVERRIDES and layer.number("Weight", 100.0) >= _WHOLE
        if number and not alone:
            left += bool(over or more)
            continue
        for key, slots in over.items():
            moved[key] = moved.get(key, {}) | slots
        for node, columns in more.items():
            shaped[node] = shaped.get(node, {}) | columns
    return moved, shaped, left


def _curves(
    objects: Objects, layer: Thing, channels: Mapping[Key, tuple[int, int]]
) -> tuple[dict[Key, Slots], dict[int, dict[int, Curve]]]:
    """The curves of a layer: by model or material, property and axis; and by node and place of a shape."""
    moved: dict[Key, Slots] = {}
    shaped: dict[int, dict[int, Curve]] = {}
    for node in objects.under(layer, "AnimationCurveNode"):
        curves = {}
        for key, slot in objects.below.get(node.key, ()):
            one = objects.things.get(key)
            curve = curve_of(one) if one is not None and one.kind == "AnimationCurve" else None
            if curve is not None:
                curves[slot.rpartition("|")[2]] = curve
        if not curves:
            continue
        for kind in ("Model", "Material"):
            for thing, slot in objects.over(node, kind):
                moved.setdefault(thing.key, {})[slot] = curves
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
    through = ((a < 0) != (b < 0)) & ((curve.flags[:-1] & CONSTANT) == 0)
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
    return channel_of(node, path, *keys_of(curves, values, turn=path == "rotation"))
