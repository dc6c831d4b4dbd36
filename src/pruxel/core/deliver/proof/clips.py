"""Clips by their names and lengths, as they were to be written and as they were read."""

from __future__ import annotations

import numpy as np

from pruxel.core.deliver.proof.checks import Check, Tolerances
from pruxel.core.deliver.proof.judge import ReadBack
from pruxel.core.deliver.proof.surfaces import compare_names
from pruxel.core.extract.clips import extent_of
from pruxel.core.scene.model import Scene


def compare_clips(scene: Scene, read: ReadBack, t: Tolerances) -> list[Check]:
    """Names in order and, where these are the same, lengths; nothing where there is no clip."""
    if not scene.clips and not read.clips:
        return []
    names = compare_names("clips", [c.name for c in scene.clips], [c["name"] for c in read.clips])
    if not names.passed:
        return [names]
    lengths = [extent_of(clip.channels)[0] for clip in scene.clips]
    apart = [abs(a - float(b["seconds"])) for a, b in zip(lengths, read.clips, strict=True)]
    worst = int(np.argmax(apart))
    total = f"{sum(lengths):.3f} s"
    words = "all alike" if max(apart) <= t.seconds else f"'{scene.clips[worst].name}' is {apart[worst]:.3f} s off"
    return [names, Check("lengths of clips", total, words, max(apart) <= t.seconds)]
