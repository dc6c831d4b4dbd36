"""A clip as a row of small pictures, seen from where all of it is in sight."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import ByteArray, as_floats
from pruxel.core.base.context import Context
from pruxel.core.pictures.bones import visible
from pruxel.core.pictures.coarse import coarser
from pruxel.core.pictures.flatten import flatten, shown_nodes
from pruxel.core.pictures.render import View, render
from pruxel.core.scene.keys import end_of
from pruxel.core.scene.looking import at_moment
from pruxel.core.scene.model import Clip, Scene
from pruxel.core.scene.pose import stiff

FRAMES = 8
_VIEW = View(width=160, height=160, samples=1, sky_rays=4, ground=False)
# How many triangles a picture of this size can show.
_MOST_TRIANGLES = 24_000
_MOST_FRAMED = 2_000


def film(scene: Scene, clip: Clip, context: Context, frames: int = FRAMES) -> ByteArray:
    """Moments of a clip side by side, its beginning first and its end last: (160, 160 * frames, 4) uint8.

    A clip of one key is one picture, in every place.
    """
    seconds = np.linspace(0.0, end_of(clip), frames)
    drawn = coarser(visible(replace(scene, clips=())), _MOST_TRIANGLES)
    moments = [stiff(at_moment(drawn, clip, float(second))) for second in np.unique(seconds)]
    soups = [flatten(moment, shown_nodes(moment)).positions for moment in moments]
    seen = as_floats(np.concatenate([soup[:: len(soup) // _MOST_FRAMED + 1] for soup in soups]), 3)
    around = seen if len(seen) else None
    pictures = [render(moment, part, _VIEW, around) for moment, part in context.each(moments, lambda _: clip.name)]
    return np.concatenate([pictures[min(n, len(pictures) - 1)] for n in range(frames)], axis=1)
