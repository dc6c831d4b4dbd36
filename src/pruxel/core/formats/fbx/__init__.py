"""FBX: written binary (7.4, 7.5), read binary and text. No specification is public; its layout is widely documented."""

from pruxel.core.formats.fbx.options import FbxOptions
from pruxel.core.formats.fbx.read import begins, read
from pruxel.core.formats.fbx.write import write
from pruxel.core.formats.registry import Format, register
from pruxel.core.images.encode import ENDINGS

FBX = register(
    Format(
        "fbx",
        "FBX with skeletons, shapes and clips",
        ("fbx",),
        "application/octet-stream",
        frozenset(
            {
                "materials",
                "textures",
                "mapping",
                "tree",
                "skins",
                "clips",
                "shown",
                "targets",
                "colors",
                "uvs",
                "polygons",
                "cameras",
                "lights",
            }
        ),
        write,
        read,
        begins=begins,
        options=FbxOptions,
        judges=("fbx in three.js",),
        pictures=frozenset(ENDINGS),
    )
)

__all__ = ["FBX", "read", "write"]
