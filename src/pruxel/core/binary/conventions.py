"""How files count: axes, unit, winding, the origin of UVs. A layout or a game's profile says so."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

Axis = Literal["x", "y", "z", "-x", "-y", "-z"]


class Conventions(BaseModel):
    """How a game's files count: turned into glTF's conventions when a model is read.

    `axes` says for each of our x, y, z which axis of the file it is; `unit_m` is one unit in metres; `frame_rate` are
    keys a second where a clip does not say.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    axes: tuple[Axis, Axis, Axis] = ("x", "y", "z")
    unit_m: float = Field(1.0, gt=0, le=1e6)
    winding: Literal["counter_clockwise", "clockwise"] = "counter_clockwise"
    uv_origin: Literal["top_left", "bottom_left"] = "top_left"
    frame_rate: float = Field(30.0, ge=0.01, le=10_000)

    @field_validator("axes")
    @classmethod
    def _all_three(cls, axes: tuple[str, str, str]) -> tuple[str, str, str]:
        if {axis[-1] for axis in axes} != {"x", "y", "z"}:
            message = "each of x, y and z must stand once in 'axes'"
            raise ValueError(message)
        return axes

    def words(self) -> str:
        """One line for provenance."""
        return (
            f"axes {' '.join(self.axes)}, unit {self.unit_m:g} m, winding "
            f"{self.winding.replace('_', '-')}, UV origin {self.uv_origin.replace('_', ' ')}"
        )
