"""Run all benches."""

from __future__ import annotations

import io
import itertools
import subprocess
import sys
import tempfile
import tracemalloc
from pathlib import Path

import numpy as np
import trimesh

from bench import batching, exchange, fuzzing, layouts, mending, moving, scale, spine, unknown, unpacking
from bench.polydata import polydata
from bench.scenes import waves
from bench.timing import best, line
from pruxel.core.base.context import Context
from pruxel.core.base.garbage import look_seldom
from pruxel.core.binary.elements import decode_floats, element
from pruxel.core.deliver.package import write_files
from pruxel.core.formats import gltf, obj
from pruxel.core.formats.registry import OutFile
from pruxel.core.formats.solids import MetreOptions
from pruxel.core.scene.model import Scene

CONTEXT = Context()
ELEMENTS = (("f32x3", 0), ("snorm8x4", 12), ("f16x2", 16), ("u8x4", 20), ("unorm8x4", 24))


def vertices() -> None:
    rows = np.random.default_rng(1).integers(0, 256, (1_000_000, 28), dtype=np.uint8)
    rows[:, :12] = np.random.default_rng(2).random((1_000_000, 3), np.float32).view(np.uint8)
    kinds = [
        (element(name), at)
        for name, at in (("f32x3", 0), ("snorm8x4", 12), ("f16x2", 16), ("u8x4", 20), ("unorm8x4", 24))
    ]
    arrays = [decode_floats(rows, kind, at) for kind, at in kinds if kind]
    targets = [np.empty_like(a) for a in arrays]

    def copy() -> None:
        for a, b in zip(arrays, targets, strict=True):
            np.copyto(b, a)

    def decode() -> None:
        for kind, at in kinds:
            if kind:
                decode_floats(rows, kind, at)

    line("decode 1,000,000 vertices of 28 bytes : memcpy of result", best(decode, 5), best(copy, 5), 4)


def _mesh(scene: Scene) -> trimesh.Trimesh:
    p = scene.meshes[0].primitives[0]
    uv = np.stack([p.uvs[0][:, 0], 1 - p.uvs[0][:, 1]], axis=1)
    visual = trimesh.visual.TextureVisuals(uv=uv)
    return trimesh.Trimesh(p.positions, p.indices, vertex_normals=p.normals, visual=visual, process=False)


def formats(folder: Path) -> None:
    scene = waves()
    mesh = _mesh(scene)
    print(f"{len(mesh.faces):,} triangles")

    numbers = itertools.count()

    def fresh() -> Path:
        """A place of its own for each writing, as a delivery has: replacing a file measures the disk."""
        place = folder / str(next(numbers))
        place.mkdir()
        return place

    def ours(write: object, name: str) -> list[OutFile]:
        options = MetreOptions() if write is obj.write else gltf.GLB.options()
        files = write(scene, name, options, CONTEXT)  # type: ignore[operator]
        write_files(fresh(), files, CONTEXT)
        return files  # type: ignore[no-any-return]

    def theirs(kind: str) -> None:
        (fresh() / f"their.{kind}").write_bytes(_encoded(mesh.export(file_type=kind)))

    glb, text = ours(gltf.write_glb, "waves"), ours(obj.write, "waves")
    plain = b"".join(bytes(p) for p in glb[0].pieces)
    writing_glb, writing_obj = best(lambda: ours(gltf.write_glb, "waves")), best(lambda: ours(obj.write, "waves"))
    their_glb, their_obj = best(lambda: theirs("glb"), 2), best(lambda: theirs("obj"), 1)
    line("write GLB : trimesh", writing_glb, their_glb, 0.2)
    line(
        "write GLB : one plain write of the bytes", writing_glb, best(lambda: (fresh() / "plain").write_bytes(plain)), 6
    )
    line("write OBJ : trimesh", writing_obj, their_obj, 0.05)
    vtk_time = _vtk(mesh, folder)
    if vtk_time is None:
        print("write OBJ : VTK  not measured, the package vtk is not installed")
    else:
        line("write OBJ : VTK", writing_obj, vtk_time, 0.3)
    obj_bytes = b"".join(bytes(p) for p in text[0].pieces)

    def nothing(_: str) -> None:
        return None

    def read_theirs(data: bytes, kind: str) -> object:
        return trimesh.load(io.BytesIO(data), file_type=kind, process=False)

    line(
        "read GLB : trimesh",
        best(lambda: gltf.read(memoryview(plain), "w.glb", nothing, CONTEXT)),
        best(lambda: read_theirs(plain, "glb"), 2),
        0.2,
    )
    line(
        "read OBJ : trimesh",
        best(lambda: obj.read(memoryview(obj_bytes), "w.obj", nothing, CONTEXT)),
        best(lambda: read_theirs(obj_bytes, "obj"), 1),
        0.2,
    )


def _encoded(data: object) -> bytes:
    return data.encode() if isinstance(data, str) else bytes(data)  # type: ignore[call-overload]


def _vtk(mesh: trimesh.Trimesh, folder: Path) -> float | None:
    try:
        from vtkmodules.util.numpy_support import numpy_to_vtk
        from vtkmodules.vtkIOGeometry import vtkOBJWriter
    except ImportError:
        return None
    poly = polydata(mesh.vertices, mesh.faces)
    poly.GetPointData().SetNormals(numpy_to_vtk(np.ascontiguousarray(mesh.vertex_normals, np.float32)))
    poly.GetPointData().SetTCoords(numpy_to_vtk(np.ascontiguousarray(mesh.visual.uv, np.float32)))
    writer = vtkOBJWriter()
    writer.SetInputData(poly)
    writer.SetFileName(str(folder / "vtk.obj"))
    return best(writer.Write, 2)


def memory(folder: Path) -> None:
    """Peak memory of converting, above that of having read the scene, in a process of its own."""
    for kind in ("glb", "obj"):
        run = subprocess.run(
            [sys.executable, "-m", "bench", "memory", kind, str(folder)], capture_output=True, text=True, check=True
        )
        arrays, extra = (float(word) for word in run.stdout.split())
        line(
            f"peak memory of converting to {kind} : the scene's arrays", arrays + extra, arrays, 3, unit=1e-6, word="MB"
        )


def _measure_memory(kind: str, folder: Path) -> None:
    scene = waves()
    p = scene.meshes[0].primitives[0]
    size = sum(a.nbytes for a in (p.positions, p.indices, p.normals, p.uvs[0]) if a is not None)
    spec = gltf.GLB if kind == "glb" else obj.OBJ
    assert spec.write is not None
    spec.write(waves(3), "warm", spec.options(), CONTEXT)
    tracemalloc.start()
    write_files(folder, spec.write(scene, "memory", spec.options(), CONTEXT), CONTEXT)
    print(size, tracemalloc.get_traced_memory()[1])


def main() -> None:
    look_seldom()
    if len(sys.argv) == 4:
        _measure_memory(sys.argv[2], Path(sys.argv[3]))
        return
    with tempfile.TemporaryDirectory() as folder:
        vertices()
        formats(Path(folder))
        exchange.run(Path(folder))
        memory(Path(folder))
    mending.run()
    moving.run()
    batching.run()
    layouts.run()
    unknown.run()
    fuzzing.run()
    spine.run(Path(__file__).resolve().parent.parent / ".data/samples")
    unpacking.run()
    scale.run()


main()
