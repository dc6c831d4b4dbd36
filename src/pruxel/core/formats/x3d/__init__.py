"""X3D in XML and in words, and VRML97, packed or not.

Sources: ISO/IEC 19775-1 (X3D architecture), 19776-1 and -2 (its encodings), ISO/IEC 14772-1 (VRML97).
"""

from pruxel.core.formats.registry import Format, register
from pruxel.core.formats.x3d.read import begins, read

X3D = register(
    Format(
        "x3d",
        "X3D and VRML97",
        ("x3d", "x3dz", "x3dv", "x3dvz", "wrl", "wrz", "vrml"),
        "model/x3d+xml",
        frozenset(),
        read=read,
        begins=begins,
    )
)

__all__ = ["X3D", "read"]
