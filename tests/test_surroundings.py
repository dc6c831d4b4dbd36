"""What models mirror on the page: filtered ahead, and written as the page reads it."""

from __future__ import annotations

import numpy as np
import pytest

from pruxel.core.steps.colors import linear_of
from tools.surroundings import EDGE, LEVELS, PANELS, WRITTEN, Panel, filtered, seen, texels


def test_what_is_written_is_what_the_panels_make() -> None:
    written = np.frombuffer(WRITTEN.read_bytes(), "<f2").astype(float)
    at = 0
    for level in range(LEVELS):
        count = 6 * (EDGE >> level) ** 2 * 4
        light = written[at : at + count].reshape(6, EDGE >> level, EDGE >> level, 4)
        at += count
        assert (light[..., 3] == 1).all()
        # Fewer rays than it was written with: wrong by little on the whole, and here and there by a panel's edge.
        off = np.abs(light[..., :3] - filtered(level, 256))
        assert off.mean() < 0.05 * light[..., :3].mean()
    assert at == len(written)


@pytest.mark.parametrize("level", range(LEVELS))
def test_alike_all_around_is_mirrored_alike(level: int) -> None:
    light = filtered(level, 16, "#808080", ())
    np.testing.assert_allclose(light, np.broadcast_to(linear_of("#808080"), light.shape))


def test_what_is_above_is_on_the_face_above_and_least_spread_where_smooth() -> None:
    lamp = (Panel("#ffffff", 1, (1, 1, 1), (0, 10, 0)),)
    levels = [filtered(level, 256, "#000000", lamp) for level in range(LEVELS)]
    assert [light.sum(axis=(1, 2, 3)).argmax() for light in levels] == [2] * LEVELS
    peaks = [light.max() for light in levels]
    assert 0.7 < peaks[0] < 0.85  # the lamp is 0.1 wide, in radians, and made soft by 0.03
    assert peaks == sorted(peaks, reverse=True)
    # A matt surface below it takes its solid angle, 1 / 9.5^2, over pi; one that is wholly rough about as much.
    assert filtered(LEVELS - 1, 4096, "#000000", lamp).max() == pytest.approx(1 / 9.5**2 / np.pi, rel=0.35)


def test_the_nearest_panel_hides_those_behind() -> None:
    near, far = Panel("#ff0000", 1, (1, 1, 0.1), (0, 0, 2)), Panel("#00ff00", 1, (9, 9, 0.1), (0, 0, 5))
    ahead, aside, behind = np.array([[0, 0, 1.0], [0.5, 0, 1.0], [0, 0, -1.0]])
    for order in ((near, far), (far, near)):
        np.testing.assert_array_equal(
            seen(np.stack([ahead, aside, behind]), "#000000", order), [[1, 0, 0], [0, 1, 0], [0, 0, 0]]
        )
    assert len(PANELS) > 1


def test_each_texel_looks_its_own_way() -> None:
    directions = texels(4).reshape(-1, 3)
    np.testing.assert_allclose(np.linalg.norm(directions, axis=1), 1)
    assert len(np.unique(directions.round(6), axis=0)) == 6 * 16
    np.testing.assert_allclose(directions.sum(axis=0), 0, atol=1e-9)
