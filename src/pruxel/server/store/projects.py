"""What a project knows: its profile, keys and name lists."""

from __future__ import annotations

import uuid
from functools import lru_cache
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from pruxel.core.base.limits import Limits
from pruxel.core.binary.yaml_text import parse_yaml, write_yaml
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.knowledge.name_lists import joined, parse_names
from pruxel.core.knowledge.profile import Profile, ProfileFile, check_profile
from pruxel.core.knowledge.profile_files import LoadedProfile, build_profile
from pruxel.server.store.blobs import get_blob
from pruxel.server.store.missing import not_found
from pruxel.server.store.tables import KeyRow, NameListRow, Project


def project_by_id(db: Session, project: uuid.UUID) -> Project:
    """A project; raises `InputError` when there is none of that id."""
    found = db.get(Project, project)
    if found is None:
        raise not_found("project")
    return found


def profile_of(project: Project) -> LoadedProfile:
    """The project's profile, or an empty one; raises `InputError` when it does not hold together."""
    if not project.profile.strip():
        return LoadedProfile(Profile(), None)
    home = None if project.profile_home is None else Path(project.profile_home)
    return build_profile(project.profile, "profile", home)


def head_of(project: Project) -> ProfileFile:
    """What the project's profile says of itself, without its layouts; raises `InputError`."""
    return _head(project.profile) if project.profile.strip() else ProfileFile(profile=1, name="")


def profile_text(project: Project) -> str:
    """The text of the project's profile, or of a new one."""
    return project.profile if project.profile.strip() else write_yaml({"profile": 1, "name": project.name})


@lru_cache(maxsize=64)
def _head(text: str) -> ProfileFile:
    """The lists of projects ask for it again and again."""
    return check_profile(parse_yaml(text, "profile"), "profile")


def keys_of(db: Session, project: uuid.UUID) -> dict[str, bytes]:
    """The project's ring, without keys that only another installation can open."""
    rows = db.execute(select(KeyRow).where(KeyRow.project_id == project)).scalars()
    return {row.name: row.value for row in rows if row.value is not None}


def knowledge_of(db: Session, project: uuid.UUID) -> Knowledge:
    """All that is known when the project's sources are opened."""
    found = db.get_one(Project, project)
    keys = keys_of(db, project)
    loaded = profile_of(found)
    lists = db.execute(select(NameListRow).where(NameListRow.project_id == project).order_by(NameListRow.label))
    own = [parse_names(get_blob(row.blob), row.label, Limits()) for row in lists.scalars()]
    return Knowledge(loaded.profile, keys, joined([loaded.names(), *own]))
