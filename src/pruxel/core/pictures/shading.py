"""Light on surface points. Metallic-roughness as in glTF 2.0, appendix B, with a key light and a sky of two colours."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray
from pruxel.core.geometry.colors import linear_from_srgb
from pruxel.core.geometry.sampling import sphere_directions
from pruxel.core.images.pixels import texels_at
from pruxel.core.native.rays import Hits, RayMesh
from pruxel.core.pictures.flatten import Soup, Surface

_KEY = np.array([0.45, 0.78, 0.62]) / np.linalg.norm([0.45, 0.78, 0.62])
_KEY_COLOR = np.array([2.5, 2.35, 2.1])
_RIM = np.array([-0.75, 0.35, -0.55]) / np.linalg.norm([-0.75, 0.35, -0.55])
_RIM_COLOR = np.array([0.55, 0.75, 0.8])
_SKY, _GROUND = np.array([0.86, 0.93, 1.0]), np.array([0.52, 0.47, 0.41])
_AMBIENT = 0.72
_BEHIND = np.array([[0.72, 0.55, 0.42], [0.5, 0.3, 0.2]])


@dataclass(frozen=True, eq=False)
class Points:
    """Where rays met the surface: all (n, …) float32. `behind` marks faces seen from behind."""

    position: FloatArray
    direction: FloatArray
    face_normal: FloatArray
    normal: FloatArray
    tangent: FloatArray
    uv: FloatArray
    color: FloatArray
    surface: AnyArray
    behind: AnyArray


def hit_points(soup: Soup, hits: Hits, directions: FloatArray) -> Points:
    """Interpolate what the vertices carry at each hit."""
    corners = soup.indices[hits.triangle]
    weights = np.stack([1 - hits.u - hits.v, hits.u, hits.v], axis=1)
    triangle = soup.positions[corners]
    position = np.einsum("nc,nck->nk", weights, triangle)
    edge1, edge2 = triangle[:, 1] - triangle[:, 0], triangle[:, 2] - triangle[:, 0]
    face = _unit(np.cross(edge1, edge2))
    smooth = np.einsum("nc,nck->nk", weights, soup.normals[corners])
    normal = np.where((np.abs(smooth).sum(axis=1) > 1e-3)[:, None], _unit(smooth), face)
    uvs = soup.uvs[corners]
    d1, d2 = uvs[:, 1] - uvs[:, 0], uvs[:, 2] - uvs[:, 0]
    area = d1[:, 0] * d2[:, 1] - d2[:, 0] * d1[:, 1]
    safe = np.where(np.abs(area) < 1e-12, 1.0, area)[:, None]
    tangent = (edge1 * d2[:, 1:] - edge2 * d1[:, 1:]) / safe
    behind = (face * directions).sum(axis=1) > 0
    turn = np.where(behind, -1.0, 1.0)[:, None]
    return Points(
        position.astype(np.float32),
        directions,
        (face * turn).astype(np.float32),
        (normal * turn).astype(np.float32),
        tangent.astype(np.float32),
        np.einsum("nc,nck->nk", weights, uvs).astype(np.float32),
        np.einsum("nc,nck->nk", weights, soup.colors[corners]).astype(np.float32),
        soup.surface[hits.triangle],
        behind,
    )


def _unit(vectors: AnyArray) -> AnyArray:
    return vectors / np.maximum(np.linalg.norm(vectors, axis=-1, keepdims=True), 1e-20)


@dataclass(eq=False)
class _Look:
    base: FloatArray
    alpha: FloatArray
    rough: FloatArray
    metal: FloatArray
    occlusion: FloatArray
    emissive: FloatArray
    normal: FloatArray
    unlit: AnyArray


def _looks(soup: Soup, points: Points) -> _Look:
    count = len(points.uv)
    look = _Look(
        np.ones((count, 3), np.float32),
        np.ones(count, np.float32),
        np.ones(count, np.float32),
        np.zeros(count, np.float32),
        np.ones(count, np.float32),
        np.zeros((count, 3), np.float32),
        points.normal.copy(),
        np.zeros(count, bool),
    )
    for number in np.unique(points.surface):
        mine = points.surface == number
        _fill(look, mine, soup.surfaces[int(number)], points)
    return look


def _fill(look: _Look, mine: AnyArray, surface: Surface, points: Points) -> None:
    material, uv = surface.material, points.uv[mine]
    color = np.array(material.base_color[:3])
    alpha: AnyArray = np.full(len(uv), material.base_color[3])
    if surface.base is not None:
        found = texels_at(surface.base, uv)
        look.base[mine] = linear_from_srgb(found[:, :3]) * color
        alpha = found[:, 3] * alpha
    else:
        look.base[mine] = color
    look.base[mine] *= points.color[mine, :3]
    alpha = alpha * points.color[mine, 3]
    if material.alpha_mode == "MASK":
        alpha = (alpha >= material.alpha_cutoff).astype(np.float32)
    look.alpha[mine] = 1.0 if material.alpha_mode == "OPAQUE" else alpha
    packed = None if surface.rough_metal is None else texels_at(surface.rough_metal, uv)
    look.rough[mine] = material.roughness * (1.0 if packed is None else packed[:, 1])
    look.metal[mine] = material.metallic * (1.0 if packed is None else packed[:, 2])
    if surface.occlusion is not None:
        look.occlusion[mine] = texels_at(surface.occlusion, uv)[:, 0]
    glow = np.array(material.emissive) * material.emissive_strength
    if surface.emissive is not None:
        look.emissive[mine] = linear_from_srgb(texels_at(surface.emissive, uv)[:, :3]) * glow
    else:
        look.emissive[mine] = glow
    look.unlit[mine] = material.unlit
    if surface.normal is not None:
        look.normal[mine] = _bumped(points, mine, texels_at(surface.normal, uv), material.normal_scale)


def _bumped(points: Points, mine: AnyArray, texel: FloatArray, scale: float) -> FloatArray:
    normal, tangent = points.normal[mine], points.tangent[mine]
    along = _unit(tangent - normal * (normal * tangent).sum(axis=1, keepdims=True))
    across = np.cross(normal, along)
    x, y, z = ((texel[:, k : k + 1] * 2 - 1) for k in range(3))
    bent = _unit(along * x * scale + across * y * scale + normal * np.maximum(z, 0.05))
    usable = (np.abs(tangent).sum(axis=1) > 1e-12)[:, None]
    result: FloatArray = np.where(usable, bent, normal).astype(np.float32)
    return result


def shade(soup: Soup, mesh: RayMesh, points: Points, sky_rays: int) -> tuple[FloatArray, FloatArray]:
    """Linear colour (n, 3) and alpha (n,) at each point."""
    look = _looks(soup, points)
    reach = np.float32(soup.reach)
    lifted = points.position + points.face_normal * (reach * np.float32(2e-4))
    facing_key = (points.face_normal @ _KEY) > 0
    shadow = np.ones(len(lifted), np.float32)
    rays = np.broadcast_to(_KEY, lifted.shape).astype(np.float32)
    shadow[facing_key] = ~mesh.blocked(lifted[facing_key], rays[facing_key])
    color = _lit(look, points, shadow, _sky_share(mesh, lifted, points.face_normal, sky_rays) * look.occlusion)
    hidden = points.behind & ~_double_sided(soup, points)
    color[hidden] = _hatched(points, reach)[hidden]
    color = np.where(look.unlit[:, None], look.base, color)
    return color.astype(np.float32), look.alpha


def _double_sided(soup: Soup, points: Points) -> AnyArray:
    sides = np.array([s.material.double_sided for s in soup.surfaces])
    both: AnyArray = sides[points.surface]
    return both


def _sky_share(mesh: RayMesh, lifted: FloatArray, normal: FloatArray, sky_rays: int) -> FloatArray:
    """How much of the half sphere above each point is open, cosine-weighted, (n,)."""
    rays = sphere_directions(sky_rays)
    facing = normal @ rays.T
    aimed = rays[None] * np.where(facing < 0, np.float32(-1), np.float32(1))[..., None]
    blocked = mesh.blocked(np.repeat(lifted, len(rays), axis=0), aimed.reshape(-1, 3).astype(np.float32))
    weight = np.abs(facing)
    share: FloatArray = ((~blocked).reshape(weight.shape) * weight).sum(axis=1) / weight.sum(axis=1)
    return share


def _lit(look: _Look, points: Points, shadow: FloatArray, openness: FloatArray) -> FloatArray:
    normal, eye = look.normal, -points.direction
    diffuse = look.base * (1 - look.metal)[:, None]
    mirror = 0.04 * (1 - look.metal)[:, None] + look.base * look.metal[:, None]
    up = (normal[:, 1:2] + 1) / 2
    sky = _SKY * up + _GROUND * (1 - up)
    bounce = 2 * (normal * eye).sum(axis=1, keepdims=True) * normal - eye
    smooth = (1 - look.rough)[:, None]
    mirrored_up = np.clip(bounce[:, 1:2] * (0.5 + 2.5 * smooth) + 0.5, 0, 1)
    reflected = _SKY * mirrored_up * 1.1 + _GROUND * 0.5 * (1 - mirrored_up)
    facing = np.clip((normal * eye).sum(axis=1), 0, 1)[:, None]
    fresnel = mirror + (np.maximum(smooth, mirror) - mirror) * (1 - facing) ** 5
    total = (diffuse * sky + fresnel * reflected) * (openness * _AMBIENT)[:, None]
    for direction, light, seen in ((_KEY, _KEY_COLOR, shadow), (_RIM, _RIM_COLOR, openness)):
        cosine = np.clip(normal @ direction, 0, 1) * seen
        total = total + (diffuse / np.pi + _gloss(look, normal, eye, direction, mirror)) * (cosine[:, None] * light)
    result: FloatArray = total + look.emissive
    return result


def _gloss(look: _Look, normal: FloatArray, eye: FloatArray, light: AnyArray, mirror: AnyArray) -> AnyArray:
    """The microfacet term: GGX distribution, Smith's visibility (Karis's approximation), Schlick's Fresnel."""
    half = _unit(eye + light)
    alpha2 = np.maximum(look.rough, 0.08) ** 4
    nh = np.clip((normal * half).sum(axis=1), 0, 1)
    nv = np.clip((normal * eye).sum(axis=1), 0.02, 1)
    nl = np.clip(normal @ light, 0.02, 1)
    spread = alpha2 / (np.pi * (nh * nh * (alpha2 - 1) + 1) ** 2)
    k = np.maximum(look.rough, 0.08) ** 2 / 2
    visible = 1 / (4 * (nl * (1 - k) + k) * (nv * (1 - k) + k))
    vh = np.clip((eye * half).sum(axis=1), 0, 1)[:, None]
    return (mirror + (1 - mirror) * (1 - vh) ** 5) * (spread * visible)[:, None]


def _hatched(points: Points, reach: np.float32) -> AnyArray:
    """Diagonal hatching in space, for faces seen from behind."""
    stripe = np.floor(points.position.sum(axis=1) / (reach * 0.03)).astype(np.int64) % 2
    tone = _BEHIND[stripe]
    return tone * (0.45 + 0.4 * np.clip(points.normal @ _KEY, 0, 1))[:, None]
