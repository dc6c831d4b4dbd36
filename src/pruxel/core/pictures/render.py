"""Draw a scene with rays: key light with shadow, sky with occlusion, textured, contact shadow below.

The picture's background is transparent. Faces seen from behind are drawn as hatched paper, as in the viewport.
"""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, ByteArray, FloatArray
from pruxel.core.base.context import Context
from pruxel.core.geometry.colors import srgb_from_linear
from pruxel.core.geometry.measure import area_vectors
from pruxel.core.native.rays import Hits, RayMesh
from pruxel.core.pictures.camera import frame
from pruxel.core.pictures.coarse import coarser
from pruxel.core.pictures.flatten import Soup, flatten, shown_nodes
from pruxel.core.pictures.ground import ground_shadow
from pruxel.core.pictures.shading import hit_points, shade
from pruxel.core.pictures.sky import Sky
from pruxel.core.pictures.strokes import with_solid_strokes
from pruxel.core.scene.digest import digest
from pruxel.core.scene.model import Scene

_PASSES = 32  # see-through faces behind each other; few rays go so far
_SMALL = 400


@dataclass(frozen=True)
class View:
    """How a picture is taken: texels, direction, samples a side of each texel, rays to the sky from each texel."""

    width: int = 320
    height: int = 240
    azimuth_deg: float = 32.0
    elevation_deg: float = 18.0
    samples: int = 2
    sky_rays: int = 12
    ground: bool = True


_DEFAULT = View()


def render(scene: Scene, context: Context, view: View = _DEFAULT, around: FloatArray | None = None) -> ByteArray:
    """Draw the parts meant to be seen; (height, width, 4) uint8 with straight alpha. An empty scene is transparent.

    Places `around` (n, 3) are framed in its stead.
    """
    scene = with_solid_strokes(scene)
    if view.width <= _SMALL:
        scene = coarser(scene)
    soup = flatten(scene, shown_nodes(scene))
    size = (view.width, view.height)
    if not len(soup.indices):
        return np.zeros((view.height, view.width, 4), np.uint8)
    low, high = soup.bounds
    flat = around is None and bool((high - low).min() <= 1e-6 * soup.reach)
    azimuth_deg, elevation_deg = _square_on(soup) if flat else (view.azimuth_deg, view.elevation_deg)
    camera = frame(
        soup.positions if around is None else around, size, azimuth_deg=azimuth_deg, elevation_deg=elevation_deg
    )
    mesh = _ray_mesh(digest(soup.positions), digest(soup.indices), soup)
    origins, directions = camera.rays(view.samples)
    sky = Sky(camera.phases(view.samples), view.samples**2, view.sky_rays)
    context.progress(0.1, "picture")
    color, alpha = _trace(soup, mesh, origins, directions, sky)
    context.progress(0.7, "picture")
    if view.ground and not flat:
        missed = np.flatnonzero(alpha < 1.0)
        cells, rays = view.width // 3, 4 * view.sky_rays
        shadow = ground_shadow(soup, mesh, origins[missed], directions[missed], cells, rays)
        alpha[missed] += (1 - alpha[missed]) * shadow
    context.progress(0.95, "picture")
    return _developed(color, alpha, view)


def _square_on(soup: Soup) -> tuple[float, float]:
    """From where something flat is seen square on, at its front: azimuth and elevation in degrees."""
    low, high = soup.bounds
    axis = int(np.argmin(high - low))
    front = 1.0 if float(area_vectors(soup.positions, soup.indices)[:, axis].sum()) >= 0 else -1.0
    # Straight from above there would be no telling what is up.
    return ((90.0 * front, 0.0), (0.0, 89.9 * front), (90.0 - 90.0 * front, 0.0))[axis]


# Another material or light asks for no other tree.
_trees: OrderedDict[tuple[str, str], RayMesh] = OrderedDict()
_MOST_TREES = 4


def _ray_mesh(positions: str, indices: str, soup: Soup) -> RayMesh:
    key = (positions, indices)
    if key not in _trees:
        _trees[key] = RayMesh(soup.positions, soup.indices)
        while len(_trees) > _MOST_TREES:
            _trees.popitem(last=False)
    return _trees[key]


def _trace(
    soup: Soup, mesh: RayMesh, origins: FloatArray, directions: FloatArray, sky: Sky
) -> tuple[FloatArray, FloatArray]:
    """Premultiplied linear colour (n, 3) and alpha (n,), going on behind what is see-through."""
    count = len(origins)
    color, through = np.zeros((count, 3), np.float32), np.ones(count, np.float32)
    active = np.arange(count)
    start = origins
    step = np.float32(1e-5 * soup.reach)
    for _ in range(_PASSES):
        hits = mesh.nearest(start, directions[active])
        met = hits.triangle >= 0
        if not met.any():
            break
        active, start = active[met], start[met]
        points = hit_points(soup, _only(hits, met), directions[active])
        lit, alpha = shade(soup, mesh, points, sky.around(active))
        color[active] += (through[active] * alpha)[:, None] * lit
        through[active] *= 1 - alpha
        open_still = through[active] > 0.02
        active = active[open_still]
        start = points.position[open_still] + points.direction[open_still] * step
        if not len(active):
            break
    return color, 1 - through


def _only(hits: Hits, met: AnyArray) -> Hits:
    return Hits(hits.triangle[met], hits.u[met], hits.v[met], hits.distance[met])


def _developed(color: FloatArray, alpha: FloatArray, view: View) -> ByteArray:
    """Average the samples of each texel, map to display values and quantise."""
    shape = (view.height, view.samples, view.width, view.samples)
    average, covered = _averaged(color.reshape(*shape, 3)), _averaged(alpha.reshape(shape))
    straight: AnyArray = average / np.maximum(covered, np.float32(1e-4))[..., None]
    display = _film(straight)
    out = np.empty((view.height, view.width, 4), np.uint8)
    out[..., :3] = (np.clip(display, 0, 1) * 255 + 0.5).astype(np.uint8)
    out[..., 3] = (np.clip(covered, 0, 1) * 255 + 0.5).astype(np.uint8)
    return out


def _averaged(samples: FloatArray) -> FloatArray:
    """The mean of each texel's samples (h, n, w, n, …), as sums of planes: `mean` takes eight times as long."""
    n = samples.shape[1]
    total = np.zeros_like(samples[:, 0, :, 0])
    for row in range(n):
        for column in range(n):
            total += samples[:, row, :, column]
    total /= n * n
    return total


def _film(linear: FloatArray) -> FloatArray:
    """A soft shoulder above 0.8, then display values."""
    x = np.maximum(linear, 0.0)
    return srgb_from_linear(np.where(x > 0.8, 0.8 + 0.2 * (1 - np.exp(-(x - 0.8) / 0.2)), x))
