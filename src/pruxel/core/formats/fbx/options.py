"""What may be chosen of an FBX file."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from pruxel.core.formats.registry import Options

PER_METRE = {"m": 1.0, "cm": 100.0}


class FbxOptions(Options):
    """Axes, unit, textures and how tightly the file is packed."""

    unit: Literal["cm", "m"] = Field("cm", description="Unit of length; most programs count in centimetres")
    up: Literal["y", "z"] = Field("y", description="Axis that points up")
    version: Literal["7.4", "7.5"] = Field("7.4", description="7.5 for files beyond 2 GB")
    textures: Literal["linked", "embedded", "none"] = Field("linked", description="Pictures beside the file or in it")
    join_vertices: bool = Field(default=True, description="Vertices at the same place with the same joints become one")
    deflate: bool = Field(default=True, description="Smaller, a little slower")
    rotation_error_deg: float = Field(
        0.1, ge=0.001, le=5, description="How far rotations may stray between keys, in degrees"
    )

    @property
    def per_metre(self) -> float:
        """How many units of length a metre has."""
        return PER_METRE[self.unit]

    @property
    def number(self) -> int:
        """The version as the file counts it."""
        return int(self.version.replace(".", "")) * 100
