"""Joints of a scene that is shown: met with those of clips, and posed."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel, Field

from pruxel.core.binary.yaml_text import with_item
from pruxel.core.fit.pairing import corrections
from pruxel.core.knowledge.profile_files import build_profile
from pruxel.core.steps.motion.pose import Pose
from pruxel.core.steps.references import Reference
from pruxel.server.api.limits import Word
from pruxel.server.jobs.aside import aside
from pruxel.server.jobs.fitting import joints_met, joints_posed
from pruxel.server.store.database import session
from pruxel.server.store.projects import head_of, profile_text, project_by_id

router = APIRouter(tags=["fitting"])
Line = Annotated[str, Field(max_length=1000)]


class JointsIn(BaseModel):
    """Whose clips, an entry's or a workpiece's, and corrections as `theirs = ours`."""

    project: UUID
    entry: Word = ""
    workpiece: Word = ""
    said: list[Line] = Field([], max_length=2_000)


class PairOut(BaseModel):
    """A joint of the clips and the one here that it is, how sure that is (0 to 1), and why."""

    source: str
    target: str
    sureness: float
    why: str


class JointOut(BaseModel):
    """A joint as it rests: metres in the world, and the number of the one above, -1 for none."""

    name: str
    above: int
    place: tuple[float, float, float]


class TheirJointOut(JointOut):
    """A joint of the clips; `moves`: one of them moves it."""

    moves: bool


class JointsOut(BaseModel):
    """The pairs, the joints of both sides in the order of their trees, and the names of the clips.

    `known` are corrections that the profile keeps.
    """

    pairs: list[PairOut]
    theirs: list[TheirJointOut]
    ours: list[JointOut]
    clips: list[str]
    known: list[str]


@router.post("/scenes/{manifest}/joints")
def meet_joints(manifest: Word, wanted: JointsIn) -> JointsOut:
    """Which joint of an entry's clips is which of the scene's."""
    with session() as db:
        kept = list(head_of(project_by_id(db, wanted.project)).joints)
    whose = Reference("workpiece", wanted.workpiece) if wanted.workpiece else Reference("entry", wanted.entry)
    return JointsOut.model_validate(aside(joints_met, wanted.project, manifest, whose, wanted.said, kept))


class KeptJointsIn(BaseModel):
    """Pairs of joints, `one = other`."""

    pairs: list[Line] = Field(min_length=1, max_length=2_000)


@router.post("/projects/{project}/profile/joints", status_code=204)
def keep_joints(project: UUID, wanted: KeptJointsIn) -> None:
    """Keep in the profile which joint is which; before what it said till now; all else stays to the letter."""
    said = corrections(wanted.pairs)
    with session() as db:
        found = project_by_id(db, project)
        text = profile_text(found)
        known = set(head_of(found).joints)
        for theirs, ours in reversed(said.items()):
            line = f"{theirs} = {ours}".rstrip()
            text = text if line in known else with_item(text, "joints", line)
        build_profile(text, "profile", None if found.profile_home is None else Path(found.profile_home))
        found.profile = text


class JointPlace(BaseModel):
    """Where a joint is in its parent: metres, and its turn xyzw."""

    joint: str
    translation: tuple[float, float, float]
    rotation: tuple[float, float, float, float]


@router.post("/scenes/{manifest}/pose")
def pose_joints(manifest: Word, wanted: Pose) -> list[JointPlace]:
    """Where turning and pulling joints brings them, before it is kept as a step."""
    return [JointPlace.model_validate(place) for place in aside(joints_posed, manifest, wanted)]
