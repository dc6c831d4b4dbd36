"""STL: triangles and nothing else. Source: 3D Systems, "StereoLithography Interface Specification" (1989)."""

from pruxel.core.formats.registry import Format, register
from pruxel.core.formats.solids import SolidOptions
from pruxel.core.formats.stl.read import begins, read
from pruxel.core.formats.stl.write import write

STL = register(
    Format(
        "stl",
        "STL for printing",
        ("stl",),
        "model/stl",
        frozenset(),
        write,
        read,
        begins=begins,
        options=SolidOptions,
        judges=("stl in three.js",),
    )
)

__all__ = ["STL", "read", "write"]
