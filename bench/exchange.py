"""Formats of exchange beside the packages that people use for them: STL, PLY, FBX, a million triangles."""

from __future__ import annotations

import io
from itertools import count
from pathlib import Path
from typing import Any

import trimesh

from bench.native import Imported
from bench.scenes import tail, waves
from bench.timing import best, by_turns, line
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
        [proofs] = prove([exhibit], CONTEXT)
        assert all(proof.outcome is Outcome.PROVEN for proof in proofs)
        line(
            f"proof of {name.upper()}, 200,000 triangles, 4 clips : writing",
            best(lambda exhibit=exhibit: prove([exhibit], CONTEXT), 1),  # type: ignore[misc]
            written,
            10,
        )


def run(folder: Path) -> None:
    """Print all ratios."""
    import plyfile
    import ufbx

    scene = waves()
    [primitive] = scene.meshes[0].primitives
    points, corners = joined([primitive])
    assert primitive.normals is not None
    # The same content as ours: STL has no place for it, PLY has.
    more = {"vertex_normals": primitive.normals, "vertex_attributes": dict(zip("st", primitive.uvs[0].T, strict=True))}
    names = count()

    def theirs(name: str) -> None:
        """Made anew each time: it keeps what it has worked out."""
        mesh = trimesh.Trimesh(points, corners, process=False, **(more if name == "ply" else {}))
        (folder / f"their_{next(names)}.{name}").write_bytes(mesh.export(file_type=name))

    def ours(name: str, **options: Any) -> None:
        """Into a new file each time, as deliveries are: to take the place of another waits for the disk."""
        home = folder / f"our_{next(names)}"
        home.mkdir()
        _written(home, scene, name, **options)

    bodies = {name: b"".join(bytes(p) for p in _files(scene, name)[0].pieces) for name in ("stl", "ply", "fbx")}
    for name, goal in (("stl", 0.5), ("ply", 0.35)):
        measured = by_turns(lambda name=name: ours(name), lambda name=name: theirs(name), 5)  # type: ignore[misc]
        line(f"write {name.upper()} : trimesh", *measured, goal)
    for name in ("stl", "fbx"):
        (folder / f"w.{name}").write_bytes(bodies[name])
    held = Imported(folder / "w.fbx")
    for packed, goal in ((False, 0.1), (True, 0.25)):
        measured = by_turns(
            lambda packed=packed: ours("fbx", deflate=packed),  # type: ignore[misc]
            lambda: held.export("fbx", folder / f"their_{next(names)}.fbx"),
            4,
        )
        line(f"write FBX{', packed' if packed else ''} : assimp, which packs nothing", *measured, goal)
    held.release()

    def assimp(name: str, *, joined: bool = False) -> float:
        return best(lambda: Imported(folder / f"w.{name}", joined=joined).release(), 2)

    # A soup comes to a mesh with shared vertices here; there, only when it is asked for.
    read = best(lambda: _read(bodies["stl"], "stl"))
    line("read STL, vertices shared : assimp", read, assimp("stl", joined=True), 0.3)
    line("read STL, vertices shared : assimp, none shared", read, assimp("stl"), 1.0)
    line("read FBX : assimp", best(lambda: _read(bodies["fbx"], "fbx"), 2), assimp("fbx"), 1.0)
    measured = by_turns(lambda: _read(bodies["fbx"], "fbx"), lambda: ufbx.load_memory(bodies["fbx"]), 5)
    line("read FBX : ufbx, bare", *measured, 1.5)
    _proofs(folder)
    parsed = best(lambda: plyfile.PlyData.read(io.BytesIO(bodies["ply"])))
    line("read PLY : plyfile", best(lambda: _read(bodies["ply"], "ply")), parsed, 1.0)
