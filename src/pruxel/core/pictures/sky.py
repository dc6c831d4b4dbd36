"""Where rays look for the sky."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray
from pruxel.core.geometry.sampling import sphere_directions


@dataclass(frozen=True, eq=False)
class Sky:
    """The samples of a texel look at different parts of the sky: together they see as much for fewer rays.

    phase (n,): which of its texel's `samples` a ray is; `rays` is what each texel asks at least.
    """

    phase: AnyArray
    samples: int
    rays: int

    def around(self, which: AnyArray) -> FloatArray:
        """Directions on the whole sphere for some of the rays, (n, k, 3)."""
        each = -(-self.rays // self.samples)
        # Dealt out one after the other: each sample has some from everywhere.
        hands = sphere_directions(each * self.samples).reshape(each, self.samples, 3).swapaxes(0, 1)
        dealt: FloatArray = np.ascontiguousarray(hands)[self.phase[which]]
        return dealt
