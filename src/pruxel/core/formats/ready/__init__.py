"""What every writer needs of a scene, seen to once: each change is told, nothing is changed in silence."""

from pruxel.core.formats.ready.ready import Ready, is_bare, make_ready, nothing_to_write

__all__ = ["Ready", "is_bare", "make_ready", "nothing_to_write"]
