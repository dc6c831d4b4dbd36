"""Hold feet where they stand, so that they do not slide over the ground."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.fit.ground import RATE, Contact, Treading, feet_of, treading
from pruxel.core.fit.limbs import Limb, reached
from pruxel.core.scene.keys import end_of, gently, with_turns
from pruxel.core.scene.model import Clip, Scene
from pruxel.core.scene.top_movers import moments_for
from pruxel.core.steps.choose_clips import Clips, chosen_clips
from pruxel.core.steps.references import Seconds
from pruxel.core.steps.registry import Params, StepResult, step


class PinFeet(Params):
    """In which clips, and how gently."""

    clips: Clips = ()
    over: Seconds = Field(0.1, ge=0, le=5, title="Over", description="how long a foot comes to rest and sets off again")


@step(
    "pin_feet",
    "Hold feet where they stand",
    "Keeps each foot at one place while it stands on the ground, by bending its leg; the body moves as before.",
    PinFeet,
)
def pin_feet(scene: Scene, params: PinFeet, context: Context) -> StepResult:
    """Pin every foot during each contact; raises `UsageError` for a skeleton without feet."""
    context.check()
    chosen = chosen_clips(scene, params.clips)
    if not feet_of(scene):
        raise UsageError(
            ErrorCode.USAGE, "there are no feet here", expected="joints called foot or ankle, below two bones",
            found="none", hint="Rename the joints, so that their names say which are feet.",
        )  # fmt: skip
    clips, held, before, after = list(scene.clips), 0, 0.0, 0.0
    for number in chosen:
        context.check()
        clip = scene.clips[number]
        seen = treading(scene, clip, _moments(clip))
        if seen is None or not seen.contacts:
            continue
        clips[number] = _pinned(scene, clip, seen, params.over)
        held += len(seen.contacts)
        before = max(before, *(one.speed for one in seen.contacts))
        again = treading(scene, clips[number], seen.seconds)
        after = max([after, *(one.speed for one in (again.contacts if again else ()))])
    return StepResult(
        replace(scene, clips=tuple(clips)),
        f"{counted(held, 'tread')} held: {100 * after:.1f} cm a second of sliding, {100 * before:.1f} before",
        (
            Evidence("times that a foot stands", held),
            Evidence("fastest sliding before", round(100 * before, 2), "cm/s"),
            Evidence("fastest sliding now", round(100 * after, 2), "cm/s"),
        ),
    )  # fmt: skip


def _moments(clip: Clip) -> DoubleArray:
    end = end_of(clip)
    return np.unique(np.concatenate([moments_for(clip), np.arange(0.0, end, 1 / RATE), [end]]))


def _pinned(scene: Scene, clip: Clip, seen: Treading, over: float) -> Clip:
    """The clip with the joints of its legs turned so that feet stay."""
    for limb in dict.fromkeys(one.limb for one in seen.contacts):
        targets = _targets(seen, limb, [one for one in seen.contacts if one.limb == limb], over)
        clip = with_turns(clip, seen.seconds, reached(scene, limb, seen.world, targets))
    return clip


def _targets(seen: Treading, limb: Limb, contacts: list[Contact], over: float) -> DoubleArray:
    """(m, 3) where the foot shall be: at the middle of each tread sideways and ahead, led there and away gently."""
    path = seen.world[:, limb.end, :3, 3]
    shift = np.zeros_like(path)
    strength = np.zeros(len(path))
    for one in contacts:
        start, end = seen.seconds[one.start], seen.seconds[one.end]
        stands = path[one.start : one.end + 1].mean(axis=0)
        outside = np.maximum(np.maximum(start - seen.seconds, seen.seconds - end), 0.0)
        share = gently(1 - outside / over) if over > 0 else (outside <= 0).astype(float)
        nearest = np.clip(np.arange(len(path)), one.start, one.end)
        stronger = share > strength
        away = (stands - path[nearest]) * share[:, None]
        shift[stronger], strength[stronger] = away[stronger], share[stronger]
    shift[:, 1] = 0
    return path + shift
