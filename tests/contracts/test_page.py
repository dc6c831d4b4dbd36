"""The page draws every scene as the core computes it: at rest, and at moments of each clip.

The page's own code runs under Node over stored scenes; what it hands to the graphics library is compared vertex by
vertex with the core's evaluation.
"""

from __future__ import annotations

import os
import subprocess
from dataclasses import replace
from pathlib import Path

import numpy as np
import orjson

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.recipe.inputs import Opener
from pruxel.core.scene.digest import digest
from pruxel.core.scene.manifest import blobs_of, complete_manifest
from pruxel.core.scene.model import ClipChannel, Mesh, Node, Primitive, Scene
from pruxel.core.scene.pose import posed, standing
from tests import zoo
from tests.conftest import ROOT
from tests.contracts.test_zoo import opened
from tests.scenes import animated, box, everything, two_boxes

MOST_VERTICES = 60_000
MOST_CLIPS = 3


def moments(scene: Scene) -> list[tuple[int, float, Scene]]:
    """At rest, and a few moments of the first clips."""
    found = [(-1, 0.0, scene)]
    for number, clip in enumerate(scene.clips[:MOST_CLIPS]):
        times = [channel.times for channel in clip.channels if len(channel.times)]
        if not times:
            continue
        end = max(float(t[-1]) for t in times)
        found += [(number, seconds, posed(scene, clip, seconds)) for seconds in (0.0, end * 0.37, end * 0.99)]
    return found


def by_four_joints(scene: Scene) -> Scene:
    """The scene as a graphics card draws it: each vertex held by its four strongest joints."""

    def held(p: Primitive) -> Primitive:
        if p.joints is None or p.weights is None or p.joints.shape[1] <= 4:
            return p
        strongest = np.argsort(-p.weights, axis=1, kind="stable")[:, :4]
        joints, weights = (np.take_along_axis(values, strongest, 1) for values in (p.joints, p.weights))
        share = p.weights.sum(axis=1, keepdims=True) / np.maximum(weights.sum(axis=1, keepdims=True), 1e-12)
        return replace(p, joints=joints, weights=(weights * share).astype(np.float32))

    meshes = tuple(replace(m, primitives=tuple(held(p) for p in m.primitives)) for m in scene.meshes)
    return replace(scene, meshes=meshes)


def put(folder: Path, name: str, scene: Scene) -> None:
    """Write a scene, and where its parts stand, as the page's test reads them."""
    blobs = folder / "blobs"
    blobs.mkdir(exist_ok=True)
    for blob, data in blobs_of(scene):
        (blobs / blob).write_bytes(data)
    at = []
    for clip, seconds, moment in moments(scene):
        places = []
        for _, node, mesh in standing(by_four_joints(moment)):
            for shape in (*mesh.primitives, *mesh.strokes):
                points = np.ascontiguousarray(shape.positions, "<f4")
                (blobs / digest(points)).write_bytes(points.tobytes())
                places.append({"part": node.name, "blob": digest(points)})
        at.append({"clip": clip, "seconds": seconds, "parts": places})
    manifest = complete_manifest(scene) | {"pictures": [None] * len(scene.images)}
    (folder / f"{name}.json").write_bytes(orjson.dumps({"scene": manifest, "moments": at}))


def size(scene: Scene) -> int:
    return sum(len(p.positions) for mesh in scene.meshes for p in mesh.primitives)


def mirrored_crowd() -> Scene:
    """One mesh in nine places, some of them mirrored, some below a turned and mirrored parent, one moved by a clip."""
    row = [Node(f"one {n}", mesh=0, translation=(n * 2.0, 0.0, 0.0), scale=(-1.0 if n % 2 else 1.0, 1.0, 1.0)) for n in range(6)]  # fmt: skip
    below = [Node(f"below {n}", mesh=0, translation=(0.0, n, 1.0), rotation=(0.0, 0.0, 0.6, 0.8)) for n in range(3)]
    top = Node("top", children=tuple(range(6, 9)), scale=(1.0, -2.0, 1.0), rotation=(0.6, 0.0, 0.0, 0.8))
    crowd = Scene("crowd", nodes=(*row, *below, top), roots=(*range(6), 9), meshes=(Mesh("box", (box(1.0),)),))
    times, moves = np.array([0.0, 1.0], np.float32), np.array([[0, 0, 0], [0, 5, 0]], np.float32)
    clip = replace(animated().clips[0], channels=(ClipChannel(2, "translation", times, moves, interpolation="STEP"),))
    return replace(crowd, clips=(clip,))


def by_matrix() -> Scene:
    """A sheared node, one whose matrix a clip replaces, and one outside what is shown."""
    scene = two_boxes()
    shear = ((1.0, 0.5, 0.0, 0.0), (0.0, 1.0, 0.0, 2.0), (0.0, 0.0, 1.0, 0.0), (0.0, 0.0, 0.0, 1.0))
    top, large, small = scene.nodes
    times, moves = np.array([0.0, 1.0], np.float32), np.array([[0, 0, 0], [0, 5, 0]], np.float32)
    clip = replace(animated().clips[0], channels=(ClipChannel(2, "translation", times, moves),))
    nodes = (replace(top, matrix=shear), large, replace(small, matrix=shear), Node("elsewhere", mesh=0))
    return replace(scene, nodes=nodes, clips=(clip,))


def test_what_is_drawn_stands_where_the_core_says(tmp_path: Path, opener: Opener) -> None:
    for scene in (two_boxes(), animated(), everything(), mirrored_crowd(), replace(by_matrix(), name="by matrix")):
        put(tmp_path, scene.name, scene)
    made = 5
    for path in zoo.readable():
        found = opened(path)
        if not isinstance(found, InputError) and size(found.scene) <= MOST_VERTICES:
            put(tmp_path, zoo.label(path).replace("/", "_"), found.scene)
            made += 1
    for path in ("actors/fish_lantern/fish_lantern.brm", "actors/crab_toll/crab_toll.brm"):
        put(tmp_path, path.replace("/", "_"), opener.scene([path], Context()))
        made += 1
    env = os.environ | {"PRUXEL_SHOWN": str(tmp_path)}
    ran = subprocess.run(
        ["npx", "vitest", "run", "tests/shown.test.ts", "--reporter=json"],
        cwd=ROOT / "web", env=env, capture_output=True, timeout=800, check=False,
    )  # fmt: skip
    report = orjson.loads(ran.stdout[ran.stdout.index(b"{") :])
    wrong = [f"{t['title']}: {t['failureMessages'][0][:300]}" for r in report["testResults"] for t in r["assertionResults"] if t["status"] != "passed"]  # fmt: skip
    assert not wrong, "\n".join(wrong)
    assert report["numPassedTests"] == made
