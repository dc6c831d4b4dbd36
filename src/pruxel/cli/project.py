"""`pruxel project`: backup and restore; `pruxel doctor`."""

from __future__ import annotations

import sys
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Annotated
from uuid import UUID

import typer

from pruxel.cli.options import JsonOption, console, print_json
from pruxel.cli.told import told
from pruxel.core.base.errors import ErrorCode, InputError, UsageError
from pruxel.core.base.writing import cannot_write

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

    from pruxel.server.store.tables import Project

project = typer.Typer(no_args_is_help=True, help="Back a project up, and restore it.")


@project.command("export")
def export_project(
    name: Annotated[str, typer.Argument(metavar="NAME", help="the project's name, or its id")],
    out: Annotated[Path, typer.Argument(metavar="FILE", help="file to write, a ZIP")],
) -> None:
    """Write what was made of one project into one file: no bytes of the game, no keys, no deliveries."""
    from pruxel.server.own_database import own_database
    from pruxel.server.store.backup import write_backup
    from pruxel.server.store.database import session

    with told(), own_database(), session() as db:
        try:
            write_backup(db, _named(db, name), out)
        except OSError as error:
            raise cannot_write(error, out) from error
    console.print(f"{out}  {out.stat().st_size:,} bytes; keys are not in it and have to be typed again")


@project.command("import")
def import_project(file: Annotated[Path, typer.Argument(metavar="FILE", help="a backup")]) -> None:
    """Make a new project of a backup; its sources are read from where they lie, when Pruxel runs."""
    from sqlalchemy.exc import DataError

    from pruxel.server.jobs.queue import put_job
    from pruxel.server.own_database import own_database
    from pruxel.server.store.backup import read_backup
    from pruxel.server.store.database import session
    from pruxel.server.store.jobs import tell

    with told(), own_database():
        try:
            with session() as db:
                made, mounts = read_backup(db, file)
                for mount in mounts:
                    label = mount.rsplit("/", 1)[-1]
                    put_job(db, made.id, "scan", f"Reading {label}", {"mount": mount, "key": mount, "force": True})
                tell(db, {"changed": "projects", "project_id": str(made.id)})
        except DataError:
            raise InputError(
                ErrorCode.MALFORMED, "the backup holds values that cannot be stored", file=file.name
            ) from None
    console.print(f"{made.name}: {len(mounts)} places are read when Pruxel runs")


def _named(db: Session, name: str) -> Project:
    from sqlalchemy import select

    from pruxel.server.store.tables import Project

    rows = db.execute(select(Project)).scalars().all()
    found = [row for row in rows if row.name == name or _is_id(row.id, name)]
    if len(found) == 1:
        return found[0]
    words = "there is no such project" if not found else "several projects have this name"
    raise UsageError(
        ErrorCode.NOT_FOUND,
        words,
        found=name,
        expected=", ".join(f"{row.name} ({row.id})" for row in (found or rows)) or "none is there",
    )


def _is_id(known: UUID, text: str) -> bool:
    return str(known) == text.lower()


def doctor(*, as_json: JsonOption = False) -> None:
    """Look whether everything is there that Pruxel needs, and say what to do where it is not."""
    from pruxel.server.doctor import examine
    from pruxel.server.own_database import name_running_database

    with told():
        name_running_database()
        found = list(examine())
    if as_json:
        print_json([asdict(one) for one in found])
    for one in found if not as_json else ():
        console.print(f"{'ok ' if one.fine else '!! '} {one.what:18} {one.found}", highlight=False)
        if not one.fine and one.hint:
            console.print(f"    {'':18} {one.hint}", highlight=False)
    if not all(one.fine for one in found):
        sys.stdout.flush()
        raise typer.Exit(1)
