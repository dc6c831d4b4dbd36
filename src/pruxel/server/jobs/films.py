"""Clips of a scene that is shown, as rows of small pictures."""

from __future__ import annotations

from pruxel.core.base.context import Context
from pruxel.core.images.encode import encode
from pruxel.core.pictures.film import film
from pruxel.server.jobs.choosing import shown
from pruxel.server.store.missing import not_found


def clip_film(manifest: str, number: int) -> bytes:
    """A WebP file of moments side by side. Runs aside; raises `InputError` for a clip that is not there."""
    scene = shown(manifest)
    if not 0 <= number < len(scene.clips):
        raise not_found("clip")
    return encode(film(scene, scene.clips[number], Context()), "webp")[1]
