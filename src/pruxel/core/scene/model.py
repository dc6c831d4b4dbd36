"""Nodes, meshes, skins and clips over read-only arrays.

Right-handed, +Y up, metres, counter-clockwise front faces, UV origin at the top left, quaternions xyzw:
the conventions of glTF 2.0 (Khronos, section 3.4).
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from pruxel.core.base.arrays import AnyArray, DoubleArray, FloatArray, IndexArray
from pruxel.core.scene.images import Image
from pruxel.core.scene.materials import Material, Texture
from pruxel.core.scene.origin import Origin

Role = Literal["visual", "collision", "helper"]
Interpolation = Literal["LINEAR", "STEP", "CUBICSPLINE"]
ChannelPath = Literal["translation", "rotation", "scale", "weights"]


@dataclass(frozen=True, eq=False)
class MorphTarget:
    """Offsets of a primitive's vertices: (n, 3) float32 each, metres."""

    name: str
    positions: FloatArray
    normals: FloatArray | None = None


@dataclass(frozen=True, eq=False)
class Primitive:
    """Triangles of one material.

    positions (n, 3) float32 metres; indices (m, 3) uint32; normals (n, 3) float32 unit length; tangents
    (n, 4) float32 with the bitangent's sign in w; uvs: one (n, 2) float32 per set, origin top left; colors
    (n, 4) float32 linear; joints (n, 4k) uint16 and weights (n, 4k) float32.
    """

    positions: FloatArray
    indices: IndexArray
    normals: FloatArray | None = None
    tangents: FloatArray | None = None
    uvs: tuple[FloatArray, ...] = ()
    colors: FloatArray | None = None
    joints: AnyArray | None = None
    weights: FloatArray | None = None
    material: int | None = None
    targets: tuple[MorphTarget, ...] = ()
    origin: Origin = field(default_factory=Origin)


@dataclass(frozen=True, eq=False)
class Mesh:
    """A named set of primitives."""

    name: str
    primitives: tuple[Primitive, ...]
    target_weights: tuple[float, ...] = ()


@dataclass(frozen=True, eq=False)
class Node:
    """A place in the tree. Names are unique in a scene; a node with a mesh is a *part*.

    translation (3,), rotation (4,) xyzw, scale (3,) as float64, parent_from_local. `detail` is the level of
    detail, 0 the finest.
    """

    name: str
    mesh: int | None = None
    skin: int | None = None
    children: tuple[int, ...] = ()
    translation: tuple[float, float, float] = (0.0, 0.0, 0.0)
    rotation: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 1.0)
    scale: tuple[float, float, float] = (1.0, 1.0, 1.0)
    role: Role = "visual"
    detail: int = 0
    origin: Origin = field(default_factory=Origin)


@dataclass(frozen=True, eq=False)
class Skin:
    """Joints (node indices) and their (j, 4, 4) float64 joint_from_mesh matrices, row-major."""

    name: str
    joints: tuple[int, ...]
    inverse_bind: DoubleArray
    skeleton: int | None = None


@dataclass(frozen=True, eq=False)
class ClipChannel:
    """Keys of one property of one node: times (k,) float32 seconds, values (k, width) float32."""

    node: int
    path: ChannelPath
    times: FloatArray
    values: FloatArray
    interpolation: Interpolation = "LINEAR"


@dataclass(frozen=True, eq=False)
class Clip:
    """A named animation."""

    name: str
    channels: tuple[ClipChannel, ...]
    origin: Origin = field(default_factory=Origin)


@dataclass(frozen=True, eq=False)
class Scene:
    """Everything a workpiece holds. Indices point into these tuples."""

    name: str
    nodes: tuple[Node, ...] = ()
    roots: tuple[int, ...] = ()
    meshes: tuple[Mesh, ...] = ()
    materials: tuple[Material, ...] = ()
    textures: tuple[Texture, ...] = ()
    images: tuple[Image, ...] = ()
    skins: tuple[Skin, ...] = ()
    clips: tuple[Clip, ...] = ()
    notes: tuple[str, ...] = ()
