"""Maps made of maps: levels, hue, saturation and lightness; heights to normals; a colour that is taken out."""

from __future__ import annotations

import numpy as np

from pruxel.core.base.arrays import ByteArray, FloatArray, frozen


def adjusted(
    rgba: ByteArray, *, black: float, white: float, gamma: float, hue_deg: float, saturation: float, lightness: float
) -> ByteArray:
    """(height, width, 4) uint8 with levels spread from `black` to `white` (0 to 1), bent by `gamma`, turned in hue.

    `saturation` multiplies, `lightness` (-1 to 1) goes towards white or black. Alpha stays. Hue turns about grey, so
    that luma (Rec. 709) is nearly kept, as in the SVG filter `feColorMatrix hueRotate` (Filter Effects 1, section 9.7).
    """
    rgb = rgba[..., :3].astype(np.float32) / 255
    rgb = np.clip((rgb - black) / max(white - black, 1e-6), 0, 1) ** (1 / gamma)
    cos, sin = np.cos(np.deg2rad(hue_deg)), np.sin(np.deg2rad(hue_deg))
    grey = np.array([0.213, 0.715, 0.072])
    turn = np.array([[-0.213, -0.715, 0.928], [0.143, 0.140, -0.283], [-0.787, 0.715, 0.072]])
    matrix = grey + cos * (np.eye(3) - grey) + sin * turn
    rgb = rgb @ matrix.T.astype(np.float32)
    luma = (rgb @ grey.astype(np.float32))[..., None]
    rgb = luma + (rgb - luma) * saturation
    rgb = rgb + (1 - rgb) * lightness if lightness > 0 else rgb * (1 + lightness)
    made = np.empty_like(rgba)
    made[..., :3] = np.rint(np.clip(rgb, 0, 1) * 255)
    made[..., 3] = rgba[..., 3]
    return frozen(made)


def normals_of(height: FloatArray, strength: float) -> ByteArray:
    """(height, width, 4) uint8 tangent-space normals of a height map (height, width) 0 to 1 that repeats at its edges.

    `strength` is how many texels high white stands above black. Green points up the texture, as glTF 2.0 has it.
    """
    right = (np.roll(height, -1, axis=1) - np.roll(height, 1, axis=1)) / 2 * strength
    down = (np.roll(height, -1, axis=0) - np.roll(height, 1, axis=0)) / 2 * strength
    normal = np.stack([-right, down, np.ones_like(height)], axis=2)
    normal /= np.linalg.norm(normal, axis=2, keepdims=True)
    made = np.full((*height.shape, 4), 255, np.uint8)
    made[..., :3] = np.rint((normal + 1) / 2 * 255)
    return frozen(made)


def bytes_of_normals(right: FloatArray, up: FloatArray) -> ByteArray:
    """(height, width, 4) uint8 tangent-space normals of two of their components, -1 to 1; the third is worked out."""
    made = np.full((*right.shape, 4), 255, np.uint8)
    out = np.sqrt(np.maximum(1 - right**2 - up**2, 0.0))
    made[..., :3] = np.rint((np.stack([right, up, out], axis=2) + 1) / 2 * 255)
    return frozen(made)


def without_color(rgba: ByteArray, key: tuple[float, float, float], near: float, far: float) -> ByteArray:
    """The picture see-through where its colour is `key` (0 to 1, as displayed): wholly up to a distance of `near`.

    From `far` on it stays as it is; distances are those in the cube of colours, whose side is 1.
    """
    distance = np.linalg.norm(rgba[..., :3].astype(np.float32) / 255 - np.array(key, np.float32), axis=2)
    share = np.clip((distance - near) / max(far - near, 1e-6), 0, 1)
    made = rgba.copy()
    made[..., 3] = np.rint(rgba[..., 3] * share)
    return frozen(made)
