"""Turn the green of normal maps: bumps that look like dents."""

from __future__ import annotations

from dataclasses import replace

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.scene.channels import channel_of
from pruxel.core.scene.images import Channel, ChannelMix
from pruxel.core.scene.model import Scene
from pruxel.core.steps.choose_materials import chosen_materials
from pruxel.core.steps.references import Materials
from pruxel.core.steps.registry import Params, StepResult, step


class TurnGreen(Params):
    """Whose normal maps."""

    materials: Materials = ()


@step(
    "turn_green",
    "Turn the green of normals",
    "Inverts the green of normal maps, for those made with the other sense of up: dents become bumps.",
    TurnGreen,
)
def turn_green(scene: Scene, params: TurnGreen, context: Context) -> StepResult:
    """Invert green in the normal maps of the chosen materials; a map that others wear too is turned for all."""
    context.check()
    worn = {
        scene.textures[ref.texture].image
        for k in chosen_materials(scene, params.materials)
        if (ref := scene.materials[k].normal_texture) is not None
    }

    def turned(number: int) -> ChannelMix:
        image = scene.images[number]
        channels: tuple[Channel, ...] = ("r", "g", "b", "a")
        return ChannelMix(*(channel_of(image, c, inverted=c == "g") for c in channels))

    images = tuple(replace(i, content=turned(k)) if k in worn else i for k, i in enumerate(scene.images))
    return StepResult(
        replace(scene, images=images), f"green of {len(worn)} normal maps turned", (Evidence("maps turned", len(worn)),)
    )
