"""Merge materials that are equal but for their names."""

from __future__ import annotations

from dataclasses import replace

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.scene.digest import digest
from pruxel.core.scene.edit import drop_unused, share_equal
from pruxel.core.scene.model import Scene
from pruxel.core.scene.references import remapped
from pruxel.core.steps.choose_materials import chosen_materials
from pruxel.core.steps.references import Materials
from pruxel.core.steps.registry import Params, StepResult, step


class MergeMaterials(Params):
    """Which materials are compared."""

    materials: Materials = ()


@step(
    "merge_materials",
    "Merge equal materials",
    "Makes one of materials, textures and images that are equal in everything but the name.",
    MergeMaterials,
)
def merge_materials(scene: Scene, params: MergeMaterials, context: Context) -> StepResult:
    """Keep the first of each kind of material, and each picture once, whatever it is called."""
    context.check()
    images: dict[str, str] = {}
    named = tuple(replace(i, name=images.setdefault(digest(replace(i, name="")), i.name)) for i in scene.images)
    shared = share_equal(replace(scene, images=named))
    chosen = set(chosen_materials(shared, params.materials))
    first: dict[str, int] = {}
    heir = {
        k: first.setdefault(digest(replace(m, name="", extras="")), k) if k in chosen else k
        for k, m in enumerate(shared.materials)
    }
    moved = remapped(shared, {"materials": heir})
    assert moved is not None
    merged = drop_unused(moved)
    gone = len(scene.materials) - len(merged.materials)
    return StepResult(
        merged, f"{len(scene.materials):,} materials → {len(merged.materials):,}",
        (Evidence("materials merged", gone), Evidence("images merged", len(scene.images) - len(merged.images))),
    )  # fmt: skip
