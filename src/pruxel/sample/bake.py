"""Paint a surface: UVs by xatlas, every texel's place on the model, sky share by rays, then the painter."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import trimesh
import xatlas
from scipy import ndimage

from pruxel.core.base.arrays import AnyArray
from pruxel.core.geometry.sampling import sphere_directions
from pruxel.core.native.rays import RayMesh
from pruxel.sample.model import Model, Paint, Part, Spots, Surface

_RAYS = 40


@dataclass(frozen=True, eq=False)
class Ready:
    """A part with its final vertices: positions, normals, uvs (origin top left), faces."""

    part: Part
    positions: AnyArray
    normals: AnyArray
    uvs: AnyArray
    faces: AnyArray


@dataclass(frozen=True, eq=False)
class Textures:
    """Texels of a surface, (side, side, 4) uint8 each. packed: roughness, metallic, opacity, sky share."""

    base: AnyArray
    normal: AnyArray
    packed: AnyArray
    glow: AnyArray | None
    dye: AnyArray | None = None


def packed_later(images: Textures) -> AnyArray:
    """The same as the game's makers pack it by now: sky share, gloss, metal, where it shines by itself."""
    rough, metal, _, sky = np.moveaxis(images.packed, 2, 0)
    shines = np.zeros_like(rough) if images.glow is None else images.glow[..., :3].max(axis=2)
    return np.stack([sky, 255 - rough, metal, shines], axis=2)


def unwrap(parts: list[Part], side: int) -> list[Ready]:
    """Split at sharp edges, cut into charts and pack all parts into one square."""
    own = [part for part in parts if not part.mirrors]
    ready = _unwrapped(own, side)
    for part in parts:
        if part.mirrors:
            twin = next(item for item in ready if item.part.name == part.mirrors)
            over = np.array((-1.0, 1.0, 1.0))
            ready.append(Ready(part, twin.positions * over, twin.normals * over, twin.uvs, twin.faces[:, ::-1]))
    return ready


def _unwrapped(parts: list[Part], side: int) -> list[Ready]:
    atlas = xatlas.Atlas()
    smooth = []
    for part in parts:
        mesh = trimesh.Trimesh(part.shape.vertices, part.shape.faces, process=False)
        split = trimesh.graph.smooth_shade(mesh, angle=np.radians(part.sharp_deg), facet_minarea=None)
        smooth.append((np.array(split.vertices), np.array(split.vertex_normals), np.array(split.faces)))
        atlas.add_mesh(split.vertices.astype(np.float32), split.faces.astype(np.uint32))
    chart = xatlas.ChartOptions()
    chart.max_cost = 4.0
    chart.max_iterations = 1
    pack = xatlas.PackOptions()
    pack.padding, pack.resolution, pack.bilinear, pack.bruteForce, pack.create_image = 3, side, True, False, False
    atlas.generate(chart, pack)
    ready = []
    for number, part in enumerate(parts):
        source, faces, uvs = atlas[number]
        vertices, normals, _ = smooth[number]
        ready.append(Ready(part, vertices[source], normals[source], uvs.astype(np.float64), faces.astype(np.int64)))
    return ready


