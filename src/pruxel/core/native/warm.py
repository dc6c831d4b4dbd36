"""Compile every kernel once, so that nobody waits for a compiler later. Run at set-up."""

from __future__ import annotations

import struct
from typing import Any

import numpy as np

import pruxel.core.findings
import pruxel.core.steps  # noqa: F401 - registers all steps
from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.base.context import Context
from pruxel.core.base.limits import Limits
from pruxel.core.binary.elements import decode_floats, element
from pruxel.core.binary.fields import scan
from pruxel.core.binary.functions.copies import uncopied
from pruxel.core.findings.registry import find
from pruxel.core.formats import fbx, gltf, obj, ply, stl
from pruxel.core.formats.fields import Fields
from pruxel.core.formats.gltf.meshopt import unpacked
from pruxel.core.formats.gltf.options import GltfOptions
from pruxel.core.formats.solids import MetreOptions
from pruxel.core.geometry.compact import compacted
from pruxel.core.geometry.euler import euler_curve
from pruxel.core.geometry.reducing import needed_keys, needed_turns
from pruxel.core.geometry.skinning import held_surface
from pruxel.core.geometry.tangents import vertex_tangents
from pruxel.core.geometry.unique import unique_corners
from pruxel.core.guessing.borders import standing_apart
from pruxel.core.guessing.places import find_places
from pruxel.core.native.hashes import FUNCTIONS, hash_texts, positions_of
from pruxel.core.pictures.render import View, render
from pruxel.core.scene.model import Clip, ClipChannel, Mesh, Node, Primitive, Scene
from pruxel.core.scene.motion_at import worlds
from pruxel.core.steps.registry import STEPS

_STEPS: tuple[tuple[str, dict[str, Any]], ...] = (
    ("weld_vertices", {}),
    ("agree_faces", {}),
    ("make_normals", {}),
    ("split_parts", {"by": "piece"}),
    ("thin_out", {}),
    ("pair_triangles", {}),
)
_CORNERS = as_floats([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], 3)
_FACES = as_indices([[0, 1, 2], [0, 2, 3]])
_NORMALS, _UVS = as_floats([[0, 0, 1]] * 4, 3), as_floats(_CORNERS[:, :2], 2)


def warm() -> None:
    """Run each kernel on the smallest input with the types used in earnest."""
    rows = np.zeros((2, 28), np.uint8)
    for name in ("f32x3", "snorm8x4", "f16x2", "snorm10_10_10_2"):
        kind = element(name)
        if kind is not None:
            decode_floats(rows, kind, 0)
    scan.warm()
    uncopied(b"\1a", 1)
    find_places(np.zeros(256, np.uint8), "<", np.array([[0, 1], [1, 2]]), 3, (0, 6), np.empty(0, np.int64))
    standing_apart(np.zeros(64, np.uint8), 8, 8, 6, "<")
    corners, faces, normals, uvs = _CORNERS, _FACES, _NORMALS, _UVS
    vertex_tangents(corners, normals, uvs, faces)
    compacted(faces, np.array([True, False]), len(corners))
    unique_corners(np.zeros(2, np.int32), 1, [np.zeros((2, 1), np.int64)])
    scene = _square()
    render(scene, Context(), View(width=6, height=4))
    metres = MetreOptions()
    text = b"".join(bytes(p) for p in obj.write(scene, "square", metres, Context())[0].pieces) + b"f 1 2 3 4\n"
    obj.read(memoryview(text), "square.obj", lambda _: None, Context())
    gltf.write_glb(scene, "square", GltfOptions(pack=True), Context())
    for mode, packed in (("TRIANGLES", b"\xe1\xf0" + bytes(16)), ("INDICES", b"\xd1" + bytes(7))):
        unpacked(Fields({"count": 3, "byteStride": 4, "mode": mode}, "warm"), memoryview(packed), Limits())
    _warm_solids(scene)
    warm_steps()
    euler_curve(np.array([0.0, 1.0]), np.array([[0.0, 0.0, 0.0, 1.0], [0.0, 0.6, 0.0, 0.8]]), 1.0)
    held_surface(corners, normals, None, np.zeros((4, 1), np.uint16), np.ones((4, 1), np.float32), np.eye(4)[None])
    _warm_clips(scene)
    needed_keys(np.array([0.0, 1.0]), np.zeros((2, 3)), np.ones(3))
    needed_turns(np.array([0.0, 1.0]), np.array([[0.0, 0.0, 0.0, 1.0]] * 2), 1.0)
    for function in FUNCTIONS:
        hash_texts(function, np.zeros(3, np.uint8), np.array([0, 1, 3]))
    positions_of(np.zeros(1, np.uint64), np.zeros(1, np.uint64))


def warm_steps() -> None:
    """Run the steps that batches use most, and all findings, on the smallest input."""
    scene = _square()
    for name, params in _STEPS:
        STEPS.get(name).run(scene, STEPS.get(name).parse(params), Context())
    find(scene, Context())


def _square() -> Scene:
    square = Mesh("square", (Primitive(_CORNERS, _FACES, normals=_NORMALS, uvs=(_UVS,)),))
    return Scene("square", nodes=(Node("square", mesh=0),), roots=(0,), meshes=(square,))


def _warm_clips(scene: Scene) -> None:
    """A clip of a turn and a place, evaluated."""
    times = np.array([0.0, 1.0], np.float32)
    turn = ClipChannel(0, "rotation", times, np.array([[0, 0, 0, 1], [0, 0.6, 0, 0.8]], np.float32))
    place = ClipChannel(0, "translation", times, np.zeros((2, 3), np.float32))
    worlds(scene, Clip("warm", (turn, place)), np.zeros(1))


def _warm_solids(scene: Scene) -> None:
    """FBX and PLY there and back, and PLY with faces of several sizes, binary and as text."""
    for spec in (fbx.FBX, ply.PLY, stl.STL):
        assert spec.write is not None
        assert spec.read is not None
        data = b"".join(bytes(p) for p in spec.write(scene, "square", spec.options(), Context())[0].pieces)
        spec.read(memoryview(data), f"square.{spec.name}", lambda _: None, Context())
    head = (
        "ply\nformat {} 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\nelement face 2\n"
    )
    head += "property list uchar int vertex_indices\nend_header\n"
    corners = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], "<f4")
    faces = struct.pack("<B3iB4i", 3, 0, 1, 2, 4, 0, 1, 2, 3)
    binary = head.format("binary_little_endian").encode() + corners.tobytes() + faces
    text = head.format("ascii") + " ".join(map(str, corners.reshape(-1).tolist())) + " 3 0 1 2 4 0 1 2 3\n"
    for data in (binary, text.encode()):
        ply.read(memoryview(data), "square.ply", lambda _: None, Context())


if __name__ == "__main__":
    warm()
