"""Facts about a scene: counts, bounds, area."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import DoubleArray, bounds
from pruxel.core.geometry.measure import triangle_areas
from pruxel.core.scene.analyses import once_per_mesh
from pruxel.core.scene.model import Mesh, Scene
from pruxel.core.scene.motion import ClipFacts, facts_of
from pruxel.core.scene.pose import standing
from pruxel.core.scene.walk import parts, world_from_local

Triple = tuple[float, float, float]
_MOST_POINTS = 2_000
_NOWHERE = ((np.inf,) * 3, (-np.inf,) * 3)


def length_words(metres: float) -> str:
    """A length to three figures, in the unit that people would take for it."""
    if metres >= 1000:
        return f"{metres / 1000:.3g} km"
    return f"{metres:.3g} m" if metres >= 1 else f"{metres * 1000:.3g} mm"


@dataclass(frozen=True)
class PartFacts:
    """Facts about one part; `size` in metres along x, y, z in world space, `area` in square metres."""

    name: str
    triangles: int
    vertices: int
    materials: tuple[str, ...]
    size: Triple
    area: float
    role: str
    detail: int


@dataclass(frozen=True)
class SceneFacts:
    """Facts about a whole scene; bounds in metres in world space, area in square metres."""

    triangles: int
    vertices: int
    minimum: Triple
    maximum: Triple
    area: float
    materials: tuple[str, ...]
    textures: tuple[str, ...]
    joints: int
    points: tuple[str, ...]
    clips: tuple[ClipFacts, ...]
    variants: tuple[str, ...]
    parts: tuple[PartFacts, ...]

    @property
    def size(self) -> Triple:
        """Extent along x, y, z in metres."""
        low, high = self.minimum, self.maximum
        return (high[0] - low[0], high[1] - low[1], high[2] - low[2])


@dataclass(frozen=True)
class Extent:
    """Bounds and area of a mesh's triangles; inverted infinite bounds when there are none."""

    low: Triple
    high: Triple
    area: float


def variant_names(meshes: Sequence[Mesh]) -> tuple[str, ...]:
    """The names of all variants of materials, in the order in which they are met."""
    worn = (dressing.variant for mesh in meshes for p in mesh.primitives for dressing in p.dressings)
    return tuple(dict.fromkeys(worn))


def face_count(mesh: Mesh) -> int:
    """How many triangles a mesh has."""
    return sum(len(p.indices) for p in mesh.primitives)


def triangle_count(scene: Scene) -> int:
    """Triangles of all shown parts; each placement counts."""
    return sum(face_count(mesh) for _, _, mesh in parts(scene))


def measure(scene: Scene) -> SceneFacts:
    """Measure every part and the whole as it stands; an empty scene has zero bounds."""
    low, high, area = np.full(3, np.inf), np.full(3, -np.inf), 0.0
    found: list[PartFacts] = []
    for index, extent in extents(scene):
        node = scene.nodes[index]
        assert node.mesh is not None
        mesh = scene.meshes[node.mesh]
        low, high, area = np.minimum(low, extent.low), np.maximum(high, extent.high), area + extent.area
        used = {p.material for p in mesh.primitives if p.material is not None}
        found.append(
            PartFacts(
                node.name,
                face_count(mesh),
                sum(len(p.positions) for p in mesh.primitives),
                tuple(scene.materials[m].name for m in sorted(used)),
                _triple(np.maximum(np.subtract(extent.high, extent.low), 0.0)),
                extent.area,
                node.role,
                node.detail,
            ),
        )
    finite = bool(np.isfinite(low).all())
    return SceneFacts(
        sum(p.triangles for p in found),
        sum(p.vertices for p in found),
        _triple(low) if finite else (0.0, 0.0, 0.0),
        _triple(high) if finite else (0.0, 0.0, 0.0),
        area,
        tuple(m.name for m in scene.materials),
        tuple(i.name for i in scene.images),
        len({j for s in scene.skins for j in s.joints}),
        _points(scene),
        tuple(facts_of(c) for c in scene.clips),
        variant_names(scene.meshes),
        tuple(found),
    )


def _points(scene: Scene) -> tuple[str, ...]:
    """The names of what something may hang on: joints first, then other nodes that show nothing themselves."""
    joints = list(dict.fromkeys(j for s in scene.skins for j in s.joints))
    bare = [i for i, n in enumerate(scene.nodes) if n.mesh is None and n.camera is None and n.light is None]
    return tuple(scene.nodes[i].name for i in dict.fromkeys([*joints, *bare]))[:_MOST_POINTS]


def extents(scene: Scene) -> Iterator[tuple[int, Extent]]:
    """The extent of every part in world space; those that nothing bends are worked out once a mesh and turn."""
    world = world_from_local(scene)
    listed = list(parts(scene))
    bent = {i for i, node, mesh in listed if node.skin is not None or any(p.targets for p in mesh.primitives)}
    stood = {i: mesh for i, _, mesh in standing(scene, bent)} if bent else {}
    for index, _, mesh in listed:
        if index in stood:
            yield index, _extent(stood[index], np.eye(3))
            continue
        linear, place = world[index][:3, :3], world[index][:3, 3]
        turned = extent_of(mesh, tuple(linear.ravel().tolist()))
        yield index, Extent(_triple(turned.low + place), _triple(turned.high + place), turned.area)


@once_per_mesh("positions", "indices", most=4096)
def extent_of(mesh: Mesh, linear: tuple[float, ...]) -> Extent:
    """The extent of a mesh under a 3x3 matrix given by rows."""
    return _extent(mesh, np.array(linear).reshape(3, 3))


def _extent(mesh: Mesh, linear: DoubleArray) -> Extent:
    low, high = (np.array(bound) for bound in _NOWHERE)
    area = 0.0
    plain = np.array_equal(linear, np.eye(3))
    for p in mesh.primitives:
        if not len(p.positions):
            continue
        points: np.ndarray = p.positions if plain else p.positions @ linear.T
        lowest, highest = bounds(points)
        low, high = np.minimum(low, lowest), np.maximum(high, highest)
        area += float(triangle_areas(points, p.indices).sum())
    return Extent(_triple(low), _triple(high), area)


def _triple(values: np.ndarray) -> Triple:
    return (float(values[0]), float(values[1]), float(values[2]))