def paint(model: Model, surface: Surface, ready: list[Ready], seed: int) -> Textures:
    """Bake and paint one surface of a model."""
    side = surface.side
    ready = [item for item in ready if not item.part.mirrors]
    starts = np.cumsum([0, *(len(r.positions) for r in ready)])
    positions = np.concatenate([r.positions for r in ready])
    normals = np.concatenate([r.normals for r in ready])
    uvs = np.concatenate([r.uvs for r in ready])
    faces = np.concatenate([r.faces + s for r, s in zip(ready, starts, strict=False)])
    part_of = np.concatenate([np.full(len(r.faces), i) for i, r in enumerate(ready)])
    covered, face, weights = _texels(uvs, faces, side)
    corners = faces[face]
    spot = np.einsum("nc,nck->nk", weights, positions[corners])
    up = np.einsum("nc,nck->nk", weights, normals[corners])
    up /= np.maximum(np.linalg.norm(up, axis=1, keepdims=True), 1e-9)
    # The sky's share changes slowly: one ray's foot for each two by two texels, which no two charts share.
    row, column = np.nonzero(covered)
    _, first, block = np.unique(row // 2 * side + column // 2, return_index=True, return_inverse=True)
    sky = _sky(model, spot[first], up[first])[block]
    spots = Spots(spot, up, sky, part_of[face], tuple(r.part.name for r in ready), seed)
    return _spread(surface, surface.paint(spots), spots, covered, side)


def _texels(uvs: AnyArray, faces: AnyArray, side: int) -> tuple[AnyArray, AnyArray, AnyArray]:
    """Which texels lie in a chart, (side, side) bool; their triangles and corner weights. UV triangles met by rays."""
    flat = np.concatenate([uvs, np.zeros((len(uvs), 1))], axis=1).astype(np.float32)
    grid = (np.arange(side) + 0.5) / side
    x, y = np.meshgrid(grid, grid)
    origins = np.stack([x.ravel(), y.ravel(), np.full(side * side, -1.0)], axis=1).astype(np.float32)
    aim = np.tile(np.array([0, 0, 1], np.float32), (side * side, 1))
    hits = RayMesh(flat, faces.astype(np.uint32)).nearest(origins, aim)
    met = hits.triangle >= 0
    weights = np.stack([1 - hits.u - hits.v, hits.u, hits.v], axis=1)[met]
    return met.reshape(side, side), hits.triangle[met], weights


def _sky(model: Model, spot: AnyArray, up: AnyArray) -> AnyArray:
    """Cosine-weighted share of open directions, with the ground in the way below."""
    shapes = [p.shape for p in model.parts if not p.collision and p.detail == 0]
    starts = np.cumsum([0, *(len(s.vertices) for s in shapes)])
    everything = np.concatenate([s.vertices for s in shapes]).astype(np.float32)
    faces = np.concatenate([s.faces + k for s, k in zip(shapes, starts, strict=False)])
    mesh = RayMesh(everything, faces.astype(np.uint32))
    size = float(np.ptp(everything, axis=0).max())
    rays = sphere_directions(_RAYS)
    total, weight = np.zeros(len(spot)), np.zeros(len(spot))
    origin = (spot + up * size * 2e-3).astype(np.float32)
    for ray in rays:
        cosine = up @ ray
        facing = cosine > 0.02
        aim = np.tile(ray, (int(facing.sum()), 1)).astype(np.float32)
        free = ~mesh.blocked(origin[facing], aim)
        total[facing] += cosine[facing] * free * (1.0 if ray[1] > 0 else 0.55)
        weight[facing] += cosine[facing]
    return total / np.maximum(weight, 1e-9)


def _spread(surface: Surface, paint_: Paint, spots: Spots, covered: AnyArray, side: int) -> Textures:
    """Put painted texels into images and fill the gaps between charts with their nearest neighbours."""
    nearest = ndimage.distance_transform_edt(~covered, return_distances=False, return_indices=True)

    def image(values: AnyArray) -> AnyArray:
        channels = values.shape[1] if values.ndim > 1 else 1
        plane = np.zeros((side, side, channels))
        plane[covered] = values.reshape(-1, channels)
        return plane[nearest[0], nearest[1]]

    def bytes_(planes: list[AnyArray]) -> AnyArray:
        joined = np.concatenate(planes, axis=2)
        return (np.clip(joined, 0, 1) * 255 + 0.5).astype(np.uint8)

    one = np.ones((side, side, 1))
    height = image(paint_.height)[..., 0] * surface.relief
    slope_v, slope_u = np.gradient(ndimage.gaussian_filter(height, 0.6))
    bump = np.stack([-slope_u, slope_v, np.ones_like(height)], axis=2)
    bump /= np.linalg.norm(bump, axis=2, keepdims=True)
    opacity = image(paint_.opacity)
    base = bytes_([image(paint_.base), opacity if surface.codec == "BC3" else one])
    return Textures(
        base,
        bytes_([bump * 0.5 + 0.5, one]),
        bytes_([image(paint_.rough), image(paint_.metal), opacity, image(spots.open)]),
        None if paint_.glow is None else bytes_([image(paint_.glow), one]),
        None if surface.dye is None else bytes_([image(surface.dye(spots)), one]),
    )
