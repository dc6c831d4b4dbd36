"""Light on surface points. Metallic-roughness as in glTF 2.0, appendix B, with a key light and a sky of two colours."""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, lengths
from pruxel.core.geometry.colors import linear_from_srgb
from pruxel.core.images.sampled import texels_at
from pruxel.core.native.rays import Hits, RayMesh
from pruxel.core.pictures.flatten import Soup, Surface


def _single(*values: float) -> FloatArray:
    return np.array(values, np.float32)


def _towards(*values: float) -> FloatArray:
    return (np.array(values) / np.linalg.norm(values)).astype(np.float32)


_KEY = _towards(0.45, 0.78, 0.62)
_KEY_COLOR = _single(2.5, 2.35, 2.1)
_RIM = _towards(-0.75, 0.35, -0.55)
_RIM_COLOR = _single(0.55, 0.75, 0.8)
_SKY, _GROUND = _single(0.86, 0.93, 1.0), _single(0.52, 0.47, 0.41)
_AMBIENT = 0.72
_BEHIND = np.array([[0.72, 0.55, 0.42], [0.5, 0.3, 0.2]], np.float32)


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
    count = len(hits.triangle)
    position, face, normal, tangent = (np.empty((count, 3), np.float32) for _ in range(4))
    uv, color = np.empty((count, 2), np.float32), np.empty((count, 4), np.float32)
    carried = (soup.positions, soup.normals, soup.uvs, soup.colors)
    _interpolate(soup.indices, (hits.triangle, hits.u, hits.v), carried, (position, face, normal, tangent, uv, color))
    behind = _dot(face, directions) > 0
    turn = np.where(behind, np.float32(-1), np.float32(1))[:, None]
    surface = soup.surface[hits.triangle]
    return Points(position, directions, face * turn, normal * turn, tangent, uv, color, surface, behind)


@numba.njit(cache=True, nogil=True)
def _interpolate(indices, hits, carried, found):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    triangle, us, vs = hits
    positions, normals, uvs, colors = carried
    position, face, normal, tangent, uv, color = found
    one, least = np.float32(1), np.float32(1e-20)
    for n in range(len(triangle)):
        t = triangle[n]
        i, j, k = indices[t, 0], indices[t, 1], indices[t, 2]
        u, v = us[n], vs[n]
        w = one - u - v
        for c in range(3):
            position[n, c] = w * positions[i, c] + u * positions[j, c] + v * positions[k, c]
            normal[n, c] = w * normals[i, c] + u * normals[j, c] + v * normals[k, c]
        for c in range(4):
            color[n, c] = w * colors[i, c] + u * colors[j, c] + v * colors[k, c]
        for c in range(2):
            uv[n, c] = w * uvs[i, c] + u * uvs[j, c] + v * uvs[k, c]
        x0, y0, z0 = positions[i, 0], positions[i, 1], positions[i, 2]
        x1, y1, z1 = positions[j, 0] - x0, positions[j, 1] - y0, positions[j, 2] - z0
        x2, y2, z2 = positions[k, 0] - x0, positions[k, 1] - y0, positions[k, 2] - z0
        x, y, z = y1 * z2 - z1 * y2, z1 * x2 - x1 * z2, x1 * y2 - y1 * x2
        long = max(np.sqrt(x * x + y * y + z * z), least)
        face[n, 0], face[n, 1], face[n, 2] = x / long, y / long, z / long
        x, y, z = normal[n, 0], normal[n, 1], normal[n, 2]
        long = np.sqrt(x * x + y * y + z * z)
        for c in range(3):
            normal[n, c] = normal[n, c] / long if long > 1e-3 else face[n, c]
        s1, t1 = uvs[j, 0] - uvs[i, 0], uvs[j, 1] - uvs[i, 1]
        s2, t2 = uvs[k, 0] - uvs[i, 0], uvs[k, 1] - uvs[i, 1]
        area = s1 * t2 - s2 * t1
        area = area if abs(area) >= 1e-12 else one
        tangent[n, 0], tangent[n, 1] = (x1 * t2 - x2 * t1) / area, (y1 * t2 - y2 * t1) / area
        tangent[n, 2] = (z1 * t2 - z2 * t1) / area


def _dot(a: FloatArray, b: FloatArray) -> FloatArray:
    found: FloatArray = np.einsum("nk,nk->n", a, b)
    return found


def _unit(vectors: FloatArray) -> AnyArray:
    return vectors / np.maximum(lengths(vectors), np.float32(1e-20))[:, None]


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
    color = _single(*material.base_color[:3])
    alpha: AnyArray = np.full(len(uv), material.base_color[3], np.float32)
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
    glow = _single(*material.emissive) * material.emissive_strength
    if surface.emissive is not None:
        look.emissive[mine] = linear_from_srgb(texels_at(surface.emissive, uv)[:, :3]) * glow
    else:
        look.emissive[mine] = glow
    look.unlit[mine] = material.unlit
    if surface.normal is not None:
        look.normal[mine] = _bumped(points, mine, texels_at(surface.normal, uv), material.normal_scale)


