"""Take sizes out of clips, or even them out."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.growing import grown
from pruxel.core.scene.keys import straight, with_keys
from pruxel.core.scene.model import Clip, ClipChannel, Scene
from pruxel.core.steps.choose_clips import Clips, on_clips
from pruxel.core.steps.registry import Params, StepResult, step


class SettleSizes(Params):
    """In which clips, and what becomes of their sizes."""

    clips: Clips = ()
    how: Literal["take them out", "even them out"] = Field(
        "take them out", title="Sizes", description="even: as large along all axes, of the same volume"
    )


@step(
    "settle_sizes",
    "Settle sizes in clips",
    "Takes the growing and shrinking of joints out of clips, or makes it the same along all axes.",
    SettleSizes,
)
def settle_sizes(scene: Scene, params: SettleSizes, context: Context) -> StepResult:
    """Drop the tracks of scale, or make each key as large along all axes, by the size at rest."""
    context.check()
    changed = 0

    def settled(clip: Clip) -> Clip:
        nonlocal changed
        sizes = [channel for channel in clip.channels if channel.path == "scale"]
        changed += len(sizes)
        others = tuple(channel for channel in clip.channels if channel.path != "scale")
        even = tuple(_even(scene, channel) for channel in sizes) if params.how == "even them out" else ()
        return replace(clip, channels=(*others, *even))

    done, count = on_clips(scene, params.clips, settled)
    kept = tuple(clip for clip in done.clips if clip.tracks)
    gone = len(done.clips) - len(kept)
    words = f"{counted(changed, 'track')} of sizes in {counted(count, 'clip')} "
    words += "taken out" if params.how == "take them out" else "made even"
    return StepResult(
        replace(done, clips=kept), words + (f"; {counted(gone, 'clip')} had nothing else" if gone else ""),
        (Evidence("tracks of sizes", changed), Evidence("clips that had nothing else", gone)),
    )  # fmt: skip


def _even(scene: Scene, channel: ClipChannel) -> ClipChannel:
    rest = np.asarray(scene.nodes[channel.node].scale, np.float64)
    size = np.cbrt(np.abs(grown(scene, channel)).prod(axis=1, keepdims=True))
    return with_keys(straight(channel), channel.times.astype(np.float64), size * rest)
