"""Turn what clips do in the world: where a change of axes was not carried into them."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.geometry.euler import turns_of_euler
from pruxel.core.geometry.transforms import quaternion_matrix
from pruxel.core.scene.model import Clip, Scene
from pruxel.core.scene.motion_at import worlds
from pruxel.core.scene.top_movers import moments_for, placed_in_world, top_movers
from pruxel.core.scene.walk import world_from_local
from pruxel.core.steps.choose_clips import Clips, on_clips
from pruxel.core.steps.references import Degrees
from pruxel.core.steps.registry import Params, StepResult, step


class TurnClips(Params):
    """Which clips, how far, and about what."""

    clips: Clips = ()
    turn: tuple[Degrees, Degrees, Degrees] = Field(
        (0.0, 180.0, 0.0), title="Turn", description="about x, then y, then z of the world"
    )
    about: Literal["where it rests", "the origin"] = Field(
        "where it rests", title="About", description="the origin where the clip's way is turned too"
    )


@step(
    "turn_clips",
    "Turn clips",
    "Turns the whole movement of clips: upright again, or facing ahead, where a change of axes was forgotten.",
    TurnClips,
)
def turn_clips(scene: Scene, params: TurnClips, context: Context) -> StepResult:
    """Turn what carries the movement in the world; the model's own rest stays as it is."""
    context.check()
    turn = np.eye(4)
    turn[:3, :3] = quaternion_matrix(turns_of_euler(np.array([params.turn]))[0].tolist())
    rest = world_from_local(scene)

    def turned(clip: Clip) -> Clip:
        context.check()
        seconds = moments_for(clip)
        tops = top_movers(scene, clip)
        if not len(seconds) or not tops:
            return clip
        world = worlds(scene, clip, seconds)
        # Several tops turn about one place: together.
        about = np.zeros(3) if params.about == "the origin" else rest[tops[0], :3, 3]
        there, back = np.eye(4), np.eye(4)
        there[:3, 3], back[:3, 3] = about, -about
        whole = there @ turn @ back
        return placed_in_world(scene, clip, seconds, {node: whole @ world[:, node] for node in tops})

    done, count = on_clips(scene, params.clips, turned)
    words = ", ".join(f"{angle:g}° about {axis}" for angle, axis in zip(params.turn, "xyz", strict=True) if angle)
    return StepResult(
        done, f"{counted(count, 'clip')} turned by {words or 'nothing'}", (Evidence("clips turned", count),)
    )
