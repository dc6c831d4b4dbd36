"""What is changed: small files of every kind that something here reads, by name."""

from __future__ import annotations

import gzip
import io
import lzma
import tarfile
import wave
import zipfile
from functools import cache
from pathlib import Path

import numpy as np
import zstandard

from pruxel.core.base.context import Context
from pruxel.core.images import png
from pruxel.core.recipe.document import Recipe, StepUse, recipe_text
from pruxel.core.sources.stack import Stack

_ZOO = Path("/usr/share/assimp/models")
_LARGEST = 150_000
_EACH_KIND = 6
_ENDINGS = (
    ".gltf",
    ".glb",
    ".obj",
    ".mtl",
    ".fbx",
    ".stl",
    ".ply",
    ".off",
    ".bvh",
    ".3mf",
    ".dae",
    ".zae",
    ".x3d",
    ".wrl",
    ".png",
    ".jpg",
    ".bmp",
    ".tga",
    ".dds",
    ".gif",
)


def game_files(stack: Stack) -> dict[str, bytes]:
    """A few of each kind and ending of the made-up game, the small ones first."""
    found: dict[str, bytes] = {}
    by_ending: dict[str, list[str]] = {}
    for path, entry in sorted(stack.entries.items(), key=lambda one: one[1].size):
        if 0 < entry.size <= _LARGEST:
            by_ending.setdefault(f"{entry.kind}.{path.rpartition('.')[2]}", []).append(path)
    for paths in by_ending.values():
        for path in paths[:: max(1, len(paths) // _EACH_KIND)][:_EACH_KIND]:
            found[path] = bytes(stack.read(path, Context()))
    return found


@cache
def strangers() -> dict[str, bytes]:
    """Small files of open formats that nobody here made."""
    files = sorted(path for path in _ZOO.rglob("*") if path.suffix.lower() in _ENDINGS and path.is_file())
    small = [path for path in files if 0 < path.stat().st_size <= _LARGEST]
    return {str(path.relative_to(_ZOO)): path.read_bytes() for path in small}


@cache
def archives() -> dict[str, bytes]:
    """One of each kind of archive and packing."""
    body = b"an entry of text\n" * 40
    made: dict[str, bytes] = {}
    for name, how in (
        ("s.zip", zipfile.ZIP_STORED),
        ("d.zip", zipfile.ZIP_DEFLATED),
        ("b.zip", zipfile.ZIP_BZIP2),
        ("l.zip", zipfile.ZIP_LZMA),
    ):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", how) as archive:
            for number in range(4):
                archive.writestr(f"folder/{number}.txt", body)
        made[name] = out.getvalue()
    for mode in ("", ":gz", ":xz", ":bz2"):
        out = io.BytesIO()
        with tarfile.open(fileobj=out, mode=f"w{mode}") as tar:
            for number in range(3):
                about = tarfile.TarInfo(f"t/{number}.txt")
                about.size = len(body)
                tar.addfile(about, io.BytesIO(body))
        made[f"a.tar{mode.replace(':', '.')}"] = out.getvalue()
    made["one.txt.gz"], made["one.txt.xz"] = gzip.compress(body), lzma.compress(body)
    made["one.txt.zst"] = zstandard.ZstdCompressor().compress(body)
    return made


@cache
def media() -> dict[str, bytes]:
    """A picture and a sound of our own."""
    out = io.BytesIO()
    with wave.open(out, "wb") as sound:
        sound.setnchannels(2)
        sound.setsampwidth(2)
        sound.setframerate(8000)
        sound.writeframes(np.arange(4000, dtype="<i2").tobytes())
    noise = np.random.default_rng(1).integers(0, 256, (16, 24, 4), np.uint8)
    return {"sound.wav": out.getvalue(), "noise.png": png.encode(noise)}


@cache
def texts(layouts: Path) -> dict[str, bytes]:
    """Layouts, profiles, recipes, tables, lists."""
    found = {f"{path.stem}.layout": path.read_bytes() for path in sorted(layouts.glob("*.yaml"))}
    found["game.profile"] = layouts.parent.joinpath("brinepost.yaml").read_bytes()
    steps = [StepUse(step="set_units", params={"factor": 2.0}), StepUse(step="flip_faces", params={})]
    found["all.recipe"] = recipe_text(Recipe(name="all", steps=tuple(steps))).encode()
    found["rows.table"] = b'id;name;note\n1;crab;"a;b"\n2;kelp;\n3;\xc3\xa9;x\n' * 5
    found["paths.names"] = b"a/b/c.dds\ntex/crab_01_c.dds\n\nback\\slash.txt\n" * 20
    return found
