"""Serving the page: on our own port or not at all, as soon as the database answers."""

from __future__ import annotations

import errno
import socket
import sys

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.server.logs import begin_log
from pruxel.server.running import end_with_whom_the_environment_names
from pruxel.server.settings import settings
from pruxel.server.store.database import wait_for_database
from pruxel.server.store.migrate import check_migrated

_BACKLOG = 2048
_FAREWELL_SECONDS = 1


def _say(text: str) -> None:
    sys.stdout.write(f"{text}\n")
    sys.stdout.flush()


def _bound(host: str, port: int) -> socket.socket:
    """A socket on our address; raises `InputError` when somebody else has it."""
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    found = socket.socket(family)
    found.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        found.bind((host, port))
    except OSError as error:
        found.close()
        taken = error.errno == errno.EADDRINUSE
        raise InputError(
            ErrorCode.CONFLICT,
            f"port {port} is taken" if taken else f"{host}:{port} cannot be listened on ({error.strerror})",
            hint="Choose another with --port or PRUXEL_PORT, or end what has it." if taken else "Check PRUXEL_HOST.",
        ) from None
    return found


def serve_page(port: int | None) -> None:
    """Serve until told to stop. Raises `InputError` when the port is taken or the database is of another version."""
    end_with_whom_the_environment_names()
    begin_log("server")
    here = settings()
    chosen = port or here.port
    listening = _bound(here.host, chosen)
    wait_for_database(_say)
    check_migrated()
    # Only now: what takes seconds to load should not stand before why a start cannot succeed.
    import uvicorn

    from pruxel.server.api.patience import PatientProtocol
    from pruxel.server.main import create_app

    # Who comes by the address before the application is made waits for it, and is not turned away.
    listening.listen(_BACKLOG)
    _say(f"Pruxel: http://{here.host}:{chosen}/?key={here.access_token()}")
    config = uvicorn.Config(
        create_app(),
        http=PatientProtocol,
        log_config=None,
        access_log=False,
        backlog=_BACKLOG,
        timeout_graceful_shutdown=_FAREWELL_SECONDS,
        server_header=False,
    )
    uvicorn.Server(config).run(sockets=[listening])
