"""Put a map together from channels of textures: what goes where, inverted or not."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.channels import SLOTS, channel_of, with_image, with_map
from pruxel.core.scene.edit import drop_unused
from pruxel.core.scene.images import ChannelMix, ChannelPick, Image
from pruxel.core.scene.model import Scene
from pruxel.core.steps.choose_materials import chosen_materials
from pruxel.core.steps.references import Materials, NameText, Share, TextureName
from pruxel.core.steps.registry import Params, StepResult, step
from pruxel.core.steps.repaint import image_named

Slot = Literal["base colour", "metal and roughness", "normals", "occlusion", "light"]


class Source(BaseModel):
    """A channel of a texture, or a constant where none is named."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    texture: TextureName = Field("", title="Texture", description="its name; empty for a constant")
    channel: Literal["r", "g", "b", "a"] = Field("r", title="Channel", description="red, green, blue or alpha of it")
    inverted: bool = Field(default=False, title="Inverted", description="what is dark becomes bright: gloss, roughness")
    value: Share = Field(100.0, title="Constant", description="where no texture is named")


class ComposeMap(Params):
    """For which materials, into which slot, and where each channel comes from."""

    materials: Materials = ()
    slot: Slot = Field(
        "metal and roughness", title="Map", description="metal in blue and roughness in green; occlusion in red"
    )
    red: Source = Field(Source(), title="Red", description="what becomes red")
    green: Source = Field(Source(), title="Green", description="what becomes green")
    blue: Source = Field(Source(), title="Blue", description="what becomes blue")
    alpha: Source = Field(Source(), title="Alpha", description="what becomes alpha")
    name: NameText = Field("", title="Name", description="of the new texture; empty: after its use")


@step(
    "compose_map",
    "Put a map together",
    "Makes a texture of channels of others, each inverted or not, and puts it into a slot of materials.",
    ComposeMap,
)
def compose_map(scene: Scene, params: ComposeMap, context: Context) -> StepResult:
    """Mix channels into a new texture; what nothing uses any more goes. Raises `UsageError` for a texture not there."""
    context.check()
    chosen = chosen_materials(scene, params.materials)
    if not chosen:
        raise UsageError(
            ErrorCode.USAGE, "there is no material to put the map on", expected="a model with materials", found="none"
        )
    sources = (params.red, params.green, params.blue, params.alpha)
    mix = ChannelMix(*(_pick(scene, one) for one in sources))
    name = params.name or f"{scene.materials[chosen[0]].name} {params.slot}"
    with_it, texture = with_image(scene, Image(name, mix))
    worn = set(chosen)
    materials = tuple(
        with_map(m, SLOTS[params.slot], texture) if k in worn else m for k, m in enumerate(with_it.materials)
    )
    # A map says it all: factors of metal and roughness would weaken it.
    if params.slot == "metal and roughness":
        materials = tuple(replace(m, metallic=1.0, roughness=1.0) if k in worn else m for k, m in enumerate(materials))
    mixed = drop_unused(replace(with_it, materials=materials))
    used = len({one.texture for one in sources if one.texture})
    return StepResult(
        mixed, f"{params.slot} of {counted(len(chosen), 'material')} from {counted(used, 'texture')}",
        (Evidence("materials", len(chosen)), Evidence("textures used", used)),
    )  # fmt: skip


def _pick(scene: Scene, source: Source) -> ChannelPick | float:
    if not source.texture:
        value = source.value / 100
        return 1.0 - value if source.inverted else value
    return channel_of(image_named(scene, source.texture), source.channel, inverted=source.inverted)
