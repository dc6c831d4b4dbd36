"""Clocks, interpolators and routes → clips of placements and of materials."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.formats.resampled import channel_of, placed_channels
from pruxel.core.formats.x3d.keys import Keys, values_at
from pruxel.core.formats.x3d.look_routes import LOOK_FIELDS, looks
from pruxel.core.formats.x3d.placing import FIELDS, matrices, placement
from pruxel.core.formats.x3d.solids import axis_quaternions
from pruxel.core.formats.x3d.things import Thing, World
from pruxel.core.geometry.transforms import turns_of
from pruxel.core.scene.model import ChannelPath, Clip, ClipChannel

_WIDTHS = {"PositionInterpolator": 3, "OrientationInterpolator": 4, "ColorInterpolator": 3, "ScalarInterpolator": 1}
_PLACED = {key: len(rest) for key, rest in FIELDS.items()}
_LONGEST = 1e5

_DIRECT: dict[str, ChannelPath] = {"translation": "translation", "rotation": "rotation", "scale": "scale"}


def clips_of(
    world: World, numbers: Mapping[Thing, Sequence[int]], materials: Mapping[Thing, Sequence[int]]
) -> list[Clip]:
    """A clip for each clock that drives interpolators of the placements of nodes, or of materials; others are told.

    `numbers` are those of the nodes that a node became, `materials` those of the materials.
    """
    clips = []
    other = 0
    driven: dict[str, dict[Thing, dict[str, Keys]]] = {}
    clock_of = {r.target: r.source for r in world.routes if r.input in {"set_fraction", "fraction"}}
    for route in world.routes:
        curve, node = world.named.get(route.source), world.named.get(route.target)
        key = route.input.removeprefix("set_").removesuffix("_changed")
        width = 0 if node is None else (LOOK_FIELDS if node in materials else _PLACED).get(key, 0)
        if curve is None or node is None or not width or _WIDTHS.get(curve.kind) != width:
            other += route.target not in clock_of
            continue
        keys = _keys(curve)
        if keys is not None and route.source in clock_of:
            driven.setdefault(clock_of[route.source], {}).setdefault(node, {})[key] = keys
    for name, moved in driven.items():
        clock = world.named.get(name)
        seconds = 1.0 if clock is None else clock.number("cycleInterval", 1.0)
        length = seconds if 0 < seconds < _LONGEST else 1.0
        channels = [
            channel for node, fields in moved.items() for number in numbers.get(node, ())
            for channel in _placements(number, node, fields, length)
        ]  # fmt: skip
        changed = tuple(
            look for thing, fields in moved.items() for number in materials.get(thing, ())
            for look in looks(number, thing, fields, length)
        )  # fmt: skip
        if channels or changed:
            clips.append(Clip(name, tuple(channels), looks=changed))
    if other:
        world.notes.append(f"not taken over: {other:,} routes that move no placement and change no material")
    return clips


def _keys(thing: Thing) -> Keys | None:
    """Shares of the clock's time, ascending, and values; turns as quaternions."""
    shares, values = thing.numbers("key"), thing.rows("keyValue", _WIDTHS[thing.kind])
    count = min(len(shares), len(values))
    shares, values = shares[:count], values[:count]
    with np.errstate(invalid="ignore"):
        fine = np.isfinite(shares) & (np.abs(values) < 1e15).all(axis=1)
    order = np.argsort(shares[fine], kind="stable")
    shares, values = shares[fine][order], values[fine][order]
    new = np.concatenate([np.diff(shares) > 0, [True]]) if len(shares) else np.zeros(0, bool)
    if not new.any():
        return None
    rows = values[new]
    return shares[new], axis_quaternions(rows) if rows.shape[1] == 4 else rows


def _direct(number: int, path: ChannelPath, keys: Keys, seconds: float) -> ClipChannel | None:
    """Where nothing else takes part in a placement, keys are the node's own."""
    there = keys[0] >= 0
    return channel_of(number, path, keys[0][there] * seconds, keys[1][there], "LINEAR") if there.any() else None


def _placements(number: int, node: Thing, fields: Mapping[str, Keys], seconds: float) -> list[ClipChannel]:
    own = placement(node)
    if not own["center"].any() and not own["scaleOrientation"][:3].any():
        return [
            c for key, path in _DIRECT.items() if key in fields and (c := _direct(number, path, fields[key], seconds))
        ]
    times = np.unique(np.concatenate([keys[0] for keys in fields.values()])) * seconds
    times = times[times >= 0]
    if not len(times):
        return []

    def split(at: DoubleArray) -> tuple[DoubleArray, DoubleArray, DoubleArray]:
        rows = {key: np.repeat(value[None], len(at), axis=0) for key, value in own.items()}
        rows |= {key: values_at(keys, at / seconds) for key, keys in fields.items()}
        return turns_of(matrices(rows))

    rest = turns_of(matrices({key: value[None] for key, value in own.items()}))
    return placed_channels(number, times, split, rest, "LINEAR", exact=False)
