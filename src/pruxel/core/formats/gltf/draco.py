"""Primitives packed by KHR_draco_mesh_compression → the arrays that their accessors stand for."""

from __future__ import annotations

import struct

import DracoPy
import numpy as np

from pruxel.core.base.arrays import frozen
from pruxel.core.formats.fields import Fields
from pruxel.core.formats.gltf.access import Access

NAME = "KHR_draco_mesh_compression"
_MAGIC = b"DRACO"


def unpack(access: Access, item: Fields, packed: Fields) -> None:
    """Give the primitive's accessors their arrays; raises `InputError` for what does not decode."""
    data = bytes(access.view_bytes(packed.index("bufferView", access.views)))
    if not data.startswith(_MAGIC):
        raise packed.bad("bufferView", "the packed primitive begins otherwise", "DRACO", data[:5].hex())
    try:
        mesh = DracoPy.decode(data)
    except (DracoPy.FileTypeException, ValueError, RuntimeError, MemoryError, struct.error) as error:
        raise packed.bad("bufferView", f"the packed primitive does not decode ({error})", "whole data") from None
    attributes, listed = packed.needed("attributes"), item.needed("attributes")
    for key in attributes.values:
        number = attributes.integer(key)
        found = mesh.get_attribute_by_unique_id(number)
        target = listed.index(key, len(access.accessors), None)
        if found is None or target is None:
            raise attributes.bad(key, "the packed primitive has no such attribute", "an attribute's number", number)
        rows = np.asarray(found["data"])
        access.give(target, rows.reshape(len(rows), -1))
    faces = getattr(mesh, "faces", None)
    indices = item.index("indices", len(access.accessors), None)
    if indices is not None and faces is not None:
        access.give(indices, frozen(np.ascontiguousarray(faces, np.uint32).reshape(-1, 1)))
