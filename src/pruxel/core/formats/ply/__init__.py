"""PLY: vertices with what is known of each, and faces. Source: G. Turk, "The PLY Polygon File Format" (1994)."""

from pruxel.core.formats.ply.read import begins, read
from pruxel.core.formats.ply.write import write
from pruxel.core.formats.registry import Format, register
from pruxel.core.formats.solids import MetreOptions

PLY = register(
    Format(
        "ply",
        "PLY with colours and UVs",
        ("ply",),
        "model/ply",
        frozenset({"mapping", "colors"}),
        write,
        read,
        begins=begins,
        options=MetreOptions,
        judges=("ply in three.js",),
    )
)

__all__ = ["PLY", "read", "write"]
