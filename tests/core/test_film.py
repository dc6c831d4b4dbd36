"""Small moving pictures of clips: what moves is seen to move, from one place."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np

from pruxel.core.base.arrays import as_floats
from pruxel.core.base.context import Context
from pruxel.core.pictures.film import FRAMES, film
from pruxel.core.scene.model import Clip, ClipChannel, LookChannel, ShownChannel
from tests.figures import BODY, dance, skeleton
from tests.scenes import two_boxes

TIMES = as_floats([[0], [1]], 1)[:, 0]


def squares(row: np.ndarray) -> list[np.ndarray]:
    side = row.shape[0]
    assert row.shape == (side, side * FRAMES, 4)
    return [row[:, n * side : (n + 1) * side] for n in range(FRAMES)]


def middle(picture: np.ndarray) -> float:
    """Where across what is seen stands."""
    return float(np.average(np.arange(picture.shape[1]), weights=picture[..., 3].sum(axis=0)))


def test_what_moves_goes_across_and_never_out_of_the_picture() -> None:
    scene = two_boxes()
    way = ClipChannel(scene.roots[0], "translation", TIMES, as_floats([[0, 0, 0], [4, 0, 0]], 3))
    seen = squares(film(scene, Clip("slide", (way,)), Context()))
    across = [middle(one) for one in seen]
    assert all(b > a for a, b in pairwise(across))
    sizes = [int((one[..., 3] > 128).sum()) for one in seen]
    assert min(sizes) > 0.8 * max(sizes), "seen from one place, it stays about as large"


def test_what_is_hidden_or_another_color_is_so() -> None:
    scene = two_boxes()
    gone = ShownChannel(scene.roots[0], TIMES, as_floats([[1], [0]], 1))
    painted = replace(scene.materials[0], base_color_texture=None, unlit=True)
    red = LookChannel(0, "base_color", TIMES, as_floats([[1, 0, 0, 1], [0, 0, 1, 1]], 4))
    scene = replace(scene, materials=(painted, *scene.materials[1:]))
    seen = squares(film(scene, Clip("glow", (), shown=(gone,), looks=(red,)), Context()))
    assert int((seen[-1][..., 3] > 0).sum()) < int((seen[0][..., 3] > 0).sum())
    first = seen[0][seen[0][..., 3] > 200].mean(axis=0)
    later = seen[-2][seen[-2][..., 3] > 200].mean(axis=0)
    assert first[0] > first[2] + 100
    assert later[2] > later[0] + 100


def test_a_skeleton_alone_is_drawn_and_a_clip_of_one_key_stands_still() -> None:
    scene = dance(skeleton(BODY))
    seen = squares(film(scene, scene.clips[0], Context()))
    assert all((one[..., 3] > 0).sum() > 50 for one in seen)
    assert np.abs(seen[0].astype(int) - seen[3].astype(int)).max() > 60
    still = Clip("still", tuple(replace(c, times=c.times[:1], values=c.values[:1]) for c in scene.clips[0].channels))
    alike = squares(film(scene, still, Context()))
    assert all(np.array_equal(alike[0], one) for one in alike)
    assert film(replace(scene, nodes=(), roots=(), skins=()), Clip("none", ()), Context()).max() == 0
