"""Accessors of a glTF file → arrays: interleaved, normalised and sparse ones too."""

from __future__ import annotations

import base64
import binascii
import re
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import unquote

import numpy as np

from pruxel.core.base.arrays import AnyArray, Bytes, frozen
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.formats.fields import Fields
from pruxel.core.formats.gltf import meshopt
from pruxel.core.formats.gltf.buffers import COMPONENTS, SHAPES
from pruxel.core.formats.registry import Find

_CODES = {number: code for code, number in COMPONENTS.items()}
_WIDTHS = {shape: width for width, shape in SHAPES.items()} | {"MAT2": 4, "MAT3": 9}
_NOT_BASE64 = re.compile(rb"[^A-Za-z0-9+/=\s]")


@dataclass(eq=False)
class Access:
    """A glTF document with its buffers. Arrays are made once: who shares an accessor shares the array."""

    document: Fields
    name: str
    find: Find
    limits: Limits
    binary: Bytes | None = None
    _buffers: dict[int, memoryview] = field(default_factory=dict)
    _raw: dict[int, tuple[AnyArray, bool]] = field(default_factory=dict)
    _floats: dict[int, AnyArray] = field(default_factory=dict)
    accessors: list[Fields] = field(init=False)
    _views: list[Fields] = field(init=False)
    _buffer_list: list[Fields] = field(init=False)

    def __post_init__(self) -> None:
        self.accessors = self.document.objects("accessors")
        self._views = self.document.objects("bufferViews")
        self._buffer_list = self.document.objects("buffers")
        for item in (*self._views, *self._buffer_list, *self.accessors):
            item.pass_over("name", "target", "min", "max", "byteLength")

    def uri(self, holder: Fields) -> bytes:
        """The bytes behind the object's `uri`: a data URI or a relative link."""
        uri = holder.text("uri")
        if uri.startswith("data:"):
            payload = uri.partition(",")[2].encode()
            wrong = _NOT_BASE64.search(payload)
            try:
                if wrong is None:
                    return base64.b64decode(payload, validate=False)
            except binascii.Error:
                wrong = None
            at = f"at character {wrong.start():,}" if wrong else "at its end"
            raise holder.bad("uri", f"the data in the file is not Base64 {at}", "Base64 text")
        data = self.find(unquote(uri))
        if data is None:
            raise InputError(
                ErrorCode.REFERENCE,
                f"the file '{unquote(uri)[:200]}' that belongs to it is missing",
                file=self.name,
                field=f"{holder.place}.uri",
                hint="Put it beside the glTF file, or mount the folder that holds it.",
            )
        return data

    def _buffer(self, index: int) -> memoryview:
        if index not in self._buffers:
            described = self._buffer_list[index]
            if "uri" in described:
                data: Bytes = self.uri(described)
            elif self.binary is not None and index == 0:
                described.integer("byteLength", len(self.binary))
                data = self.binary
            else:
                raise described.bad("uri", "the buffer has no data", "a link, or the GLB's binary chunk")
            self._buffers[index] = memoryview(data)
        return self._buffers[index]

    def view_bytes(self, index: int) -> memoryview:
        """The bytes of one buffer view."""
        view = self._views[index]
        extensions = view.object("extensions")
        packed = None if extensions is None else next((p for n in meshopt.NAMES if (p := extensions.object(n))), None)
        if packed is not None:
            view.pass_over("buffer", "byteOffset", "byteStride")
            bare = view.integer("buffer", -1)
            if 0 <= bare < len(self._buffer_list) and "uri" not in self._buffer_list[bare]:
                self._buffer_list[bare].give_up()  # it stands for bytes that only the packed view has
            return memoryview(meshopt.unpacked(packed, self._piece(packed), self.limits))
        return self._piece(view)

    def give(self, index: int, array: AnyArray) -> None:
        """The rows of an accessor that a packed primitive holds; what is normalised stays so."""
        described = self.accessors[index]
        described.pass_over("count", "type", "componentType", "bufferView", "byteOffset")
        self._raw[index] = frozen(array), described.flag("normalized")
        self._floats.pop(index, None)

    @property
    def views(self) -> int:
        """How many buffer views there are."""
        return len(self._views)

    def _piece(self, view: Fields) -> memoryview:
        """The bytes that an object with `buffer`, `byteOffset` and `byteLength` names."""
        data = self._buffer(view.index("buffer", len(self._buffer_list)))
        start, size = view.integer("byteOffset", 0), view.integer("byteLength")
        if start + size > len(data):
            raise InputError(
                ErrorCode.TRUNCATED,
                "a buffer view reaches beyond its buffer",
                file=self.name,
                offset=start,
                field=view.place,
                expected=f"an end within {len(data):,} bytes",
                found=f"{start + size:,}",
            )
        return data[start : start + size]

    def raw(self, index: int) -> tuple[AnyArray, bool]:
        """The (count, width) array of an accessor in its own type, and whether it is normalised."""
        if index not in self._raw:
            self._raw[index] = self._made(self.accessors[index])
        return self._raw[index]

    def _made(self, described: Fields) -> tuple[AnyArray, bool]:
        kind = self._kind(described)
        width = _WIDTHS[described.choice("type", _WIDTHS)]
        count = described.integer("count", low=1)
        if "bufferView" in described:
            array = self._rows(described, count, width, kind)
        else:
            if count * width > self.limits.vertices:
                raise described.bad("count", "a count is implausible", f"up to {self.limits.vertices:,} numbers", count)
            array = np.zeros((count, width), kind)
        sparse = described.object("sparse")
        if sparse is not None:
            array = self._sparse(array, sparse, width, kind)
        return frozen(array), described.flag("normalized")

    @staticmethod
    def _kind(described: Fields) -> np.dtype[Any]:
        number = described.integer("componentType")
        if number not in _CODES:
            known = ", ".join(f"{n} ({code})" for n, code in sorted(_CODES.items()))
            raise described.bad("componentType", "an accessor has an unknown type", f"one of {known}", number)
        return np.dtype("<" + _CODES[number])

    def _rows(self, described: Fields, count: int, width: int, kind: np.dtype[Any]) -> AnyArray:
        number = described.index("bufferView", len(self._views))
        data = self.view_bytes(number)
        start, size = described.integer("byteOffset", 0), kind.itemsize * width
        stride = self._stride(self._views[number]) or size
        if stride < size or start + stride * (count - 1) + size > len(data):
            raise InputError(
                ErrorCode.TRUNCATED,
                "an accessor reaches beyond its buffer view",
                file=self.name,
                offset=start,
                field=described.place,
                expected=f"{count:,} elements of {size} bytes, {stride} apart",
                found=f"{len(data):,} bytes",
            )
        if stride == size:
            return np.frombuffer(data, kind, count * width, start).reshape(count, width)
        flat = np.frombuffer(data, np.uint8)
        rows = np.lib.stride_tricks.as_strided(flat[start:], (count, size), (stride, 1), writeable=False)
        return np.ascontiguousarray(rows).view(kind)

    @staticmethod
    def _stride(view: Fields) -> int:
        extensions = view.object("extensions")
        packed = None if extensions is None else next((p for n in meshopt.NAMES if (p := extensions.object(n))), None)
        found: int = (view if packed is None else packed).integer("byteStride", 0)
        return found

    def _sparse(self, base: AnyArray, sparse: Fields, width: int, kind: np.dtype[Any]) -> AnyArray:
        count = sparse.integer("count", low=1)
        where, what = sparse.needed("indices"), sparse.needed("values")
        rows = self._rows(where, count, 1, self._kind(where))[:, 0].astype(np.int64)
        values = self._rows(what, count, width, kind)
        if not 0 <= int(rows.min()) <= int(rows.max()) < len(base):
            raise sparse.bad("indices", "a sparse index is out of range", f"below {len(base):,}", int(rows.max()))
        array = base.copy()
        array[rows] = values
        return array

    def floats(self, index: int) -> AnyArray:
        """An accessor as (count, width) float32, normalised integers decoded (glTF 2.0, section 3.11)."""
        if index not in self._floats:
            array, normalized = self.raw(index)
            made = array.astype(np.float32, copy=False)
            if normalized and array.dtype.kind != "f":
                made = np.maximum(made / np.float32(np.iinfo(array.dtype).max), np.float32(-1.0))
            self._floats[index] = frozen(np.ascontiguousarray(made))
        return self._floats[index]
