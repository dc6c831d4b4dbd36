"""Nodes, meshes, skins, clips, cameras and lights over read-only arrays.

Right-handed, +Y up, metres, counter-clockwise front faces, UV origin at the top left, quaternions xyzw:
the conventions of glTF 2.0 (Khronos, section 3.4). `extras` is JSON text: what a file says beyond what the model knows.
"""

from __future__ import annotations

from dataclasses import KW_ONLY, dataclass, field
from typing import ClassVar, Literal, TypeVar

from pruxel.core.base.arrays import AnyArray, DoubleArray, FloatArray, IndexArray
from pruxel.core.scene.images import Image
from pruxel.core.scene.materials import Material, Texture
from pruxel.core.scene.origin import Origin
from pruxel.core.scene.references import points_to

Role = Literal["visual", "collision", "helper"]
Interpolation = Literal["LINEAR", "STEP", "CUBICSPLINE"]
ChannelPath = Literal["translation", "rotation", "scale", "weights"]
LookPath = Literal["base_color", "emissive", "roughness", "metallic", "offset", "tiling"]
Vec3 = tuple[float, float, float]
Vec4 = tuple[float, float, float, float]
Matrix = tuple[Vec4, Vec4, Vec4, Vec4]
IDENTITY_TURN: Vec4 = (0.0, 0.0, 0.0, 1.0)


def as_matrix(values: DoubleArray) -> Matrix:
    """A (4, 4) array as the rows of a node's matrix."""
    a, b, c, d = ((float(r[0]), float(r[1]), float(r[2]), float(r[3])) for r in values)
    return a, b, c, d


@dataclass(frozen=True, eq=False)
class MorphTarget:
    """Offsets of a primitive's vertices, absent where nothing moves.

    positions, normals, tangents (n, 3) float32, the first in metres; uvs (n, 2) and colors (n, 4) float32, one a set.
    """

    name: str
    positions: FloatArray | None = None
    _: KW_ONLY
    normals: FloatArray | None = None
    tangents: FloatArray | None = None
    uvs: tuple[FloatArray, ...] = ()
    colors: tuple[FloatArray, ...] = ()


@dataclass(frozen=True, eq=False)
class Attribute:
    """A named number or vector of every vertex that only the file knows the meaning of: (n, k) of any scalar type."""

    name: str
    values: AnyArray


@dataclass(frozen=True)
class Dressing:
    """The material of a primitive in one variant of the model (KHR_materials_variants)."""

    variant: str
    material: int = field(metadata=points_to("materials"))


@dataclass(frozen=True, eq=False)
class Primitive:
    """Triangles of one material, or, in a variant of the model that `dressings` name, of another.

    positions (n, 3) float32 metres; indices (m, 3) uint32; normals (n, 3) float32 unit length; tangents
    (n, 4) float32 with the bitangent's sign in w; uvs: one (n, 2) float32 per set, origin top left; colors: one (n, 4)
    float32 linear per set; joints (n, k) uint16 and weights (n, k) float32.

    face_sizes (f,) uint32: where the triangles are cut from polygons, how many corners each polygon has. A polygon of k
    corners is k - 2 triangles in a row, each (before, ear, after) as `geometry.polygons` cuts them.
    """

    positions: FloatArray
    indices: IndexArray
    _: KW_ONLY
    normals: FloatArray | None = None
    tangents: FloatArray | None = None
    uvs: tuple[FloatArray, ...] = ()
    colors: tuple[FloatArray, ...] = ()
    joints: AnyArray | None = None
    weights: FloatArray | None = None
    attributes: tuple[Attribute, ...] = ()
    face_sizes: IndexArray | None = None
    material: int | None = field(default=None, metadata=points_to("materials"))
    dressings: tuple[Dressing, ...] = ()
    targets: tuple[MorphTarget, ...] = ()
    origin: Origin = field(default_factory=Origin)


@dataclass(frozen=True, eq=False)
class Strokes:
    """What has no surface: points or line segments of one material, apart from the triangles that steps work on.

    positions (n, 3) float32 metres; indices (m, 1) for points or (m, 2) for segments, uint32; colors: one (n, 4)
    float32 linear per set.
    """

    positions: FloatArray
    indices: IndexArray
    _: KW_ONLY
    colors: tuple[FloatArray, ...] = ()
    material: int | None = field(default=None, metadata=points_to("materials"))
    origin: Origin = field(default_factory=Origin)


@dataclass(frozen=True, eq=False)
class Mesh:
    """A named set of primitives and strokes; `target_weights` is how much each morph target counts at rest."""

    name: str
    primitives: tuple[Primitive, ...] = ()
    _: KW_ONLY
    strokes: tuple[Strokes, ...] = ()
    target_weights: tuple[float, ...] = ()
    extras: str = ""


@dataclass(frozen=True)
class Camera:
    """A view: perspective (`yfov_rad`, `aspect` if fixed) or orthographic (`xmag`, `ymag` in metres).

    Looks along -Z.
    """

    name: str
    _: KW_ONLY
    yfov_rad: float | None = None
    aspect: float | None = None
    xmag: float = 1.0
    ymag: float = 1.0
    near: float = 0.01
    far: float | None = None
    extras: str = ""


