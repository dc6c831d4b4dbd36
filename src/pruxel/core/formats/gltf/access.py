"""Accessors of a glTF file → arrays: interleaved, normalised and sparse ones too."""

from __future__ import annotations

import base64
import binascii
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import unquote

import numpy as np

from pruxel.core.base.arrays import AnyArray, Bytes
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.formats.gltf.buffers import COMPONENTS, SHAPES
from pruxel.core.formats.registry import Find

_CODES = {number: code for code, number in COMPONENTS.items()}
_WIDTHS = {shape: width for width, shape in SHAPES.items()} | {"MAT2": 4, "MAT3": 9}


@dataclass
class Access:
    """A glTF document with its buffers."""

    document: dict[str, Any]
    name: str
    find: Find
    binary: Bytes | None = None
    _buffers: dict[int, memoryview] = field(default_factory=dict)

    def bad(self, place: str, message: str, expected: str | None = None, found: str | None = None) -> InputError:
        """The error for a place in the document."""
        return InputError(ErrorCode.MALFORMED, message, file=self.name, field=place, expected=expected, found=found)

    def item(self, key: str, index: int) -> dict[str, Any]:
        """An item of a list of the document; raises `InputError` when it is not there."""
        listed = self.document.get(key, [])
        if not isinstance(index, int) or not 0 <= index < len(listed):
            raise self.bad(
                f"{key}[{index}]",
                "the file refers to something it does not hold",
                f"0 to {len(listed) - 1}",
                str(index),
            )
        found: dict[str, Any] = listed[index]
        return found

    def uri(self, uri: str, place: str) -> bytes:
        """The bytes behind a data URI or a relative link."""
        if uri.startswith("data:"):
            _, _, payload = uri.partition(",")
            try:
                return base64.b64decode(payload, validate=False)
            except (ValueError, binascii.Error) as error:
                raise self.bad(place, "a data URI is damaged") from error
        data = self.find(unquote(uri))
        if data is None:
            raise InputError(
                ErrorCode.REFERENCE,
                f"the file '{uri}' that belongs to it is missing",
                file=self.name,
                field=place,
                hint="Put it beside the glTF file, or mount the folder that holds it.",
            )
        return data

    def buffer(self, index: int) -> memoryview:
        """The bytes of one buffer."""
        if index not in self._buffers:
            described = self.item("buffers", index)
            if "uri" in described:
                data: Bytes = self.uri(str(described["uri"]), f"buffers[{index}]")
            elif self.binary is not None and index == 0:
                data = self.binary
            else:
                raise self.bad(f"buffers[{index}]", "the buffer has no data")
            self._buffers[index] = memoryview(data)
        return self._buffers[index]

    def view_bytes(self, index: int) -> memoryview:
        """The bytes of one buffer view."""
        view = self.item("bufferViews", index)
        if "EXT_meshopt_compression" in view.get("extensions", {}):
            raise self.bad(f"bufferViews[{index}]", "compressed buffers are not read yet", "plain data")
        data = self.buffer(int(view["buffer"]))
        start, size = int(view.get("byteOffset", 0)), int(view["byteLength"])
        if start < 0 or size < 0 or start + size > len(data):
            raise InputError(
                ErrorCode.TRUNCATED,
                "a buffer view reaches beyond its buffer",
                file=self.name,
                offset=start,
                field=f"bufferViews[{index}]",
                expected=f"an end within {len(data):,} bytes",
                found=f"{start + size:,}",
            )
        return data[start : start + size]

    def raw(self, index: int) -> tuple[AnyArray, bool]:
        """The (count, width) array of an accessor in its own type, and whether it is normalised."""
        described = self.item("accessors", index)
        place = f"accessors[{index}]"
        code, width = _CODES.get(described.get("componentType", 0)), _WIDTHS.get(described.get("type", ""))
        if code is None or width is None:
            raise self.bad(place, "an accessor has an unknown type")
        count = int(described["count"])
        if "bufferView" in described:
            array = self._rows(described, count, width, np.dtype("<" + code), place)
        else:
            self._check_count(count, width, place)
            array = np.zeros((count, width), code)
        if "sparse" in described:
            array = self._sparse(array, described["sparse"], width, np.dtype("<" + code), place)
        return array, bool(described.get("normalized", False))

    def _check_count(self, count: int, width: int, place: str) -> None:
        if not 0 <= count * width <= 1 << 28:
            raise self.bad(place, "a count is implausible", "up to 2^28 numbers", f"{count:,}")

    def _rows(self, described: dict[str, Any], count: int, width: int, kind: np.dtype[Any], place: str) -> AnyArray:
        view = self.item("bufferViews", int(described["bufferView"]))
        data = self.view_bytes(int(described["bufferView"]))
        start, size = int(described.get("byteOffset", 0)), kind.itemsize * width
        stride = int(view.get("byteStride") or size)
        if count < 0 or start < 0 or stride < size or (count and start + stride * (count - 1) + size > len(data)):
            raise InputError(
                ErrorCode.TRUNCATED,
                "an accessor reaches beyond its buffer view",
                file=self.name,
                offset=start,
                field=place,
                expected=f"{count:,} elements of {size} bytes, {stride} apart",
                found=f"{len(data):,} bytes",
            )
        if stride == size:
            return np.frombuffer(data, kind, count * width, start).reshape(count, width)
        flat = np.frombuffer(data, np.uint8)
        rows = np.lib.stride_tricks.as_strided(flat[start:], (count, size), (stride, 1), writeable=False)
        return np.ascontiguousarray(rows).view(kind)

    def _sparse(self, base: AnyArray, sparse: dict[str, Any], width: int, kind: np.dtype[Any], place: str) -> AnyArray:
        count = int(sparse["count"])
        where = dict(sparse["indices"])
        code = _CODES.get(where.get("componentType", 0), "u4")
        rows = self._rows(where, count, 1, np.dtype("<" + code), place)[:, 0].astype(np.int64)
        values = self._rows(dict(sparse["values"]), count, width, kind, place)
        if count and int(rows.max()) >= len(base):
            raise self.bad(place, "a sparse index is out of range", f"below {len(base)}", str(int(rows.max())))
        array = base.copy()
        array[rows] = values
        return array

    def floats(self, index: int) -> AnyArray:
        """An accessor as float32, normalised integers decoded."""
        array, normalized = self.raw(index)
        if array.dtype.kind == "f" or not normalized:
            return array.astype(np.float32, copy=False)
        top = float(np.iinfo(array.dtype).max)
        return np.maximum(array.astype(np.float32) / top, np.float32(-1.0))
