"""glTF 2.0, text and binary. Source: Khronos, "glTF 2.0 Specification"."""

from pruxel.core.formats.beginnings import begins_as_glb, begins_as_gltf
from pruxel.core.formats.gltf.options import GltfOptions
from pruxel.core.formats.gltf.read import read
from pruxel.core.formats.gltf.write import write_glb, write_gltf
from pruxel.core.formats.registry import CARRIABLE, Format, register

_CARRIES = frozenset(CARRIABLE) - {"polygons"}
_PICTURES = frozenset({"image/png", "image/jpeg", "image/webp"})
_JUDGES = ("gltf in three.js", "glTF validator")

GLB = register(
    Format(
        "glb",
        "glTF binary",
        ("glb",),
        "model/gltf-binary",
        _CARRIES,
        write_glb,
        read,
        options=GltfOptions,
        begins=begins_as_glb,
        judges=_JUDGES,
        pictures=_PICTURES,
    )
)
GLTF = register(
    Format(
        "gltf",
        "glTF text with files",
        ("gltf",),
        "model/gltf+json",
        _CARRIES,
        write_gltf,
        read,
        options=GltfOptions,
        begins=begins_as_gltf,
        judges=_JUDGES,
        pictures=_PICTURES,
    )
)

__all__ = ["GLB", "GLTF", "read", "write_glb", "write_gltf"]
