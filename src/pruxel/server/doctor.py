"""`pruxel doctor`: is everything there that this installation needs, and if not, what to do."""

from __future__ import annotations

import importlib
import os
import shutil
import socket
import sys
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import text

from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.base.context import Context
from pruxel.core.base.errors import PruxelError
from pruxel.core.deliver.judges.registry import Exhibit
from pruxel.core.deliver.package import write_files
from pruxel.core.deliver.proof import Outcome, Tolerances
from pruxel.core.deliver.proof.prove import prove
from pruxel.core.formats import every  # noqa: F401 - registers all formats
from pruxel.core.formats.registry import FORMATS
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene
from pruxel.server.main import WEB
from pruxel.server.postgres import postgres_programs
from pruxel.server.running import whoever_runs
from pruxel.server.settings import Settings, settings
from pruxel.server.store.database import engine
from pruxel.server.store.migrate import check_migrated

_LEAST_FREE = 2 << 30
_LEAST_MEMORY = 4 << 30
_PYTHON = (3, 11)
_PACKAGES = (
    "numpy", "numba", "PIL", "libarchive", "zstandard", "cryptography", "psycopg", "fastapi", "procrastinate", "fsspec",
    "miniaudio", "yaml", "orjson",
)  # fmt: skip


@dataclass(frozen=True)
class Finding:
    """One thing that was looked at: fine, or not, and what to do then."""

    what: str
    fine: bool
    found: str
    hint: str = ""


def examine() -> Iterator[Finding]:
    """Look at one thing after the other; none keeps the next from being looked at."""
    here = settings()
    for what, look in (
        ("Python", _python),
        ("Python packages", _packages),
        ("PostgreSQL", _postgres),
        ("database", _database),
        ("data folder", lambda: _folder(here.data_folder, private=True)),
        ("output folder", lambda: _folder(here.deliveries, private=False)),
        ("permitted folders", lambda: _roots(here)),
        ("free space", lambda: _space(here)),
        ("memory", _memory),
        ("port", lambda: _port(here)),
        ("page", _page),
        ("judges", _judges),
    ):
        yield _looked(what, look)


def _looked(what: str, look: Callable[[], Finding]) -> Finding:
    try:
        found = look()
    except PruxelError as error:
        return Finding(what, fine=False, found=error.fault.message, hint=error.fault.hint or "")
    except Exception as error:  # noqa: BLE001 - whatever it is, it is what was found
        return Finding(what, fine=False, found=f"{type(error).__name__}: {error}".splitlines()[0])
    return Finding(what, found.fine, found.found, "" if found.fine else found.hint)


def _python() -> Finding:
    shown = ".".join(map(str, sys.version_info[:3]))
    return Finding("", sys.version_info >= _PYTHON, shown, "Install Python 3.11 or newer.")


def _packages() -> Finding:
    missing = []
    for name in _PACKAGES:
        try:
            importlib.import_module(name)
        except Exception as error:  # noqa: BLE001 - a library that is broken is as good as none
            missing.append(f"{name} ({type(error).__name__})")
    return Finding("", not missing, ", ".join(missing) or f"all {len(_PACKAGES)}", "Run 'make setup' again.")


def _postgres() -> Finding:
    return Finding("", fine=True, found=str(postgres_programs()))


def _database() -> Finding:
    if "PRUXEL_DATABASE_URL" not in os.environ:
        return Finding("", fine=True, found="not running: the start command starts it")
    with engine().connect() as connection:
        version = connection.execute(text("SHOW server_version")).scalar_one()
        durable = connection.execute(text("SHOW synchronous_commit")).scalar_one()
    check_migrated()
    hint = "Set synchronous_commit = on, or the last things that were done may be lost with the power."
    return Finding("", durable == "on", f"PostgreSQL {version}, synchronous_commit {durable}", hint)


def _folder(folder: Path, *, private: bool) -> Finding:
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryFile(dir=folder) as file:
        file.write(b"x")
        file.flush()
    open_to_all = private and folder.stat().st_mode & 0o077
    if open_to_all:
        return Finding("", fine=False, found=f"{folder} can be read by others", hint=f"chmod 700 {folder}")
    return Finding("", fine=True, found=str(folder))


def _roots(here: Settings) -> Finding:
    lacking = [str(root) for root in here.roots if not os.access(root.expanduser(), os.R_OK | os.X_OK)]
    hint = "Check PRUXEL_ROOTS: only what lies below these folders can be mounted."
    return Finding("", not lacking and bool(here.roots), ", ".join(lacking or map(str, here.roots)), hint)


def _space(here: Settings) -> Finding:
    free = min(shutil.disk_usage(place).free for place in (here.data_folder, here.deliveries))
    return Finding("", free >= _LEAST_FREE, f"{free / 1e9:.1f} GB", "Make room, or set PRUXEL_DATA_FOLDER.")


def _memory() -> Finding:
    whole = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    return Finding(
        "", whole >= _LEAST_MEMORY, f"{whole / 1e9:.1f} GB", "Set PRUXEL_JOB_MEMORY_GB to less than there is."
    )


def _port(here: Settings) -> Finding:
    runs = whoever_runs(here.data_folder)
    if runs is not None:
        return Finding("", fine=True, found=f"Pruxel runs (process {runs.pid}) at {runs.address.split('?')[0]}")
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((here.host, here.port))
        except OSError:
            hint = "Another program has it: the start command takes a free one, 'pruxel serve' needs --port."
            return Finding("", fine=False, found=f"{here.port} is taken", hint=hint)
    return Finding("", fine=True, found=f"{here.port} is free")


def _page() -> Finding:
    there = (WEB / "index.html").is_file() and any((WEB / "assets").glob("*.js"))
    return Finding("", there, "built" if there else "not built", "Run 'make setup', which builds it.")


def _judges() -> Finding:
    """A known body is delivered and proven, as any other would be."""
    corners = [(x, y, z) for x in (0.0, 1.0) for y in (0.0, 1.0) for z in (0.0, 1.0)]
    faces = ((0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3))
    sides = [corner for a, b, c, d in faces for corner in ((a, b, c), (a, c, d))]
    body = Primitive(as_floats(corners, 3), as_indices(sides))
    scene = Scene("cube", nodes=(Node("cube", mesh=0),), roots=(0,), meshes=(Mesh("cube", (body,)),))
    glb = FORMATS.get("glb")
    assert glb.write is not None
    with tempfile.TemporaryDirectory() as folder:
        files = glb.write(scene, "cube", glb.options(), Context())
        write_files(Path(folder), files, Context())
        exhibit = Exhibit(Path(folder) / files[0].path, scene, glb, glb.options(), Tolerances())
        [proofs] = prove([exhibit], Context())
    wrong = [f"{proof.reader}: {proof.outcome}" for proof in proofs if proof.outcome is not Outcome.PROVEN]
    readers = ", ".join(proof.reader for proof in proofs)
    hint = "Install Node.js 20 and run 'make setup'; until then deliveries are marked as not proven."
    return Finding("", not wrong and bool(proofs), "; ".join(wrong) or readers, hint)
