"""What every step, look and proof stands on: copies, caches, analyses, pictures and proofs, as ratios in one run."""

from __future__ import annotations

import json
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import numpy as np

import pruxel.core.findings  # registers all rules
import pruxel.core.steps  # noqa: F401 - registers all steps
from bench.scenes import waves
from bench.timing import best, line
from pruxel.core.base.arrays import as_floats
from pruxel.core.base.context import Context
from pruxel.core.deliver.deliver import deliver
from pruxel.core.findings.registry import find
from pruxel.core.pictures.render import View, render
from pruxel.core.recipe.cache import MemoryCache
from pruxel.core.recipe.document import StepUse
from pruxel.core.recipe.inputs import Opener
from pruxel.core.recipe.run import run_recipe
from pruxel.core.scene.digest import digest
from pruxel.core.scene.edit import merge
from pruxel.core.scene.manifest import blobs_of, manifest_of
from pruxel.core.scene.model import Scene
from pruxel.core.steps.registry import STEPS
from pruxel.sample.cached import cached_sample
from tests.conftest import game_knowledge, stack_of

CONTEXT = Context()


def _million() -> Scene:
    """Ten parts of 100,000 triangles, none like another."""
    whole = waves(225)
    [mesh] = whole.meshes
    [primitive] = mesh.primitives

    def grown(number: int) -> Scene:
        positions = as_floats(primitive.positions * (1 + number / 1000), 3)
        return replace(whole, meshes=(replace(mesh, primitives=(replace(primitive, positions=positions),)),))

    return merge("million", [grown(number) for number in range(10)])


def _cpu(work: object, times: int = 1) -> float:
    took = []
    for _ in range(times):
        begun = time.process_time()
        work()  # type: ignore[operator]
        took.append(time.process_time() - begun)
    return min(took)


def steps() -> None:
    scene = _million()
    digest(scene)
    name = scene.nodes[0].name
    step = STEPS.get("flip_faces")
    params = step.parse({"parts": [name]})
    part = scene.meshes[scene.nodes[0].mesh or 0].primitives[0]
    arrays = [a for a in (part.positions, part.indices, part.normals, part.tangents, *part.uvs) if a is not None]

    def copy() -> None:
        for array in arrays:
            np.copy(array)

    plain = best(copy, 5)
    line(
        "a step on one part of 1,000,000 triangles : a copy of the part + 5 ms",
        best(lambda: step.run(scene, params, CONTEXT), 5),
        plain + 0.005,
        1.1,
    )
    cache = MemoryCache()
    uses = [StepUse(step="set_units", params={"factor": 1.0 + n / 10}) for n in range(9)]
    run_recipe(scene, uses, cache, CONTEXT, key="million")
    again = best(lambda: run_recipe(scene, uses, cache, CONTEXT, key="million"), 5)
    line("nine cached steps on 1,000,000 triangles : 20 ms", again, 0.02, 1)
    changed = replace(scene, materials=tuple(replace(m, roughness=0.123) for m in scene.materials))
    known = {key for key, _ in blobs_of(scene)}
    sent = sum(memoryview(data).nbytes for key, data in blobs_of(changed) if key not in known)
    sent += len(json.dumps(manifest_of(changed)))
    line("a changed material factor sends : 20 kB", sent, 20_000, 1, unit=1e-3, word="kB")


def changes() -> None:
    """A parameter changed at step 7 of 9, each on a part of its own: what is worked out again, and what is sent."""
    scene = _million()
    names = [node.name for node in scene.nodes]

    def uses(angle: float) -> list[StepUse]:
        return [
            StepUse(step="make_normals", params={"parts": [name], "angle": angle if n == 6 else 60.0})
            for n, name in enumerate(names[:9])
        ]

    cache = MemoryCache()
    run_recipe(scene, uses(50), MemoryCache(), CONTEXT, key="million")  # compiled and read once
    whole = _cpu(lambda: run_recipe(scene, uses(60), cache, CONTEXT, key="million"))
    before = {key for key, _ in blobs_of(run_recipe(scene, uses(60), cache, CONTEXT, key="million").scene)}
    after = run_recipe(scene, uses(0), cache, CONTEXT, key="million").scene
    again = _cpu(lambda: run_recipe(scene, uses(30), cache, CONTEXT, key="million"))
    line("step 7 of 9 changed, worked out again : all nine", again, whole, 0.4)
    node = next(node for node in after.nodes if node.name == names[6])
    assert node.mesh is not None
    [own] = after.meshes[node.mesh].primitives
    part = sum(a.nbytes for a in (own.positions, own.indices, own.normals, *own.uvs) if a is not None)
    sent = sum(memoryview(data).nbytes for key, data in blobs_of(after) if key not in before)
    line("step 7 of 9 changed, sent : arrays of its part", sent, part, 1.1, unit=1e-6, word="MB")


def repeated() -> None:
    """Findings on 400 parts of 35 meshes, beside one part of each."""
    one = waves(20)
    [mesh], [node] = one.meshes, one.nodes
    [primitive] = mesh.primitives

    def placed(count: int, size: float) -> Scene:
        """Meshes of a size of their own, so that nothing is known of them yet."""
        meshes = tuple(
            replace(mesh, primitives=(replace(primitive, positions=as_floats(primitive.positions * (size + n), 3)),))
            for n in range(35)
        )
        nodes = tuple(
            replace(node, name=f"part {n}", mesh=n % 35, translation=(4.0 * (n % 20), 0.0, 4.0 * (n // 20)))
            for n in range(count)
        )
        return replace(one, nodes=nodes, roots=tuple(range(count)), meshes=meshes)

    many, few = placed(400, 1.1), placed(35, 1.2)
    list(find(placed(1, 1.3), CONTEXT))
    line(
        "findings on 400 parts of 35 meshes : on 35 parts",
        _cpu(lambda: list(find(many, CONTEXT))), _cpu(lambda: list(find(few, CONTEXT))), 1.5,
    )  # fmt: skip


def looks(folder: Path) -> None:
    game = cached_sample(folder, 1, lambda _f, _m: None)
    opener = Opener(stack_of(game, game_knowledge(game)))
    market = opener.scene(["levels/market/market.blv"], CONTEXT)
    line("findings on the market : 1 s of CPU", _cpu(lambda: list(find(market, CONTEXT))), 1.0, 1)
    crab = opener.scene(["actors/crab_toll/crab_toll.brm"], CONTEXT)
    view = View(width=352, height=240, samples=1, sky_rays=6)  # what the cards of steps show
    for words, scene in (("a model", crab), ("a place", market)):
        render(scene, CONTEXT, view)
        line(
            f"a step's picture of {words} after the first : 0.5 s of CPU",
            _cpu(lambda s=scene: render(s, CONTEXT, view), 3),
            0.5,
            1,
        )
    begun = time.perf_counter()
    with tempfile.TemporaryDirectory() as out:
        deliver([crab], "crab", ["glb", "obj"], Path(out), CONTEXT)
        whole = time.perf_counter() - begun
    line("writing and proving GLB + OBJ of 48,178 triangles : 3 s", whole, 3.0, 1)


def run(folder: Path) -> None:
    """All benches of the spine."""
    steps()
    changes()
    repeated()
    looks(folder)
