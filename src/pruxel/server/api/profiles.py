"""Profiles: look at, write, check, bring in and take away; and find the one that fits a folder."""

from __future__ import annotations

from pathlib import Path
from uuid import UUID

from fastapi import APIRouter
from fastapi.responses import StreamingResponse
from sqlalchemy import select

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError, UsageError
from pruxel.core.binary.yaml_text import with_item, write_yaml
from pruxel.core.knowledge.detect import detect
from pruxel.core.knowledge.profile import Alias
from pruxel.core.knowledge.profile_files import LoadedProfile, build_profile, find_profiles, load_profile, write_profile
from pruxel.core.knowledge.profile_stream import profile_pieces, without_names
from pruxel.core.recipe.document import Recipe
from pruxel.server.api.limits import PathText, gives
from pruxel.server.api.models import JobOut
from pruxel.server.api.source_models import FitOut, ProfileIn, ProfileOut, SchemeIn
from pruxel.server.jobs.aliases import LISTED
from pruxel.server.jobs.naming import store_names
from pruxel.server.jobs.queue import put_job
from pruxel.server.jobs.stacks import check_root
from pruxel.server.store.blobs import get_blob
from pruxel.server.store.database import session
from pruxel.server.store.jobs import job_details
from pruxel.server.store.projects import profile_of, profile_text, project_by_id
from pruxel.server.store.recipes import checked_recipes, take_recipes, told_recipes
from pruxel.server.store.stack_state import touch
from pruxel.server.store.tables import Mark, NameListRow, Project, SourceRow

router = APIRouter(tags=["profiles"])
_FEW_NAMES = 2_000


def _told(text: str, home: str | None) -> ProfileOut:
    empty = ProfileOut(
        text=text, name="", layouts=[], layers=[], keys=[], tables=[], variants=[], version=None, problem=None
    )
    if not text.strip():
        return empty
    try:
        loaded = build_profile(text, "profile", None if home is None else Path(home))
    except InputError as error:
        return empty.model_copy(update={"problem": error.fault.line()})
    profile = loaded.profile
    fits = detect(Path(home), [profile], Context()) if home is not None and Path(home).is_dir() else []
    return ProfileOut(
        text=text,
        name=profile.name,
        layouts=[layout.title or layout.layout for layout in profile.layouts],
        layers=[layer.name for layer in profile.spec.layers],
        keys=[key.name for key in profile.spec.keys],
        tables=[table.file for table in profile.spec.tables],
        variants=list(profile.spec.variants),
        version=fits[0].version if fits else None,
        problem=None,
    )


@router.get("/projects/{project}/profile")
def get_profile(project: UUID) -> ProfileOut:
    """The project's profile."""
    with session() as db:
        found = project_by_id(db, project)
        return _told(found.profile, found.profile_home)


@router.post("/projects/{project}/profile/check")
def check_text(project: UUID, wanted: ProfileIn) -> ProfileOut:
    """What a text would be as a profile; nothing is kept."""
    plain, _ = without_names(wanted.text, "profile")
    with session() as db:
        return _told(plain, project_by_id(db, project).profile_home).model_copy(update={"text": wanted.text})


@router.put("/projects/{project}/profile")
def set_profile(project: UUID, wanted: ProfileIn) -> JobOut | None:
    """Replace the profile and read all sources again by it. Raises when the text does not hold together.

    Known names beyond a few become a list of the project's own, so that the text stays one that a person can read.
    """
    return _keep(project, wanted.text)


@router.post("/projects/{project}/profile/schemes")
def keep_scheme(project: UUID, wanted: SchemeIn) -> JobOut | None:
    """Keep in the profile what the channels of textures mean, before all other schemes; sources are read again by it.

    Comments and all else of the profile stay as they are.
    """
    with session() as db:
        found = project_by_id(db, project)
        text = profile_text(found)
        schemes = profile_of(found).profile.spec.schemes if found.profile.strip() else ()
    if any(scheme.name == wanted.name for scheme in schemes):
        raise UsageError(
            ErrorCode.USAGE,
            f"the profile has a scheme '{wanted.name}'",
            expected="a name of its own",
            found=wanted.name,
        )
    said = {name: value for name, value in wanted.model_dump().items() if value != "nothing"}
    return _keep(project, with_item(text, "schemes", said))


