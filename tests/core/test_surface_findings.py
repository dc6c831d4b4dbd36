"""Rules about surfaces: each finds what was broken on purpose and what it proposes mends it; nothing in what is whole."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest

import pruxel.core.findings
import pruxel.core.steps  # noqa: F401 - registers all steps
from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.base.context import Context
from pruxel.core.base.findings import Finding
from pruxel.core.findings.registry import RULES, find
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene
from pruxel.core.steps.registry import STEPS
from tests.core.test_repairs import soup, sphere
from tests.scenes import box

CONTEXT = Context()


def whole() -> Primitive:
    """A sphere with normals, two hundred faces and more."""
    ball = sphere(3)
    return replace(ball, normals=vertex_normals(ball.positions, ball.indices))


def scene_of(primitive: Primitive, at: tuple[float, float, float] = (0, 0, 0), parts: int = 1) -> Scene:
    nodes = tuple(Node(f"part{k}", mesh=0, translation=(at[0] + 3 * k, at[1], at[2])) for k in range(parts))
    return Scene("s", nodes=nodes, roots=tuple(range(parts)), meshes=(Mesh("s", (primitive,)),))


def with_indices(primitive: Primitive, change: Callable[[np.ndarray], np.ndarray]) -> Primitive:
    return replace(primitive, indices=as_indices(change(np.array(primitive.indices))))


def turned(indices: np.ndarray) -> np.ndarray:
    indices[40:50] = indices[40:50, ::-1]
    return indices


BROKEN: dict[str, tuple[str, Callable[[], Scene]]] = {
    "doubled": ("useless_faces", lambda: scene_of(with_indices(whole(), lambda i: np.concatenate([i, i[:7]])))),
    "flat": (
        "useless_faces",
        lambda: scene_of(with_indices(whole(), lambda i: np.concatenate([i, i[:30, [0, 1, 0]]]))),
    ),
    "disagreeing": ("disagreeing_faces", lambda: scene_of(with_indices(whole(), turned), parts=3)),
    "against": ("turned_normals", lambda: scene_of(replace(whole(), normals=as_floats(-np.array(whole().normals), 3)))),
    "loose": ("loose_vertices", lambda: scene_of(soup(whole()))),
    "far": ("far_away", lambda: scene_of(whole(), (80.0, 0.0, -20.0))),
}


def found(scene: Scene, rule: str) -> list[Finding]:
    return list(RULES.get(rule).look(scene, CONTEXT))


@pytest.mark.parametrize("name", sorted(BROKEN))
def test_what_is_broken_is_found_and_mended_by_what_is_proposed(name: str) -> None:
    rule, make = BROKEN[name]
    scene = make()
    for other in ("useless_faces", "disagreeing_faces", "loose_vertices", "far_away"):
        assert bool(found(scene, other)) == (other == rule), other
    [finding] = found(scene, rule)
    assert set(finding.parts) <= {node.name for node in scene.nodes}
    assert name != "disagreeing" or len(finding.parts) == 3, "all parts of one mesh are told in one finding"
    assert finding.evidence
    assert finding.suggestion is not None
    step = STEPS.get(finding.suggestion.step)
    mended = step.run(scene, step.parse(finding.suggestion.params), CONTEXT).scene
    assert found(mended, rule) == []


def test_what_is_whole_has_no_findings() -> None:
    assert find(scene_of(whole()), CONTEXT) == []
    assert find(scene_of(replace(box(), material=None)), CONTEXT) == []
    # The other side of a sheet is no double, and a few lines among many faces are not told.
    both = with_indices(box(), lambda i: np.concatenate([i, i[:, ::-1]]))
    assert found(scene_of(both), "useless_faces") == []
    few = with_indices(whole(), lambda i: np.concatenate([i, i[:1, [0, 1, 0]]]))
    assert found(scene_of(few), "useless_faces") == []
    assert found(scene_of(whole(), (4.0, 0.0, 0.0)), "far_away") == []


def test_a_mesh_is_looked_at_once_however_often_it_stands() -> None:
    """The second look at the same arrays, in other parts and another scene, works nothing out anew."""
    from pruxel.core.findings import disagreeing_faces

    calls = []
    looked = disagreeing_faces.agreeing
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(disagreeing_faces, "agreeing", lambda *a: calls.append(1) or looked(*a))
        scene = scene_of(with_indices(whole(), lambda i: np.roll(i, 5, axis=0)), parts=40)
        found(scene, "disagreeing_faces")
        found(replace(scene, name="again", nodes=scene.nodes[:2], roots=(0, 1)), "disagreeing_faces")
    assert len(calls) == 1
