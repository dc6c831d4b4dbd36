"""What every writer needs of a scene, seen to once: each change is told, nothing is changed in silence."""

from pruxel.core.formats.ready.ready import Ready, make_ready

__all__ = ["Ready", "make_ready"]
