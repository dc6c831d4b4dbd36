"""Drop single keys at which a joint jumps away and back."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.jumps import JUMP_DEG, jumping_keys
from pruxel.core.scene.keys import rows_of, with_keys
from pruxel.core.scene.model import Clip, ClipChannel, Scene
from pruxel.core.steps.choose_clips import Clips, on_clips
from pruxel.core.steps.references import Degrees
from pruxel.core.steps.registry import Params, StepResult, step


class DropJumps(Params):
    """In which clips, and from how far a key jumps."""

    clips: Clips = ()
    least: Degrees = Field(JUMP_DEG, ge=5, le=180, title="From", description="as far from both keys beside it")


@step(
    "drop_jumps",
    "Drop keys that jump",
    "Drops single keys at which a joint turns far away and back again; it goes straight past them.",
    DropJumps,
)
def drop_jumps(scene: Scene, params: DropJumps, context: Context) -> StepResult:
    """Leave the jumping keys of turns out."""
    context.check()
    dropped = 0

    def even(channel: ClipChannel) -> ClipChannel:
        nonlocal dropped
        found = jumping_keys(channel, params.least)
        if not len(found):
            return channel
        dropped += len(found)
        kept = np.delete(np.arange(len(channel.times)), found)
        return with_keys(channel, channel.times[kept].astype(np.float64), rows_of(channel)[kept])

    def mended(clip: Clip) -> Clip:
        return replace(clip, channels=tuple(even(channel) for channel in clip.channels))

    done, count = on_clips(scene, params.clips, mended)
    return StepResult(
        done, f"{counted(dropped, 'key')} dropped from {counted(count, 'clip')}", (Evidence("keys dropped", dropped),)
    )
