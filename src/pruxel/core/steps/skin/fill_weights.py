"""Give vertices that no joint holds the weights of those around them."""

from __future__ import annotations

import numpy as np
from scipy.sparse import csr_array
from scipy.spatial import cKDTree

from pruxel.core.base.context import Context
from pruxel.core.geometry.weights import empty_rows, filled, gathered_rows
from pruxel.core.scene.model import Scene
from pruxel.core.steps.on_skins import Places, reweighted
from pruxel.core.steps.references import Parts
from pruxel.core.steps.registry import Params, StepResult, step


class FillWeights(Params):
    """For which parts."""

    parts: Parts = ()


@step(
    "fill_weights",
    "Fill weights",
    "Gives vertices that no joint holds the weights of those around them, so that nothing stays behind.",
    FillWeights,
)
def fill_weights(scene: Scene, params: FillWeights, context: Context) -> StepResult:
    """Fill from the border of each hole inwards, loose pieces from the nearest vertex that is held.

    Raises `UsageError` where no joint holds anything.
    """
    context.check()
    done = reweighted(scene, params.parts, _whole, context)
    return StepResult(done.scene, f"{done.words()} filled", done.measured())


def _whole(table: csr_array, places: Places) -> csr_array:
    if not empty_rows(table).any() or empty_rows(table).all():
        return table
    table = filled(table, places.beside())
    left = empty_rows(table)
    if not left.any():
        return table
    held = np.flatnonzero(~left)
    source = np.arange(table.shape[0])
    source[left] = held[cKDTree(places.points[held]).query(places.points[left])[1]]
    return gathered_rows(table, source[:, None], np.ones((len(source), 1)))
