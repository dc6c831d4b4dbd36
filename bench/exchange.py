"""Formats of exchange beside the packages that people use for them: STL, PLY, FBX, a million triangles."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import trimesh

from bench.scenes import tail, waves
from bench.timing import best, line
from pruxel.core.base.context import Context
from pruxel.core.deliver.judges.registry import Exhibit
from pruxel.core.deliver.package import write_files
from pruxel.core.deliver.proof import Outcome, Tolerances
from pruxel.core.deliver.proof.prove import prove
from pruxel.core.formats import every  # noqa: F401 - registers all formats
from pruxel.core.formats.ready import make_ready
from pruxel.core.formats.registry import FORMATS, Format, Options, OutFile
from pruxel.core.formats.solids import joined
from pruxel.core.scene.model import Scene

CONTEXT = Context()


def _files(scene: Scene, name: str, **options: Any) -> list[OutFile]:
    spec = FORMATS.get(name)
    assert spec.write is not None
    return spec.write(scene, "waves", spec.chosen(options), CONTEXT)


def _written(folder: Path, scene: Scene, name: str, **options: Any) -> None:
    write_files(folder, _files(scene, name, **options), CONTEXT)


def _read(data: bytes, name: str) -> None:
    read = FORMATS.get(name).read
    assert read is not None
    read(memoryview(data), f"waves.{name}", lambda _: None, CONTEXT)


def _proofs(folder: Path) -> None:
    """Of a character of 200,000 triangles with four clips: all judges of each format beside writing it."""
    ready = make_ready(tail(), CONTEXT).scene
    for name in ("glb", "fbx"):
        spec = FORMATS.get(name)
        assert spec.write is not None
        wanted = spec.options()
        home = folder / name
        home.mkdir(exist_ok=True)

        def write(spec: Format = spec, wanted: Options = wanted, home: Path = home) -> None:
            assert spec.write is not None
            write_files(home, spec.write(ready, "tail", wanted, CONTEXT), CONTEXT)

        written = best(write)
        exhibit = Exhibit(home / f"tail.{name}", ready, spec, wanted, Tolerances())
        proofs = prove(exhibit, CONTEXT)
        assert all(proof.outcome is Outcome.PROVEN for proof in proofs)
        line(
            f"proof of {name.upper()}, 200,000 triangles, 4 clips : writing",
            best(lambda exhibit=exhibit: prove(exhibit, CONTEXT), 1),  # type: ignore[misc]
            written,
            10,
        )


def run(folder: Path) -> None:
    """Print all ratios."""
    import assimp_py
    import plyfile

    scene = waves()
    points, corners = joined(list(scene.meshes[0].primitives))

    def mesh() -> trimesh.Trimesh:
        """Made anew each time: it keeps what it has worked out."""
        return trimesh.Trimesh(points, corners, process=False)

    bodies = {name: b"".join(bytes(p) for p in _files(scene, name)[0].pieces) for name in ("stl", "ply", "fbx")}
    for name, goal in (("stl", 0.5), ("ply", 0.35)):
        ours = best(lambda name=name: _written(folder, scene, name))  # type: ignore[misc]
        theirs = best(lambda name=name: (folder / f"their.{name}").write_bytes(mesh().export(file_type=name)))  # type: ignore[misc]
        line(f"write {name.upper()} : trimesh", ours, theirs, goal)
    for packed, goal in ((False, 6), (True, 15)):
        body = b"".join(bytes(p) for p in _files(scene, "fbx", deflate=packed)[0].pieces)
        ours = best(lambda packed=packed: _written(folder, scene, "fbx", deflate=packed))  # type: ignore[misc]
        plain = best(lambda body=body: (folder / "plain").write_bytes(body))  # type: ignore[misc]
        line(f"write FBX{', packed' if packed else ''} : one plain write of the bytes", ours, plain, goal)
    for name in ("stl", "fbx"):
        (folder / f"w.{name}").write_bytes(bodies[name])
    assimp = {n: best(lambda n=n: assimp_py.import_file(str(folder / f"w.{n}"), 0), 2) for n in ("stl", "fbx")}  # type: ignore[misc]
    line("read STL : assimp", best(lambda: _read(bodies["stl"], "stl")), assimp["stl"], 0.3)
    line("read FBX : assimp", best(lambda: _read(bodies["fbx"], "fbx"), 2), assimp["fbx"], 1.0)
    _proofs(folder)
    theirs = best(lambda: plyfile.PlyData.read(io.BytesIO(bodies["ply"])))
    line("read PLY : plyfile", best(lambda: _read(bodies["ply"], "ply")), theirs, 1.0)
