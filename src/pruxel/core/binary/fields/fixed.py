"""Records of a fixed size as NumPy structured types, so that a million of them are one view."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from pruxel.core.binary.fields.registry import field_type
from pruxel.core.binary.records import Meaning
from pruxel.core.binary.schema import FieldSpec, Layout

_MOVING = ("at", "until", "align", "when", "codec", "prefix", "equals", "check", "cipher", "within", "stride")
_LARGEST = (1 << 31) - 1  # of NumPy's structured types


@dataclass(frozen=True)
class FixedRecord:
    """A structured type, and what its raw values mean where that is more than themselves."""

    dtype: np.dtype[Any]
    meaning: Mapping[str, Meaning]


def fixed_dtype(layout: Layout, record: str, version: int | None, stride: int | None) -> FixedRecord | None:
    """The structured type of a record, or None when its size or meaning depends on values."""
    names: list[str] = []
    formats: list[Any] = []
    offsets: list[int] = []
    meaning: dict[str, Meaning] = {}
    at = 0
    for spec in layout.records[record]:
        present = _present(spec, version)
        if present is None or spec.given or any(getattr(spec, key) is not None for key in _MOVING):
            return None
        if not present:
            continue
        found = field_type(spec.type).fixed(spec, layout)
        if found is None:
            return None
        if spec.name is not None and found.format is not None:
            names.append(spec.name)
            formats.append(found.format)
            offsets.append(at)
            meant = Meaning(spec.bits, found.encoding, layout.words_of(spec))
            if meant != Meaning():
                meaning[spec.name] = meant
        at += found.size
    if at == 0 or at > _LARGEST or (stride is not None and not at <= stride <= _LARGEST):
        return None
    if len(set(names)) < len(names):
        return None
    shape = {"names": names, "formats": formats, "offsets": offsets, "itemsize": stride or at}
    return FixedRecord(np.dtype(shape), meaning)  # type: ignore[call-overload]


def _present(spec: FieldSpec, version: int | None) -> bool | None:
    """Whether the field is there in this version; None when that cannot be known here."""
    if spec.since is None and spec.before is None:
        return True
    if version is None:
        return None
    since_ok = spec.since is None or version >= spec.since
    return since_ok and (spec.before is None or version < spec.before)
