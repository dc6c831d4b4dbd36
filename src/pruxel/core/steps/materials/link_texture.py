"""Put a texture of the sources into a slot of materials: one that was missing, or another than the game's."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.knowledge.texture_roles import slot_of_gap
from pruxel.core.scene.channels import SLOTS, with_image, with_map
from pruxel.core.scene.edit import drop_unused
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Scene
from pruxel.core.scene.origin import Origin
from pruxel.core.steps.choose_materials import chosen_materials
from pruxel.core.steps.materials.compose_map import Slot
from pruxel.core.steps.references import Materials, Reference, TextureEntry
from pruxel.core.steps.registry import Others, Params, StepResult, joining_step


class LinkTexture(Params):
    """Which texture, for which materials, in which slot."""

    entry: TextureEntry = Field(..., min_length=1, title="Texture", description="path of a texture")
    materials: Materials = ()
    slot: Slot = Field("base colour", title="Map", description="what it says about the surface")


@joining_step(
    "link_texture",
    "Link a texture",
    "Puts a texture of the sources into a slot of materials: one that could not be found, or another.",
    LinkTexture,
)
def link_texture(scene: Scene, params: LinkTexture, context: Context, others: Others) -> StepResult:
    """What the slot had before goes, and so does the note that nothing was found for it.

    Raises `UsageError` for an entry without a picture, and where there is no material.
    """
    context.check()
    chosen = set(chosen_materials(scene, params.materials))
    images = others[Reference("entry", params.entry)].images
    if not images or not chosen:
        raise UsageError(
            ErrorCode.USAGE, "there is nothing to link", expected="a texture, and a model with materials",
            found=f"{len(images)} pictures, {len(chosen)} materials",
        )  # fmt: skip
    origin = Origin(entry=params.entry, found="by hand")
    with_it, texture = with_image(scene, replace(images[0], origin=origin))
    gaps = sum(len(m.unresolved) for m in scene.materials)
    linked = tuple(
        _found(with_map(m, SLOTS[params.slot], texture), params.slot) if k in chosen else m
        for k, m in enumerate(with_it.materials)
    )
    done = drop_unused(replace(with_it, materials=linked))
    closed = gaps - sum(len(m.unresolved) for m in linked)
    return StepResult(
        done, f"“{images[0].name}” is the {params.slot} of {counted(len(chosen), 'material')}",
        (Evidence("materials", len(chosen)), Evidence("found of what was missing", closed)),
    )  # fmt: skip


def _found(material: Material, slot: str) -> Material:
    return replace(material, unresolved=tuple(gap for gap in material.unresolved if slot_of_gap(gap.slot) != slot))