@dataclass(frozen=True)
class Light:
    """KHR_lights_punctual: shines along -Z; candela for points and spots, lux for directional; range in metres."""

    name: str
    kind: Literal["directional", "point", "spot"] = "point"
    _: KW_ONLY
    color: Vec3 = (1.0, 1.0, 1.0)
    intensity: float = 1.0
    range: float | None = None
    inner_cone_rad: float = 0.0
    outer_cone_rad: float = 0.7853981633974483
    extras: str = ""


@dataclass(frozen=True, eq=False)
class Node:
    """A place in the tree. Names are unique in a scene; a node with a mesh is a *part*.

    translation (3,), rotation (4,) xyzw, scale (3,): parent_from_local. `matrix`, by rows, stands in their place where
    they cannot say it (shear). `detail` is the level of detail, 0 the finest. `weights` stand in place of the mesh's
    own.
    """

    name: str
    _: KW_ONLY
    mesh: int | None = field(default=None, metadata=points_to("meshes"))
    skin: int | None = field(default=None, metadata=points_to("skins"))
    camera: int | None = field(default=None, metadata=points_to("cameras"))
    light: int | None = field(default=None, metadata=points_to("lights"))
    children: tuple[int, ...] = field(default=(), metadata=points_to("nodes", held=False))
    translation: Vec3 = (0.0, 0.0, 0.0)
    rotation: Vec4 = IDENTITY_TURN
    scale: Vec3 = (1.0, 1.0, 1.0)
    matrix: Matrix | None = None
    weights: tuple[float, ...] | None = None
    role: Role = "visual"
    detail: int = 0
    extras: str = ""
    origin: Origin = field(default_factory=Origin)


@dataclass(frozen=True, eq=False)
class Skin:
    """Joints (node indices) and their (j, 4, 4) float64 joint_from_mesh matrices, row-major."""

    name: str
    joints: tuple[int, ...] = field(metadata=points_to("nodes"))
    inverse_bind: DoubleArray
    _: KW_ONLY
    skeleton: int | None = field(default=None, metadata=points_to("nodes", held=False))
    extras: str = ""


@dataclass(frozen=True, eq=False)
class ClipChannel:
    """Keys of one property of one node: times (k,) float32 seconds, values (k, width) float32 (3k for CUBICSPLINE)."""

    node: int = field(metadata=points_to("nodes", held=False))
    path: ChannelPath
    times: FloatArray
    values: FloatArray
    _: KW_ONLY
    interpolation: Interpolation = "LINEAR"


@dataclass(frozen=True, eq=False)
class ShownChannel:
    """When a node, and all below it, is to be seen: times (k,) float32 seconds, values (k, 1) float32, 0 for hidden.

    Each holds until the next (KHR_node_visibility).
    """

    node: int = field(metadata=points_to("nodes", held=False))
    times: FloatArray
    values: FloatArray

    path: ClassVar[Literal["visible"]] = "visible"
    interpolation: ClassVar[Interpolation] = "STEP"


@dataclass(frozen=True, eq=False)
class LookChannel:
    """Keys of one property of a material: times (k,) float32 seconds, values (k, width) float32 (3k for CUBICSPLINE).

    `base_color` is linear, 4 numbers; `emissive` 3; `offset` and `tiling` are those of all of its textures, 2 numbers,
    as in KHR_texture_transform.
    """

    material: int = field(metadata=points_to("materials", held=False))
    path: LookPath
    times: FloatArray
    values: FloatArray
    _: KW_ONLY
    interpolation: Interpolation = "LINEAR"


# How many numbers a value of each kind of track has; weights have as many as there are targets.
TRACK_WIDTHS = {
    "translation": 3, "rotation": 4, "scale": 3, "visible": 1, "base_color": 4, "emissive": 3, "roughness": 1,
    "metallic": 1, "offset": 2, "tiling": 2,
}  # fmt: skip
Track = TypeVar("Track", ClipChannel, ShownChannel, LookChannel)


@dataclass(frozen=True, eq=False)
class Clip:
    """A named animation: what moves nodes, when they are to be seen, and how materials look meanwhile."""

    name: str
    channels: tuple[ClipChannel, ...]
    _: KW_ONLY
    shown: tuple[ShownChannel, ...] = ()
    looks: tuple[LookChannel, ...] = ()
    extras: str = ""
    origin: Origin = field(default_factory=Origin)

    @property
    def tracks(self) -> tuple[ClipChannel | ShownChannel | LookChannel, ...]:
        """All that has keys."""
        return (*self.channels, *self.shown, *self.looks)


@dataclass(frozen=True, eq=False)
class Stage:
    """A further choice of root nodes that a file offers beside the one that is shown (glTF: another scene)."""

    name: str
    roots: tuple[int, ...] = field(default=(), metadata=points_to("nodes", held=False))


@dataclass(frozen=True, eq=False)
class Scene:
    """Everything a workpiece holds. Indices point into these tuples; only what hangs on `roots` is shown.

    `notes` are what readers have to tell, in words.
    """

    name: str
    _: KW_ONLY
    nodes: tuple[Node, ...] = ()
    roots: tuple[int, ...] = field(default=(), metadata=points_to("nodes", held=False))
    stages: tuple[Stage, ...] = ()
    meshes: tuple[Mesh, ...] = ()
    materials: tuple[Material, ...] = ()
    textures: tuple[Texture, ...] = ()
    images: tuple[Image, ...] = ()
    skins: tuple[Skin, ...] = ()
    cameras: tuple[Camera, ...] = ()
    lights: tuple[Light, ...] = ()
    clips: tuple[Clip, ...] = ()
    extras: str = ""
    notes: tuple[str, ...] = ()