def _bumped(points: Points, mine: AnyArray, texel: FloatArray, scale: float) -> FloatArray:
    normal, tangent = points.normal[mine], points.tangent[mine]
    along = _unit(tangent - normal * _dot(normal, tangent)[:, None])
    across = np.cross(normal, along)
    x, y, z = ((texel[:, k : k + 1] * 2 - 1) for k in range(3))
    bent = _unit(along * x * scale + across * y * scale + normal * np.maximum(z, 0.05))
    usable = np.abs(tangent).max(axis=1, keepdims=True) > 1e-12
    result: FloatArray = np.where(usable, bent, normal).astype(np.float32)
    return result


def shade(soup: Soup, mesh: RayMesh, points: Points, sky: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Linear colour (n, 3) and alpha (n,) at each point, that asks the sky in directions (n, k, 3)."""
    look = _looks(soup, points)
    reach = np.float32(soup.reach)
    lifted = points.position + points.face_normal * (reach * np.float32(2e-4))
    facing_key = (points.face_normal @ _KEY) > 0
    shadow = np.ones(len(lifted), np.float32)
    lit = lifted[facing_key]
    shadow[facing_key] = ~mesh.blocked(lit, np.broadcast_to(_KEY, lit.shape))
    color = _lit(look, points, shadow, _sky_share(mesh, lifted, points.face_normal, sky) * look.occlusion)
    hidden = points.behind & ~_double_sided(soup, points)
    color[hidden] = _hatched(points, reach)[hidden]
    color = np.where(look.unlit[:, None], look.base, color)
    return color.astype(np.float32), look.alpha


def _double_sided(soup: Soup, points: Points) -> AnyArray:
    sides = np.array([s.material.double_sided for s in soup.surfaces])
    both: AnyArray = sides[points.surface]
    return both


def _sky_share(mesh: RayMesh, lifted: FloatArray, normal: FloatArray, sky: FloatArray) -> FloatArray:
    """How much of the half sphere above each point is open, cosine-weighted, (n,)."""
    facing = np.einsum("nk,njk->nj", normal, sky)
    aimed = sky * np.where(facing < 0, np.float32(-1), np.float32(1))[..., None]
    blocked = mesh.blocked(np.repeat(lifted, sky.shape[1], axis=0), aimed.reshape(-1, 3)).reshape(facing.shape)
    weight = np.abs(facing)
    share: FloatArray = np.einsum("nj,nj->n", ~blocked, weight) / np.maximum(weight.sum(axis=1), 1e-9)
    return share


def _lit(look: _Look, points: Points, shadow: FloatArray, openness: FloatArray) -> FloatArray:
    normal, eye = look.normal, -points.direction
    diffuse = look.base * (1 - look.metal)[:, None]
    mirror = 0.04 * (1 - look.metal)[:, None] + look.base * look.metal[:, None]
    up = (normal[:, 1:2] + 1) / 2
    sky = _SKY * up + _GROUND * (1 - up)
    towards = _dot(normal, eye)[:, None]
    bounce = 2 * towards * normal - eye
    smooth = (1 - look.rough)[:, None]
    mirrored_up = np.clip(bounce[:, 1:2] * (0.5 + 2.5 * smooth) + 0.5, 0, 1)
    reflected = _SKY * mirrored_up * 1.1 + _GROUND * 0.5 * (1 - mirrored_up)
    fresnel = mirror + (np.maximum(smooth, mirror) - mirror) * _fifth(1 - np.clip(towards, 0, 1))
    total = (diffuse * sky + fresnel * reflected) * (openness * _AMBIENT)[:, None]
    for direction, light, seen in ((_KEY, _KEY_COLOR, shadow), (_RIM, _RIM_COLOR, openness)):
        cosine = np.clip(normal @ direction, 0, 1) * seen
        total += (diffuse / np.float32(np.pi) + _gloss(look, normal, eye, direction, mirror)) * (
            cosine[:, None] * light
        )
    result: FloatArray = total + look.emissive
    return result


def _gloss(look: _Look, normal: FloatArray, eye: FloatArray, light: AnyArray, mirror: AnyArray) -> AnyArray:
    """The microfacet term: GGX distribution, Smith's visibility (Karis's approximation), Schlick's Fresnel."""
    half = _unit(eye + light)
    alpha2 = np.maximum(look.rough, 0.08) ** 4
    nh = np.clip(_dot(normal, half), 0, 1)
    nv = np.clip(_dot(normal, eye), 0.02, 1)
    nl = np.clip(normal @ light, 0.02, 1)
    spread = alpha2 / (np.pi * (nh * nh * (alpha2 - 1) + 1) ** 2)
    k = np.maximum(look.rough, 0.08) ** 2 / 2
    visible = 1 / (4 * (nl * (1 - k) + k) * (nv * (1 - k) + k))
    vh = np.clip(_dot(eye, half), 0, 1)[:, None]
    return (mirror + (1 - mirror) * _fifth(1 - vh)) * (spread * visible)[:, None]


def _fifth(values: FloatArray) -> FloatArray:
    square = values * values
    return square * square * values


def _hatched(points: Points, reach: np.float32) -> AnyArray:
    """Diagonal hatching in space, for faces seen from behind."""
    stripe = np.floor(points.position.sum(axis=1) / (reach * 0.03)).astype(np.int64) % 2
    tone = _BEHIND[stripe]
    return tone * (0.45 + 0.4 * np.clip(points.normal @ _KEY, 0, 1))[:, None]
