"""3MF: parts in place with units, names, colours and copies. Source: 3MF Consortium, "Core Specification" 1.3."""

from pruxel.core.formats.registry import Format, register
from pruxel.core.formats.threemf.read import begins, read
from pruxel.core.formats.threemf.write import ThreemfOptions, write

THREEMF = register(
    Format(
        "3mf",
        "3MF for printing",
        ("3mf",),
        "model/3mf",
        frozenset({"materials", "colors"}),
        write,
        read,
        begins=begins,
        options=ThreemfOptions,
        judges=("3mf in lib3mf",),
    )
)

__all__ = ["THREEMF", "read", "write"]
