"""OFF: points and polygons as text. Source: The Geometry Center, "Object File Format" (1996). Read only."""

from pruxel.core.formats.off.read import begins, read
from pruxel.core.formats.registry import Format, register

OFF = register(Format("off", "OFF", ("off",), "model/off", frozenset(), read=read, begins=begins))

__all__ = ["OFF", "read"]
