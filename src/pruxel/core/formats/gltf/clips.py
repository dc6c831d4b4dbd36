"""Animations of a glTF file. Source: glTF 2.0, section 3.11."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, frozen
from pruxel.core.base.errors import Fault, InputError
from pruxel.core.formats.fields import Fields
from pruxel.core.formats.gltf.access import Access
from pruxel.core.formats.gltf.extras import extras_text
from pruxel.core.formats.gltf.pointers import POINTER, meant_by
from pruxel.core.scene.keys import by_kind
from pruxel.core.scene.model import TRACK_WIDTHS, Clip, ClipChannel, LookChannel, ShownChannel
from pruxel.core.scene.origin import Origin

_WIDTHS = TRACK_WIDTHS | {"weights": 1}
_PATHS = ("translation", "rotation", "scale", "weights", "pointer")
AnyChannel = ClipChannel | ShownChannel | LookChannel
_HOW = ("LINEAR", "STEP", "CUBICSPLINE")


@dataclass(eq=False)
class ClipReader:
    """Reads the animations of one document; a channel that cannot be played is left out and told."""

    access: Access
    nodes: int
    materials: int
    faults: list[Fault] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)

    def clip(self, found: Fields, number: int) -> Clip:
        """One animation; channels that say nothing about a node are told by the document's leftovers."""
        name = found.text("name", "") or f"clip {number + 1}"
        samplers = found.objects("samplers")
        channels: list[AnyChannel] = []
        seen: set[tuple[str, int, str]] = set()
        for item in found.objects("channels"):
            try:
                channel = self._channel(item, samplers)
            except InputError as error:
                self.faults.append(error.fault)
                item.give_up()
                continue
            if channel is None:
                continue
            look = isinstance(channel, LookChannel)
            number = channel.material if isinstance(channel, LookChannel) else channel.node
            key = ("material" if look else "node", number, channel.path)
            if key in seen:
                # All textures of a material lie alike; a track for each says so again.
                if not look:
                    self.notes.append(f"not taken over: {item.place}, the second for the same property of one node")
                continue
            seen.add(key)
            channels.append(channel)
        moving, shown, looks = by_kind(channels)
        return Clip(
            name,
            moving,
            shown=shown,
            looks=looks,
            extras=extras_text(found),
            origin=Origin(entry=self.access.name, record=found.place),
        )

    def _channel(self, item: Fields, samplers: list[Fields]) -> AnyChannel | None:
        target, sampler = item.needed("target"), samplers[item.index("sampler", len(samplers))]
        path = target.choice("path", _PATHS)
        if path == "pointer":
            return self._pointed(item, target, sampler)
        if "node" not in target:
            self.notes.append(f"not taken over: {item.place}, which moves no node ({path})")
            return None
        return self._of_node(target.index("node", self.nodes), path, sampler)

    def _of_node(self, node: int, path: Any, sampler: Fields) -> ClipChannel:  # noqa: ANN401 - one of the paths
        times, values, how = self._keys(sampler, path)
        if path == "weights":
            values = frozen(values.reshape(len(times) * (3 if how == "CUBICSPLINE" else 1), -1))
        return ClipChannel(node, path, times, values, interpolation=how)

    def _pointed(self, item: Fields, target: Fields, sampler: Fields) -> AnyChannel | None:
        """What KHR_animation_pointer moves, where a scene has a track for it."""
        extensions = target.object("extensions")
        said = None if extensions is None else extensions.object(POINTER)
        pointer = "" if said is None else said.text("pointer", "")
        meant = meant_by(pointer)
        target.pass_over("node")
        if meant is None or meant.number >= (self.nodes if meant.of == "node" else self.materials):
            self.notes.append(f"not taken over: {item.place}, which moves {pointer or 'nothing'}")
            return None
        if meant.of == "node" and meant.path != "visible":
            return self._of_node(meant.number, meant.path, sampler)
        times, values, how = self._keys(sampler, meant.path)
        if meant.of == "node":
            return ShownChannel(meant.number, times, values)
        return LookChannel(meant.number, meant.path, times, values, interpolation=how)

    def _keys(self, sampler: Fields, path: str) -> tuple[FloatArray, FloatArray, Any]:
        accessors = len(self.access.accessors)
        times = self.access.floats(sampler.index("input", accessors)).reshape(-1)
        values = self.access.floats(sampler.index("output", accessors))
        how = sampler.choice("interpolation", _HOW, "LINEAR")
        self._check(sampler, times, values, path, how)
        return times, values, how

    @staticmethod
    def _check(sampler: Fields, times: AnyArray, values: AnyArray, path: str, how: str) -> None:
        if not np.isfinite(times).all() or float(times[0]) < 0 or (np.diff(times) <= 0).any():
            raise sampler.bad(
                "input", "times do not ascend; the channel is left out", "seconds from 0 on, each later", None
            )
        rows = len(times) * (3 if how == "CUBICSPLINE" else 1)
        fits = values.shape[1] == _WIDTHS[path] and (
            len(values) % rows == 0 if path == "weights" else len(values) == rows
        )
        if not fits or not np.isfinite(values).all():
            raise sampler.bad(
                "output",
                "the keys of a channel do not fit its times; it is left out",
                f"{rows:,} finite values of {_WIDTHS[path]}",
                f"{len(values):,} of {values.shape[1]}",
            )
        if path == "rotation":
            keys = values[1::3] if how == "CUBICSPLINE" else values
            if float(np.linalg.norm(keys, axis=1).min()) < 1e-6:
                raise sampler.bad("output", "a rotation key has no length; the channel is left out", "length 1", "0")
