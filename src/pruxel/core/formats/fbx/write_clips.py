"""Clips as stacks of curves, one for each number that moves."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.core.formats.fbx.document import TICKS, Document, number, prop, table, ticks
from pruxel.core.formats.fbx.elements import Element, Int64
from pruxel.core.geometry.euler import euler_curve
from pruxel.core.geometry.skinning import value_at
from pruxel.core.scene.keys import end_of
from pruxel.core.scene.model import ClipChannel, Scene, ShownChannel

_STEP, _LINEAR = 0x2, 0x4
_KEY_VERSION = 4008
_SLOTS = {"translation": ("T", "Lcl Translation"), "rotation": ("R", "Lcl Rotation"), "scale": ("S", "Lcl Scaling")}
_JUST_BEFORE = 1e-3  # seconds before a jump at which the value still stands, for readers that know lines only
_SPLINE_PARTS = (4, 8, 16, 32, 64)  # straight lines that a stretch of a spline may become
_SPLINE_ERROR = 1e-4  # how far their middles may stray, as a share of all that the value moves


def write_clips(
    document: Document,
    scene: Scene,
    models: dict[int, Int64],
    shapes: dict[int, tuple[Int64, ...]],
    most_deg: float,
) -> None:
    """A stack with one layer for each clip; `shapes` are the objects of a node's shapes."""
    for clip in scene.clips:
        start, end = 0.0, end_of(clip)
        stack, made = document.add("AnimationStack", clip.name, "")
        times = ("LocalStart", start), ("LocalStop", end), ("ReferenceStart", start), ("ReferenceStop", end)
        made.children.append(table(*(prop(name, "KTime", "Time", "", ticks(at)) for name, at in times)))
        layer, _ = document.add("AnimationLayer", "BaseLayer", "")
        document.join(layer, stack)
        for channel in clip.channels:
            if channel.path == "weights":
                for column, target in enumerate(shapes.get(channel.node, ())):
                    _weight(document, layer, target, channel, column)
            elif channel.node in models:
                _placement(document, layer, models[channel.node], channel, most_deg)
        for shown in clip.shown:
            if shown.node in models:
                _seen(document, layer, models[shown.node], shown)
        document.takes.append(_take(clip.name, start, end))


def _take(name: str, start: float, end: float) -> Element:
    span = (ticks(start), ticks(end))
    file = Element("FileName", (f"{name}.tak",))
    return Element("Take", (name,), [file, Element("LocalTime", span), Element("ReferenceTime", span)])


def _placement(document: Document, layer: Int64, model: Int64, channel: ClipChannel, most_deg: float) -> None:
    word, slot = _SLOTS[channel.path]
    times, values, flag = straight_keys(channel)
    if channel.path == "rotation":
        if flag == _STEP:
            most_deg = np.inf  # nothing is read between such keys
        times, values, _ = euler_curve(times, values, most_deg)
    node, made = document.add("AnimationCurveNode", word, "")
    made.children.append(table(*(number(f"d|{axis}", values[0, k]) for k, axis in enumerate("XYZ"))))
    document.join(node, layer)
    document.join(node, model, slot)
    for k, axis in enumerate("XYZ"):
        _curve(document, node, f"d|{axis}", times, values[:, k], flag)


def _weight(document: Document, layer: Int64, target: Int64, channel: ClipChannel, column: int) -> None:
    times, values, flag = straight_keys(channel)
    _number(document, layer, target, "DeformPercent", (times, 100.0 * values[:, column], flag))


def _seen(document: Document, layer: Int64, model: Int64, shown: ShownChannel) -> None:
    times, values, flag = straight_keys(shown)
    _number(document, layer, model, "Visibility", (times, values[:, 0], flag))


def _number(
    document: Document, layer: Int64, target: Int64, name: str, keys: tuple[DoubleArray, DoubleArray, int]
) -> None:
    """A property of one number: times (k,), values (k,), and how they are met."""
    times, values, flag = keys
    node, made = document.add("AnimationCurveNode", name, "")
    made.children.append(table(number(f"d|{name}", values[0])))
    document.join(node, layer)
    document.join(node, target, name)
    _curve(document, node, f"d|{name}", times, values, flag)


def straight_keys(channel: ClipChannel | ShownChannel) -> tuple[DoubleArray, DoubleArray, int]:
    """Times (k,) and values (k, width) between which a straight line, or for rotations an arc, is right; and its flag.

    Splines are cut into straight pieces. Where values jump, the one before is repeated just before the jump.
    """
    times = channel.times.astype(np.float64)
    rows = len(times) * (3 if channel.interpolation == "CUBICSPLINE" else 1)
    values = channel.values.reshape(rows, -1).astype(np.float64)
    if channel.interpolation == "LINEAR":
        return times, values, _LINEAR
    if channel.interpolation == "STEP":
        return *_held(times, values), _STEP
    return *_straightened(channel, times, values), _LINEAR


def _straightened(
    channel: ClipChannel | ShownChannel, times: DoubleArray, values: DoubleArray
) -> tuple[DoubleArray, DoubleArray]:
    """A spline as straight pieces, as many as it takes for their middles to lie on it."""

    def on_spline(at: DoubleArray) -> DoubleArray:
        turn = channel.path == "rotation"
        return np.array([value_at(channel.times, values, one, "CUBICSPLINE", turn=turn) for one in at.tolist()])

    finer, found = times, on_spline(times)
    for parts in _SPLINE_PARTS:
        finer = np.concatenate([*(np.linspace(a, b, parts, endpoint=False) for a, b in pairwise(times)), times[-1:]])
        found = on_spline(finer)
        strays = np.abs(on_spline((finer[:-1] + finer[1:]) / 2) - (found[:-1] + found[1:]) / 2)
        if float(strays.max(initial=0)) <= _SPLINE_ERROR * float(np.ptp(found, axis=0).max(initial=0)):
            break
    return finer, found


def _held(times: DoubleArray, values: DoubleArray) -> tuple[DoubleArray, DoubleArray]:
    gaps = np.diff(times)
    before = times[1:] - np.minimum(_JUST_BEFORE, gaps / 2)
    at = np.concatenate([times, before])
    order = np.argsort(at, kind="stable")
    return at[order], np.concatenate([values, values[:-1]])[order]


def _curve(document: Document, node: Int64, slot: str, times: DoubleArray, values: AnyArray, flag: int) -> None:
    curve, made = document.add("AnimationCurve", "", "")
    made.add("Default", float(values[0]))
    made.add("KeyVer", _KEY_VERSION)
    made.add("KeyTime", np.round(times * TICKS).astype(np.int64))
    made.add("KeyValueFloat", values.astype(np.float32))
    made.add("KeyAttrFlags", np.array([flag], np.int32))
    made.add("KeyAttrDataFloat", np.zeros(4, np.float32))
    made.add("KeyAttrRefCount", np.array([len(times)], np.int32))
    document.join(curve, node, slot)
