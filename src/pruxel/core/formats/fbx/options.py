"""What may be chosen of an FBX file."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from pruxel.core.formats.registry import Options

PER_METRE = {"m": 1.0, "cm": 100.0}


class FbxOptions(Options):
    """Axes, unit, textures and how tightly the file is packed."""

    unit: Literal["cm", "m"] = Field("cm", title="Unit", description="Most programs count in centimetres")
    up: Literal["y", "z"] = Field("y", title="Axis up", description="Worked into every value, no node is turned")
    version: Literal["7.4", "7.5"] = Field("7.4", title="Version", description="7.5 for files beyond 2 GB")
    textures: Literal["linked", "embedded", "none"] = Field(
        "linked", title="Textures", description="Beside the file, in it, or left out"
    )
    join_vertices: bool = Field(
        default=True, title="Join vertices", description="Those at one place with the same joints become one"
    )
    deflate: bool = Field(default=True, title="Pack", description="Smaller, and a little slower")
    rotation_error_deg: float = Field(
        0.1,
        ge=0.001,
        le=5,
        title="Rotation error",
        description="How far rotations may stray between keys",
        json_schema_extra={"unit": "°"},
    )

    @property
    def per_metre(self) -> float:
        """How many units of length a metre has."""
        return PER_METRE[self.unit]

    @property
    def number(self) -> int:
        """The version as the file counts it."""
        return int(self.version.replace(".", "")) * 100
