"""A batch of small models: two workers beside one."""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import numpy as np

from bench.scenes import waves
from bench.timing import by_turns, line
from pruxel.cli.workspace import Given, opener_of
from pruxel.core.base.arrays import as_floats
from pruxel.core.base.context import Context
from pruxel.core.batch.work import Item, Wish, items_of, work_on, work_side_by_side
from pruxel.core.deliver.package import write_files
from pruxel.core.formats import gltf
from pruxel.core.recipe.document import Rule, StepUse
from pruxel.core.scene.model import Scene

STEPS = (
    StepUse(step="weld_vertices"),
    StepUse(step="thin_out", params={"share": 50}),
    StepUse(step="make_normals"),
    StepUse(step="remove_faces", rule=Rule(finding="useless_faces")),
)


def run() -> None:
    """Print how much faster two workers are."""
    with tempfile.TemporaryDirectory() as place:
        for number in range(200):
            scene = _model(number)
            write_files(Path(place), gltf.write_glb(scene, f"m{number}", gltf.GLB.options(), Context()), Context())
        items = items_of([f"m{number}.glb" for number in range(200)])
        given = ((place,), Given())

        def work(workers: int) -> None:
            done = list(work_side_by_side(opener_of, given, items, Wish(STEPS), workers))
            assert all(one.state == "done" for one in done), done[0].fault

        line("batch of 200 models, two workers : one", *by_turns(lambda: work(2), lambda: work(1), 4), 0.556)
        with _begun(1) as one, _begun(2) as two:
            for pool, count in ((one, 1), (two, 2)):
                _share(pool, count, given, items[: 10 * count])
            bare = by_turns(lambda: _share(two, 2, given, items), lambda: _share(one, 1, given, items), 2)
        print(f"  (two processes that share nothing, each begun and warm : one{bare[0] / bare[1]:10.3f} here)")


def _model(number: int) -> Scene:
    """A small model like no other: what is kept of one, by its content, is of no use for the next."""
    scene = waves(40 + number % 7)
    [mesh] = scene.meshes
    [sheet] = mesh.primitives
    larger = replace(sheet, positions=as_floats(sheet.positions * np.float32(1 + number / 100), 3))
    return replace(scene, meshes=(replace(mesh, primitives=(larger,)),))


def _begun(count: int) -> ProcessPoolExecutor:
    return ProcessPoolExecutor(count, mp_context=get_context("spawn"))


def _share(pool: ProcessPoolExecutor, count: int, given: tuple[Any, ...], items: Sequence[Item]) -> None:
    """What the machine allows: an equal share of the items for each process, none of them waiting for another."""
    list(pool.map(_all_of, [given] * count, [items[k::count] for k in range(count)]))


def _all_of(given: tuple[Any, ...], items: Sequence[Item]) -> None:
    opener = opener_of(*given)
    for item in items:
        work_on(opener, item, Wish(STEPS), Context())


if __name__ == "__main__":
    run()
