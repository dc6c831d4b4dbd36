"""The parts that `make demo` starts."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated

import typer


def serve(
    port: Annotated[int | None, typer.Option(help="loopback port; PRUXEL_PORT otherwise")] = None,
) -> None:
    """Serve the page and its interface on the loopback address."""
    import uvicorn

    from pruxel.server.main import create_app
    from pruxel.server.settings import settings

    chosen = port or settings().port
    typer.echo(f"Pruxel: http://{settings().host}:{chosen}/?key={settings().access_token()}")
    uvicorn.run(create_app(), host=settings().host, port=chosen, log_level="warning", timeout_graceful_shutdown=1)


def worker() -> None:
    """Work through the queue until told to stop."""
    from pruxel.server.jobs.worker import run_worker

    run_worker()


def migrate() -> None:
    """Bring the database to the current shape."""
    from pruxel.server.store.migrate import migrate_database

    migrate_database()


def openapi(target: Annotated[Path, typer.Argument()]) -> None:
    """Write the interface's description, from which the page's types are made."""
    from pruxel.server.main import create_app

    target.write_text(json.dumps(create_app().openapi(), indent=1, sort_keys=True) + "\n")
