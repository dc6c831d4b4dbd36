"""Joints of a scene that is shown: met with those of clips, and posed."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel, Field

from pruxel.core.steps.motion.pose import Pose
from pruxel.server.api.limits import Word
from pruxel.server.jobs.aside import aside
from pruxel.server.jobs.fitting import joints_met, joints_posed

router = APIRouter(tags=["fitting"])


class JointsIn(BaseModel):
    """Whose clips, and corrections as `theirs = ours`."""

    project: UUID
    entry: Word = Field(min_length=1)
    said: list[Annotated[str, Field(max_length=1000)]] = Field([], max_length=2_000)


class PairOut(BaseModel):
    """A joint of the clips and the one here that it is, how sure that is (0 to 1), and why."""

    source: str
    target: str
    sureness: float
    why: str


class TheirJointOut(BaseModel):
    """A joint of the clips; `moves`: one of them moves it."""

    name: str
    moves: bool


class JointsOut(BaseModel):
    """The pairs, the joints of both sides in the order of their trees, and the names of the clips."""

    pairs: list[PairOut]
    theirs: list[TheirJointOut]
    ours: list[str]
    clips: list[str]


@router.post("/scenes/{manifest}/joints")
def meet_joints(manifest: Word, wanted: JointsIn) -> JointsOut:
    """Which joint of an entry's clips is which of the scene's."""
    return JointsOut.model_validate(aside(joints_met, wanted.project, manifest, wanted.entry, wanted.said))


class JointPlace(BaseModel):
    """Where a joint is in its parent: metres, and its turn xyzw."""

    joint: str
    translation: tuple[float, float, float]
    rotation: tuple[float, float, float, float]


@router.post("/scenes/{manifest}/pose")
def pose_joints(manifest: Word, wanted: Pose) -> list[JointPlace]:
    """Where turning and pulling joints brings them, before it is kept as a step."""
    return [JointPlace.model_validate(place) for place in aside(joints_posed, manifest, wanted)]