def _keep(project: UUID, given: str) -> JobOut | None:
    plain, names = without_names(given, "profile")
    text = plain if len(names) > _FEW_NAMES else given
    with session() as db:
        found = project_by_id(db, project)
        recipes: list[Recipe] = []
        if text.strip():
            home = None if found.profile_home is None else Path(found.profile_home)
            recipes = checked_recipes(build_profile(text, "profile", home).profile.spec.recipes)
    if text is plain:
        store_names(project, "from the profile", ("\n".join(names) + "\n").encode("utf-8", "replace"))
    with session() as db:
        found = project_by_id(db, project)
        found.profile = text
        take_recipes(db, project, recipes)
        touch(db, project)
        mounts = db.execute(select(SourceRow.mount).where(SourceRow.project_id == project).distinct()).scalars()
        jobs = [
            put_job(db, project, "scan", f"Reading {Path(m).name}", {"mount": m, "key": m, "force": True})
            for m in mounts
        ]
    return JobOut.model_validate(job_details(jobs[-1])) if jobs else None


@router.get("/projects/{project}/profile/file", response_class=StreamingResponse, responses=gives("application/yaml"))
def export_profile(project: UUID) -> StreamingResponse:
    """The profile as one file that stands alone: layouts, recipes, aliases and notes, names by hand; never keys."""
    with session() as db:
        found = project_by_id(db, project)
        loaded = profile_of(found) if found.profile.strip() else LoadedProfile(_blank(found.name), None)
        marks = db.execute(
            select(Mark).where(Mark.project_id == project, Mark.origin.in_(["", LISTED])).order_by(Mark.path)
        ).scalars()
        aliases = tuple(
            Alias(path=f"{m.path}/**" if m.folder else m.path, alias=m.alias, note=m.note, star=m.star)
            for m in marks
            if m.alias or m.note or m.star
        )
        lists = db.execute(select(NameListRow).where(NameListRow.project_id == project)).scalars()
        recipes = told_recipes(db, project)
        names = {line for row in lists for line in get_blob(row.blob).decode("utf-8", "replace").splitlines() if line}
    spec = loaded.profile.spec
    own = {a.path for a in aliases}
    kept = tuple(a for a in spec.aliases if a.path not in own)
    whole = spec.model_copy(update={"aliases": (*kept, *aliases), "recipes": tuple(recipes)})
    pieces = profile_pieces(whole, loaded.profile.layouts, sorted({*spec.known_names, *names}))
    headers = {"Content-Disposition": 'attachment; filename="profile.yaml"'}
    return StreamingResponse(pieces, media_type="application/yaml", headers=headers)


def _blank(name: str):  # type: ignore[no-untyped-def]  # noqa: ANN202
    return build_profile(write_yaml({"profile": 1, "name": name}), "profile", None).profile


@router.get("/fits")
def find_fits(path: PathText) -> list[FitOut]:
    """Which profiles fit a folder: those that lie in it or beside it, and those of other projects, best first."""
    folder = check_root(Path(path))
    if not folder.is_dir():
        return []
    found: dict[str, LoadedProfile] = {}
    for file in find_profiles(folder):
        try:
            found[str(file)] = load_profile(file)
        except InputError:
            continue
    own = set(found)
    with session() as db:
        for project in db.execute(select(Project).where(Project.profile != "")).scalars():
            try:
                found[f"project {project.name}"] = profile_of(project)
            except InputError:
                continue
    named: dict[str, str] = {}
    for name, loaded in found.items():  # the folder's own stands before another project's copy of it
        named.setdefault(write_profile(loaded.profile.spec.model_copy(update={"layouts": ()}), ()), name)
    found = {name: found[name] for name in named.values()}
    profiles = {id(loaded.profile): name for name, loaded in found.items()}
    return [
        FitOut(
            name=fit.profile.name,
            about=fit.profile.about,
            score=fit.score,
            reasons=list(fit.reasons),
            version=fit.version,
            file=profiles[id(fit.profile)],
            text="" if profiles[id(fit.profile)] in own else write_profile(fit.profile.spec, fit.profile.layouts),
        )
        for fit in detect(folder, [loaded.profile for loaded in found.values()], Context())
    ]
