"""The rooms keep their order, modules stay small, and the page's types are those of the server."""

import json
import re
from pathlib import Path

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
IMPORTED = re.compile(r"^\s*(?:from|import) (pruxel\.[\w.]+)", re.MULTILINE)


def room_of(module: str) -> str | None:
    name = module.removeprefix("pruxel").strip(".")
    found = [room for room in LEVEL if name == room or name.startswith(room + ".")]
    return max(found, key=len) if found else None


def test_imports_point_one_way() -> None:
    wrong = []
    for path in MODULES:
        own = room_of("pruxel." + ".".join(path.relative_to(SRC).with_suffix("").parts))
        if own is None or path.name == "warm.py":  # set-up runs every kernel, wherever it lives
            continue
        for name in IMPORTED.findall(path.read_text()):
            other = room_of(name)
            if other is not None and LEVEL[other] > LEVEL[own]:
                wrong.append(f"{path.relative_to(SRC)} imports {name}")
    assert wrong == []


def test_what_points_the_other_way_is_seen() -> None:
    lines = "from pruxel.server.api import models\n    import pruxel.cli.main\nfrom pruxel import core\n"
    assert IMPORTED.findall(lines) == ["pruxel.server.api", "pruxel.cli.main"]
    assert LEVEL["server.api"] > LEVEL["core.base"]


def test_the_core_knows_no_server() -> None:
    forbidden = re.compile(
        r"^\s*(from|import) (fastapi|sqlalchemy|procrastinate|os\.environ|time|typer)\b", re.MULTILINE
    )
    for path in (SRC / "core").rglob("*.py"):
        assert not forbidden.search(path.read_text()), path


def test_modules_stay_small() -> None:
    page = ROOT / "web" / "src"
    written = [*MODULES, *page.rglob("*.vue"), *page.rglob("*.ts")]
    long = [p for p in written if p.name != "schema.d.ts" and len(p.read_text().splitlines()) > MOST_LINES]
    assert long == []


def test_the_pages_types_are_the_servers() -> None:
    from pruxel.server.main import create_app

    stored = json.loads((ROOT / "docs" / "openapi.json").read_text())
    assert stored == json.loads(json.dumps(create_app().openapi())), "run 'make types'"


def test_no_lock_file_names_a_registry() -> None:
    for name in ("requirements.lock", "web/package-lock.json"):
        text = (ROOT / name).read_text()
        assert '"resolved"' not in text
        assert "--index-url" not in text
