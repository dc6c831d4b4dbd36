"""FBX, binary: versions 7.4 and 7.5. No specification is public; what is known of it is widely documented."""

from pruxel.core.formats.fbx.options import FbxOptions
from pruxel.core.formats.fbx.write import write
from pruxel.core.formats.registry import Format, register

FBX = register(
    Format(
        "fbx",
        "FBX with skeletons, shapes and clips",
        ("fbx",),
        "application/octet-stream",
        frozenset({"tree", "skins", "clips", "targets", "colors", "uvs", "polygons"}),
        write,
        options=FbxOptions,
        judges=("fbx in three.js",),
    )
)

__all__ = ["FBX", "write"]
