"""Take a packed map apart: each channel goes to where it belongs, in the way that glTF 2.0 wants it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
from pydantic import ConfigDict, Field

from pruxel.core.base.arrays import ByteArray, FloatArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.images.encode import resized
from pruxel.core.images.levels import bytes_of_normals
from pruxel.core.scene.channels import SLOTS, channel_of, with_image
from pruxel.core.scene.edit import drop_unused
from pruxel.core.scene.images import Channel, ChannelMix, ChannelPick, Image
from pruxel.core.scene.materials import Material, TextureRef
from pruxel.core.scene.meanings import CHANNELS, Meaning
from pruxel.core.scene.model import Scene
from pruxel.core.scene.render_images import texels
from pruxel.core.steps.choose_materials import chosen_materials
from pruxel.core.steps.references import Materials, TextureName
from pruxel.core.steps.registry import Params, StepResult, step
from pruxel.core.steps.repaint import drawn, image_named

Slot = Literal["base colour", "metal and roughness", "normals", "occlusion", "light"]
_RGB: tuple[Channel, ...] = ("r", "g", "b")
_LOOK = "metallic_roughness_texture"


class TakeApart(Params):
    """The packed map of which materials, and what its channels mean."""

    model_config = ConfigDict(json_schema_extra={"keeps": "scheme"})
    materials: Materials = ()
    map: Slot = Field("metal and roughness", title="Where it stands", description="the map that is a packed one now")
    texture: TextureName = Field("", title="Texture", description="only where it is this one; empty: whichever it is")
    red: Meaning = Field("occlusion", title="Red", description="what the red channel means")
    green: Meaning = Field("roughness", title="Green", description="what the green channel means")
    blue: Meaning = Field("metal", title="Blue", description="what the blue channel means")
    alpha: Meaning = Field("nothing", title="Alpha", description="what the alpha channel means")

    def meanings(self) -> dict[str, Meaning]:
        """By channel, without those that mean nothing."""
        every = {"red": self.red, "green": self.green, "blue": self.blue, "alpha": self.alpha}
        return {name: meaning for name, meaning in every.items() if meaning != "nothing"}


@dataclass(frozen=True, eq=False)
class _Packed:
    """A packed map and where each meaning is to be found in it."""

    image: Image
    ref: TextureRef
    at: dict[Meaning, str]

    def pick(self, meaning: Meaning) -> ChannelPick | float | None:
        """The channel that means this."""
        return channel_of(self.image, CHANNELS[self.at[meaning]], inverted=False) if meaning in self.at else None

    def plane(self, meaning: Meaning) -> ByteArray:
        """The texels (height, width) uint8 of a channel that is there."""
        return texels(self.image)[..., "rgba".index(CHANNELS[self.at[meaning]])]


@step(
    "take_apart",
    "Take a packed map apart",
    "Puts each channel of a packed map where it belongs: metal, roughness, gloss, occlusion, opacity, light, normals.",
    TakeApart,
)
def take_apart(scene: Scene, params: TakeApart, context: Context) -> StepResult:
    """Take the map in one slot of the chosen materials apart; a scheme that names one meaning twice is refused."""
    context.check()
    meanings = params.meanings()
    named = [one for one in meanings.values() if one != "as it is"]
    if len(set(named)) < len(named) or {"roughness", "gloss"} <= set(named):
        raise UsageError(
            ErrorCode.USAGE, "two channels mean the same", field="red",
            expected="each meaning once, roughness or gloss",
            found=", ".join(f"{name}: {meaning}" for name, meaning in meanings.items()),
        )  # fmt: skip
    slot, count = SLOTS[params.map], 0
    only = image_named(scene, params.texture) if params.texture else None
    made, born = scene, dict[Image, int]()
    for number in chosen_materials(scene, params.materials):
        context.check()
        ref = getattr(scene.materials[number], slot)
        if ref is None:
            continue
        image = scene.images[scene.textures[ref.texture].image]
        if only is not None and image.name != only.name:
            continue
        at: dict[Meaning, str] = {meaning: name for name, meaning in meanings.items() if meaning != "as it is"}
        left = {name for name, meaning in meanings.items() if meaning == "as it is"}
        made = _taken(made, number, slot, _Packed(image, ref, at), left, born)
        count += 1
    if not count:
        return StepResult(scene, f"no material has such a map for {params.map}", (Evidence("maps taken apart", 0),))
    used = ", ".join(dict.fromkeys(named))
    return StepResult(
        drop_unused(made), f"{counted(count, 'map')} taken apart: {used or 'nothing used'}",
        (Evidence("maps taken apart", count),),
    )  # fmt: skip


def _taken(scene: Scene, number: int, slot: str, packed: _Packed, left: set[str], born: dict[Image, int]) -> Scene:
    """The scene with the map of one material put to where it belongs; `born` are the textures made so far."""
    sampler = scene.textures[packed.ref.texture].sampler

    def texture_of(image: Image) -> int:
        nonlocal scene
        if image not in born:  # several materials may wear one packed map
            scene, born[image] = with_image(scene, image, sampler)
        return born[image]

    material = replace(scene.materials[number], **{slot: None})  # type: ignore[arg-type] # slots may be empty
    if left:
        r, g, b, a = (channel_of(packed.image, c, inverted=False) if n in left else 1.0 for n, c in CHANNELS.items())
        texture = texture_of(Image(f"{packed.image.name} kept", ChannelMix(r, g, b, a)))
        material = replace(material, **{slot: replace(packed.ref, texture=texture)})  # type: ignore[arg-type]
    for target, image, changed in _maps(scene, material, packed):
        before = getattr(material, target)
        read = packed.ref if target != "base_color_texture" or before is None else before
        ref = replace(read, texture=texture_of(image))
        material = replace(material, **{target: ref, **changed})
        if target == _LOOK and "occlusion" in packed.at:
            material = replace(material, occlusion_texture=ref)
    materials = (*scene.materials[:number], material, *scene.materials[number + 1 :])
    return replace(scene, materials=materials)


def _maps(scene: Scene, material: Material, packed: _Packed) -> Iterator[tuple[str, Image, dict[str, Any]]]:
    """Each map that comes of a packed one: its slot, its image, and what else changes in the material."""
    stem = packed.image.name
    rough, metal, occlusion = packed.pick("roughness"), packed.pick("metal"), packed.pick("occlusion")
    if "gloss" in packed.at:
        rough = channel_of(packed.image, CHANNELS[packed.at["gloss"]], inverted=True)
    if rough is not None or metal is not None:
        mix = ChannelMix(_or(occlusion, 1.0), _or(rough, 1.0), _or(metal, 1.0))
        factors = {"roughness": 1.0} if rough is not None else {}
        factors |= {"metallic": 1.0} if metal is not None else {}
        yield _LOOK, Image(f"{stem} metal and roughness", mix), factors
    elif occlusion is not None:
        yield "occlusion_texture", Image(f"{stem} occlusion", ChannelMix(occlusion, occlusion, occlusion)), {}
    base = material.base_color_texture
    if "light mask" in packed.at:
        yield "emissive_texture", _glow(scene, material, packed), {"emissive": (1.0, 1.0, 1.0)}
    opacity = packed.pick("opacity")
    if opacity is not None:
        worn = None if base is None else scene.images[scene.textures[base.texture].image]
        r, g, b = (1.0 if worn is None else channel_of(worn, c, inverted=False) for c in _RGB)
        mode = {"alpha_mode": "MASK"} if material.alpha_mode == "OPAQUE" else {}
        name = f"{(worn or packed.image).name} cut out"
        yield "base_color_texture", Image(name, ChannelMix(r, g, b, opacity)), mode
    if "normal right" in packed.at and {"normal up", "normal down"} & set(packed.at):
        yield "normal_texture", drawn(f"{stem} normals", _normals(packed)), {}


def _glow(scene: Scene, material: Material, packed: _Packed) -> Image:
    """The colour of the surface where the mask is bright: what is lit from within."""
    mask = packed.plane("light mask").astype(np.float32)[..., None] / 255
    base = material.base_color_texture
    color: FloatArray | float = 255.0
    if base is not None:
        worn = texels(scene.images[scene.textures[base.texture].image])
        color = resized(worn, mask.shape[1], mask.shape[0])[..., :3].astype(np.float32)
    rgba = np.full((*mask.shape[:2], 4), 255, np.uint8)
    rgba[..., :3] = np.rint(mask * color)
    return drawn(f"{packed.image.name} light", rgba)


def _normals(packed: _Packed) -> ByteArray:
    right = packed.plane("normal right").astype(np.float32) / 127.5 - 1
    up = packed.plane("normal up" if "normal up" in packed.at else "normal down").astype(np.float32) / 127.5 - 1
    return bytes_of_normals(right, up if "normal up" in packed.at else -up)


def _or(found: ChannelPick | float | None, otherwise: float) -> ChannelPick | float:
    return otherwise if found is None else found
