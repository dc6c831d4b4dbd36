"""Diffuse and specular colours → base colour and metal, as glTF 2.0 has them.

Both workflows say how much light a surface throws back straight on (F0) and how much it scatters. A metal's F0 is its
base colour, anything else has 0.04. Solved for metalness m as in the appendix of KHR_materials_pbrSpecularGlossiness
(glTF 2.0 extensions, archived): 0.04 m² + (d (1 - q) / 0.96 + s - 0.08) m + 0.04 - s = 0, with d the brightness of the
diffuse colour, s that of the specular one, and q its strongest channel.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import FloatArray

_PLAIN = 0.04


@dataclass(frozen=True, eq=False)
class Metals:
    """Linear base colour (h, w, 3), metal (h, w), both 0 to 1, and the mean error of F0 that is left, 0 to 1."""

    base: FloatArray
    metal: FloatArray
    lost: float


def metals_of(diffuse: FloatArray, specular: FloatArray) -> Metals:
    """Solve each texel; diffuse, specular: linear colours (h, w, 3) float32."""
    strongest = specular.max(axis=2)
    scattered = _brightness(diffuse) * (1 - strongest) / (1 - _PLAIN)
    mirrored = _brightness(specular)
    b = scattered + mirrored - 2 * _PLAIN
    root = np.sqrt(np.maximum(b * b - 4 * _PLAIN * (_PLAIN - mirrored), 0))
    metal = np.where(mirrored < _PLAIN, 0, np.clip((root - b) / (2 * _PLAIN), 0, 1)).astype(np.float32)[..., None]
    # Base colour as either kind would have it, the metal's where it is metal.
    plain = diffuse * ((1 - strongest) / (1 - _PLAIN))[..., None] / np.maximum(1 - metal, 1e-4)
    shiny = (specular - _PLAIN * (1 - metal)) / np.maximum(metal, 1e-4)
    base = np.clip(plain + (shiny - plain) * metal**2, 0, 1).astype(np.float32)
    back = _PLAIN + (base - _PLAIN) * metal
    return Metals(base, metal[..., 0], float(np.abs(back - specular).mean()) if specular.size else 0.0)


def _brightness(rgb: FloatArray) -> FloatArray:
    """How bright a linear colour looks (HSP model, D. R. Finley, 2006), as the conversion above takes it."""
    weighed: FloatArray = np.sqrt((rgb**2) @ np.array([0.299, 0.587, 0.114], np.float32))
    return weighed
