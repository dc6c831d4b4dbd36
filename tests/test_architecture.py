"""The rooms keep their order, modules stay small, and the page's types are those of the server."""

import ast
import json
import re
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parent.parent
SRC = ROOT / "src" / "pruxel"
MODULES = sorted(SRC.rglob("*.py"))
# A room may import from its own row and from the rows above it.
ROWS = [
    {"core.base"},
    {"core.geometry", "core.native", "core.images", "core.disk"},
    {"core.binary", "core.scene"},
    {"core.knowledge", "core.extract", "core.formats", "core.guessing"},
    {"core.sources", "core.fit"},
    {"core.pictures"},
    {"core.steps"},
    {"core.findings"},
    {"core.recipe"},
    {"core.deliver"},
    {"core.batch"},
    {"sample"},
    {"server.settings", "server.postgres", "server.logs", "server.running"},
    {"server.store"},
    {"server.jobs"},
    {"server.api"},
    {"server.main", "server.demo", "server.serve", "server.doctor", "server.own_database"},
    {"cli"},
]
LEVEL = {room: level for level, row in enumerate(ROWS) for room in row}
MOST_LINES = 400


def room_of(module: str) -> str | None:
    name = module.removeprefix("pruxel").strip(".")
    found = [room for room in LEVEL if name == room or name.startswith(room + ".")]
    return max(found, key=len) if found else None


@pytest.mark.parametrize("path", MODULES, ids=lambda p: str(p.relative_to(SRC)))
def test_imports_point_one_way(path: Path) -> None:
    own = room_of("pruxel." + ".".join(path.relative_to(SRC).with_suffix("").parts))
    if own is None or path.name == "warm.py":  # set-up runs every kernel, wherever it lives
        return
    for node in ast.walk(ast.parse(path.read_text())):
        names = (
            [node.module]
            if isinstance(node, ast.ImportFrom)
            else [a.name for a in getattr(node, "names", [])]
            if isinstance(node, ast.Import)
            else []
        )
        for name in names:
            other = room_of(name) if name and name.startswith("pruxel.") else None
            assert other is None or LEVEL[other] <= LEVEL[own], f"{own} must not import {name}"


def test_the_core_knows_no_server() -> None:
    forbidden = re.compile(
        r"^\s*(from|import) (fastapi|sqlalchemy|procrastinate|os\.environ|time|typer)\b", re.MULTILINE
    )
    for path in (SRC / "core").rglob("*.py"):
        assert not forbidden.search(path.read_text()), path


@pytest.mark.parametrize(
    "path",
    [*MODULES, *(ROOT / "web" / "src").rglob("*.vue"), *(ROOT / "web" / "src").rglob("*.ts")],
    ids=lambda p: p.name,
)
def test_modules_stay_small(path: Path) -> None:
    if path.name != "schema.d.ts":
        assert len(path.read_text().splitlines()) <= MOST_LINES


def test_the_pages_types_are_the_servers() -> None:
    from pruxel.server.main import create_app

    stored = json.loads((ROOT / "docs" / "openapi.json").read_text())
    assert stored == json.loads(json.dumps(create_app().openapi())), "run 'make types'"


def test_no_lock_file_names_a_registry() -> None:
    for name in ("requirements.lock", "web/package-lock.json"):
        text = (ROOT / name).read_text()
        assert '"resolved"' not in text
        assert "--index-url" not in text
