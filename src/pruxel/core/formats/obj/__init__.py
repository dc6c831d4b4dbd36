"""Wavefront OBJ with its MTL. Source: Wavefront, "Object Files (.obj)", Appendix B1, and the PBR keys in common use."""

from pruxel.core.formats.beginnings import begins_as_obj
from pruxel.core.formats.obj.read import read
from pruxel.core.formats.obj.write import told_losses, write
from pruxel.core.formats.registry import Format, register
from pruxel.core.formats.solids import MetreOptions
from pruxel.core.images.encode import ENDINGS

OBJ = register(
    Format(
        "obj",
        "OBJ with materials and PNG textures",
        ("obj",),
        "model/obj",
        frozenset({"materials", "textures", "mapping", "polygons", "strokes"}),
        write,
        read,
        told_losses,
        begins_as_obj,
        options=MetreOptions,
        judges=("obj in three.js",),
        pictures=frozenset(ENDINGS),
    ),
)

__all__ = ["OBJ", "read", "write"]
