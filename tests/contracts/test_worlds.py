"""Whatever is done to a scene on its way, nothing moves: random worlds, at rest and through their clips.

What stands where is asked of the core's own evaluation before and after, and the proof asks programs that share no
code with it.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from pruxel.core.base.context import Context
from pruxel.core.base.errors import UsageError
from pruxel.core.deliver.deliver import deliver
from pruxel.core.formats.fbx.write import as_written
from pruxel.core.formats.ready import make_ready
from pruxel.core.formats.registry import FORMATS
from pruxel.core.scene.checks import problems
from pruxel.core.scene.digest import digest
from pruxel.core.scene.edit import drop_unused, keep_nodes, merge, share_equal
from pruxel.core.scene.manifest import blobs_of, manifest_of, scene_from
from pruxel.core.scene.model import Scene
from pruxel.core.scene.pose import posed, standing, stiff
from pruxel.core.scene.walk import parts
from tests.contracts.test_zoo import assert_proven
from tests.strategies import world

CONTEXT = Context()
UNHURRIED = settings(deadline=None, max_examples=35, suppress_health_check=[HealthCheck.too_slow])
SEEDS = st.integers(0, 2**32)
Places = dict[str, list[np.ndarray]]


def made(seed: int) -> Scene:
    return world(np.random.default_rng(seed))


def places(scene: Scene) -> Places:
    """The world positions of each part by its name; parts that were taken apart count with the one they came from."""
    found: Places = defaultdict(list)
    for _, node, mesh in standing(scene):
        for p in mesh.primitives:
            found[node.name.removesuffix(".part").removesuffix(".loose")].append(p.positions)
    return found


def moments(scene: Scene) -> list[Scene]:
    """At rest, and at a few times of each clip, also beyond its ends."""
    return [scene, *(posed(scene, clip, t) for clip in scene.clips for t in (0.0, 0.21, 0.9, 5.0))]


def assert_same(before: Scene, after: Scene, tolerance: float = 2e-5) -> None:
    for was, now in zip(moments(before), moments(after), strict=True):
        one, other = places(was), places(now)
        assert one.keys() == other.keys()
        for name, arrays in one.items():
            largest = max(float(np.abs(a).max()) for a in arrays) + 1.0
            left = list(other[name])
            for array in arrays:
                apart = [float(np.abs(array - b).max()) if b.shape == array.shape else np.inf for b in left]
                assert min(apart) <= tolerance * largest, name
                left.pop(int(np.argmin(apart)))
            assert not left


def shown(scene: Scene) -> bool:
    return any(True for _ in parts(scene))


def normal_weights(scene: Scene) -> Scene:
    """The scene with weights that sum to one, as evaluating asks for: what files have otherwise means the same."""

    def summed(p):  # type: ignore[no-untyped-def]
        if p.weights is None:
            return p
        total = p.weights.sum(axis=1, keepdims=True, dtype=np.float64)
        return replace(p, weights=(p.weights / total).astype(np.float32))

    meshes = tuple(replace(m, primitives=tuple(summed(p) for p in m.primitives)) for m in scene.meshes)
    return replace(scene, meshes=meshes)


@UNHURRIED
@given(seed=SEEDS)
def test_a_world_is_sound(seed: int) -> None:
    scene = made(seed)
    assert problems(scene) == []


@UNHURRIED
@given(seed=SEEDS)
def test_getting_ready_moves_nothing_and_is_done_once(seed: int) -> None:
    scene = made(seed)
    if not shown(scene):
        return
    scene = normal_weights(scene)
    if any(node.matrix is not None for node in scene.nodes):
        scene = replace(scene, clips=())  # below a shear no format can move anything as it would move here
    fit = make_ready(scene, CONTEXT)
    assert problems(fit.scene) == []
    assert_same(scene, fit.scene)
    again = make_ready(fit.scene, CONTEXT)
    assert again.told == ()
    # The order of roots means nothing.
    one, other = (replace(done.scene, roots=tuple(sorted(done.scene.roots))) for done in (fit, again))
    assert digest(one) == digest(other)


@UNHURRIED
@given(seed=SEEDS)
def test_what_is_written_as_glb_stands_where_it_stood(seed: int) -> None:
    scene = made(seed)
    if not shown(scene):
        return
    fit = make_ready(normal_weights(scene), CONTEXT).scene
    spec = FORMATS.get("glb")
    assert spec.write is not None
    assert spec.read is not None
    data = b"".join(bytes(p) for p in spec.write(fit, "world", spec.options(), CONTEXT)[0].pieces)
    found = spec.read(memoryview(data), "world.glb", lambda _: None, CONTEXT)
    assert found.faults == ()
    assert_same(fit, found.scene)


def corners_of(scene: Scene) -> dict[str, np.ndarray]:
    """Where the corners of all triangles of each part stand, in any order."""
    found = {
        node.name: [p.positions[p.indices.reshape(-1)] for p in mesh.primitives] for _, node, mesh in standing(scene)
    }
    return {name: np.concatenate(pieces) for name, pieces in found.items() if pieces}


@UNHURRIED
@given(seed=SEEDS)
def test_what_is_written_as_fbx_is_read_where_it_stood(seed: int) -> None:
    scene = made(seed)
    if not shown(scene):
        return
    spec = FORMATS.get("fbx")
    assert spec.write is not None
    assert spec.read is not None
    asked = {"up": "yz"[seed % 2], "unit": ("cm", "m")[seed // 2 % 2], "version": ("7.4", "7.5")[seed // 4 % 2]}
    options = spec.chosen(asked | {"rotation_error_deg": 0.001})
    written = as_written(make_ready(normal_weights(scene), CONTEXT).scene, spec.chosen({"unit": "m"}))
    fit = make_ready(normal_weights(scene), CONTEXT).scene
    data = b"".join(bytes(p) for p in spec.write(fit, "world", options, CONTEXT)[0].pieces)
    found = spec.read(memoryview(data), "world.fbx", lambda _: None, CONTEXT)
    assert found.faults == ()
    assert problems(found.scene) == []
    assert [c.name for c in found.scene.clips] == [c.name for c in written.clips]
    for was, now in zip(moments(written), moments(found.scene), strict=True):
        one, other = corners_of(was), corners_of(now)
        assert one.keys() == other.keys()
        for name, places_ in one.items():
            assert len(places_) == len(other[name])
            room = 2e-3 * (float(np.abs(places_).max()) + 1)
            for ours, theirs in ((places_, other[name]), (other[name], places_)):
                assert cKDTree(ours).query(theirs)[0].max() <= room, name


@UNHURRIED
@given(seed=SEEDS)
def test_the_store_gives_back_the_very_scene(seed: int) -> None:
    scene = made(seed)
    blobs = {name: bytes(data) for name, data in blobs_of(scene)}
    assert digest(scene_from(manifest_of(scene), blobs.__getitem__)) == digest(scene)


@UNHURRIED
@given(seed=SEEDS)
def test_dropping_what_nothing_uses_and_sharing_what_is_equal_moves_nothing(seed: int) -> None:
    scene = made(seed)
    assert_same(scene, drop_unused(scene))
    assert_same(scene, share_equal(scene))
    assert_same(scene, keep_nodes(scene, range(len(scene.nodes))))


@UNHURRIED
@given(seed=SEEDS, other=SEEDS)
def test_worlds_side_by_side_stand_as_each_stood(seed: int, other: int) -> None:
    first, second = made(seed), made(other)
    both = merge("both", [replace(first, clips=()), replace(second, clips=())])
    assert problems(both) == []
    together = [a for arrays in places(both).values() for a in arrays]
    apart = [a for scene in (first, second) for arrays in places(scene).values() for a in arrays]
    assert len(together) == len(apart)
    for array in apart:
        assert any(a.shape == array.shape and np.allclose(a, array, atol=1e-4) for a in together)


@UNHURRIED
@given(seed=SEEDS)
def test_standing_still_is_standing_the_same(seed: int) -> None:
    scene = made(seed)
    for moment in moments(scene):
        still = stiff(moment)
        assert problems(still) == []
        assert_same(replace(moment, clips=()), still)


@pytest.mark.parametrize("seed", range(14))
def test_worlds_are_delivered_and_proven(seed: int, tmp_path: object) -> None:
    scene = made(seed)
    try:
        report = deliver([scene], "world", ["fbx", "glb", "obj", ("3mf", "ply", "stl")[seed % 3]], tmp_path, CONTEXT)  # type: ignore[arg-type]
    except UsageError:
        assert not shown(scene)
        return
    assert_proven(report)
