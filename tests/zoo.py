"""Models that nobody here made: Debian's `assimp-testmodels`, its open formats, and FBX."""

from __future__ import annotations

from pathlib import Path

from pruxel.core.formats.registry import format_for

FOLDER = Path("/usr/share/assimp/models")
_OPEN = "gltf glb obj ply stl off dae x3d 3mf amf bvh wrl fbx"


def models() -> list[Path]:
    """Every model of an open format, by path."""
    endings = {f".{ending}" for ending in _OPEN.split()}
    return sorted(path for path in FOLDER.rglob("*") if path.suffix.lower() in endings and path.is_file())


def readable() -> list[Path]:
    """Those whose format we read."""
    return [
        path
        for path in models()
        if (spec := format_for(path.name, path.read_bytes()[:512])) is not None and spec.read is not None
    ]


def label(path: Path) -> str:
    return str(path.relative_to(FOLDER))
