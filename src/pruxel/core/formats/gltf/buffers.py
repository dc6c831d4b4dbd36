"""The binary buffer of a glTF file, put together from arrays without copying them."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray, Bytes

COMPONENTS = {"u1": 5121, "i1": 5120, "u2": 5123, "i2": 5122, "u4": 5125, "f4": 5126}
SHAPES = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4", 9: "MAT3", 16: "MAT4"}
ARRAY_BUFFER, ELEMENT_ARRAY_BUFFER = 34962, 34963


@dataclass
class Buffers:
    """Pieces of the one buffer, with the views and accessors that point into it. Equal arrays are stored once.

    `contents` are the pieces of each view without what fills them up.
    """

    pieces: list[Bytes] = field(default_factory=list)
    views: list[dict[str, Any]] = field(default_factory=list)
    accessors: list[dict[str, Any]] = field(default_factory=list)
    length: int = 0
    contents: list[Bytes] = field(default_factory=list)
    _known: dict[tuple[int, str, bool], int] = field(default_factory=dict)
    _alive: list[AnyArray] = field(default_factory=list)

    def view(self, data: Bytes, target: int | None = None) -> int:
        """Append bytes, padded to four; returns the view's index."""
        size = memoryview(data).nbytes
        described: dict[str, Any] = {"buffer": 0, "byteOffset": self.length, "byteLength": size}
        if target is not None:
            described["target"] = target
        self.views.append(described)
        self.contents.append(data)
        self.pieces.append(data)
        padding = -size % 4
        if padding:
            self.pieces.append(b"\0" * padding)
        self.length += size + padding
        return len(self.views) - 1

    def accessor(
        self,
        array: AnyArray,
        shape: str,
        target: int | None = None,
        *,
        bounds: bool = False,
        kind: str | None = None,
    ) -> int:
        """Append an array (rows are elements), as another type if told; `bounds` adds min and max.

        Returns the accessor's index: an array that is known already has one.
        """
        key = (id(array), shape, bounds)
        if key in self._known:
            return self._known[key]
        packed = np.ascontiguousarray(array, None if kind is None else np.dtype("<" + kind))
        described: dict[str, Any] = {
            "bufferView": self.view(packed.reshape(-1).view(np.uint8).data, target),
            "componentType": COMPONENTS[packed.dtype.str[1:]],
            "count": packed.size // next(n for n, s in SHAPES.items() if s == shape),
            "type": shape,
        }
        if bounds:
            rows = packed.reshape(described["count"], -1)
            # Column by column: NumPy's reduction along the first axis of narrow arrays is many times slower.
            described["min"] = [float(rows[:, k].min()) for k in range(rows.shape[1])]
            described["max"] = [float(rows[:, k].max()) for k in range(rows.shape[1])]
        self.accessors.append(described)
        self._known[key] = len(self.accessors) - 1
        self._alive.append(array)
        return len(self.accessors) - 1
