"""COLLADA, plain and zipped. Source: Khronos, "COLLADA: Digital Asset Schema", releases 1.4.1 and 1.5.0."""

from pruxel.core.formats.collada.read import begins, read
from pruxel.core.formats.registry import Format, register

COLLADA = register(
    Format(
        "collada",
        "COLLADA",
        ("dae", "zae"),
        "model/vnd.collada+xml",
        frozenset(),
        read=read,
        begins=begins,
    )
)

__all__ = ["COLLADA", "read"]
