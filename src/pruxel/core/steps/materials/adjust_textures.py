"""Adjust textures: levels, hue, saturation, lightness."""

from __future__ import annotations

from functools import partial

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.images.levels import adjusted
from pruxel.core.scene.model import Scene
from pruxel.core.steps.references import Degrees, Share, TextureName
from pruxel.core.steps.registry import Params, StepResult, step
from pruxel.core.steps.repaint import repainted


class AdjustTextures(Params):
    """Which, and how."""

    textures: tuple[TextureName, ...] = Field((), title="Textures", description="their names; none means all")
    black: Share = Field(0.0, title="Black", description="what is this dark becomes black")
    white: Share = Field(100.0, title="White", description="what is this bright becomes white")
    gamma: float = Field(1.0, ge=0.1, le=10, title="Middle", description="above 1 the middle becomes brighter")
    hue: Degrees = Field(0.0, ge=-180, le=180, title="Hue", description="turned about grey")
    saturation: float = Field(
        100.0, ge=0, le=400, title="Saturation", description="of colours; 0 is grey", json_schema_extra={"unit": "%"}
    )
    lightness: float = Field(
        0.0, ge=-100, le=100, title="Lightness", description="towards white, or black below 0",
        json_schema_extra={"unit": "%"},
    )  # fmt: skip


@step(
    "adjust_textures",
    "Adjust textures",
    "Spreads levels and turns hue, saturation and lightness of textures: faded, dark, or in another colour.",
    AdjustTextures,
)
def adjust_textures(scene: Scene, params: AdjustTextures, context: Context) -> StepResult:
    """Repaint the chosen textures; see-through texels stay so. Raises `UsageError` for a texture that is not there."""
    change = partial(
        adjusted, black=params.black / 100, white=max(params.white, params.black + 0.1) / 100, gamma=params.gamma,
        hue_deg=params.hue, saturation=params.saturation / 100, lightness=params.lightness / 100,
    )  # fmt: skip
    made, count = repainted(scene, params.textures, change, context)
    return StepResult(made, f"{counted(count, 'texture')} adjusted", (Evidence("textures adjusted", count),))
