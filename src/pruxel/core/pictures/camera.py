"""A camera that frames a subject."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, FloatArray, lengths


@dataclass(frozen=True, eq=False)
class Camera:
    """eye (3,), axes (3, 3) rows right, up, back; `slope` is the tangent of half the vertical field of view."""

    eye: DoubleArray
    axes: DoubleArray
    slope: float
    width: int
    height: int

    def rays(self, samples: int) -> tuple[FloatArray, FloatArray]:
        """Origins and unit directions, (height * width * samples², 3) float32, rows from the top."""
        side = np.arange(samples) / samples + 0.5 / samples
        x = ((np.arange(self.width)[:, None] + side).reshape(-1) / self.width * 2 - 1) * self.slope
        y = (1 - (np.arange(self.height)[:, None] + side).reshape(-1) / self.height * 2) * self.slope
        x = x * self.width / self.height
        right, up, back = self.axes
        across, down = (x[:, None] * right).astype(np.float32), (y[:, None] * up - back).astype(np.float32)
        directions = (down[:, None] + across[None]).reshape(-1, 3)
        directions /= lengths(directions)[:, None]
        return np.broadcast_to(self.eye.astype(np.float32), directions.shape), directions

    def phases(self, samples: int) -> AnyArray:
        """Which sample of its texel each of those rays is, (height * width * samples²,) int from 0."""
        one = np.arange(samples)
        row, column = np.tile(one, self.height) * samples, np.tile(one, self.width)
        phases: AnyArray = (row[:, None] + column).reshape(-1)
        return phases


def frame(
    points: FloatArray,
    size: tuple[int, int],
    *,
    azimuth_deg: float = 32.0,
    elevation_deg: float = 18.0,
    view_deg: float = 26.0,
    margin: float = 1.06,
) -> Camera:
    """A camera from which all (n, 3) points fill the picture."""
    a, e = np.radians(azimuth_deg), np.radians(elevation_deg)
    back = np.array([np.sin(a) * np.cos(e), np.sin(e), np.cos(a) * np.cos(e)])
    right = np.cross([0.0, 1.0, 0.0], back)
    right /= np.linalg.norm(right)
    axes = np.stack([right, np.cross(back, right), back])
    slope = float(np.tan(np.radians(view_deg) / 2))
    local = points.astype(np.float64) @ axes.T if len(points) else np.zeros((1, 3))
    aspect = size[0] / size[1]
    middle_x, far_x = _span(local[:, 0], local[:, 2], slope * aspect)
    middle_y, far_y = _span(local[:, 1], local[:, 2], slope)
    distance = max(far_x, far_y) * margin
    centre = np.array([middle_x, middle_y, local[:, 2].max() + distance])
    return Camera(centre @ axes, axes, slope, *size)


def _span(across: DoubleArray, depth: DoubleArray, slope: float) -> tuple[float, float]:
    """Where the eye stands across, and how far before the nearest point, so that two side planes hold all points."""
    behind = (depth - depth.max()) * slope
    high, low = float((across + behind).max()), float((across - behind).min())
    return (high + low) / 2, max((high - low) / (2 * slope), 1e-9)
