"""Make levels of detail: coarser copies beside what is there."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.edit import unique_names
from pruxel.core.scene.measure import face_count
from pruxel.core.scene.model import Mesh, Node, Scene
from pruxel.core.steps.choose_parts import chosen_parts
from pruxel.core.steps.on_meshes import of_parts
from pruxel.core.steps.references import NameText, Parts, SamePlace, Share
from pruxel.core.steps.registry import Params, StepResult, step
from pruxel.core.steps.thinned import thinned_mesh


class MakeLevels(Params):
    """Of which parts, how many, and how coarse."""

    parts: Parts = ()
    levels: int = Field(3, ge=1, le=8, title="Levels", description="beside the finest")
    share: Share = Field(50.0, title="Share", description="of the triangles of one level that the next has")
    ending: NameText = Field("_lod{level}", title="Ending", description="of their names; {level} is 1, 2 and on")
    distance: SamePlace = 1e-6


@step(
    "make_levels",
    "Make levels of detail",
    "Puts coarser copies beside the parts, each thinned from the one before, marked as levels for engines.",
    MakeLevels,
)
def make_levels(scene: Scene, params: MakeLevels, context: Context) -> StepResult:
    """Thin copies of the meshes of the chosen parts. Raises `UsageError` where names would not tell levels apart."""
    context.check()
    if "{level}" not in params.ending and params.levels > 1:
        raise UsageError(
            ErrorCode.USAGE, "levels need names of their own", field="ending", expected="an ending with {level}",
            found=params.ending or "nothing",
        )  # fmt: skip
    chosen = [i for i in chosen_parts(scene, params.parts) if scene.nodes[i].role == "visual"]
    meshes, nodes = list(scene.meshes), list(scene.nodes)
    counts = [0] * (params.levels + 1)
    made: dict[tuple[int, int], int] = {}

    def level_of(mesh: int, level: int) -> int:
        """The mesh of that level; placements of one mesh share it."""
        if level == 0:
            return mesh
        if (mesh, level) not in made:
            finer: Mesh = meshes[level_of(mesh, level - 1)]
            context.check()
            thinner, _ = thinned_mesh(finer, params.share / 100, 0.0, params.distance)
            meshes.append(replace(thinner, name=f"{meshes[mesh].name}{params.ending.replace('{level}', str(level))}"))
            made[mesh, level] = len(meshes) - 1
        return made[mesh, level]

    for index in chosen:
        node = scene.nodes[index]
        assert node.mesh is not None
        counts[0] += face_count(scene.meshes[node.mesh])
        # Below the part itself, so that whatever moves it moves its levels.
        below = tuple(range(len(nodes), len(nodes) + params.levels))
        for level in range(1, params.levels + 1):
            mesh = level_of(node.mesh, level)
            ending = params.ending.replace("{level}", str(level))
            detail = node.detail + level
            nodes.append(Node(f"{node.name}{ending}", mesh=mesh, skin=node.skin, weights=node.weights, detail=detail))
            counts[level] += face_count(meshes[mesh])
        nodes[index] = replace(nodes[index], children=(*nodes[index].children, *below))
    result = replace(scene, meshes=tuple(meshes), nodes=unique_names(nodes))
    chain = " → ".join(f"{count:,}" for count in counts)
    return StepResult(
        result, f"{counted(params.levels, 'level')} of {of_parts(len(chosen))}: {chain} triangles",
        (Evidence("parts made", len(nodes) - len(scene.nodes)), Evidence("triangles of the coarsest", counts[-1])),
    )  # fmt: skip
