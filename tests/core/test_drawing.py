"""Pictures: texels between texels, points on surfaces, what is seen of the sky, the shadow on the ground."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays

from pruxel.core.base.arrays import as_floats
from pruxel.core.base.context import Context
from pruxel.core.geometry.sampling import sphere_directions
from pruxel.core.images.sampled import texels_at
from pruxel.core.native.rays import Hits
from pruxel.core.pictures.camera import frame
from pruxel.core.pictures.flatten import flatten, shown_nodes
from pruxel.core.pictures.render import View, render
from pruxel.core.pictures.shading import hit_points
from pruxel.core.pictures.sky import Sky
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Mesh, Node, Scene
from tests.scenes import box

_TEXELS = arrays.arrays(
    np.uint8, st.tuples(st.integers(1, 5), st.integers(1, 5), st.sampled_from((1, 4))), elements=st.integers(0, 255)
)


@given(_TEXELS, st.lists(st.tuples(*[st.floats(-3, 3, width=32)] * 2), min_size=1, max_size=8))
def test_texels_are_mixed_as_their_places_say(texels: np.ndarray, places: list[tuple[float, float]]) -> None:
    height, width, _ = texels.shape
    for found, (u, v) in zip(texels_at(texels, as_floats(places, 2)), places, strict=True):
        x, y = u * width - 0.5, v * height - 0.5
        left, top = int(np.floor(x)), int(np.floor(y))
        expected = sum(
            texels[(top + down) % height, (left + across) % width].astype(float)
            * (1 - abs(x - left - across))
            * (1 - abs(y - top - down))
            for down in (0, 1)
            for across in (0, 1)
        )
        assert np.allclose(found, expected / 255, atol=1e-5)


@given(st.floats(0, 1, width=32), st.floats(0, 1, width=32), st.integers(0, 11), st.booleans())
def test_a_point_carries_what_its_corners_carry(u: float, v: float, triangle: int, bare: bool) -> None:
    if u + v > 1:
        u, v = 1 - u, 1 - v
    one = box(2.0, (0.25, 0.5, -0.5))
    if bare:
        one = replace(one, normals=None)
    scene = _scene(one)
    soup = flatten(scene, shown_nodes(scene))
    hits = Hits(np.array([triangle], np.int32), *(np.array([x], np.float32) for x in (u, v, 1.0)))
    inward = -_outward(soup.positions[soup.indices[triangle]])
    points = hit_points(soup, hits, as_floats([inward], 3))
    i, j, k = soup.indices[triangle]
    weights = np.array([1 - u - v, u, v])
    for found, each in ((points.position, soup.positions), (points.uv, soup.uvs), (points.color, soup.colors)):
        assert np.allclose(found[0], weights @ each[[i, j, k]], atol=1e-5)
    # A box is flat on each side: its normals and the face's are one.
    assert np.allclose([points.normal[0], points.face_normal[0]], -inward, atol=1e-5)
    assert not points.behind[0]
    # Along the tangent, u grows and v does not.
    p, q = soup.positions[[i, j, k]], soup.uvs[[i, j, k]]
    slopes = np.linalg.lstsq(p[1:] - p[0], q[1:] - q[0], rcond=None)[0]
    assert np.allclose(points.tangent[0] @ slopes, (1, 0), atol=1e-4)
    assert hit_points(soup, hits, as_floats([-inward], 3)).behind[0]


def test_the_samples_of_a_texel_share_the_whole_sky() -> None:
    camera = frame(box().positions, (3, 2))
    phases = camera.phases(2)
    assert (np.bincount(phases) == 6).all()
    # Two rows of samples a row of texels, two columns a column.
    assert (phases.reshape(2, 2, 3, 2)[1, :, 2] == [[0, 1], [2, 3]]).all()
    sky = Sky(phases, 4, 6)
    asked = np.concatenate(list(sky.around(np.flatnonzero(np.isin(np.arange(24), (0, 1, 6, 7))))))
    assert sorted(map(tuple, asked)) == sorted(map(tuple, sphere_directions(8)))
    assert [len(Sky(phases, 4, rays).around(np.arange(5))[0]) for rays in (1, 4, 5, 12)] == [1, 1, 2, 3]


def test_a_shadow_lies_below_and_fades_smoothly() -> None:
    view = View(width=240, height=180, azimuth_deg=0, elevation_deg=30, samples=2)
    around = box(3.0).positions
    picture = render(_scene(box(1.0)), Context(), view, around)
    dark = picture[..., 3].astype(int)
    rows, columns = np.nonzero(dark == 255)
    foot, middle, wide = rows.max(), columns.mean().astype(int), np.ptp(columns)
    below = dark[foot + 2 : foot + 2 + wide // 2, middle]
    assert below[0] > 40
    assert (np.diff(below) <= 2).all()
    assert below[-1] < below[0] / 2
    # Nowhere does it jump from texel to texel, as it would if each asked the sky for itself.
    bare = np.abs(np.diff(dark[foot + 2 : foot + wide], axis=1))
    assert bare.max() < 8
    assert (dark[:, middle + wide :] < dark[foot + 2, middle]).all()
    assert (dark[0] == 0).all()
    assert (render(_scene(box(1.0)), Context(), replace(view, ground=False), around)[foot + 2 :, ..., 3] == 0).all()


def test_more_samples_smooth_and_do_not_change() -> None:
    """One sample that asks the sky all that four ask together, and four that share it."""
    scene = _scene(box(1.0), box(0.6, (0.4, 0.8, 0.4)))
    one, four = (
        render(scene, Context(), View(width=96, height=96, samples=samples, sky_rays=48)).astype(float)
        for samples in (1, 2)
    )
    inner = (one[..., 3] == 255) & (four[..., 3] == 255)
    assert inner.sum() > 1000
    away = np.abs(one - four)[inner].max(axis=1)
    assert np.quantile(away, 0.9) < 6
    assert away.mean() < 4


def _scene(*primitives: object) -> Scene:
    mesh = Mesh("boxes", tuple(primitives))  # type: ignore[arg-type]
    return Scene("boxes", nodes=(Node("boxes", mesh=0),), roots=(0,), meshes=(mesh,), materials=(Material("matt"),))


def _outward(corners: np.ndarray) -> np.ndarray:
    normal = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    return normal / np.linalg.norm(normal)
