"""Choosing faces on a scene that is shown."""

from __future__ import annotations

from math import radians
from typing import Annotated

import numpy as np
from fastapi import APIRouter
from pydantic import BaseModel, Field

from pruxel.core.scene.faces import Choice, Grow, Window
from pruxel.core.steps.references import FaceSet
from pruxel.server.api.limits import Word
from pruxel.server.jobs.aside import aside
from pruxel.server.jobs.choosing import faces_chosen

router = APIRouter(tags=["choosing"])
_Clip = Annotated[float, Field(ge=-1, le=1)]
_PartName = Annotated[str, Field(max_length=1000)]


class FaceAt(BaseModel):
    """A triangle of a part by its number, through all of the part's surfaces."""

    part: _PartName
    face: int = Field(ge=0, lt=1 << 31)


class WindowIn(BaseModel):
    """A rectangle of the picture in clip space; `clip_from_world` by rows."""

    clip_from_world: list[Annotated[float, Field(allow_inf_nan=False)]] = Field(min_length=16, max_length=16)
    left: _Clip
    bottom: _Clip
    right: _Clip
    top: _Clip


class FacesIn(BaseModel):
    """What was chosen before, and what is met now: a face, a window, or neither, where what was chosen only grows.

    `shown` are the parts in sight; `through` also takes what looks away; `angle` (degrees) is how far what is level may
    bend.
    """

    chosen: list[FaceSet] = Field([], max_length=1_000)
    at: FaceAt | None = None
    window: WindowIn | None = None
    shown: list[_PartName] = Field([], max_length=20_000)
    through: bool = False
    grow: Grow = "no farther"
    angle: float = Field(10.0, ge=0, le=180)
    take_away: bool = False


class ChosenOut(BaseModel):
    """The chosen faces of a part."""

    part: str
    faces: str
    count: int


@router.post("/scenes/{manifest}/faces")
def choose_faces(manifest: Word, wanted: FacesIn) -> list[ChosenOut]:
    """What is chosen after a click, a window, or growing."""
    choice = Choice(
        at=None if wanted.at is None else (wanted.at.part, wanted.at.face),
        window=None if wanted.window is None else _window(wanted.window),
        shown=frozenset(wanted.shown),
        through=wanted.through,
        grow=wanted.grow,
        angle_rad=radians(wanted.angle),
        take_away=wanted.take_away,
    )
    found = aside(faces_chosen, manifest, [(one.part, one.faces) for one in wanted.chosen], choice)
    return [ChosenOut(part=part, faces=faces, count=count) for part, faces, count in found]


def _window(one: WindowIn) -> Window:
    return Window(np.array(one.clip_from_world).reshape(4, 4), one.left, one.bottom, one.right, one.top)
