"""Play a clip of another build with the bones that are here."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.bones import bones_in, tops_of
from pruxel.core.scene.keys import rows_of, with_keys
from pruxel.core.scene.model import Clip, ClipChannel, Scene
from pruxel.core.steps.choose_clips import Clips, on_clips
from pruxel.core.steps.registry import Params, StepResult, step


class KeepBones(Params):
    """In which clips."""

    clips: Clips = ()


@step(
    "keep_bones",
    "Keep this model's bones",
    "Takes the lengths of another body's bones out of clips; the way of the whole is made as much longer or shorter.",
    KeepBones,
)
def keep_bones(scene: Scene, params: KeepBones, context: Context) -> StepResult:
    """Drop the tracks of places of joints that only say how long a bone is; what moves along its bone keeps doing so.

    The places of the topmost joints are divided by how many times as long the bones are.
    """
    context.check()
    dropped, ratios, tops = 0, list[float](), tops_of(scene)

    def kept(clip: Clip) -> Clip:
        nonlocal dropped
        bones = {id(bone.channel): bone for bone in bones_in(scene, clip)}
        stiff = [bone.ratio for bone in bones.values() if bone.stiff]
        if not stiff:
            return clip
        dropped += len(stiff)
        size = float(np.median(stiff))
        ratios.append(size)
        channels = []
        for channel in clip.channels:
            bone = bones.get(id(channel))
            if bone is None:
                whole = channel.path == "translation" and channel.node in tops
                channels.append(_sized(channel, 1 / max(size, 1e-6)) if whole else channel)
            elif not bone.stiff:
                channels.append(_sized(channel, 1 / max(bone.ratio, 1e-6)))
        return replace(clip, channels=tuple(channels))

    done, count = on_clips(scene, params.clips, kept)
    left = tuple(clip for clip in done.clips if clip.tracks)
    middle = float(np.median(ratios)) if ratios else 1.0
    return StepResult(
        replace(done, clips=left), f"{counted(dropped, 'track')} of places taken out of {counted(count, 'clip')}",
        (
            Evidence("tracks of places taken out", dropped),
            Evidence("as long as here the bones were", round(100 * middle, 1), "%"),
        ),
    )  # fmt: skip


def _sized(channel: ClipChannel, factor: float) -> ClipChannel:
    return with_keys(channel, channel.times.astype(np.float64), rows_of(channel) * factor)
