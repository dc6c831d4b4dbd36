"""Put a material of the sources in the place of materials: one that was missing, or another than the game's."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.edit import drop_unused, share_equal
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Dressing, Mesh, Primitive, Scene
from pruxel.core.scene.origin import Origin
from pruxel.core.scene.references import Table, remapped
from pruxel.core.steps.choose_materials import chosen_materials
from pruxel.core.steps.references import Entry, Materials, Reference
from pruxel.core.steps.registry import Others, Params, StepResult, joining_step


class LinkMaterial(Params):
    """Which material, in the place of which."""

    entry: Entry = Field(..., min_length=1, title="Material", description="path of a material or of what wears one")
    materials: Materials = ()


@joining_step(
    "link_material",
    "Link a material",
    "Puts a material of the sources, with its textures, in the place of others: of one that was missing, or another.",
    LinkMaterial,
)
def link_material(scene: Scene, params: LinkMaterial, context: Context, others: Others) -> StepResult:
    """The first material of the entry is worn by all that wore one of these; its textures come along.

    Raises `UsageError` for an entry without a material, and where there is none to replace.
    """
    context.check()
    chosen = set(chosen_materials(scene, params.materials))
    guest = others[Reference("entry", params.entry)]
    if not guest.materials or not chosen:
        raise UsageError(
            ErrorCode.USAGE, "there is nothing to link", expected="a material, and a model with materials",
            found=f"{len(guest.materials)} materials to link, {len(chosen)} to replace",
        )  # fmt: skip
    new = replace(guest.materials[0], origin=Origin(entry=params.entry, found="by hand"))
    both, number = _with_material(scene, guest, new)

    def instead(worn: int | None) -> int | None:
        return number if worn in chosen else worn

    def redone(mesh: Mesh) -> Mesh:
        primitives = tuple(replace(p, material=instead(p.material), dressings=dressed(p)) for p in mesh.primitives)
        strokes = tuple(replace(s, material=instead(s.material)) for s in mesh.strokes)
        return replace(mesh, primitives=primitives, strokes=strokes)

    def dressed(primitive: Primitive) -> tuple[Dressing, ...]:
        return tuple(replace(d, material=number) if d.material in chosen else d for d in primitive.dressings)

    done = share_equal(drop_unused(replace(both, meshes=tuple(map(redone, both.meshes)))))
    return StepResult(
        done,
        f"“{new.name}” is worn in the place of {counted(len(chosen), 'material')}",
        (Evidence("materials", len(chosen)),),
    )


def _with_material(scene: Scene, guest: Scene, material: Material) -> tuple[Scene, int]:
    """The scene with one more material, which is the guest's, and the number of that."""
    tables: tuple[Table, ...] = ("images", "textures")
    maps: dict[Table, dict[int, int]] = {
        table: {k: k + len(getattr(scene, table)) for k in range(len(getattr(guest, table)))} for table in tables
    }
    textures = tuple(one for texture in guest.textures if (one := remapped(texture, maps)) is not None)
    moved = remapped(material, maps)
    assert moved is not None
    both = replace(
        scene,
        images=(*scene.images, *guest.images),
        textures=(*scene.textures, *textures),
        materials=(*scene.materials, moved),
    )
    return both, len(scene.materials)
