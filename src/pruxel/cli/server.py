"""The parts that `make demo` starts."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated

import typer

from pruxel.cli.told import told


def serve(
    port: Annotated[int | None, typer.Option(help="loopback port; PRUXEL_PORT otherwise")] = None,
) -> None:
    """Serve the page and its interface on the loopback address."""
    from pruxel.server.serve import serve_page

    with told():
        serve_page(port)


def worker() -> None:
    """Work through the queue until told to stop."""
    from pruxel.server.jobs.worker import run_worker
    from pruxel.server.running import end_with_whom_the_environment_names
    from pruxel.server.store.database import wait_for_database

    with told():
        end_with_whom_the_environment_names()
        wait_for_database(typer.echo)
        run_worker()


def migrate() -> None:
    """Bring the database to the current shape."""
    from pruxel.server.store.database import wait_for_database
    from pruxel.server.store.migrate import migrate_database

    with told():
        wait_for_database(typer.echo)
        migrate_database()


def openapi(target: Annotated[Path, typer.Argument()]) -> None:
    """Write the interface's description, from which the page's types are made."""
    from pruxel.server.main import create_app

    target.write_text(json.dumps(create_app().openapi(), indent=1, sort_keys=True) + "\n")
