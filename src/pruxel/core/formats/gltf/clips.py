"""Animations of a glTF file. Source: glTF 2.0, section 3.11."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from pruxel.core.base.arrays import AnyArray, frozen
from pruxel.core.base.errors import Fault, InputError
from pruxel.core.formats.fields import Fields
from pruxel.core.formats.gltf.access import Access
from pruxel.core.formats.gltf.extras import extras_text
from pruxel.core.scene.model import Clip, ClipChannel
from pruxel.core.scene.origin import Origin

_WIDTHS = {"translation": 3, "rotation": 4, "scale": 3, "weights": 1}
_PATHS = (*_WIDTHS, "pointer")
_HOW = ("LINEAR", "STEP", "CUBICSPLINE")


@dataclass(eq=False)
class ClipReader:
    """Reads the animations of one document; a channel that cannot be played is left out and told."""

    access: Access
    nodes: int
    faults: list[Fault] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)

    def clip(self, found: Fields, number: int) -> Clip:
        """One animation; channels that say nothing about a node are told by the document's leftovers."""
        name = found.text("name", "") or f"clip {number + 1}"
        samplers = found.objects("samplers")
        channels: list[ClipChannel] = []
        seen: set[tuple[int, str]] = set()
        for item in found.objects("channels"):
            try:
                channel = self._channel(item, samplers)
            except InputError as error:
                self.faults.append(error.fault)
                item.give_up()
                continue
            if channel is None:
                continue
            if (channel.node, channel.path) in seen:
                self.notes.append(f"not taken over: {item.place}, the second for the same property of one node")
                continue
            seen.add((channel.node, channel.path))
            channels.append(channel)
        return Clip(
            name,
            tuple(channels),
            extras=extras_text(found),
            origin=Origin(entry=self.access.name, record=found.place),
        )

    def _channel(self, item: Fields, samplers: list[Fields]) -> ClipChannel | None:
        target, sampler = item.needed("target"), samplers[item.index("sampler", len(samplers))]
        path = target.choice("path", _PATHS)
        if "node" not in target or path == "pointer":
            self.notes.append(f"not taken over: {item.place}, which moves no node ({path})")
            target.pass_over("node", "extensions")
            return None
        accessors = len(self.access.accessors)
        times = self.access.floats(sampler.index("input", accessors)).reshape(-1)
        values = self.access.floats(sampler.index("output", accessors))
        how = sampler.choice("interpolation", _HOW, "LINEAR")
        node = target.index("node", self.nodes)
        self._check(sampler, times, values, path, how)
        if path == "weights":
            values = frozen(values.reshape(len(times) * (3 if how == "CUBICSPLINE" else 1), -1))
        return ClipChannel(node, path, times, values, interpolation=how)

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
