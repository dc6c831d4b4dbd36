"""What expressions may call, one module a subject; importing this registers all."""

from pruxel.core.binary.functions import (
    arrays,
    checksums,
    copies,
    directions,
    matrices,
    numbers,
    rotations,
    texels,
    texts,
    triangles,
)

__all__ = [
    "arrays",
    "checksums",
    "copies",
    "directions",
    "matrices",
    "numbers",
    "rotations",
    "texels",
    "texts",
    "triangles",
]
