"""Records of a fixed size as NumPy structured types, so that a million of them are one view."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from pruxel.core.binary.elements import element
from pruxel.core.binary.schema import FieldSpec, Layout

_MOVING = ("count", "at", "align", "when", "codec", "prefix", "names", "equals", "cipher", "within")
_LARGEST = (1 << 31) - 1  # of NumPy's structured types


@dataclass(frozen=True)
class FixedRecord:
    """A structured type and the bit fields in it."""

    dtype: np.dtype[Any]
    bits: dict[str, dict[str, tuple[int, int]]]


def fixed_dtype(layout: Layout, record: str, version: int | None, stride: int | None) -> FixedRecord | None:
    """The structured type of a record, or None when its size or meaning depends on values."""
    names: list[str] = []
    formats: list[Any] = []
    offsets: list[int] = []
    bits: dict[str, dict[str, tuple[int, int]]] = {}
    at = 0
    for spec in layout.records[record]:
        present = _present(spec, version)
        if present is None or any(getattr(spec, key) is not None for key in _MOVING):
            return None
        if not present:
            continue
        size, form = _plain(layout, spec)
        if size is None:
            return None
        if spec.name is not None and form is not None:
            names.append(spec.name)
            formats.append(form)
            offsets.append(at)
            if spec.bits is not None:
                bits[spec.name] = spec.bits
        at += size
    if at == 0 or at > _LARGEST or (stride is not None and not at <= stride <= _LARGEST):
        return None
    if len(set(names)) < len(names):
        return None
    shape = {"names": names, "formats": formats, "offsets": offsets, "itemsize": stride or at}
    return FixedRecord(np.dtype(shape), bits)  # type: ignore[call-overload]


def _present(spec: FieldSpec, version: int | None) -> bool | None:
    """Whether the field is there in this version; None when that cannot be known here."""
    if spec.since is None and spec.before is None:
        return True
    if version is None:
        return None
    since_ok = spec.since is None or version >= spec.since
    return since_ok and (spec.before is None or version < spec.before)


def _plain(layout: Layout, spec: FieldSpec) -> tuple[int | None, Any]:
    order = "<" if (spec.endian or layout.endian) == "little" else ">"
    if spec.type == "pad" and spec.size is not None and spec.size.isdigit():
        return int(spec.size), None
    if spec.type == "bytes" and spec.size is not None and spec.size.isdigit():
        return int(spec.size), f"V{spec.size}"
    kind = element(spec.type)
    if kind is None:
        return None, None
    code = kind.dtype(order)
    return kind.size, code if kind.width == 1 else (code, (kind.width,))
