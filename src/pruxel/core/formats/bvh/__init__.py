"""BVH: a skeleton and its motion as text. Read only.

Source: J. Lander, "Working with Motion Capture File Formats", Game Developer (January 1998).
"""

from pruxel.core.formats.bvh.read import begins, read
from pruxel.core.formats.registry import Format, register

BVH = register(Format("bvh", "BVH motion", ("bvh",), "model/bvh", frozenset(), read=read, begins=begins))

__all__ = ["BVH", "read"]
